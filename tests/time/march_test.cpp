#include <doctest/doctest.h>

#include <algorithm>
#include <cmath>
#include <functional>
#include <limits>

#include "support/marching.hpp"
#include "support/smooth.hpp"

using namespace williwaw;
using williwaw::test::instrumented;
using williwaw::test::plan_of;

namespace {

Problem rod(Index n, Unknowns unknowns = Unknowns::cells) {
  Problem p(Grid({Axis::uniform("x", 0, 1, n, unknowns)}), diffusion(1.0));
  p.default_boundary(insulated());
  return p;
}

}  // namespace

TEST_CASE("a schedule meets records and cuts no step twice; series rows do not cut it") {
  Plan plan = plan_of("explicit-euler", 0.5, 10);
  plan.records = {2, 4, 10};
  plan.stops = {8};
  plan.series_every = 0.3;
  const auto s = schedule(plan);
  REQUIRE(s.size() == 4);
  CHECK(s[0].to == 2);
  CHECK(s[0].steps == 4);
  CHECK(s[1].record);
  CHECK(s[2].to == 8);
  CHECK_FALSE(s[2].record);
  CHECK(s.back().record);
}

TEST_CASE("steps are shortened by the least that meets the records: as many as needed, no fewer") {
  Plan plan = plan_of("explicit-euler", 0.3, 10);
  plan.trim = true;
  plan.records = {1, 2};
  plan.series_every = 0.01;
  const auto s = schedule(plan);
  REQUIRE(s.size() == 3);
  CHECK(s[0].steps == 4);
  CHECK(s[2].steps == 27);
  // What fits but for rounding is taken as it is: a Courant number of 1 stays one.
  plan.records = {};
  for (const Index n : {3, 7, 49, 1000003}) {
    plan.step = plan.until / static_cast<Real>(n);
    CHECK(schedule(plan)[0].steps == n);
    plan.step = std::nextafter(plan.step, 0.0);
    CHECK(schedule(plan)[0].steps == n);
  }
}

TEST_CASE("rows between steps are linear between them, and close their budgets") {
  for (const char* scheme : {"explicit-euler", "crank-nicolson", "bdf2", "rk45"}) {
    CAPTURE(scheme);
    Problem p = rod(10, Unknowns::nodes);
    p.initial = [](Point q) { return q.x; };
    p.boundary("west", dirichlet([](Real t) { return std::sin(3 * t); }))
        .boundary("east", robin(2, 1) + flux(0.3));
    ProblemBalance balance(p);
    State y = balance.initial_state();
    Plan plan = plan_of("crank-nicolson", 0.004, 0.05);
    plan.scheme = williwaw::scheme(scheme);
    plan.trim = true;
    plan.series_every = 0.0007;
    if (plan.scheme.name == "rk45") plan.adaptive = Tolerance{1e-4, true};
    struct Row {
      Real time, content, amount, value, highest;
      bool between;
    };
    std::vector<Row> rows, steps;
    Observers o;
    o.on_series = [&](const StepInfo& m) {
      CHECK(m.budget.relative_residual() < 1e-12);
      rows.push_back(
          {m.time, m.totals.content, m.budget.amounts()[0], m.state[4], m.totals.highest, m.between_steps});
    };
    o.on_step = [&](const StepInfo& m) {
      steps.push_back({m.time, m.totals.content, m.budget.amounts()[0], m.state[4], m.totals.highest, false});
    };
    steps.push_back({0, 0, 0, y[4], 0, false});
    march(balance, y, plan, o);
    CHECK(rows.size() == 73);  // 0, 0.0007, .. 0.0497, and the end
    int between = 0;
    for (std::size_t n = 0; n < rows.size(); ++n) {
      const Row& r = rows[n];
      CHECK(r.time == doctest::Approx(std::min(0.0007 * static_cast<Real>(n), 0.05)));
      if (!r.between) continue;
      ++between;
      const auto after = std::ranges::lower_bound(steps, r.time, {}, &Row::time);
      REQUIRE(after != steps.begin());
      const Row &a = *(after - 1), &b = *after;
      const Real fraction = (r.time - a.time) / (b.time - a.time);
      CHECK(r.value == doctest::Approx(a.value + fraction * (b.value - a.value)).epsilon(1e-12));
      CHECK(r.amount == doctest::Approx(a.amount + fraction * (b.amount - a.amount)).epsilon(1e-9));
      if (after - 1 != steps.begin())
        CHECK(r.content == doctest::Approx(a.content + fraction * (b.content - a.content)).epsilon(1e-12));
    }
    CHECK(between > 40);
  }
}

TEST_CASE("flows at a time are those of the balance then, prescribed nodes included") {
  // u = exp(-t)·sin(x) on 0..1 with both ends prescribed: du/dx = exp(-t)·cos(x).
  for (const Unknowns unknowns : {Unknowns::cells, Unknowns::nodes}) {
    CAPTURE(unknowns == Unknowns::nodes);
    std::vector<Real> errors;
    for (const Index n : {40, 80}) {
      Problem p = rod(unknowns == Unknowns::nodes ? n + 1 : n, unknowns);
      p.boundary("west", dirichlet(0)).boundary("east", dirichlet([](Real t) {
                                                  return std::exp(-t) * std::sin(1);
                                                }));
      ProblemBalance balance(p);
      const auto exact = [](Real t) { return [t](Point q) { return std::exp(-t) * std::sin(q.x); }; };
      Real worst = 0;
      for (const Real t : {0.0, 0.3}) {
        const State y = balance.values_of(exact(t));
        const Ledger flows = flows_at(balance, y, t, 0, 1e-4);
        // Positive into the domain.
        worst = std::max(worst, std::abs(flows[0] + std::exp(-t)));
        worst = std::max(worst, std::abs(flows[1] - std::exp(-t) * std::cos(1)));
      }
      errors.push_back(worst);
    }
    // Exact values at the centres of cells have a one-sided difference to the boundary; nodes are of order 2.
    CHECK(errors[1] < (unknowns == Unknowns::nodes ? 2e-4 : 4e-3));
    CHECK(errors[0] / errors[1] > (unknowns == Unknowns::nodes ? 3.5 : 1.9));
  }
}

TEST_CASE("the flow beside a prescribed node is the rate of its data in the middle of the window") {
  // t² grows by 2·t, to the last digit by centred differences of any length; nothing else moves.
  Problem p(Grid({Axis::uniform("x", 0, 1, 5, Unknowns::nodes)}), diffusion(1.0));
  p.boundary("west", dirichlet([](Real t) { return t * t; })).boundary("east", insulated());
  ProblemBalance balance(p);
  for (const Real window : {0.01, 0.1, 0.6}) {
    const Ledger flows = flows_at(balance, State(6, 1.0), 1, 0, window);
    CHECK(flows[0] == doctest::Approx(0.1 * 2).epsilon(1e-11));
    CHECK(flows[1] == 0);
  }
}

TEST_CASE("a fixed step that misses a record is refused with steps that would do") {
  Plan plan = plan_of("explicit-euler", 7, 100);
  CHECK_THROWS_WITH_AS(schedule(plan),
                       "the step 7 does not divide the time from 0 to 100 between record times; possible: "
                       "6.66667 or 7.14286",
                       InputError);
  // What the message says is taken, as it stands there.
  for (const auto& [step, steps] : {std::pair{6.66667, 15}, {7.14286, 14}}) {
    plan.step = step;
    CHECK(schedule(plan)[0].steps == steps);
  }
  plan.step = 7.1428;
  CHECK_THROWS_AS(schedule(plan), InputError);
  plan.trim = true;
  const auto s = schedule(plan);
  CHECK(s[0].steps == 15);
  plan.step = 0;
  CHECK_THROWS_AS(schedule(plan), InputError);
}

TEST_CASE("observers see every step, the series and the records") {
  ProblemBalance balance(rod(10));
  State y = balance.initial_state();
  Plan plan = plan_of("crank-nicolson", 0.01, 0.1);
  plan.records = {0.05};
  plan.series_every = 0.02;
  std::vector<Real> steps, series, records;
  Observers o;
  o.on_step = [&](const StepInfo& m) { steps.push_back(m.time); };
  o.on_series = [&](const StepInfo& m) { series.push_back(m.time); };
  o.on_record = [&](const StepInfo& m) { records.push_back(m.time); };
  const Outcome outcome = march(balance, y, plan, o);
  CHECK(steps.size() == 10);
  CHECK(series.size() == 6);
  CHECK(records.size() == 3);
  CHECK(records[1] == 0.05);
  CHECK(outcome.time == 0.1);
}

TEST_CASE("a run's least and largest values are those of all its steps, not of its end") {
  Problem p(Grid({Axis::uniform("x", 0, 1, 12, Unknowns::nodes)}), diffusion(1.0));
  p.boundary("west", dirichlet([](Real t) { return 2 + std::sin(2 * M_PI * t); }))
      .boundary("east", dirichlet(2.0));
  p.initial = 2.0;
  for (const char* name : {"explicit-euler", "crank-nicolson"}) {
    ProblemBalance balance(p);
    State y = balance.initial_state();
    Real low = 2, high = 2;
    Observers o;
    o.on_step = [&](const StepInfo& m) {
      low = std::min(low, m.totals.lowest);
      high = std::max(high, m.totals.highest);
    };
    const Outcome out = march(balance, y, plan_of(name, 0.0025, 1), o);
    CHECK(low == doctest::Approx(1));
    CHECK(high == doctest::Approx(3));
    CHECK(out.lowest == low);
    CHECK(out.highest == high);
  }
}

TEST_CASE("snapshots are taken when they are due, never after the last step, and where a run is stopped") {
  for (const Index stop_at : {0, 6}) {
    ProblemBalance balance(rod(10));
    State y = balance.initial_state();
    std::vector<Index> taken;
    Index done = 0;
    Observers o;
    o.on_step = [&](const StepInfo& m) { done = m.step; };
    o.snapshot_due = [&] { return done % 4 == 0; };
    o.on_snapshot = [&](const Snapshot&) { taken.push_back(done); };
    o.interrupt = [&] { return stop_at > 0 && done == stop_at; };
    march(balance, y, plan_of("crank-nicolson", 0.01, 0.12), o);
    CHECK(taken == (stop_at > 0 ? std::vector<Index>{4, 6} : std::vector<Index>{4, 8}));
  }
}

TEST_CASE("an interrupt ends the run after the step and keeps what was recorded") {
  ProblemBalance balance(rod(10));
  State y = balance.initial_state();
  int steps = 0, records = 0;
  Observers o;
  o.on_step = [&](const StepInfo&) { ++steps; };
  o.on_record = [&](const StepInfo&) { ++records; };
  o.interrupt = [&] { return steps == 3; };
  const Outcome outcome = march(balance, y, plan_of("explicit-euler", 0.001, 1), o);
  CHECK(outcome.ending == Outcome::Ending::interrupted);
  CHECK(outcome.steps == 3);
  CHECK(records == 2);
}

TEST_CASE("the jump between initial state and prescribed nodes has its own line in the budget") {
  Problem p = rod(10, Unknowns::nodes);
  p.initial = 3.0;
  p.boundary("west", dirichlet(1.0));
  ProblemBalance balance(p);
  State y = balance.initial_state();
  const Outcome outcome = march(balance, y, plan_of("crank-nicolson", 0.01, 0.1));
  CHECK(outcome.budget.initial_content() == doctest::Approx(3));
  CHECK(outcome.budget.jump() == doctest::Approx(-2 * 0.05));
  CHECK(outcome.budget.relative_residual() < 1e-14);
}

TEST_CASE("boundaries that nothing passes keep the total, whatever the scheme") {
  for (const auto& kind : test::first_order_kinds()) {
    Problem p = rod(20);
    p.initial = [](Point q) { return q.x < 0.3 ? 1.0 : 0.0; };
    ProblemBalance balance(p);
    State y = balance.initial_state();
    Plan plan = plan_of("explicit-euler", 0.001, 0.1);
    plan.scheme = kind.make(0.5);
    const Outcome outcome = march(balance, y, plan);
    CHECK(outcome.totals.content == doctest::Approx(0.3).epsilon(1e-13));
  }
}

TEST_CASE("a ledger with one flipped sign does not close: the budget is no tautology") {
  // The same balance, but for one line that is booked with the wrong sign.
  class Flipped final : public Balance {
   public:
    explicit Flipped(const Problem& p) : inner_(p) {}
    const Layout& layout() const override { return inner_.layout(); }
    Capabilities capabilities() const override { return inner_.capabilities(); }
    const std::vector<LedgerLine>& lines() const override { return inner_.lines(); }
    void storage(const State& y, Real at, State& q) override { inner_.storage(y, at, q); }
    void recover(const State& q, Real at, State& y) override { inner_.recover(q, at, y); }
    void rate(const State& y, Real at, Parts parts, State& f, Ledger& ledger) override {
      inner_.rate(y, at, parts, f, ledger);
      ledger[LineId{0}] = -ledger[0];
    }
    void linearise(const State& y, Real at, Real a, Real b, Parts parts, LinearSystem& s) override {
      inner_.linearise(y, at, a, b, parts, s);
    }
    Totals totals(const State& y, Real at) override { return inner_.totals(y, at); }

   private:
    ProblemBalance inner_;
  };
  Problem p = rod(20);
  p.boundary("west", robin(2, 5));
  p.initial = 1.0;
  for (const char* name : {"explicit-euler", "rk4", "crank-nicolson"}) {
    Flipped wrong(p);
    ProblemBalance right(p);
    State y = right.initial_state(), z = y;
    CHECK(march(right, y, plan_of(name, 0.001, 0.1)).budget.relative_residual() < 1e-13);
    CHECK(march(wrong, z, plan_of(name, 0.001, 0.1)).budget.relative_residual() > 0.01);
  }
}

TEST_CASE("the guard fires within a thousand times the bound while all values are finite") {
  for (const Real fraction : {1.01, 1.2, 3.0, 20.0}) {
    CAPTURE(fraction);
    Problem p = rod(20);
    p.initial = [](Point q) { return q.x < 0.5 ? 1.0 : 0.0; };
    ProblemBalance balance(p);
    State y = balance.initial_state();
    const Real limit = verify::stability(balance, scheme("explicit-euler"), 1).limit.step;
    const Outcome outcome =
        march(balance, y, plan_of("explicit-euler", fraction * limit, 20000 * fraction * limit));
    CHECK(outcome.ending == Outcome::Ending::blew_up);
    CHECK(std::isfinite(outcome.totals.highest));
    CHECK(outcome.totals.highest < 1000);
    CHECK(outcome.totals.lowest > -1000);
    for (const Real v : y) CHECK(std::isfinite(v));
  }
}

TEST_CASE("the guard leaves stable runs alone: sources, fluxes, ringing, swinging boundaries") {
  struct Run {
    const char* scheme;
    Real step;
  };
  for (const Run run : {Run{"explicit-euler", 0.001}, Run{"crank-nicolson", 0.05}, Run{"rk4", 0.0015},
                        Run{"implicit-euler", 0.1}})
    for (const Unknowns unknowns : {Unknowns::cells, Unknowns::nodes}) {
      CAPTURE(run.scheme);
      Problem p(Grid({Axis::uniform("x", 0, 1, 20, unknowns)}),
                diffusion(1.0, 1.0, [](Point q, Real t) { return 1000 * std::sin(40 * t) * q.x; }));
      p.initial = [](Point q) { return q.x > 0.5 ? 1.0 : 0.0; };
      p.boundary("west", dirichlet([](Real t) { return 50 * std::sin(t) - 20; }))
          .boundary("east", flux(300.0) + robin(1, 0));
      ProblemBalance balance(p);
      State y = balance.initial_state();
      Plan plan = plan_of(run.scheme, run.step, 3);
      CHECK(march(balance, y, plan).ending == Outcome::Ending::reached);
    }
}

TEST_CASE("a state with values that are no numbers is caught at once") {
  Problem p = rod(10);
  ProblemBalance balance(p);
  State y = balance.initial_state();
  y[4] = std::nan("");
  const Outcome outcome = march(balance, y, plan_of("explicit-euler", 0.001, 1));
  CHECK(outcome.ending == Outcome::Ending::blew_up);
  CHECK(outcome.steps == 1);
}

TEST_CASE("an implicit run factors its matrix once when nothing in it changes") {
  ProblemBalance balance(test::smooth_problem(test::smooth_for("robin", 2), "robin", 6, Unknowns::cells));
  const auto made = make_stepper(balance, scheme("crank-nicolson"));
  Stepper& stepper = *made;
  State y = balance.initial_state();
  Ledger amounts(balance.lines().size());
  for (int n = 0; n < 5; ++n) stepper.advance(y, 0.1 * n, 0.1, amounts);
  CHECK(stepper.factorizations() == 1);
  CHECK(stepper.solver_name() == "direct (sparse LDLᵀ)");
}

TEST_CASE("a wrong plan or state is refused") {
  ProblemBalance balance(rod(10));
  State y(3);
  CHECK_THROWS_AS(march(balance, y, plan_of("rk4", 0.1, 1)), InputError);
  State z = balance.initial_state();
  CHECK_THROWS_AS(march(balance, z, plan_of("rk4", 0.1, -1)), InputError);
}

TEST_CASE("plans without a sensible step, end or interval are refused with the reason") {
  const auto refusal = [](const std::function<void(Plan&)>& spoil) -> std::string {
    Plan plan = plan_of("rk4", 0.1, 1);
    spoil(plan);
    try {
      schedule(plan);
    } catch (const InputError& e) {
      return e.what();
    }
    return "";
  };
  constexpr Real endless = std::numeric_limits<Real>::infinity();
  CHECK(refusal([](Plan&) {}).empty());
  for (const Real step : {0.0, -1.0, endless, std::nan("")})
    CHECK(refusal([=](Plan& p) { p.step = step; }) == "the step must be above zero");
  CHECK(refusal([](Plan& p) {
          p.adaptive = Tolerance{};
          p.step = -1;
        }) == "the step must be above zero");
  CHECK(refusal([](Plan& p) {
          p.adaptive = Tolerance{};
          p.step = 0;
        }).empty());
  CHECK(refusal([](Plan& p) { p.until = p.start; }) == "the end of the run must lie after its start");
  CHECK(refusal([](Plan& p) { p.series_every = -1; }) == "the interval of the series must be above zero");
  for (const auto& spoil : std::vector<std::function<void(Plan&)>>{[](Plan& p) { p.step = 0.9e-12; },
                                                                   [](Plan& p) { p.series_every = 0.9e-8; }})
    CHECK(refusal(spoil).starts_with("more than 10^12 steps or 10^8 rows"));
  // Neither are 10^12 of one and 10^8 of the other.
  CHECK(refusal([](Plan& p) {
          p.step = 1.25e-12;
          p.series_every = 1.25e-8;
        }).empty());
}

namespace {

// Decays, and gives no number once it has fallen below a value.
Problem failing_below(Real value) {
  Problem p = rod(6);
  p.initial = 1;
  Equation e = diffusion(1.0);
  e.reaction = Reaction::of([value](Real u) { return u < value ? std::nan("") : -u; });
  Problem q(p.grid(), e);
  q.initial = 1;
  q.default_boundary(insulated());
  return q;
}

}  // namespace

TEST_CASE(
    "data that are no numbers from some value on end a run there, with its state kept and the place told") {
  for (const bool by_error : {false, true})
    for (const char* name : {"rk45", "implicit-euler"}) {
      if (by_error && name == std::string("implicit-euler")) continue;
      CAPTURE(name);
      CAPTURE(by_error);
      ProblemBalance balance(failing_below(0.5));
      State y = balance.initial_state();
      Plan plan = plan_of(name, 0.01, 2);
      if (by_error) plan.adaptive = Tolerance{1e-6, true};
      Real seen = 0;
      Observers observers;
      observers.on_record = [&](const StepInfo& m) { seen = m.time; };
      const Outcome out = march(balance, y, plan, observers);
      CHECK(out.ending == Outcome::Ending::unsolved);
      CHECK(out.subject == Subject::reaction);
      CHECK(out.reason.find("the reaction is not a finite number at x = ") != std::string::npos);
      // e^−t falls to a half at ln 2; stages look ahead of the state by a step at most.
      CHECK(out.time > std::log(2) - (by_error ? 0.2 : 0.011));
      CHECK(out.time < std::log(2) + 0.011);
      CHECK(seen == out.time);
      for (const Real u : y) CHECK(u == doctest::Approx(std::exp(-out.time)).epsilon(0.02));
    }
}

TEST_CASE("boundary data that stop being numbers end the run before that, and are named") {
  struct Row {
    Boundary boundary;
    const char* kind;
  };
  for (const Row& row : {Row{robin(2.0, [](Real t) { return std::sqrt(0.5 - t); }), "robin"},
                         Row{robin([](Real t) { return std::sqrt(0.5 - t); }, 1.0), "robin"},
                         Row{flux([](Real t) { return std::log(0.5 - t); }), "flux"},
                         Row{dirichlet([](Real t) { return std::sqrt(0.5 - t); }), "dirichlet"}})
    for (const char* name : {"explicit-euler", "rk4", "crank-nicolson"}) {
      CAPTURE(std::string(row.kind));
      CAPTURE(std::string(name));
      Problem p(Grid({Axis::uniform("x", 0, 1, 8, Unknowns::cells)}), diffusion(1.0));
      p.boundary("west", row.boundary).boundary("east", insulated());
      ProblemBalance balance(p);
      State y = balance.initial_state();
      const Outcome out = march(balance, y, plan_of(name, 0.005, 1));
      CHECK(out.ending == Outcome::Ending::unsolved);
      CHECK((out.subject == Subject::boundary && out.subject_name == "west"));
      CHECK(out.reason.find(std::string("condition '") + row.kind + "' of 'west' is not a finite number") !=
            std::string::npos);
      CHECK(out.time == doctest::Approx(0.5).epsilon(0.011));
      for (const Real u : y) CHECK(std::isfinite(u));
    }
}

TEST_CASE("a conductivity that falls to zero is met at its time, and nothing before it is lost") {
  Problem p(Grid({Axis::uniform("x", 0, 1, 8, Unknowns::cells)}), diffusion([](Real t) { return 1 - t; }));
  p.initial = [](Point q) { return q.x; };
  p.default_boundary(insulated());
  ProblemBalance balance(p);
  State y = balance.initial_state();
  const Outcome out = march(balance, y, plan_of("implicit-euler", 0.125, 3));
  CHECK(out.ending == Outcome::Ending::unsolved);
  CHECK(out.subject == Subject::diffusion);
  CHECK(out.time == 0.875);
  CHECK(out.reason.find("must be above zero, but is 0 at time 1") != std::string::npos);
}

TEST_CASE("a point in what a cut-out leaves of a cell feeds the nearest control volume") {
  // Less than a ten-thousandth of a cell is left along each side of the hole, and is given to the neighbours.
  const auto within = [](Real s) { return std::abs(s - 0.5) < 0.12499; };
  const Regions hole({{"hole", inside([=](Point q) { return within(q.x) && within(q.y); }), false}});
  Equation e = diffusion(1.0);
  e.points.push_back({"tap", {0.375004, 0.52, 0}, 3.0});
  Problem p(
      Grid({Axis::uniform("x", 0, 1, 8, Unknowns::cells), Axis::uniform("y", 0, 1, 8, Unknowns::cells)}), e,
      hole);
  p.default_boundary(insulated());
  ProblemBalance balance(p);
  const Grid& g = p.grid();
  REQUIRE_FALSE(balance.outline().active(g.containing({0.375004, 0.52, 0})));
  State f(static_cast<std::size_t>(g.count())), none(f.size(), 0.0);
  Ledger ledger(balance.lines().size());
  balance.rate(none, 0, Parts::all(), f, ledger);
  const auto fed = std::ranges::max_element(f);
  CHECK(*fed == doctest::Approx(3));
  const Point there = g.point_of(fed - f.begin());
  CHECK(there.x == doctest::Approx(0.3125));
  CHECK(there.y == doctest::Approx(0.5625));
}

namespace {

// u' = u² from 1 everywhere: 1/(1 − t).
Problem exploding() {
  Equation e = diffusion(1.0);
  e.reaction = Reaction::of([](Real u) { return u * u; });
  Problem p(rod(4).grid(), e);
  p.initial = 1.0;
  p.default_boundary(insulated());
  return p;
}

}  // namespace

TEST_CASE("an implicit step without a solution is cut, and the run ends where no part of it has one") {
  for (const Real step : {0.1, 0.3}) {
    CAPTURE(step);
    ProblemBalance balance(exploding());
    State y = balance.initial_state();
    Index records = 0, cuts = 0;
    Real content = 0;
    Observers observers;
    observers.on_record = [&](const StepInfo& m) {
      ++records;
      content = m.totals.content;
    };
    observers.on_trial = [&](const StepTrial& trial) { cuts += trial.taken ? 0 : 1; };
    const Outcome out = march(balance, y, plan_of("implicit-euler", step, 2.1), observers);
    // Backward Euler has no solution from where 4·step·u > 1 on.
    Real u = 1;
    Index steps = 0;
    for (; 4 * step * u <= 1; ++steps) u = (1 - std::sqrt(1 - 4 * step * u)) / (2 * step);
    CHECK(out.ending == Outcome::Ending::unsolved);
    CHECK(out.steps > steps);
    CHECK(out.rejected == cuts);
    CHECK(cuts > 0);
    CHECK(out.shortest_step < 0.51 * step);
    // The solution itself ends at t = 1.
    CHECK(out.time == doctest::Approx(step * static_cast<Real>(out.steps)));
    CHECK(out.time < 1);
    CHECK(out.reason.starts_with("step " + std::to_string(out.steps + 1) + " cannot be solved: "));
    CHECK(out.reason.find("take a shorter step") != std::string::npos);
    CHECK(out.budget.relative_residual() < 1e-12);
    Real sum = 0;
    for (const Real v : y) sum += v * balance.grid().volume() / static_cast<Real>(y.size());
    CHECK(sum == doctest::Approx(content).epsilon(1e-12));
    CHECK(records == 2);
  }
}

TEST_CASE("where no step is short enough the run has come to where the solution ends" *
          doctest::skip(instrumented)) {
  for (const char* name : {"rk45", "sdirk4"}) {
    CAPTURE(name);
    ProblemBalance balance(exploding());
    State y = balance.initial_state();
    Plan plan = plan_of(name, 0, 2);
    plan.adaptive = Tolerance{1e-8, true};
    plan.guard = false;
    Index rejected = 0;
    Observers observers;
    observers.on_trial = [&](const StepTrial& t) { rejected += t.taken ? 0 : 1; };
    const Outcome out = march(balance, y, plan, observers);
    // Either no step is short enough, or the reaction is no finite number any more.
    CHECK(out.ending != Outcome::Ending::reached);
    CHECK_FALSE(out.reason.empty());
    CHECK(out.time == doctest::Approx(1).epsilon(1e-6));
    CHECK(out.rejected == rejected);
  }
}

TEST_CASE("lines in which nothing takes part are passed over: what is beside them is as on a grid without") {
  struct Taken {
    bool carried;
    const char* by;
  };
  // Rock above comes after what takes part, rock below before it.
  for (const bool below : {false, true})
    for (const Taken& taken :
         {Taken{false, "explicit-euler"}, Taken{false, "rk4"}, Taken{false, "stabilized"},
          Taken{true, "explicit-euler"}, Taken{true, "ssprk3"}}) {
      CAPTURE(below);
      CAPTURE(std::string(taken.by));
      CAPTURE(taken.carried);
      const auto open = [below](Point p) { return below ? p.y > 0.5 : p.y < 0.5; };
      // Along the rock, and towards it but for where it begins.
      const Velocity along([open](Point p) { return open(p) ? 1.0 + p.y : 0.0; }, [](Point) { return 0.0; });
      const Equation equation = taken.carried ? transport(along, 0.01) : diffusion(0.5, 1.0, 0.2);
      const auto made = [&](bool cut) {
        const Regions regions =
            cut ? Regions({{"rock", inside([open](Point p) { return !open(p); }), false}}) : Regions();
        Problem p(Grid({Axis::uniform("x", 0, 1, 33, Unknowns::cells),
                        Axis::uniform("y", below && !cut ? 0.5 : 0, below || cut ? 1 : 0.5, cut ? 28 : 14,
                                      Unknowns::cells)}),
                  equation, regions);
        p.reconstruction = taken.carried ? "van-leer" : "first-order";
        p.initial = [](Point at) { return std::sin(3 * at.x) + at.y; };
        p.boundary("west", dirichlet(0.5)).default_boundary(taken.carried ? outflow() : robin(2.0, 0.3));
        // The side beyond the rock has nothing to hold.
        p.boundary(cut ? "rock" : below ? "south" : "north", taken.carried ? insulated() : robin(1.5, 0.2));
        return p;
      };
      const auto cut = make_balance(made(true)), small = make_balance(made(false));
      Plan plan = plan_of(taken.by, 2e-4, 0.01);
      State y = cut->initial_state(), z = small->initial_state();
      const Outcome a = march(*cut, y, plan), b = march(*small, z, plan);
      const auto half = static_cast<std::ptrdiff_t>(z.size());
      CHECK(test::largest_difference(
                below ? State(y.begin() + half, y.end()) : State(y.begin(), y.begin() + half), z) < 1e-13);
      CHECK(std::all_of(below ? y.begin() : y.begin() + half, below ? y.begin() + half : y.end(),
                        [](Real v) { return v == 0; }));
      CHECK(a.budget.worst_step() < 1e-12);
      CHECK(a.totals.content == doctest::Approx(b.totals.content).epsilon(1e-13));
      CHECK(a.budget.amounts().gross() == doctest::Approx(b.budget.amounts().gross()).epsilon(1e-10));
    }
}
