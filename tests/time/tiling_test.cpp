// Steps that share a pass over memory leave the bits of single ones.
#include <doctest/doctest.h>

#include "support/marching.hpp"
#include "support/ranks.hpp"

using namespace williwaw;
using namespace williwaw::test;

namespace {

Axis cells(const char* name, Index count, bool periodic = false) {
  return Axis::uniform(name, 0, 1, count, Unknowns::cells, periodic);
}

struct Tiled {
  const char* name;
  System system;
  Real step;
  Index cache = 64 * 1024;  ///< so little that a few lines fill it
};

System alone(Problem problem) {
  problem.initial = [](Point p) { return std::sin(7 * p.x + 3 * p.y * p.y) + p.z; };
  System system;
  system.problems.push_back(std::move(problem));
  return system;
}

// Stages of stabilized steps are then counted anew on the way.
bool reacts(const System& system) {
  return system.reaction || system.problems.front().equation().reaction;
}

// Two threads share the larger ones.
std::vector<Tiled> all_tiled() {
  std::vector<Tiled> result;
  const Function varying([](Point p) { return 1 + 0.5 * p.x * p.y; });
  const Function beating([](Point p, Real t) { return p.x + std::sin(9e3 * t); });

  Equation heated = diffusion(1.0, 1.0, Function([](Real t) { return 40 * std::sin(2e4 * t); }));
  heated.points.push_back({"heater", {0.3, 0.62, 0}, [](Point, Real t) { return 1 + 1e3 * t; }});
  Problem plate(Grid({cells("x", 260), cells("y", 181)}), heated);
  plate.boundary("west", dirichlet(beating)).boundary("north", robin(3.0, 0.5)).default_boundary(insulated());
  result.push_back({"plate", alone(plate), 2e-6});

  Problem nodes(
      Grid({Axis::uniform("x", 0, 1, 40, Unknowns::nodes), Axis::uniform("y", 0, 1, 60, Unknowns::nodes)}),
      diffusion(varying));
  nodes.boundary("west", dirichlet(beating))
      .boundary("south", dirichlet(2.0))
      .boundary("east", dirichlet(-1.0))
      .default_boundary(robin(0.5, 2.5));
  result.push_back({"nodes that two sides hold", alone(nodes), 2e-5, 24 * 1024});

  const Regions hole(
      {{"hole", inside([](Point p) { return std::hypot(p.x - 0.7, p.y - 0.6) < 0.15; }), false},
       {"clay", inside([](Point p) { return p.y < 0.3; })}});
  Problem holed(Grid({cells("x", 150), cells("y", 160)}),
                diffusion(varying, varying, Function([](Point p) { return p.x * p.x; })), hole);
  holed.default_boundary(robin(2.0, beating));
  result.push_back({"around a hole", alone(holed), 4e-7});

  Equation growing = diffusion(1.0);
  growing.reaction = Reaction::of([](Real u) { return 300 * u * (1 - u); });
  Problem culture(Grid({cells("x", 270), cells("y", 150)}), growing);
  culture.boundary("west", dirichlet(beating)).default_boundary(insulated());
  result.push_back({"a reaction", alone(culture), 2e-6});
  growing = diffusion(varying, varying);
  growing.reaction = Reaction::of([](Real u) { return std::sin(40 * u); });
  Problem beside(Grid({cells("x", 150), cells("y", 160)}), growing, hole);
  beside.default_boundary(robin(2.0, beating));
  result.push_back({"a reaction around a hole", alone(beside), 4e-7});

  Problem ring(Grid({cells("x", 170, true), cells("y", 140, true)}), diffusion(varying));
  result.push_back({"a plan without ends", alone(ring), 4e-6});

  std::vector<Real> faces;
  for (int n = 0; n <= 90; ++n) faces.push_back(std::pow(n / 90.0, 1.3));
  Problem graded(Grid({cells("x", 300), Axis("y", faces, Unknowns::cells)}), diffusion(2.0));
  graded.default_boundary(dirichlet(0.5));
  result.push_back({"graded", alone(graded), 8e-7});

  Problem block(Grid({cells("x", 31), cells("y", 60), cells("z", 40)}), diffusion(varying));
  block.boundary("bottom", dirichlet(beating)).boundary("top", robin(1.0, 0.3)).default_boundary(insulated());
  result.push_back({"a block", alone(block), 2e-5, 160 * 1024});

  Problem well(Grid({cells("x", 21), cells("y", 22), cells("z", 64, true)}), diffusion(1.0));
  well.default_boundary(dirichlet(1.0));
  result.push_back({"a block without ends", alone(well), 2e-5});

  System pair = alone(Problem(Grid({cells("x", 150), cells("y", 140)}), diffusion(1e-3)));
  pair.problems.front().default_boundary(insulated());
  pair.problems.push_back(pair.problems.front());
  pair.problems.back().initial = [](Point p) { return p.x < 0.5 ? 1.0 : 0.25; };
  pair.reaction = SystemReaction([](const Points&, Real t, UnknownLines u, std::span<std::span<Real>> out) {
    for (std::size_t i = 0; i < out[0].size(); ++i) {
      const Real eaten = u[0][i] * u[1][i] * u[1][i];
      out[0][i] = 0.04 * (1 - u[0][i]) - eaten + t;
      out[1][i] = eaten - 0.1 * u[1][i];
    }
  });
  result.push_back({"two that react", pair, 5e-3});
  return result;
}

std::unique_ptr<Discretization> made(const Tiled& of) {
  Execution execution{2};
  execution.cache = of.cache;
  return make_balance(of.system, execution);
}

}  // namespace

TEST_CASE("a pass of several steps leaves the bits of as many single ones") {
  for (const Tiled& of : all_tiled()) {
    CAPTURE(std::string(of.name));
    const auto balance = made(of);
    const int most = balance->at_once().steps;
    REQUIRE(most > 2);
    State y = balance->initial_state();
    balance->prescribe(0, y);
    for (const int steps : {2, most - 1, most}) {
      CAPTURE(steps);
      const auto count = static_cast<std::size_t>(steps);
      std::vector<Real> times;
      for (int s = 0; s < steps; ++s) times.push_back(s * of.step);
      State now = y, next(y.size()), before(y.size()), last(y.size());
      std::vector<Ledger> single(count, Ledger(balance->lines().size())), amounts = single;
      std::vector<Totals> one_by_one(count), totals(count);
      for (std::size_t s = 0; s < count; ++s) {
        one_by_one[s] = balance->advance(now, times[s], of.step, next, single[s]);
        now.swap(next);
      }
      const State given = y;
      REQUIRE(balance->advance_several(y, {times, of.step, amounts, totals}, before, last));
      CHECK(y == given);
      CHECK(last == now);
      CHECK(before == next);
      for (std::size_t s = 0; s < count; ++s) {
        CAPTURE(s);
        CHECK(totals[s].content == one_by_one[s].content);
        CHECK(totals[s].gross == one_by_one[s].gross);
        CHECK(totals[s].integral == one_by_one[s].integral);
        CHECK(totals[s].lowest == one_by_one[s].lowest);
        CHECK(totals[s].highest == one_by_one[s].highest);
        for (std::size_t l = 0; l < balance->lines().size(); ++l)
          CHECK(amounts[s][LineId(l)] == single[s][LineId(l)]);
      }
      y = last;
    }
  }
}

namespace {

// All that observers see of a march, and how it ends.
struct Seen {
  std::vector<Real> rows;
  std::vector<State> states;
  Outcome outcome;
  State end;
};

Seen seen_of(const Tiled& of, Plan plan, bool tiling, const Observers& more = {},
             const char* by = "explicit-euler") {
  const auto balance = made(of);
  plan.scheme = scheme(by);
  plan.step = of.step;
  plan.tiling = tiling;
  Seen seen;
  const auto note = [&](const StepInfo& m) {
    seen.rows.insert(seen.rows.end(), {static_cast<Real>(m.step), m.time, m.step_length, m.totals.content,
                                       m.budget.relative_residual(), m.change()});
    seen.states.push_back(m.state);
  };
  Observers observers = more;
  observers.on_series = observers.on_record = note;
  seen.end = balance->initial_state();
  seen.outcome = march(*balance, seen.end, plan, observers);
  return seen;
}

// Marches in both ways and checks that nobody can tell them apart; the result is the one by passes.
Seen alike(const Tiled& of, const Plan& plan, const Observers& more = {}, const char* by = "explicit-euler") {
  const Seen single = seen_of(of, plan, false, more, by), passes = seen_of(of, plan, true, more, by);
  CHECK(single.outcome.tiling.steps == 0);
  CHECK(passes.outcome.tiling.steps > 0);
  CHECK(passes.rows == single.rows);
  CHECK(passes.states == single.states);
  CHECK(passes.end == single.end);
  const Outcome &a = passes.outcome, &b = single.outcome;
  CHECK(a.ending == b.ending);
  CHECK(a.reason == b.reason);
  CHECK(a.time == b.time);
  CHECK(a.steps == b.steps);
  CHECK(a.lowest == b.lowest);
  CHECK(a.highest == b.highest);
  CHECK(a.change == b.change);
  CHECK(a.budget.worst_step() == b.budget.worst_step());
  for (std::size_t l = 0; l < a.budget.amounts().size(); ++l)
    CHECK(a.budget.amounts()[l] == b.budget.amounts()[l]);
  return passes;
}

Plan until(const Tiled& of, int steps) {
  Plan plan;
  plan.until = steps * of.step;
  plan.trim = true;
  plan.series_every = 13.2 * of.step;
  return plan;
}

// A small one that holds at its ends what is said of them.
Tiled lake(const Function& source = 0.0) {
  Problem p(Grid({cells("x", 64), cells("y", 70)}), diffusion(1.0, 1.0, source));
  p.boundary("west", dirichlet(1.0)).default_boundary(insulated());
  return {"lake", alone(p), 5e-5, 16 * 1024};
}

}  // namespace

TEST_CASE("rows, records and the end of a march are those of single steps, whatever a pass takes") {
  for (const Tiled& of : all_tiled()) {
    CAPTURE(std::string(of.name));
    Plan plan = until(of, 41);
    plan.records = {17 * of.step};
    plan.record_every_steps = 12;
    plan.series_every = 7.3 * of.step;
    CHECK(alike(of, plan).outcome.ending == Outcome::Ending::reached);
  }
}

TEST_CASE("a march that ends within a pass ends where single steps do") {
  SUBCASE("beyond the limit of the step") {
    Tiled of = lake();
    of.step = 9e-5;
    const Seen seen = alike(of, until(of, 400));
    CHECK(seen.outcome.ending == Outcome::Ending::blew_up);
    CHECK(seen.outcome.tiling.repeated > 0);
  }
  SUBCASE("data that are no numbers from some time on") {
    const Tiled of = lake(Function([](Real t) { return std::sqrt(9.5e-4 - t); }));
    const Seen seen = alike(of, until(of, 60));
    CHECK(seen.outcome.ending == Outcome::Ending::unsolved);
    CHECK(seen.outcome.steps == 20);
  }
  SUBCASE("values for which the next step is too long") {
    const Tiled of = lake(2e4);
    Plan plan = until(of, 60);
    plan.stable_values = {-2.0, 11.5};
    const Seen seen = alike(of, plan);
    CHECK(seen.outcome.ending == Outcome::Ending::past_limit);
    CHECK(seen.outcome.tiling.repeated > 0);
  }
  SUBCASE("a time that somebody waits for") {
    const Tiled of = lake();
    Observers more;
    more.looks_at = [&](Real time) { return time > 29.5 * of.step; };
    more.arrived = [&](const StepInfo& m) { return m.step >= 33; };
    const Seen seen = alike(of, until(of, 60), more);
    CHECK(seen.outcome.steps == 33);
  }
}

TEST_CASE("who sees every step gets every step") {
  const Tiled of = lake();
  Observers each;
  Index steps = 0;
  each.on_step = [&](const StepInfo& m) { CHECK(m.step == ++steps); };
  const Seen all = seen_of(of, until(of, 30), true, each);
  CHECK(steps == 30);
  CHECK(all.outcome.tiling.steps == 0);
}

namespace {

std::vector<Tiled> all_tiled_waves() {
  std::vector<Tiled> result;
  const Function varying([](Point p) { return 1 + 0.5 * p.x * p.y; });
  const Function beating([](Real t) { return 0.3 * std::sin(400 * t); });
  const auto moving = [](Problem p) {
    p.initial_rate = [](Point at) { return at.x - at.y; };
    return alone(std::move(p));
  };
  Problem bay(Grid({cells("x", 200), cells("y", 181)}), wave(1.0));
  bay.boundary("west", dirichlet(beating)).default_boundary(free_boundary());
  result.push_back({"a bay", moving(bay), 2e-3});

  Equation pushed = wave(varying, 0.4, Function([](Real t) { return std::cos(90 * t); }));
  pushed.points.push_back({"buoy", {0.41, 0.33, 0}, [](Point, Real t) { return 2 * std::sin(60 * t); }});
  Problem damped(
      Grid({Axis::uniform("x", 0, 1, 70, Unknowns::nodes), Axis::uniform("y", 0, 1, 90, Unknowns::nodes)}),
      pushed);
  damped.boundary("south", dirichlet(beating))
      .boundary("east", fixed_boundary())
      .boundary("north", robin(0.5, 2.0))
      .default_boundary(free_boundary());
  result.push_back({"nodes, pushed and damped", moving(damped), 3e-3, 40 * 1024});

  const Regions hole(
      {{"hole", inside([](Point p) { return std::hypot(p.x - 0.7, p.y - 0.6) < 0.15; }), false}});
  Problem round(Grid({cells("x", 120), cells("y", 110, true)}), wave(varying), hole);
  round.default_boundary(fixed_boundary());
  result.push_back({"around a hole", moving(round), 2e-4});

  Problem block(Grid({cells("x", 31), cells("y", 60), cells("z", 40)}), wave(1.0));
  block.boundary("bottom", dirichlet(beating)).default_boundary(free_boundary());
  result.push_back({"a block", moving(block), 5e-3, 160 * 1024});
  return result;
}

// Boundaries that follow the motion, each face by itself.
std::vector<Tiled> waves_that_leave() {
  std::vector<Tiled> result;
  const Function varying([](Point p) { return 1 + 0.5 * p.x * p.y; });
  const auto moving = [](Problem p) {
    p.initial_rate = [](Point at) { return at.x - at.y; };
    return alone(std::move(p));
  };
  Problem open(Grid({cells("x", 200), cells("y", 181)}), wave(varying));
  open.default_boundary(absorbing());
  result.push_back({"a sea without shores", moving(open), 2e-3});
  const Regions hole(
      {{"hole", inside([](Point p) { return std::hypot(p.x - 0.7, p.y - 0.6) < 0.15; }), false}});
  Problem island(Grid({cells("x", 120), cells("y", 110)}), wave(1.0), hole);
  island.boundary("west", dirichlet(Function([](Real t) { return 0.3 * std::sin(400 * t); })))
      .boundary("hole", absorbing())
      .boundary("south", fixed_boundary())
      .default_boundary(absorbing());
  result.push_back({"an island", moving(island), 2e-4});
  Problem nodes(
      Grid({Axis::uniform("x", 0, 1, 70, Unknowns::nodes), Axis::uniform("y", 0, 1, 90, Unknowns::nodes)}),
      wave(1.0));
  nodes.boundary("south", dirichlet(1.0)).default_boundary(absorbing());
  result.push_back({"nodes", moving(nodes), 3e-3, 40 * 1024});
  Problem block(Grid({cells("x", 31), cells("y", 60), cells("z", 40)}), wave(1.0));
  block.boundary("bottom", fixed_boundary()).default_boundary(absorbing());
  result.push_back({"a block", moving(block), 5e-3, 160 * 1024});
  return result;
}

}  // namespace

TEST_CASE("leapfrog steps that share a pass leave rows, records and ends of single ones") {
  std::vector<Tiled> all = all_tiled_waves();
  for (const Tiled& more : waves_that_leave()) all.push_back(more);
  for (const Tiled& of : all) {
    CAPTURE(std::string(of.name));
    Plan plan = until(of, 61);
    plan.records = {17 * of.step};
    plan.record_every_steps = 12;
    CHECK(alike(of, plan, {}, "leapfrog").outcome.ending == Outcome::Ending::reached);
  }
}

TEST_CASE("a wave that blows up within a pass does so at the step at which single ones do") {
  Tiled of = all_tiled_waves().front();
  of.step = 4e-3;
  Plan plan = until(of, 300);
  plan.series_every = plan.until;
  const Seen seen = alike(of, plan, {}, "leapfrog");
  CHECK(seen.outcome.ending == Outcome::Ending::blew_up);
  CHECK(seen.outcome.tiling.repeated > 0);
}

TEST_CASE("a wave goes on from a snapshot between passes as if nothing had been") {
  for (const Tiled& of : {all_tiled_waves()[1], waves_that_leave()[0]}) {
    Plan plan = until(of, 70);
    plan.series_every = plan.until;
    plan.scheme = scheme("leapfrog");
    plan.step = of.step;
    const auto balance = made(of);
    std::optional<Snapshot> kept;
    Observers observers;
    Index asked = 0;
    observers.snapshot_due = [&] { return ++asked == 5; };
    observers.on_snapshot = [&](const Snapshot& s) { kept = s; };
    State end = balance->initial_state();
    const Outcome whole = march(*balance, end, plan, observers);
    REQUIRE(kept);
    CHECK(kept->steps > 5);
    CHECK(kept->steps < 70);
    const auto again = made(of);
    State rest = again->initial_state();
    const Outcome resumed = march(*again, rest, plan, {}, &*kept);
    CHECK(rest == end);
    CHECK(resumed.budget.worst_step() == whole.budget.worst_step());
    CHECK(resumed.totals.content == whole.totals.content);
  }
}

TEST_CASE("stages that share a pass leave rows, records and ends of steps stage by stage") {
  for (const char* by : {"rk2", "ssprk3", "rk4", "stabilized"})
    for (Tiled of : all_tiled()) {
      CAPTURE(std::string(by));
      CAPTURE(std::string(of.name));
      of.cache *= 2;
      if (std::string(by) == "stabilized") {
        // A bound of the spectrum that is looked for on the way decides how many stages a step has.
        if (reacts(of.system)) continue;
        of.step *= 30;
      }
      Plan plan = until(of, 23);
      plan.records = {9 * of.step};
      plan.series_every = 5.3 * of.step;
      CHECK(alike(of, plan, {}, by).outcome.ending == Outcome::Ending::reached);
    }
}

TEST_CASE("stabilized stages are the same line by line and as increments of what is stored") {
  for (Tiled of : all_tiled()) {
    CAPTURE(std::string(of.name));
    of.step *= 30;
    const auto balance = made(of);
    Scheme line_by_line = scheme("stabilized"), increments = line_by_line;
    std::get<Stabilized>(increments.method).estimates = true;
    const auto a = make_stepper(*balance, line_by_line), b = make_stepper(*balance, increments);
    State y = balance->initial_state();
    balance->prescribe(0, y);
    State z = y;
    Ledger of_a(balance->lines().size()), of_b = of_a;
    for (int step = 0; step < 3; ++step) {
      a->advance(y, step * of.step, of.step, of_a);
      b->advance(z, step * of.step, of.step, of_b);
      CHECK(a->stages() > 2);
      CHECK(a->stages() == b->stages());
      Real apart = 0, largest = 0;
      for (std::size_t n = 0; n < y.size(); ++n) {
        apart = std::max(apart, std::abs(y[n] - z[n]));
        largest = std::max(largest, std::abs(y[n]));
      }
      CHECK(apart < 1e-13 * largest);
      for (std::size_t l = 0; l < balance->lines().size(); ++l)
        CHECK(std::abs(of_a[LineId(l)] - of_b[LineId(l)]) < 1e-12 * (of_a.gross() + largest));
    }
    CHECK(a->error() == nullptr);
    CHECK(b->error() != nullptr);
  }
}

TEST_CASE("what boundaries supply to nodes that they hold closes the budget of schemes line by line") {
  const Tiled of = all_tiled()[1];
  for (const char* by : {"rk2", "ssprk3", "rk4", "stabilized"}) {
    CAPTURE(std::string(by));
    const Seen seen = seen_of(of, until(of, 23), true, {}, by);
    CHECK(seen.outcome.budget.worst_step() < 1e-12);
  }
}

namespace {

// The same march on ranks, whose halos are exchanged once a pass; the states are those of all of them.
Seen seen_on_ranks(const Tiled& of, Plan plan, const char* by, const std::array<int, 3>& boxes, Index cache,
                   const Observers& more) {
  plan.scheme = scheme(by);
  plan.step = of.step;
  plan.threads = 1;
  const int count = boxes[0] * boxes[1] * boxes[2];
  std::vector<Seen> of_ranks(static_cast<std::size_t>(count));
  on_ranks(count, [&](ThreadRank& rank) {
    Execution execution{2};
    execution.cache = cache;
    execution.communicator = &rank;
    execution.boxes = boxes;
    execution.in_passes = true;
    const auto balance = make_balance(of.system, execution);
    const WholeStates whole(balance->layout());
    Seen& seen = of_ranks[static_cast<std::size_t>(rank.rank())];
    Observers observers = more;
    // The first rank alone knows who looks.
    if (rank.rank() != 0 && more.looks_at) observers.looks_at = [](Real) { return false; };
    observers.on_series = observers.on_record = [&](const StepInfo& m) {
      seen.rows.insert(seen.rows.end(), {static_cast<Real>(m.step), m.time, m.step_length, m.totals.content,
                                         m.budget.relative_residual(), m.change()});
      seen.states.push_back(whole.everywhere(m.state));
    };
    State y = balance->initial_state();
    seen.outcome = march(*balance, y, plan, observers);
    seen.end = whole.everywhere(y);
  });
  for (const Seen& seen : of_ranks) {
    CHECK(seen.end == of_ranks.front().end);
    CHECK(seen.rows == of_ranks.front().rows);
    CHECK(seen.outcome.tiling.steps == of_ranks.front().outcome.tiling.steps);
  }
  return std::move(of_ranks.front());
}

void alike_on_ranks(const Tiled& of, const Plan& plan, const char* by, const Observers& more = {}) {
  CAPTURE(std::string(of.name));
  CAPTURE(std::string(by));
  const Seen single = seen_of(of, plan, false, more, by);
  std::vector<std::array<int, 3>> shared{{1, 2, 1}, {1, 3, 1}};
  if (of.system.problems.front().grid().dimension() == 3) shared = {{1, 1, 2}, {1, 2, 1}, {1, 2, 2}};
  for (const std::array<int, 3>& boxes : shared) {
    CAPTURE(boxes[1]);
    CAPTURE(boxes[2]);
    // What fits one process may be too much, or too little, for a part of the grid.
    Seen passes;
    for (const Real part : {0.8, 0.6, 0.45, 1.2, 0.7, 0.9, 0.35, 0.5}) {
      passes =
          seen_on_ranks(of, plan, by, boxes, static_cast<Index>(part * static_cast<Real>(of.cache)), more);
      if (passes.outcome.tiling.steps > 0) break;
    }
    CAPTURE(passes.outcome.tiling.why_one_by_one);
    // Boxes of a few rows have halos for a step.
    const Grid& grid = of.system.problems.front().grid();
    if (grid.size(1) / boxes[1] > 25) CHECK(passes.outcome.tiling.steps > 0);
    CHECK(passes.rows == single.rows);
    CHECK(passes.states == single.states);
    CHECK(passes.end == single.end);
    CHECK(passes.outcome.ending == single.outcome.ending);
    CHECK(passes.outcome.steps == single.outcome.steps);
    CHECK(passes.outcome.lowest == single.outcome.lowest);
    CHECK(passes.outcome.budget.worst_step() == single.outcome.budget.worst_step());
    for (std::size_t l = 0; l < single.outcome.budget.amounts().size(); ++l)
      CHECK(passes.outcome.budget.amounts()[l] == single.outcome.budget.amounts()[l]);
  }
}

}  // namespace

TEST_CASE("passes of several steps on ranks exchange deep halos and leave the bits of single steps" *
          doctest::skip(test::instrumented)) {
  for (const Tiled& of : all_tiled()) {
    Plan plan = until(of, 41);
    plan.records = {17 * of.step};
    plan.series_every = 7.3 * of.step;
    alike_on_ranks(of, plan, "explicit-euler");
  }
  for (const Tiled& of : all_tiled_waves()) alike_on_ranks(of, until(of, 61), "leapfrog");
  for (Tiled of : all_tiled())
    for (const char* by : {"ssprk3", "stabilized"}) {
      if (std::string(by) == "stabilized") {
        if (reacts(of.system)) continue;
        of.step *= 30;
      }
      of.cache *= 2;
      alike_on_ranks(of, until(of, 17), by);
    }
}

TEST_CASE("a march on ranks that ends within a pass ends where single steps do") {
  Tiled of = lake();
  of.step = 9e-5;
  alike_on_ranks(of, until(of, 400), "explicit-euler");
  of.step = 5e-5;
  Observers more;
  more.looks_at = [&](Real time) { return time > 29.5 * of.step; };
  more.arrived = [&](const StepInfo& m) { return m.step >= 33; };
  alike_on_ranks(of, until(of, 60), "explicit-euler", more);
}
