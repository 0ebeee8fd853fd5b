// Limits of conservation laws, which depend on the values that data allow over the whole run, not on those at
// the start.
#include <doctest/doctest.h>

#include "support/advected.hpp"
#include "williwaw/verify/value_range.hpp"

using namespace williwaw;
using namespace williwaw::test;

namespace {

struct EvenFractional {
  Real flux(Real u) const { return u * u / (u * u + (1 - u) * (1 - u)); }
  Real speed(Real u) const {
    const Real d = u * u + (1 - u) * (1 - u);
    return 2 * u * (1 - u) / (d * d);
  }
};
struct Quartic {
  Real flux(Real u) const { return 0.25 * u * u * u * u; }
  Real speed(Real u) const { return u * u * u; }
};
struct Root {
  Real flux(Real u) const { return std::sqrt(u); }
  Real speed(Real u) const { return 0.5 / std::sqrt(u); }
};
struct Inverse {
  Real flux(Real u) const { return 1 / u; }
  Real speed(Real u) const { return -1 / (u * u); }
};

struct Story {
  const char* name;
  Problem problem;
  Real lowest, highest, fastest;  ///< what data allow, and the largest speed within it
};

// A swell, a step or a boundary that starts from where values have no speed, or from the middle of the range.
std::vector<Story> stories(int dimension) {
  std::vector<Axis> axes{Axis::uniform("x", 0, 2, 50, Unknowns::cells)};
  if (dimension == 2) axes.push_back(Axis::uniform("y", 0, 0.4, 10, Unknowns::cells));
  const Grid grid(axes);
  std::vector<Story> all;
  const auto add = [&](const char* name, const Equation& e, Function initial, const Boundary& west, Real low,
                       Real high, Real fastest) {
    Problem p(grid, e);
    p.initial = std::move(initial);
    p.boundary("west", west).default_boundary(outflow());
    all.push_back({name, p, low, high, fastest});
  };
  add("rest, prescribed at 1", conservation(quadratic_flux()), 0.0, dirichlet(1), 0, 1, 1);
  add("rest, swings later", conservation(quadratic_flux()), 0.0,
      dirichlet([](Real t) { return t < 0.5 ? 0.0 : 2 * std::sin(3.2 * (t - 0.5)); }), 0, 2, 2);
  add(
      "two states without speed", conservation(flux_law(EvenFractional{}, "fraction")),
      [](Point q) { return q.x < 0.5 ? 1.0 : 0.0; }, dirichlet(1), 0, 1, 2);
  add("a source", conservation(quadratic_flux(), 0.0, 1.5), 0.0, dirichlet(0), 0, 1.5, 1.5);
  add(
      "quartic", conservation(flux_law(Quartic{}, "quartic")),
      [](Point q) { return 0.2 * std::sin(3 * q.x); }, dirichlet(1.5), -0.2, 1.5, 1.5 * 1.5 * 1.5);
  return all;
}

Totals extremes_of(const Problem& p, const char* scheme_name, Real step, Real until, bool& finite) {
  ProblemBalance balance(p);
  State y = balance.initial_state();
  Plan plan;
  plan.scheme = scheme(scheme_name);
  plan.until = until;
  plan.step = until / std::ceil(until / step);
  plan.guard = false;
  Totals all = balance.totals(y, 0);
  Observers o;
  o.on_step = [&](const StepInfo& m) {
    all.lowest = std::min(all.lowest, m.totals.lowest);
    all.highest = std::max(all.highest, m.totals.highest);
  };
  finite = march(balance, y, plan, o).totals.finite();
  return all;
}

}  // namespace

TEST_CASE("a law is judged by the fastest of all values that data allow, and keeps to them within its limit" *
          doctest::skip(instrumented)) {
  for (const int dimension : {1, 2})
    for (const Story& story : stories(dimension))
      for (const char* flux : {"upwind", "engquist-osher", "local-lax-friedrichs", "lax-friedrichs"}) {
        CAPTURE(story.name);
        CAPTURE(flux);
        CAPTURE(dimension);
        Problem p = story.problem;
        p.numerical_flux = flux;
        const auto s = verify::stability(p, scheme("explicit-euler"), 1e-3, 0, 1);
        REQUIRE(s.allowed);
        CHECK(s.allowed->bounded);
        CHECK(s.allowed->values.lowest == doctest::Approx(story.lowest).epsilon(0.02));
        CHECK(s.allowed->values.highest == doctest::Approx(story.highest).epsilon(0.02));
        const Real courant_one = 1 / (story.fastest * (dimension == 1 ? 25 : 50));
        CHECK(s.limit.step == doctest::Approx(courant_one).epsilon(0.02));
        bool finite = true;
        const Totals kept = extremes_of(p, "explicit-euler", s.limit.step, 1, finite);
        CHECK(kept.lowest > s.allowed->values.lowest - 1e-12);
        CHECK(kept.highest < s.allowed->values.highest + 1e-12);
      }
}

TEST_CASE("a step three times the limit leaves the range: the verdict is not for nothing") {
  int left = 0;
  for (const Story& story : stories(1)) {
    const auto s = verify::stability(story.problem, scheme("explicit-euler"), 1e-3, 0, 1);
    bool finite = true;
    const Totals kept = extremes_of(story.problem, "explicit-euler", 3 * s.limit.step, 1, finite);
    left += !finite || kept.lowest < story.lowest - 0.01 || kept.highest > story.highest + 0.01 ? 1 : 0;
  }
  CHECK(left >= 4);
}

TEST_CASE("central differences of a law without diffusion have no limit to give") {
  Problem p(periodic_line(64), conservation(quadratic_flux()));
  p.initial = [](Point q) { return std::sin(2 * M_PI * q.x); };
  p.numerical_flux = "central";
  const auto s = verify::stability(p, scheme("explicit-euler"), 1e-4, 0, 1);
  CHECK(s.limit.step == 0);
  CHECK_FALSE(s.stable());
  CHECK(s.positivity.step == 0);
  bool finite = true;
  const Totals t = extremes_of(p, "explicit-euler", 0.3 / 64, 4, finite);
  CHECK((!finite || t.highest > 1.5));
}

TEST_CASE("speeds that are unbounded where values go end the search in finite time, with no stable step") {
  for (const auto& law : {flux_law(Root{}, "root"), flux_law(Inverse{}, "inverse")})
    for (const Real lowest : {0.0, -0.5}) {
      Problem p(Grid({Axis::uniform("x", 0, 1, 20, Unknowns::cells)}), conservation(law));
      p.initial = [lowest](Point q) { return lowest + q.x - 0.025; };
      p.boundary("west", dirichlet(lowest)).default_boundary(outflow());
      for (const char* name : {"explicit-euler", "ssprk3", "rk4"}) {
        const auto s = verify::stability(p, scheme(name), 1e-3, 0, 1);
        CHECK(s.limit.step < 1e-6);
        CHECK_FALSE(s.stable());
      }
    }
}

TEST_CASE(
    "where nothing bounds the values, the step says for which it holds, and the run stops before it does "
    "not") {
  Problem p(Grid({Axis::uniform("x", 0, 2, 100, Unknowns::cells)}), conservation(quadratic_flux()));
  p.initial = 0.5;
  p.boundary("west", dirichlet(0.5)).boundary("east", insulated());
  const Real step = 0.008;  // Courant 1 at u = 2.5
  const auto s = verify::stability(p, scheme("explicit-euler"), step, 0, 4);
  REQUIRE(s.allowed);
  CHECK_FALSE(s.allowed->bounded);
  CHECK(s.allowed->why_not.find("'east'") != std::string::npos);
  REQUIRE(s.stable_for);
  CHECK(s.stable_for->highest == doctest::Approx(2.5).epsilon(1e-6));
  CHECK(s.stable_for->lowest == doctest::Approx(-2.5).epsilon(1e-6));
  ProblemBalance balance(p);
  State y = balance.initial_state();
  Plan plan;
  plan.scheme = scheme("explicit-euler");
  plan.until = 4;
  plan.step = step;
  plan.stable_values = {s.stable_for->lowest, s.stable_for->highest};
  const Outcome o = march(balance, y, plan);
  CHECK(o.ending == Outcome::Ending::past_limit);
  CHECK(o.totals.highest > 2.5);
  CHECK(o.totals.highest < 2.7);
  CHECK(o.time < 1);
  CHECK(o.reason.find("beyond its limit") != std::string::npos);
  CHECK(o.budget.relative_residual() < 1e-13);
}

// A corner cut off leaves cells with a large face on one side and little to hold what passes: which side it
// is changes nothing.
TEST_CASE(
    "beside outlines a law is judged by the largest face over what the control volume holds, on any side") {
  for (const bool right : {false, true})
    for (const bool upper : {false, true}) {
      CAPTURE(right);
      CAPTURE(upper);
      const auto beyond = [right, upper](const Point& p) {
        return (right ? 1 - p.x : p.x) + (upper ? 1 - p.y : p.y) / 0.8 < 0.63;
      };
      const Regions regions({{"corner", inside(beyond), false}});
      Problem p(
          Grid({Axis::uniform("x", 0, 1, 10, Unknowns::cells), Axis::uniform("y", 0, 1, 8, Unknowns::cells)}),
          conservation(quadratic_flux()), regions);
      p.initial = 0.25;
      p.default_boundary(insulated());
      ProblemBalance balance(p);
      std::array<Real, 2> passing{0, 0};
      for (Index n = 0; n < p.grid().count(); ++n)
        for (int a = 0; balance.outline().active(n) && a < 2; ++a)
          for (const bool side : {false, true}) {
            const Real area = balance.outline().open(n, a, side) * (a == 0 ? 1.0 / 8 : 1.0 / 10);
            const auto at = p.grid().position(n);
            const bool end = at[static_cast<std::size_t>(a)] == (side ? p.grid().size(a) - 1 : 0);
            if (!end)
              passing[static_cast<std::size_t>(a)] =
                  std::max(passing[static_cast<std::size_t>(a)], area / balance.conductances(0)->volume(n));
          }
      const Real step = 0.004;
      const auto s = verify::stability(p, scheme("explicit-euler"), step, 0, 4);
      REQUIRE(s.stable_for);
      CHECK(s.stable_for->highest == doctest::Approx(1 / (step * (passing[0] + passing[1]))).epsilon(1e-3));
    }
}
