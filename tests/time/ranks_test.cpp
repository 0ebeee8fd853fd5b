// The number of ranks shows in no bit of what explicit schemes march.
#include "support/ranks.hpp"

#include <doctest/doctest.h>

#include <cstdlib>

#include "support/marches.hpp"

using namespace williwaw;
using namespace williwaw::test;

namespace {

// What a march leaves: the whole state, then totals, the ledger and the guard's range.
State end_of(Discretization& balance, const Plan& plan, State& whole) {
  State y = balance.initial_state();
  const Outcome outcome = march(balance, y, plan);
  Index start = 0;
  for (std::size_t u = 0; u < balance.unknowns().size(); ++u) {
    const Box& box = balance.domain(u).box();
    put_own(box,
            std::span(y).subspan(static_cast<std::size_t>(balance.layout().start(u)),
                                 static_cast<std::size_t>(balance.grid(u).count())),
            std::span(whole).subspan(static_cast<std::size_t>(start),
                                     static_cast<std::size_t>(box.whole_count())));
    start += box.whole_count();
  }
  State told{static_cast<Real>(outcome.ending),
             static_cast<Real>(outcome.steps),
             outcome.totals.content,
             outcome.totals.gross,
             outcome.totals.integral,
             outcome.totals.lowest,
             outcome.totals.highest};
  for (std::size_t l = 0; l < balance.lines().size(); ++l) told.push_back(outcome.budget.amounts()[l]);
  told.push_back(outcome.budget.worst_step());
  return told;
}

struct Found {
  State whole, told;
};

Found serial(const System& system, const Plan& plan) {
  const auto balance = make_balance(system, built_for(plan.scheme.name, 1));
  Found found;
  found.whole.resize(static_cast<std::size_t>(balance->layout().size()));
  found.told = end_of(*balance, plan, found.whole);
  return found;
}

// The whole state, and what all ranks tell alike.
Found shared_by(const System& system, const Plan& plan, const std::array<int, 3>& boxes) {
  const int count = boxes[0] * boxes[1] * boxes[2];
  Found found;
  for (const Problem& p : system.problems)
    found.whole.resize(found.whole.size() + static_cast<std::size_t>(p.grid().count()), -1.0);
  std::vector<State> told(static_cast<std::size_t>(count));
  on_ranks(count, [&](ThreadRank& rank) {
    Execution execution = built_for(plan.scheme.name, 1);
    execution.communicator = &rank;
    execution.boxes = boxes;
    const auto balance = make_balance(system, execution);
    told[static_cast<std::size_t>(rank.rank())] = end_of(*balance, plan, found.whole);
  });
  for (const State& of_rank : told) CHECK(of_rank == told.front());
  found.told = told.front();
  return found;
}

void same_on_ranks(const System& system, const Plan& plan, const std::vector<std::array<int, 3>>& shared) {
  const Found alone = serial(system, plan);
  for (const std::array<int, 3>& boxes : shared) {
    CAPTURE(boxes[1]);
    CAPTURE(boxes[2]);
    const Found found = shared_by(system, plan, boxes);
    CHECK(found.whole == alone.whole);
    CHECK(found.told == alone.told);
  }
}

}  // namespace

TEST_CASE("ranks do not change a single bit of what is marched, of its budget or of its extremes") {
  for (const Marched& m : all_kinds_of_marches()) {
    const Scheme s = scheme(m.scheme);
    if (!is_explicit(s) || semi_lagrangian(s)) continue;
    CAPTURE(std::string(m.name));
    CAPTURE(std::string(m.scheme));
    Plan plan = plan_of(m.scheme, m.step, 6 * m.step);
    plan.threads = 1;
    std::vector<std::array<int, 3>> shared{{1, 2, 1}, {1, 3, 1}};
    if (m.problem.grid().dimension() == 3) shared = {{1, 1, 2}, {1, 2, 1}, {1, 2, 2}, {1, 1, 3}};
    same_on_ranks({{m.problem}, {}, {}}, plan, shared);
  }
}

namespace {

Real swell(Point p) {
  return std::exp(-30 * std::pow(p.x - 0.4, 2) - 20 * std::pow(p.y - 0.5, 2));
}

Plan fixed_steps(const char* name, Real step, Index steps) {
  Plan plan = plan_of(name, step, static_cast<Real>(steps) * step);
  plan.threads = 1;
  return plan;
}

}  // namespace

TEST_CASE(
    "on several ranks: nodes that several boundaries hold, points, a source that moves, adaptive steps") {
  Equation e = diffusion([](Point p) { return 1 + 0.5 * p.x; }, 1.0,
                         Function([](Point p, Real t) { return std::sin(20 * t + 5 * p.y) * p.x; }));
  e.points = {{"heater", {0.31, 0.52, 0}, 2.0}, {"drain", {0.9, 0.08, 0}, [](Point, Real t) { return -t; }}};
  Problem p(plan_of_cells(34, 29, Unknowns::nodes), e);
  p.initial = swell;
  p.boundary("west", dirichlet(1.0))
      .boundary("south", dirichlet([](Point q, Real t) { return q.x + std::sin(9 * t); }))
      .default_boundary(robin(3.0, 0.2));
  const std::vector<std::array<int, 3>> shared{{1, 2, 1}, {1, 4, 1}};
  same_on_ranks({{p}, {}, {}}, fixed_steps("explicit-euler", 5e-5, 7), shared);
  same_on_ranks({{p}, {}, {}}, fixed_steps("rk4", 8e-5, 5), shared);
  Plan adaptive = fixed_steps("rk45", 0, 1);
  adaptive.until = 2e-3;
  adaptive.adaptive = Tolerance{1e-5, true};
  same_on_ranks({{p}, {}, {}}, adaptive, shared);
}

namespace {

Grid ring(Unknowns unknowns, bool along_x, Index rows) {
  return Grid(
      {Axis::uniform("x", 0, 1.3, 34, unknowns, along_x), Axis::uniform("y", 0, 1, rows, unknowns, true)});
}

}  // namespace

TEST_CASE("around a periodic axis ranks meet at its seam: of cells and nodes, advection, waves, a block") {
  const std::vector<std::array<int, 3>> shared{{1, 2, 1}, {1, 3, 1}, {1, 4, 1}};
  const auto around = [](Real phase) {
    return Function(
        [phase](Point p, Real t) { return 1.5 + std::sin(2 * M_PI * p.y + phase + 3 * t) * p.x; });
  };
  for (const Unknowns unknowns : {Unknowns::cells, Unknowns::nodes}) {
    Equation e = diffusion(around(0.3), 1.0, around(1));
    // Beside the seam, and on it.
    e.points = {{"heater", {0.31, 0.98, 0}, 2.0}, {"drain", {0.9, 0, 0}, [](Point, Real t) { return -t; }}};
    Problem p(ring(unknowns, false, 37), e);
    p.initial = swell;
    p.boundary("west", dirichlet(around(2))).default_boundary(robin(3.0, 0.2));
    same_on_ranks({{p}, {}, {}}, fixed_steps("explicit-euler", 1e-4, 7), shared);
    same_on_ranks({{p}, {}, {}}, fixed_steps("rk4", 1e-4, 4), shared);

    const Function speed([](Point q) { return 1.5 + std::sin(2 * M_PI * q.y) * q.x; });
    Problem swings(ring(unknowns, true, 40), wave(speed, 0.3, around(1)));
    swings.initial = swell;
    same_on_ranks({{swings}, {}, {}}, fixed_steps("leapfrog", 4e-3, 9), shared);
  }
  // A reconstruction that looks three cells to either side, and a region that lies across the seam.
  Problem rises(ring(Unknowns::cells, true, 40), transport(Velocity(0.6, -1.0), 0.002));
  rises.initial = swell;
  rises.reconstruction = "weno5";
  same_on_ranks({{rises}, {}, {}}, fixed_steps("ssprk3", 4e-3, 6), shared);
  const Regions rock(
      {{"rock", inside([](Point p) { return std::hypot(p.x - 0.6, std::min(p.y, 1 - p.y)) < 0.2; }), false}});
  Problem cut(ring(Unknowns::cells, false, 43), diffusion(around(0)), rock);
  cut.initial = swell;
  cut.boundary("rock", dirichlet(0.7)).default_boundary(insulated());
  same_on_ranks({{cut}, {}, {}}, fixed_steps("rk2", 1e-4, 6), shared);

  Problem block(
      Grid({Axis::uniform("x", 0, 1, 12, Unknowns::cells),
            Axis::uniform("y", 0, 1, 16, Unknowns::cells, true),
            Axis::uniform("z", 0, 1, 15, Unknowns::cells, true)}),
      diffusion(Function([](Point p, Real) { return 1 + 0.4 * std::cos(2 * M_PI * (p.y + p.z)); })));
  block.initial = [](Point p) { return std::sin(2 * M_PI * p.z) + p.x * std::cos(2 * M_PI * p.y); };
  block.default_boundary(dirichlet(0.3));
  same_on_ranks({{block}, {}, {}}, fixed_steps("rk4", 2e-4, 5), {{1, 2, 1}, {1, 1, 2}, {1, 2, 2}, {1, 1, 3}});
}

TEST_CASE("on several ranks: conductivities of the unknown, a stored content, limited fluxes") {
  Equation e =
      diffusion(Function::of_unknown([](Real u) { return 1 + u * u; }, [](Real u) { return 2 * u; }));
  Problem p(plan_of_cells(26, 23), e);
  p.initial = swell;
  p.boundary("north", dirichlet(0.4)).default_boundary(insulated());
  const std::vector<std::array<int, 3>> shared{{1, 2, 1}, {1, 3, 1}};
  same_on_ranks({{p}, {}, {}}, fixed_steps("explicit-euler", 1e-4, 8), shared);
  same_on_ranks({{p}, {}, {}}, fixed_steps("ssprk3", 1e-4, 4), shared);
  Equation stored = diffusion(1.0);
  stored.content = Function::of_unknown([](Real u) { return u + 0.2 * u * u * u; },
                                        [](Real u) { return 1 + 0.6 * u * u; });
  Problem q(plan_of_cells(26, 23), stored);
  q.initial = swell;
  q.boundary("north", dirichlet(0.4)).boundary("east", radiation(0.9, 0.2)).default_boundary(insulated());
  same_on_ranks({{q}, {}, {}}, fixed_steps("explicit-euler", 1e-4, 8), shared);
}

namespace {

System two_that_react() {
  std::vector<Problem> members;
  for (const char* name : {"a", "b"}) {
    Equation e = diffusion(0.3);
    e.unknown = name;
    Problem p(plan_of_cells(24, 21), e);
    p.initial = swell;
    p.default_boundary(insulated());
    members.push_back(p);
  }
  members[1].initial = [](Point q) { return q.x * q.y; };
  SystemReaction reaction;
  reaction.rate = [](const Points&, Real, UnknownLines u, std::span<std::span<Real>> out) {
    for (std::size_t n = 0; n < u[0].size(); ++n) {
      out[0][n] = u[1][n] - u[0][n] * u[0][n];
      out[1][n] = u[0][n] * u[1][n];
    }
  };
  return {members, reaction, {}};
}

}  // namespace

TEST_CASE("on several ranks: several unknowns that react, carry each other and diffuse across") {
  const System both = two_that_react();
  const std::vector<Problem>& members = both.problems;
  const SystemReaction& reaction = both.reaction;
  const std::vector<std::array<int, 3>> shared{{1, 2, 1}, {1, 3, 1}};
  same_on_ranks({members, reaction, {}}, fixed_steps("explicit-euler", 2e-4, 6), shared);
  same_on_ranks({members, reaction, {}}, fixed_steps("rk4", 2e-4, 4), shared);
  CrossDiffusion cross;
  cross.of = 0;
  cross.by = 1;
  cross.diffusivity = [](const Points&, Real, UnknownLines u, std::span<Real> out) {
    for (std::size_t n = 0; n < out.size(); ++n) out[n] = -0.1 * u[0][n];
  };
  same_on_ranks({members, reaction, {}, {cross}}, fixed_steps("explicit-euler", 2e-4, 6), shared);
  const System carried{members, {}, self_advecting_flux(2), {}};
  same_on_ranks(carried, fixed_steps("ssprk3", 2e-3, 5), shared);
}

TEST_CASE("on several ranks: waves with a moving edge, damping, four orders in space, and as pairs") {
  Problem p(plan_of_cells(32, 27, Unknowns::nodes), wave([](Point q) { return 1 + 0.2 * q.y; }));
  p.initial = swell;
  p.initial_rate = [](Point q) { return 0.3 * q.x * swell(q); };
  p.boundary("south", fixed_boundary()).boundary("north", absorbing(2)).default_boundary(absorbing());
  const std::vector<std::array<int, 3>> shared{{1, 2, 1}, {1, 3, 1}};
  same_on_ranks({{p}, {}, {}}, fixed_steps("leapfrog", 8e-3, 9), shared);
  Problem driven(plan_of_cells(30, 26), wave(1.0));
  driven.initial = swell;
  driven.boundary("west", dirichlet([](Point, Real t) { return std::sin(7 * t); }))
      .default_boundary(free_boundary());
  same_on_ranks({{driven}, {}, {}}, fixed_steps("leapfrog", 8e-3, 9), shared);
  same_on_ranks({{driven}, {}, {}}, fixed_steps("rk4", 8e-3, 5), shared);
  same_on_ranks({{driven}, {}, {}}, fixed_steps("corrected-leapfrog", 8e-3, 5), shared);
  Problem layered(plan_of_cells(30, 32), wave([](Point q) { return 1 + 0.2 * q.y; }));
  layered.initial = swell;
  layered.boundary("north", absorbing_layer(9))
      .boundary("east", absorbing_layer(5))
      .default_boundary(free_boundary());
  same_on_ranks({{layered}, {}, {}}, fixed_steps("leapfrog", 8e-3, 12), shared);
  Problem fourth(plan_of_cells(30, 26), wave(1.0));
  fourth.space_order = 4;
  fourth.initial = swell;
  fourth.default_boundary(free_boundary());
  same_on_ranks({{fourth}, {}, {}}, fixed_steps("leapfrog", 8e-3, 9), shared);
}

TEST_CASE("on several ranks: implicit steps by conjugate gradients are those of one rank") {
  Problem p(plan_of_cells(31, 28, Unknowns::nodes),
            diffusion([](Point q) { return 1 + 0.5 * q.x * q.y; }, 1.0, 0.3));
  p.initial = swell;
  p.boundary("west", dirichlet(1.0)).default_boundary(robin(2.0, 0.3));
  const std::vector<std::array<int, 3>> shared{{1, 2, 1}, {1, 4, 1}};
  for (const char* name : {"crank-nicolson", "bdf2", "sdirk4", "implicit-euler"}) {
    CAPTURE(std::string(name));
    Plan plan = fixed_steps(name, 3e-3, 4);
    plan.solver = "cg";
    same_on_ranks({{p}, {}, {}}, plan, shared);
  }
  Problem moving = p;
  moving.boundary("west", dirichlet([](Point, Real t) { return std::sin(40 * t); }));
  Plan plan = fixed_steps("crank-nicolson", 3e-3, 4);
  plan.solver = "cg";
  same_on_ranks({{moving}, {}, {}}, plan, shared);
  Problem wave_of_stages(plan_of_cells(24, 22), wave(1.0));
  wave_of_stages.initial = swell;
  wave_of_stages.default_boundary(free_boundary());
  Plan newmark = fixed_steps("newmark", 2e-2, 5);
  newmark.solver = "cg";
  same_on_ranks({{wave_of_stages}, {}, {}}, newmark, shared);
  // Newton's method, in a block.
  Problem nonlinear(
      Grid({Axis::uniform("x", 0, 1, 9, Unknowns::cells), Axis::uniform("y", 0, 1, 8, Unknowns::cells),
            Axis::uniform("z", 0, 1, 10, Unknowns::cells)}),
      diffusion(1.0));
  nonlinear.initial = swell;
  nonlinear.boundary("top", radiation(0.9, 0.2)).default_boundary(insulated());
  Plan newton = fixed_steps("implicit-euler", 1e-2, 3);
  newton.solver = "cg";
  same_on_ranks({{nonlinear}, {}, {}}, newton, {{1, 1, 2}, {1, 2, 2}});
}

TEST_CASE("on several ranks: matrices that are not symmetric are solved to the tolerance of their solver") {
  Problem p(plan_of_cells(30, 28), transport(Velocity(1.0, 0.3), 0.05));
  p.initial = swell;
  p.boundary("west", dirichlet(0.0)).default_boundary(outflow());
  const auto close_on_ranks = [](const System& system, const Plan& plan) {
    const Found alone = serial(system, plan);
    for (const std::array<int, 3>& boxes : {std::array{1, 2, 1}, std::array{1, 4, 1}}) {
      CAPTURE(boxes[1]);
      const Found found = shared_by(system, plan, boxes);
      CHECK(largest_difference(found.whole, alone.whole) < 1e-9);
      // Steps, content, and what crossed each boundary.
      CHECK(largest_difference(found.told, alone.told) < 1e-9);
    }
  };
  close_on_ranks({{p}, {}, {}}, fixed_steps("implicit-euler", 1e-2, 5));
  close_on_ranks({{p}, {}, {}}, fixed_steps("crank-nicolson", 1e-2, 5));
  const auto members = two_that_react();
  close_on_ranks(members, fixed_steps("implicit-euler", 2e-2, 3));
  close_on_ranks(members, fixed_steps("implicit-explicit", 1e-2, 5));
  Plan other = fixed_steps("implicit-euler", 1e-2, 2);
  other.solver = "direct";
  CHECK_THROWS_WITH_AS(static_cast<void>(shared_by({{p}, {}, {}}, other, {1, 2, 1})),
                       "solver 'direct' works on one rank; on several there are multigrid, cg and bicgstab",
                       InputError);
}

namespace {

// The steady state, and what all ranks tell alike: whether it was reached, iterations, content, residual,
// flows.
Found steady_on(const Problem& p, const SteadyRules& rules, const std::array<int, 3>& boxes) {
  const int count = boxes[0] * boxes[1] * boxes[2];
  State whole(static_cast<std::size_t>(p.grid().count()), -1.0);
  std::vector<State> told(static_cast<std::size_t>(count));
  const auto find = [&](Discretization& balance, State& into) {
    State y = balance.initial_state();
    const SteadyOutcome found = solve_steady(balance, y, 0, rules);
    put_own(balance.domain().box(), y, whole);
    into = {found.reached ? 1.0 : 0.0, static_cast<Real>(found.iterations()), found.totals.content,
            found.left, found.residuals.back()};
    for (std::size_t l = 0; l < found.flows.size(); ++l) into.push_back(found.flows[l]);
  };
  if (count == 1) {
    const auto balance = make_balance(p, {1});
    find(*balance, told.front());
  } else {
    on_ranks(count, [&](ThreadRank& rank) {
      Execution execution;
      execution.threads = 1;
      execution.communicator = &rank;
      execution.boxes = boxes;
      const auto balance = make_balance(p, execution);
      find(*balance, told[static_cast<std::size_t>(rank.rank())]);
    });
  }
  for (const State& of_rank : told) CHECK(of_rank == told.front());
  CHECK(told.front().front() == 1);
  return Found{whole, told.front()};
}

}  // namespace

TEST_CASE(
    "on several ranks: steady states, by conjugate gradients to the same bits, of laws within the "
    "tolerance") {
  const Regions hole(
      {{"hole", inside([](Point p) { return std::hypot(p.x - 0.7, p.y - 0.6) < 0.15; }), false}});
  Problem plate(plan_of_cells(34, 31), diffusion([](Point q) { return 1 + q.x; }, 1.0, 0.5), hole);
  plate.boundary("west", dirichlet(1.0)).boundary("hole", robin(2.0, 0.3)).default_boundary(insulated());
  Problem nodes(plan_of_cells(30, 28, Unknowns::nodes), diffusion(1.0, 1.0, 0.5));
  nodes.boundary("south", dirichlet(1.0)).boundary("west", dirichlet(0.0)).default_boundary(robin(1.0, 0.2));
  Problem glowing(plan_of_cells(24, 22), diffusion(1.0));
  glowing.initial = 0.5;
  glowing.boundary("west", dirichlet(1.0))
      .boundary("north", radiation(0.9, 0.2))
      .default_boundary(insulated());
  const SteadyRules rules{.solver = "cg", .tolerance = 1e-11};
  for (const Problem* p : {&plate, &nodes, &glowing}) {
    const Found alone = steady_on(*p, rules, {1, 1, 1});
    for (const std::array<int, 3>& boxes : {std::array{1, 2, 1}, std::array{1, 4, 1}}) {
      CAPTURE(boxes[1]);
      const Found found = steady_on(*p, rules, boxes);
      CHECK(found.whole == alone.whole);
      CHECK(found.told == alone.told);
    }
  }
  Problem carried(plan_of_cells(24, 22), transport(Velocity(1.0, 0.3), 0.05));
  carried.boundary("west", dirichlet(1.0)).default_boundary(outflow());
  const Found alone = steady_on(carried, {.tolerance = 1e-11}, {1, 1, 1});
  const Found found = steady_on(carried, {.tolerance = 1e-11}, {1, 3, 1});
  CHECK(largest_difference(found.whole, alone.whole) < 1e-9);
}

TEST_CASE("on several ranks: multigrid takes the iterations of one rank, in a block to the same bits" *
          doctest::skip(test::instrumented)) {
  const Function varying([](Point p) { return 1 + p.x * p.y; });
  const auto block = [&](Index y, Index z, const Regions& regions) {
    Problem p(
        Grid({Axis::uniform("x", 0, 1, 21, Unknowns::cells), Axis::uniform("y", 0, 1.2, y, Unknowns::cells),
              Axis::uniform("z", 0, 1, z, Unknowns::cells)}),
        diffusion(varying, 1.0, 0.5), regions);
    p.boundary("west", dirichlet(1.0)).boundary("top", robin(2.0, 0.3)).default_boundary(insulated());
    return p;
  };
  const Regions none;
  const Regions hole(
      {{"hole", inside([](Point p) { return std::hypot(p.y - 0.6, p.z - 0.5) < 0.2; }), false}});
  Problem cut = block(39, 37, hole);
  cut.boundary("hole", dirichlet(0.0));
  const SteadyRules rules{.solver = "multigrid", .tolerance = 1e-11};
  // Own rows begin and end within pairs too; levels are shared down to the third, or gathered at once.
  for (const Problem& p : {block(47, 49, none), cut, block(15, 14, none)}) {
    const Found alone = steady_on(p, rules, {1, 1, 1});
    for (const std::array<int, 3>& boxes :
         {std::array{1, 2, 1}, std::array{1, 1, 3}, std::array{1, 3, 1}, std::array{1, 2, 2}}) {
      CAPTURE(boxes[1]);
      CAPTURE(boxes[2]);
      const Found found = steady_on(p, rules, boxes);
      CHECK(found.whole == alone.whole);
      CHECK(found.told == alone.told);
    }
  }
  // Around a seam; of an odd number of rows levels are gathered from there on.
  for (const Index rows : {Index{64}, Index{72}, Index{41}}) {
    CAPTURE(rows);
    Problem around(Grid({Axis::uniform("x", 0, 1, 21, Unknowns::cells),
                         Axis::uniform("y", 0, 1.2, rows, Unknowns::cells, true),
                         Axis::uniform("z", 0, 1, 36, Unknowns::cells, true)}),
                   diffusion(Function([](Point p) { return 2 + std::sin(2 * M_PI * (p.z + p.y / 1.2)); }),
                             1.0, Function([](Point p) { return std::cos(2 * M_PI * p.z); })));
    around.boundary("west", dirichlet(1.0)).default_boundary(robin(2.0, 0.3));
    const Found alone = steady_on(around, rules, {1, 1, 1});
    for (const std::array<int, 3>& boxes :
         {std::array{1, 2, 1}, std::array{1, 1, 3}, std::array{1, 3, 1}, std::array{1, 2, 2}}) {
      CAPTURE(boxes[1]);
      CAPTURE(boxes[2]);
      const Found found = steady_on(around, rules, boxes);
      CHECK(found.whole == alone.whole);
      CHECK(found.told == alone.told);
    }
  }
  // On a plane one rank goes by cycles alone.
  Problem plate(plan_of_cells(150, 141), diffusion(varying, 1.0, 0.5));
  plate.boundary("west", dirichlet(1.0)).default_boundary(robin(1.0, 0.2));
  const Found alone = steady_on(plate, rules, {1, 1, 1});
  for (const int boxes : {2, 3, 4}) {
    CAPTURE(boxes);
    const Found found = steady_on(plate, rules, {1, boxes, 1});
    CHECK(largest_difference(found.whole, alone.whole) < 1e-9);
    CHECK(found.told[1] < 20);
  }
}
