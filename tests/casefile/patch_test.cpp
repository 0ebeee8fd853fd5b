// Variants and stages are read as patches of a case; refinement cuts its grid and its steps.
#include <doctest/doctest.h>

#include "williwaw/study/check.hpp"

using namespace williwaw;
using namespace williwaw::casefile;

namespace {

const char* const patched_case = R"case(
title = "Base"
[grid]
x = { from = "0 m", to = "1 m", cells = 12, growth = 1.1 }
[region.sand]
where = "x < 0.5"
[equation]
kind = "heat"
conductivity = { default = "2 W/m/K", sand = "0.5 W/m/K" }
density = "1000 kg/m^3"
heat_capacity = "1000 J/kg/K"
[initial]
value = "5 degC"
[boundary]
west = { robin = { coefficient = "8 W/m^2/K", ambient = "20 degC" }, flux = "15 W/m^2" }
east = "insulated"
[time]
until = "4 h"
scheme = "bdf2"
step = "10 min"
[record]
every = "1 h"
[[probe]]
name = "a"
at = ["0.2 m"]
[[variant]]
title = "held"
boundary.west = { dirichlet = "1 degC" }
time.lasts = "2 h"
time.step = { of_limit = 0.5 }
time.scheme = "rk4"
grid.x.cells = 20
record = { times = ["1 h"] }
[[variant.probe]]
name = "a"
at = ["0.7 m"]
[[variant.probe]]
name = "b"
at = ["0.9 m"]
[[variant]]
title = "settled"
[variant.steady]
solver = "direct"
[[variant]]
title = "nothing but sand"
region.sand.where = "x < 2"
equation.conductivity = "0.5 W/m/K"
)case";

Case variant(const std::string& title, const std::vector<std::string>& set = {}) {
  return read_case_text(patched_case, "case.toml", set,
                        {.refinement = {}, .variant = title, .stage = 0, .start = 0});
}

Case refined(const Refinement& r, const std::vector<std::string>& set = {}) {
  return read_case_text(patched_case, "case.toml", set,
                        {.refinement = r, .variant = {}, .stage = 0, .start = 0});
}

}  // namespace

TEST_CASE("a variant replaces what it names: conditions whole, axes key by key, probes by name") {
  const Case base = read_case_text(patched_case, "case.toml");
  CHECK(base.variants == std::vector<std::string>{"held", "settled", "nothing but sand"});
  CHECK(base.problem.boundary({0, false}).conditions().size() == 2);
  const Case prescribed = variant("held");
  CHECK(prescribed.title == "Base: held");
  CHECK(prescribed.problem.boundary({0, false}).conditions().size() == 1);
  CHECK(prescribed.problem.boundary({0, true}).conditions()[0]->kind() == "insulated");
  CHECK(prescribed.problem.grid().size(0) == 20);
  CHECK(prescribed.problem.grid().axis(0).to() == 1);
  CHECK_FALSE(prescribed.problem.grid().axis(0).is_uniform());  // the growth stays
  CHECK(prescribed.plan.until == 7200);
  CHECK(prescribed.step.of_limit);
  CHECK(prescribed.plan.records == std::vector<Real>{3600});
  REQUIRE(prescribed.probes.size() == 2);
  CHECK(prescribed.probes[0].at.x == 0.7);
  CHECK(prescribed.probes[1].name == "b");
  CHECK(variant("settled").steady->solver == "direct");
  CHECK(variant("nothing but sand").problem.equation().diffusion.coefficient[0].is_constant());
  // Overrides have the last word.
  CHECK(variant("held", {"grid.x.cells=30"}).problem.grid().size(0) == 30);
  CHECK_THROWS_WITH_AS(variant("helt"),
                       doctest::Contains("there is none called 'helt'; there are held, settled and"),
                       CaseError);
  // What is run reads as what it is, without the list.
  const Case again = read_case_text(prescribed.text, "again.toml");
  CHECK(again.variants.empty());
  CHECK(again.problem.grid().size(0) == 20);
  CHECK(again.plan.until == 7200);
}

TEST_CASE("refinement cuts every interval and every step, and joins them again") {
  const Case base = refined({});
  const Case fine = refined({.grid = 2, .coarsen = 1, .step = 4});
  CHECK(fine.problem.grid().size(0) == 24);
  CHECK(fine.step.value == doctest::Approx(base.step.value / 4));
  // Every mark of the coarse axis is one of the fine one: the same growth over the same length.
  const auto &coarse = base.problem.grid().axis(0), &finer = fine.problem.grid().axis(0);
  for (Index i = 0; i <= 12; ++i)
    CHECK(finer.faces()[2 * i] == doctest::Approx(coarse.faces()[i]).epsilon(1e-12));
  CHECK(refined({.grid = 1, .coarsen = 2, .step = 1}).problem.grid().size(0) == 6);
  const std::vector<std::string> faces{"grid.x={faces=['0 m','0.1 m','0.5 m','0.7 m','1 m']}"};
  const Case cut = refined({.grid = 3, .coarsen = 1, .step = 1}, faces);
  CHECK(cut.problem.grid().size(0) == 12);
  CHECK(cut.problem.grid().axis(0).faces()[4] == doctest::Approx(0.1 + 0.4 / 3));
  CHECK(refined({.grid = 1, .coarsen = 2, .step = 1}, faces).problem.grid().axis(0).faces()[1] == 0.5);
  CHECK_THROWS_WITH_AS(refined({.grid = 1, .coarsen = 3, .step = 1}, faces),
                       doctest::Contains("4 intervals cannot be joined by 3"), CaseError);
  CHECK(refined({.grid = 2, .coarsen = 1, .step = 1},
                {"grid.x={from='0 m',to='1 m',nodes=11}", "grid.unknowns=nodes"})
            .problem.grid()
            .size(0) == 21);
  // A part of the limit stays that part where the grid alone is refined; its limit falls by itself.
  const std::vector<std::string> part{"time.scheme=rk4", "time.step={of_limit=0.8}"};
  CHECK(refined({.grid = 2, .coarsen = 1, .step = 4}, part).step.value == doctest::Approx(0.8));
  CHECK(refined({.grid = 1, .coarsen = 1, .step = 2}, part).step.value == doctest::Approx(0.4));
}
