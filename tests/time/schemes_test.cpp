// Every scheme against the semi-discrete system it integrates: orders, budgets, steps chosen by errors.
#include <doctest/doctest.h>

#include <map>

#include "support/marching.hpp"
#include "support/smooth.hpp"

using namespace williwaw;
using namespace williwaw::test;

namespace {

State solve_closely(const Problem& problem, const Scheme& s, Index steps, Real until) {
  return test::solve(problem, s, steps, until, 2e-12);
}

// The observed order between `steps` and twice as many, against the same system solved with tiny steps.
Real measured(const Problem& problem, const Scheme& s, Index steps, Real until, const State& reference) {
  const Real coarse = largest_difference(solve_closely(problem, s, steps, until), reference);
  const Real fine = largest_difference(solve_closely(problem, s, 2 * steps, until), reference);
  CAPTURE(s.name);
  CAPTURE(coarse);
  CAPTURE(fine);
  CHECK(fine > 1e-13);
  return order(coarse, fine);
}

// Steps that resolve 8 cells: few for schemes of high order, or round-off is all that is left.
const std::map<std::string, Index> chosen_steps{
    {"explicit-euler", 160}, {"rk2", 120},  {"ssprk3", 100},          {"rk4", 110}, {"rk45", 30},
    {"stabilized", 40},      {"theta", 80}, {"implicit-euler", 80},   {"bdf2", 60}, {"crank-nicolson", 40},
    {"sdirk4", 12},          {"adi", 40},   {"implicit-explicit", 40}};

Index steps_of(const std::string& name) {
  const auto found = chosen_steps.find(name);
  return found == chosen_steps.end() ? 100 : found->second;
}

Scheme made(const std::string& name) {
  return scheme(name, 0.6);
}

Problem rod(const Function& initial, Unknowns unknowns = Unknowns::cells) {
  Problem p(Grid({Axis::uniform("x", 0, 1, 8, unknowns)}), diffusion(1.0));
  p.initial = initial;
  return p;
}

}  // namespace

TEST_CASE("orders in time on a linear problem whose data do not change") {
  Problem p = rod([](Point x, Real) { return std::cos(M_PI * x.x / 2) + 0.3 * x.x; });
  p.boundary("west", insulated());
  p.boundary("east", robin(2.0, 0.5));
  const State reference = solve_closely(p, scheme("rk4"), 4000, 0.25);
  for (const auto& kind : test::first_order_kinds()) {
    const Scheme s = made(kind.name);
    CAPTURE(kind.name);
    CHECK(measured(p, s, steps_of(kind.name), 0.25, reference) > s.order - 0.12);
  }
}

TEST_CASE("orders in time with a nonlinear reaction") {
  Problem p = rod([](Point x, Real) { return 0.4 + 0.2 * std::cos(M_PI * x.x); });
  p.boundary("west", insulated());
  p.boundary("east", robin(2.0, 0.5));
  Equation e = diffusion(0.4);
  e.reaction = Reaction::of([](Real u) { return 6 * u * (1 - u); });
  Problem q(p.grid(), e);
  q.initial = p.initial;
  q.boundary("west", insulated());
  q.boundary("east", robin(2.0, 0.5));
  const State reference = solve_closely(q, scheme("rk4"), 4000, 0.5);
  for (const auto& kind : test::first_order_kinds()) {
    const Scheme s = made(kind.name);
    CAPTURE(kind.name);
    CHECK(measured(q, s, steps_of(kind.name), 0.5, reference) > s.order - 0.15);
  }
}

TEST_CASE(
    "orders in time with boundaries and sources that change: prescribed boundaries cost implicit stages "
    "their order" *
    doctest::skip(instrumented)) {
  for (const std::string kind : {"dirichlet", "robin"})
    for (const Unknowns unknowns : {Unknowns::cells, Unknowns::nodes}) {
      const Problem p = smooth_problem(smooth_for(kind, 1), kind, 8, unknowns);
      const State reference = solve_closely(p, scheme("rk4"), 6000, 0.3);
      CAPTURE(kind);
      CAPTURE(name_of(unknowns));
      for (const auto& known : test::first_order_kinds()) {
        const Scheme s = made(known.name);
        CAPTURE(known.name);
        // With few unknowns and fine steps nothing is stiff, and all have their order.
        CHECK(measured(p, s, 2 * steps_of(known.name), 0.3, reference) > s.order - 0.3);
      }
    }
  // Stiff: many unknowns, steps far above the explicit limit. Stage order rules: 4 falls to about 2.
  const Problem p = smooth_problem(smooth_for("dirichlet", 1), "dirichlet", 60, Unknowns::nodes);
  const State reference = solve_closely(p, scheme("sdirk4"), 2000, 0.3);
  const Real sdirk4 = measured(p, scheme("sdirk4"), 12, 0.3, reference);
  CHECK(sdirk4 < 3.2);
  CHECK(sdirk4 > 1.7);
  CHECK(measured(p, scheme("bdf2"), 24, 0.3, reference) > 1.8);
  CHECK(measured(p, scheme("crank-nicolson"), 24, 0.3, reference) > 1.8);
}

TEST_CASE("alternating directions keep order 2 on a plan and in a block, and book every flow") {
  for (const std::string kind : {"robin", "dirichlet", "periodic"})
    for (int dimension = 2; dimension <= highest_dimension; ++dimension)
      for (const Unknowns unknowns : {Unknowns::cells, Unknowns::nodes}) {
        CAPTURE(kind);
        CAPTURE(dimension);
        CAPTURE(name_of(unknowns));
        const Problem p = smooth_problem(smooth_for(kind, dimension), kind, dimension == 2 ? 8 : 5, unknowns);
        const State reference = solve_closely(p, scheme("rk4"), dimension == 2 ? 2000 : 800, 0.2);
        CHECK(measured(p, scheme("adi"), 20, 0.2, reference) > 1.8);
      }
}

TEST_CASE("a stabilized step takes as many stages as its spectrum asks for, and holds") {
  Problem p(Grid({Axis::uniform("x", 0, 1, 200, Unknowns::cells)}), diffusion(1.0));
  // Smooth data: the fastest modes keep most of their size in each step, so that a jump would ring.
  p.initial = [](Point x, Real) { return std::cos(M_PI * x.x) + 0.5 * std::cos(3 * M_PI * x.x); };
  p.default_boundary(insulated());
  ProblemBalance balance(p);
  State y = balance.initial_state();
  Plan plan = plan_of("stabilized", 0.005, 0.1);
  const Outcome outcome = march(balance, y, plan);
  CHECK(outcome.ending == Outcome::Ending::reached);
  // λ = 4/h² = 160000, times the step 800: 2/3·s² holds it from s = 36 on.
  CHECK(outcome.most_stages == 36);
  for (Index i = 0; i < 200; i += 10) {
    const Real x = (static_cast<Real>(i) + 0.5) / 200;
    const Real exact = std::cos(M_PI * x) * std::exp(-M_PI * M_PI * 0.1) +
                       0.5 * std::cos(3 * M_PI * x) * std::exp(-9 * M_PI * M_PI * 0.1);
    CHECK(std::abs(y[i] - exact) < 2e-3);
  }
  const auto method = std::get<Stabilized>(scheme("stabilized").method);
  for (const int s : {2, 5, 20, 100}) {
    // The tableau says the same as the recurrence, and order 2 is in it.
    const Tableau t = tableau_of(method, s);
    Real sum = 0, first = 0;
    for (int j = 0; j < s; ++j) {
      sum += t.b[j];
      first += t.b[j] * t.c[j];
    }
    CHECK(sum == doctest::Approx(1).epsilon(1e-10));
    CHECK(first == doctest::Approx(0.5).epsilon(1e-10));
    const Real z = -0.7 * method.interval(s);
    CHECK(
        stability_function(t, z).real() ==
        doctest::Approx(amplification(scheme("stabilized"), std::complex<Real>(z), s).real()).epsilon(1e-6));
    for (Real fraction = 0.01; fraction <= 1; fraction += 0.01)
      CHECK(std::abs(amplification(scheme("stabilized"), std::complex<Real>(-fraction * method.interval(s)),
                                   s)) <= 1 + 1e-9);
    CHECK(std::abs(amplification(scheme("stabilized"), std::complex<Real>(-1.06 * method.interval(s)), s)) >
          1);
  }
}

TEST_CASE("steps chosen by their errors follow the tolerance, and meet every record") {
  Problem p = rod([](Point x, Real) { return std::cos(M_PI * x.x / 2); });
  p.boundary("west", insulated());
  p.boundary("east", dirichlet([](Point, Real t) { return 0.2 * std::sin(20 * t); }));
  const State reference = solve_closely(p, scheme("rk4"), 8000, 0.5);
  for (const std::string name : {"rk45", "sdirk4", "stabilized"}) {
    CAPTURE(name);
    Real last = 1;
    for (const Real tolerance : {1e-3, 1e-5, 1e-7}) {
      CAPTURE(tolerance);
      ProblemBalance balance(p);
      State y = balance.initial_state();
      Plan plan;
      plan.scheme = scheme(name);
      plan.until = 0.5;
      plan.records = {0.1, 0.37};
      plan.adaptive = Tolerance{tolerance, true};
      std::vector<Real> records;
      Index tried = 0, rejected = 0;
      Observers o;
      o.on_record = [&](const StepInfo& m) { records.push_back(m.time); };
      o.on_trial = [&](const StepTrial& t) {
        ++tried;
        if (!t.taken) ++rejected;
        CHECK((t.error <= 1) == t.taken);
      };
      const Outcome outcome = march(balance, y, plan, o);
      CHECK(outcome.ending == Outcome::Ending::reached);
      CHECK(records == std::vector<Real>{0, 0.1, 0.37, 0.5});
      CHECK(outcome.rejected == rejected);
      CHECK(outcome.steps + rejected == tried);
      CHECK(outcome.budget.relative_residual() < 1e-12);
      const Real error = largest_difference(y, reference);
      CAPTURE(error);
      CHECK(error < 100 * tolerance);
      CHECK(error < 0.3 * last);
      last = error;
    }
  }
  ProblemBalance balance(p);
  State y = balance.initial_state();
  Plan plan = plan_of("rk4", 0.1, 0.5);
  plan.adaptive = Tolerance{};
  CHECK_THROWS_WITH_AS(march(balance, y, plan),
                       "scheme 'rk4' has no estimate of its errors to choose steps by", InputError);
}

TEST_CASE("backward differentiation goes on through steps of changing length") {
  const Problem p = smooth_problem(smooth_for("robin", 1), "robin", 8, Unknowns::cells);
  const State reference = solve_closely(p, scheme("rk4"), 6000, 0.3);
  const auto error = [&](Index steps) {
    ProblemBalance balance(p);
    State y = balance.initial_state();
    Plan plan;
    plan.scheme = scheme("bdf2");
    plan.until = 0.3;
    plan.step = 0.3 / static_cast<Real>(steps);
    plan.trim = true;
    plan.records = {0.07, 0.11, 0.2};
    const Outcome outcome = march(balance, y, plan);
    CHECK(outcome.shortest_step < outcome.longest_step);
    CHECK(outcome.budget.relative_residual() < 1e-12);
    return largest_difference(y, reference);
  };
  CHECK(order(error(50), error(100)) > 1.85);
}

TEST_CASE("a damped start takes the ringing out of Crank-Nicolson") {
  Problem p(Grid({Axis::uniform("x", 0, 1, 100, Unknowns::cells)}), diffusion(1.0));
  p.initial = [](Point x, Real) { return x.x < 0.5 ? 1.0 : 0.0; };
  p.default_boundary(insulated());
  const auto wiggle = [&](Index damped) {
    ProblemBalance balance(p);
    State y = balance.initial_state();
    Plan plan = plan_of("crank-nicolson", 0.005, 0.05);
    plan.damped_start = damped;
    const Outcome outcome = march(balance, y, plan);
    CHECK(outcome.budget.relative_residual() < 1e-12);
    Real most = 0;
    for (Index i = 1; i + 1 < 100; ++i) most = std::max(most, y[i + 1] - y[i]);
    return most;  // the exact profile falls everywhere
  };
  CHECK(wiggle(0) > 0.05);
  CHECK(wiggle(2) < 1e-4);
}

TEST_CASE("a damped start takes data at the times of its half steps") {
  // u = t·(1 + x) grows linearly in time, which implicit Euler follows to round-off.
  Problem p(Grid({Axis::uniform("x", 0, 1, 5, Unknowns::cells)}),
            diffusion(1.0, 1.0, [](Point q) { return 1 + q.x; }));
  p.boundary("west", dirichlet([](Real t) { return t; })).boundary("east", flux([](Real t) { return t; }));
  ProblemBalance balance(p);
  State y = balance.initial_state();
  Plan plan = plan_of("crank-nicolson", 0.1, 0.5);
  plan.damped_start = 3;
  CHECK(march(balance, y, plan).budget.relative_residual() < 1e-12);
  for (Index n = 0; n < p.grid().count(); ++n)
    CHECK(y[n] == doctest::Approx(0.5 * (1 + p.grid().point_of(n).x)).epsilon(1e-12));
}

TEST_CASE("a run that goes on from a snapshot ends with the very same bits") {
  for (const auto& kind : test::first_order_kinds())
    for (const bool by_error : {false, true}) {
      const Scheme s = made(kind.name);
      if (by_error && !estimates_error(s)) continue;
      CAPTURE(kind.name);
      CAPTURE(by_error);
      const Problem p = smooth_problem(smooth_for("dirichlet", 2), "dirichlet", 6, Unknowns::nodes);
      Plan plan;
      plan.scheme = s;
      plan.until = 0.1;
      plan.step = by_error ? 0 : 0.001;
      // Intervals whose steps differ by round-off, as records make them.
      plan.records = {0.013, 0.033, 0.05, 0.071, 0.09};
      plan.damped_start = kind.name == "crank-nicolson" ? 4 : 0;
      if (by_error) plan.adaptive = Tolerance{1e-6, true};
      ProblemBalance balance(p);
      State whole = balance.initial_state();
      std::vector<Snapshot> shots;
      Observers o;
      o.snapshot_due = [] { return true; };
      o.on_snapshot = [&](const Snapshot& shot) { shots.push_back(shot); };
      const Outcome expected = march(balance, whole, plan, o);
      for (const std::size_t at : {std::size_t{0}, std::size_t{2}, shots.size() / 2, shots.size() - 2}) {
        ProblemBalance again(p);
        State y = again.initial_state();
        const Outcome outcome = march(again, y, plan, {}, &shots[at]);
        CHECK(y == whole);
        CHECK(outcome.steps == expected.steps);
        CHECK(outcome.budget.residual() == expected.budget.residual());
      }
    }
}
