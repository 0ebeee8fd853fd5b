// A run of two unknowns that react with each other, through recorder, checkpoints and readers.
#include <doctest/doctest.h>

#include <cmath>

#include "support/folder.hpp"
#include "support/json.hpp"
#include "support/text.hpp"
#include "williwaw/store/run_series.hpp"
#include "williwaw/study/run.hpp"

using namespace williwaw;
using namespace williwaw::casefile;
using namespace williwaw::study;

namespace {

const char* const pair_case = R"case(
title = "Ice and water"
[grid]
x = { from = 0, to = 1, cells = 20 }
y = { from = 0, to = 0.5, cells = 6 }
[equation]
kind = "system"
[equation.unknowns.ice]
diffusivity = 0.01
source = 0.2
reaction = "water - 3*ice"
[equation.unknowns.water]
diffusivity = 0.01
reaction = "3*ice - water"
[initial.ice]
value = "2 + x"
[initial.water]
value = "1 + y"
[boundary]
west = { ice = { flux = 0.3 }, water = "insulated" }
east = { ice = "insulated", water = { dirichlet = 0.5 } }
default = "insulated"
[time]
until = 0.5
scheme = "rk4"
step = 0.01
[record]
every = 0.25
series = 0.05
[[probe]]
name = "middle"
at = [0.5, 0.25]
)case";

struct RanUnknowns {
  std::filesystem::path folder;
  RunResult result;
};

RanUnknowns run(const std::filesystem::path& folder, const Observers& observers = {}, bool resume = false) {
  const Case given = read_case_text(pair_case, "pair.toml");
  Prepared prepared = prepare(given);
  RunOptions options;
  options.folder = folder;
  options.observers = observers;
  options.resume = resume;
  options.checkpoint_seconds = 0;
  RanUnknowns ran{options.folder, {}};
  ran.result = run_case(given, prepared, options);
  return ran;
}

}  // namespace

TEST_CASE("a run of two unknowns records both, with a budget for each") {
  const RanUnknowns ran = run(test::fresh_folder("pair"));
  const store::FieldReader ice(ran.folder / "fields.nc"), water(ran.folder / "fields.nc", "water");
  CHECK(ice.unknowns() == std::vector<std::string>{"ice", "water"});
  REQUIRE(ice.times().size() == 3);
  CHECK(water.field(0)[20 * 5] == doctest::Approx(1 + 0.5 * 5.5 / 6));
  CHECK(ice.field(0)[3] == doctest::Approx(2 + 3.5 / 20));
  // On its own side water is prescribed.
  const Field end = water.field(2);
  CHECK(0.5 * (end.at(20, 2) + end.at(19, 2)) == doctest::Approx(0.5));
  CHECK(std::abs(0.5 * (ice.field(2).at(20, 2) + ice.field(2).at(19, 2)) - 0.5) > 0.1);

  const store::RunSeries series(ran.folder / "series.csv");
  const auto last = [&](const std::string& name) {
    for (std::size_t c = 0; c < series.table().columns.size(); ++c)
      if (series.column(c).name == name) return series.values(c).back();
    FAIL("no column " << name);
    return 0.0;
  };
  CHECK(last("ice: mean") == doctest::Approx(ice.field(2).mean()).epsilon(1e-6));
  CHECK(last("water: mean") == doctest::Approx(water.field(2).mean()).epsilon(1e-6));
  CHECK(last("water: total") == doctest::Approx(0.5 * water.field(2).mean()).epsilon(1e-6));
  CHECK(last("water: minimum") == doctest::Approx(water.field(2).lowest()).epsilon(1e-6));
  CHECK(last("water: middle") == doctest::Approx(water.field(2).sample({0.5, 0.25, 0})).epsilon(1e-6));
  CHECK(last("amount ice west: flux") == doctest::Approx(0.3 * 0.5 * 0.5));
  CHECK(last("amount ice source") == doctest::Approx(0.2 * 0.5 * 0.5));
  CHECK(last("amount ice reaction") == doctest::Approx(-last("amount water reaction")));
  // What each has now is what it had and what came in on its own lines.
  const Real ice_at_start = 0.5 * 2.5, water_at_start = 0.5 * 1.25;
  CHECK(last("ice: total") == doctest::Approx(ice_at_start + last("amount ice west: flux") +
                                              last("amount ice source") + last("amount ice reaction")));
  CHECK(last("water: total") == doctest::Approx(water_at_start + last("amount water east: dirichlet") +
                                                last("amount water reaction")));
  for (const char* name : {"ice: budget residual", "water: budget residual"}) {
    CHECK(last(name) < 1e-13);
    CHECK(last(name) >= 0);
  }
  CHECK(test::Json(test::text_of(ran.folder / "summary.json"))
            .kind("/columns_of_series_csv", "water: minimum") == "extremum");
}

TEST_CASE("a run of two unknowns that was interrupted goes on to the same bits") {
  const RanUnknowns whole = run(test::fresh_folder("pair-whole"));
  int steps = 0;
  Observers stop;
  stop.interrupt = [&] { return ++steps == 17; };
  const auto folder = test::fresh_folder("pair-half");
  CHECK(run(folder, stop).result.outcome.ending == Outcome::Ending::interrupted);
  const RanUnknowns rest = run(folder, {}, true);
  CHECK(rest.result.resumed_at == std::optional<Index>(17));
  CHECK(test::text_of(rest.folder / "series.csv") == test::text_of(whole.folder / "series.csv"));
  for (const char* name : {"ice", "water"}) {
    const store::FieldReader a(whole.folder / "fields.nc", name), b(rest.folder / "fields.nc", name);
    CHECK(a.field(2).values() == b.field(2).values());
  }
}
