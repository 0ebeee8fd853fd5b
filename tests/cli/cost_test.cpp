#include "williwaw/casefile/cost.hpp"

#include <doctest/doctest.h>

#include "support/folder.hpp"
#include "support/program.hpp"
#include "williwaw/casefile/run.hpp"

using namespace williwaw;
using namespace williwaw::casefile;

namespace {

std::optional<Real> seconds_of(const std::string& name, const std::vector<std::string>& set) {
  const Case c = read_case(std::string(CASES) + "/" + name, set);
  const Prepared p = prepare(c);
  return measured_seconds(c, p);
}

}  // namespace

TEST_CASE("cost is told from timed steps, and not told where steps are not known") {
  const auto few = seconds_of("ice-deck.toml", {"time.until=\"1 h\"", "figure=[]"}),
             many = seconds_of("ice-deck.toml", {"time.until=\"1000 h\"", "figure=[]"});
  REQUIRE(few);
  REQUIRE(many);
  // A thousand times the steps, on a machine that others use too.
  CHECK(*many > 100 * *few);
  CHECK_FALSE(seconds_of("hut-floor.toml", {"time.scheme=sdirk4", "time.step={adaptive=1e-4}"}));
  CHECK_FALSE(seconds_of("ice-deck-steady.toml", {}));
  // Beyond a hundred thousand unknowns a coarser grid is stepped: no longer than a second or two.
  CHECK(seconds_of("brine-tank.toml",
                   {"grid.x.nodes=193", "grid.y.nodes=129", "grid.z.nodes=97", "figure=[]"}));
}

TEST_CASE("records take no more on the disk than check says, and not much less") {
  for (const char* name : {"hut-floor.toml", "tidal-bore.toml", "brine-tank.toml"}) {
    CAPTURE(name);
    const auto folder = test::fresh_folder("recorded");
    const Case c = read_case(std::string(CASES) + "/" + name, {"figure=[]"});
    Prepared p = prepare(c);
    const Real said = recorded_bytes(c, p);
    run_case(c, p, {folder / "out", {}});
    // While fields.nc is completed its journal is there too.
    const Real fields = static_cast<Real>(std::filesystem::file_size(folder / "out" / "fields.nc")),
               series = static_cast<Real>(std::filesystem::file_size(folder / "out" / "series.csv"));
    CHECK(said > 2 * fields + series - 1e5);
    CHECK(said < 2.6 * fields + 2 * series + 2e5);
  }
}

TEST_CASE("a run of more than a day, or whose records do not fit, is started with --force only") {
  const auto folder = test::folder_of("costly", R"case(
title = "Costly"
[grid]
x = { from = 0, to = 1, cells = 10 }
[boundary]
west = { dirichlet = 1 }
east = "insulated"
[equation]
kind = "diffusion"
diffusivity = 1
[initial]
value = 0
[time]
until = 1000000
scheme = "explicit-euler"
step = 1e-6
[record]
every = 100000
series = 1000
)case");
  const auto run = [&](const std::string& set) {
    return test::williwaw_in(folder, "run case.toml -o out --quiet" + set);
  };
  const auto days = run("");
  CHECK(days.code == 2);
  CHECK(days.error.find("case.toml: 1e+12 steps of 10 unknowns would take ") != std::string::npos);
  CHECK(days.error.find("more than one day; --force runs it all the same") != std::string::npos);
  CHECK(!std::filesystem::exists(folder / "out"));
  CHECK(test::williwaw_in(folder, "check case.toml").out.find("only with --force") != std::string::npos);
  // A row at each of 10^11 steps.
  const auto rows =
      run(" --set record.series=1e-2 --set time.until=1e6 --set time.step=1e-3 --set grid.x.cells=1000000 "
          "--set time.scheme=implicit-euler --set record.every=1");
  CHECK(rows.code == 2);
  CHECK(rows.error.find("records of ") != std::string::npos);
  CHECK(rows.error.find("has left; --force runs it all the same") != std::string::npos);
  CHECK(run(" --set time.until=0.01 --set record.every=0.01 --set record.series=0.01").code == 0);
}
