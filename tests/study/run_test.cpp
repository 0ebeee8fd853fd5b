#include "williwaw/study/run.hpp"

#include <doctest/doctest.h>

#include <cmath>
#include <fstream>
#include <sstream>

#include "support/folder.hpp"
#include "support/json.hpp"
#include "williwaw/store/series.hpp"

using namespace williwaw;
using namespace williwaw::casefile;
using namespace williwaw::study;

namespace {

const char* const decay = R"case(
[constants]
warm = 10.0
[grid]
x = { from = "0 m", to = "1 m", cells = 40 }
[equation]
kind = "diffusion"
unknown = { name = "salinity", unit = "kg/m^3" }
diffusivity = "1e-3 m^2/s"
[initial]
value = { formula = "warm*sin(pi*x)", unit = "kg/m^3" }
[boundary]
default = { dirichlet = "0 kg/m^3" }
[time]
until = "100 s"
scheme = "crank-nicolson"
step = "1 s"
[record]
every = "25 s"
series = "5 s"
[[probe]]
name = "middle"
at = ["0.5 m"]
[exact]
value = { formula = "warm*exp(-pi^2*1e-3*t)*sin(pi*x)", unit = "kg/m^3" }
)case";

struct Ran {
  std::filesystem::path folder;
  RunResult result;
  std::string summary;
};

Ran run(const std::string& name, const std::vector<std::string>& overrides = {}) {
  Ran ran;
  ran.folder = test::fresh_folder(name);
  const Case c = read_case_text(decay, "decay.toml", overrides);
  Prepared p = prepare(c);
  RunOptions options;
  options.folder = ran.folder;
  ran.result = run_case(c, p, options);
  std::ostringstream text;
  text << std::ifstream(ran.folder / "summary.json").rdbuf();
  ran.summary = text.str();
  return ran;
}

}  // namespace

TEST_CASE("a run leaves a complete folder and compares with the exact solution at every record") {
  const Ran ran = run("decay");
  for (const char* file : {"fields.nc", "series.csv", "summary.json", "case.toml", "run.log"})
    CHECK(std::filesystem::exists(ran.folder / file));
  for (const auto& entry : std::filesystem::directory_iterator(ran.folder))
    CHECK(entry.path().extension() != ".partial");
  REQUIRE(ran.result.comparisons.size() == 5);
  CHECK(ran.result.comparisons[0].norms.max < 1e-12);
  CHECK(ran.result.comparisons[4].norms.max < 5e-3);
  CHECK(ran.result.comparisons[4].norms.max > 1e-5);
  CHECK(ran.summary.find("\"relative_residual\"") != std::string::npos);
  const store::Series series = store::read_series(ran.folder / "series.csv");
  CHECK(test::Json(ran.summary).number("/probes_at_the_end/middle") ==
        doctest::Approx(series.values[series.find("middle").value()].back()).epsilon(1e-9));
  CHECK(ran.summary.find("\"in_through_west_dirichlet\"") != std::string::npos);
}

TEST_CASE("the series holds probes, extremes, total, flows and the residual") {
  const Ran ran = run("series");
  const store::Series s = store::read_series(ran.folder / "series.csv");
  CHECK(s.values[0].size() == 21);
  const auto column = [&](const char* name) {
    const auto found = s.find(name);
    REQUIRE_MESSAGE(found.has_value(), name);
    return s.values[*found];
  };
  CHECK(column("middle").back() == doctest::Approx(10 * std::exp(-M_PI * M_PI * 0.1)).epsilon(1e-3));
  CHECK(column("maximum").front() == doctest::Approx(10).epsilon(1e-3));
  CHECK(column("total").back() == doctest::Approx(20 / M_PI * std::exp(-M_PI * M_PI * 0.1)).epsilon(1e-3));
  CHECK(s.columns[*s.find("total")].unit == "kg/m^2");
  CHECK(s.columns[*s.find("flow west: dirichlet")].unit == "kg/m^2/s");
  CHECK(s.columns[*s.find("amount west: dirichlet")].unit == "kg/m^2");
  // What came in since the start is what the total gained, in every row.
  const auto west = column("amount west: dirichlet"), east = column("amount east: dirichlet"),
             total = column("total");
  for (std::size_t r = 0; r < west.size(); ++r)
    CHECK(total[r] - total[0] == doctest::Approx(west[r] + east[r]).epsilon(1e-11));
  // The flow is that of its time: du/dx = 10·π·cos(πx)·exp(−π²Dt) at the boundary.
  const auto flow = column("flow west: dirichlet");
  for (std::size_t r = 0; r < flow.size(); ++r)
    CHECK(flow[r] ==
          doctest::Approx(-1e-3 * 10 * M_PI * std::exp(-M_PI * M_PI * 1e-3 * s.values[0][r])).epsilon(2e-3));
  for (const Real v : column("budget residual")) CHECK(v < 1e-13);
}

TEST_CASE("a case is kept as it was run") {
  const Ran ran = run("kept", {"grid.x.cells=20", "time.step=5 s"});
  const Case again = read_case(ran.folder / "case.toml");
  CHECK(again.problem.grid().count() == 20);
  CHECK(again.step.value == 5);
}

TEST_CASE("a run that blows up keeps what was recorded and says why") {
  const Case c =
      read_case_text(decay, "decay.toml",
                     {"time.scheme=explicit-euler", "time.step={ of_limit = 1.3 }", "time.until=5000 s"});
  Prepared p = prepare(c);
  CHECK_FALSE(p.stability.stable());
  RunOptions options;
  options.folder = test::fresh_folder("blown");
  const RunResult r = run_case(c, p, options);
  CHECK(r.outcome.ending == Outcome::Ending::blew_up);
  CHECK(std::filesystem::exists(options.folder / "fields.nc"));
  const store::FieldReader reader(options.folder / "fields.nc");
  CHECK(reader.times().size() >= 2);
  const std::string text = closing_report(c, p, r).text();
  CHECK(text.find("the largest stable step is") != std::string::npos);
  CHECK(text.find("kept") != std::string::npos);
}

TEST_CASE("comparison with the initial value") {
  const Ran ran = run("initial", {"exact.value=initial"});
  CHECK(ran.result.comparisons[0].norms.max == 0);
  CHECK(ran.result.comparisons[4].norms.max ==
        doctest::Approx(10 * (1 - std::exp(-M_PI * M_PI * 0.1))).epsilon(1e-2));
}

TEST_CASE("a run into the folder of an earlier one with fewer columns tells all of its own") {
  const auto ran_into = [](const std::filesystem::path& folder, const std::vector<std::string>& overrides) {
    const Case c = read_case_text(decay, "decay.toml", overrides);
    Prepared p = prepare(c);
    RunOptions options;
    options.folder = folder;
    run_case(c, p, options);
    std::ostringstream text;
    text << std::ifstream(folder / "summary.json").rdbuf();
    return text.str();
  };
  const auto folder = test::fresh_folder("run twice");
  ran_into(folder, {});
  const test::Json again(ran_into(folder, {"equation.kind=\"transport\"", "equation.velocity=\"0.001 m/s\"",
                                           "exact={value=\"initial\"}"}));
  for (const auto& [column, kind] : {std::pair{"total variation", "norm"},
                                     {"extrema", "count"},
                                     {"mean", "mean"},
                                     {"total", "content"},
                                     {"middle", "probe"},
                                     {"t", "time"},
                                     {"interpolated", "mark"},
                                     {"budget residual", "residual"}})
    CHECK(again.kind("/columns_of_series_csv", column) == kind);
}
