// Every solver against the direct one; what multigrid costs as grids grow; what relaxation says of itself.
#include "support/systems.hpp"

using namespace williwaw;
using namespace williwaw::test;

TEST_CASE("every solver that iterates finds what the direct one does") {
  for (const Unknowns u : {Unknowns::cells, Unknowns::nodes}) {
    const FaceSystem s = system_of(rough(20, 30, u));
    const auto right = right_for(s);
    const auto direct = solved("direct", s, right);
    for (const std::string name : {"multigrid", "cg", "jacobi", "gauss-seidel", "sor"}) {
      INFO(name);
      CHECK(difference(solved(name, s, right), direct) < 1e-9);
    }
  }
}

TEST_CASE(
    "transforms are direct, for every pair of boundaries they know, with a third boundary left to Thomas") {
  for (const Unknowns u : {Unknowns::cells, Unknowns::nodes})
    for (const std::string west : {"held", "insulated", "robin"})
      for (const std::string east : {"held", "insulated", "robin"})
        for (const std::string south : {"held", "insulated"}) {
          INFO(west, east, south, static_cast<int>(u));
          Problem p(Grid({Axis::uniform("x", 0, 2, 9, u), Axis::uniform("y", 0, 1, 12, u)}),
                    diffusion(std::array<Function, 3>{0.7, 1.9, 1.0}, 1.3));
          p.boundary("west", boundary_called(west))
              .boundary("east", boundary_called(east))
              .boundary("south", boundary_called(south))
              .boundary("north", dirichlet(0.0));
          for (const Real storage : {0.0, 2.5}) {
            const FaceSystem s = system_of(p, storage);
            CHECK(is_separable(LinearSystem(s)));
            const auto right = right_for(s);
            CHECK(difference(solved("transform", s, right), solved("direct", s, right)) < 1e-10);
          }
        }
}

TEST_CASE("transforms with a periodic axis, a graded one, in a block") {
  Problem p(Grid({Axis::uniform("x", 0, 1, 8, Unknowns::cells, true),
                  Axis("y", {0, 0.1, 0.3, 0.35, 0.8, 1}, Unknowns::cells),
                  Axis::uniform("z", 0, 1, 7, Unknowns::cells)}),
            diffusion(1.0));
  p.boundary("south", robin(1.0, 0.0))
      .boundary("north", dirichlet(0.0))
      .boundary("bottom", insulated())
      .boundary("top", dirichlet(0.0));
  const FaceSystem s = system_of(p, 1.0);
  const auto right = right_for(s);
  CHECK(difference(solved("transform", s, right), solved("direct", s, right)) < 1e-10);
  CHECK(difference(solved("multigrid", s, right), solved("direct", s, right)) < 1e-9);
  CHECK_FALSE(is_separable(LinearSystem(system_of(rough(10, 2)))));
  CHECK_THROWS_AS(solved("transform", system_of(rough(10, 2)), right_for(system_of(rough(10, 2)))),
                  SolverError);
}

TEST_CASE(
    "multigrid needs as many iterations on a fine grid as on a coarse one, and hardly more for a jump of "
    "1000") {
  std::array<Index, 2> most{0, 0};
  std::size_t row = 0;
  for (const Real jump : {1.0, 1000.0}) {
    std::vector<Index> counts;
    for (const Index n : {63, 127, 255}) {
      ProblemBalance balance(rough(n, jump));
      State y = balance.initial_state();
      const SteadyOutcome out = solve_steady(balance, y, 0, {.solver = "multigrid"});
      CHECK(out.reached);
      counts.push_back(out.iterations());
    }
    CHECK(counts[2] <= counts[0] + 3);
    most[row++] = counts[2];
  }
  CHECK(most[0] <= 16);
  CHECK(most[1] <= 22);
}

TEST_CASE("relaxation stops early and says how wrong it still is") {
  const FaceSystem s = system_of(rough(24, 1));
  const auto right = right_for(s);
  const auto exact = solved("direct", s, right);
  for (const std::string name : {"jacobi", "gauss-seidel"}) {
    const auto solver = make_relaxation_solver(name, {.tolerance = 1e-4, .iterations = 100000});
    solver->factor(s);
    std::vector<Real> x(right.size());
    solver->solve(right, x);
    Real error = 0;
    for (std::size_t n = 0; n < x.size(); ++n) error = std::max(error, std::abs(x[n] - exact[n]));
    const Convergence& c = *solver->convergence();
    // The change alone looks much better than the answer is.
    CHECK(error > 20 * c.change);
    CHECK(c.error == doctest::Approx(error).epsilon(0.1));
    CHECK(c.residuals.front() == 1);
    CHECK(c.residuals.back() <= 1e-4);
  }
  const auto hasty = make_relaxation_solver("sor", {.tolerance = 1e-12, .iterations = 5});
  hasty->factor(s);
  std::vector<Real> x(right.size());
  hasty->solve(right, x);
  CHECK_FALSE(hasty->convergence()->reached);
  CHECK(hasty->convergence()->iterations() == 5);
}

TEST_CASE("a problem that nothing fixes: refused with a net source, given the guess's mean without one") {
  for (const std::string solver : {"auto", "direct", "multigrid", "cg", "transform", "sor"}) {
    INFO(solver);
    const Grid g(
        {Axis::uniform("x", 0, 1, 16, Unknowns::cells), Axis::uniform("y", 0, 1, 16, Unknowns::cells)});
    Problem heated(g, diffusion(1.0, 1.0, 2.0));
    heated.default_boundary(insulated());
    ProblemBalance no(heated);
    State y = no.initial_state();
    CHECK_THROWS_AS(solve_steady(no, y, 0, {.solver = solver}), SingularProblem);

    Problem balanced(g, diffusion(1.0, 1.0, [](Point p) { return p.x < 0.5 ? 1.0 : -1.0; }));
    balanced.initial = 7.0;
    balanced.default_boundary(insulated());
    ProblemBalance yes(balanced);
    y = yes.initial_state();
    const SteadyOutcome out = solve_steady(yes, y, 0, {.solver = solver, .iterations = 100000});
    CHECK(out.reached);
    CHECK(out.mean_fixed);
    CHECK(out.totals.integral == doctest::Approx(7));
    CHECK(y[0] - y[15] == doctest::Approx(0.25).epsilon(0.02));

    // Sources whose sum is zero but for its round-off.
    Problem waving(g, diffusion(1.0, 1.0, [](Point p) {
                     return std::cos(2 * M_PI * p.x) + 0.1 * std::cos(6 * M_PI * p.x);
                   }));
    waving.default_boundary(insulated());
    ProblemBalance round(waving);
    y = round.initial_state();
    CHECK(solve_steady(round, y, 0, {.solver = solver, .iterations = 100000}).mean_fixed);
    CHECK(y[0] - y[7] == doctest::Approx(2 * std::cos(M_PI / 16) / (4 * M_PI * M_PI)).epsilon(0.03));
  }
}

TEST_CASE("a piece that is cut off without a boundary to hold it is found") {
  const Regions boundary(
      {{"boundary", inside([](Point p) { return std::abs(p.x - 0.5) < 0.11; }), false, "", false}});
  const Grid g(
      {Axis::uniform("x", 0, 1, 20, Unknowns::cells), Axis::uniform("y", 0, 1, 10, Unknowns::cells)});
  Problem p(g, diffusion(1.0, 1.0, 1.0), boundary);
  p.boundary("west", dirichlet(0.0)).default_boundary(insulated());
  ProblemBalance balance(p);
  State y = balance.initial_state();
  try {
    solve_steady(balance, y);
    FAIL("a piece without a way out was solved");
  } catch (const SingularProblem& e) {
    CHECK_FALSE(e.whole);
    CHECK(g.point_of(e.unknown).x > 0.6);
    CHECK(e.net == doctest::Approx(0.39).epsilon(0.03));
  }
}

TEST_CASE("implicit steps by multigrid, transforms and direct solves are the same") {
  std::vector<State> ends;
  for (const std::string solver : {"direct", "multigrid", "transform", "cg"}) {
    Problem p(
        Grid({Axis::uniform("x", 0, 1, 24, Unknowns::nodes), Axis::uniform("y", 0, 1, 16, Unknowns::nodes)}),
        diffusion(1.0));
    p.initial = [](Point q) { return std::sin(3 * q.x) * q.y; };
    p.boundary("west", dirichlet(1.0)).default_boundary(insulated());
    ProblemBalance balance(p);
    State y = balance.initial_state();
    Plan plan;
    plan.scheme = scheme("crank-nicolson");
    plan.until = 0.2;
    plan.step = 0.02;
    plan.solver = solver;
    const Outcome out = march(balance, y, plan);
    CHECK(out.budget.relative_residual() < 1e-11);
    CHECK((out.solver_iterations > 0) == (solver == "multigrid" || solver == "cg"));
    ends.push_back(y);
  }
  for (const State& y : ends) CHECK(difference(y, ends[0]) < 1e-10);
}

TEST_CASE("solvers are reached by name") {
  const LinearSystem one = system_of(rough(10, 1));
  CHECK_THROWS_AS(make_solver("wishful", one), InputError);
  CHECK(make_solver("auto", one)->name().starts_with("direct"));
  CHECK(make_solver("auto", LinearSystem(system_of(rough(60, 1))))->name() ==
        "multigrid");
  for (const auto& kind : solver_kinds()) CHECK(kind.iterates == (kind.make({})->convergence() != nullptr));
}

TEST_CASE("multigrid in a block with a ball cut out, on stretched grids, and round a periodic axis") {
  const Regions ball(
      {{"ball", inside([](Point p) { return std::hypot(p.x - 0.5, p.y - 0.5, p.z - 0.5) < 0.3; }), false}});
  Problem block(
      Grid({Axis::uniform("x", 0, 1, 20, Unknowns::cells), Axis::uniform("y", 0, 1, 18, Unknowns::cells),
            Axis::uniform("z", 0, 1, 17, Unknowns::cells)}),
      diffusion(1.0, 1.0, 1.0), ball);
  block.boundary("ball", robin(2.0, 1.0)).boundary("top", dirichlet(0.0)).default_boundary(insulated());
  // Cells twenty times as long as they are wide: only the strong axis is joined in pairs at first.
  Problem stretched(
      Grid({Axis::uniform("x", 0, 20, 96, Unknowns::nodes), Axis::uniform("y", 0, 1, 96, Unknowns::nodes)}),
      diffusion(1.0));
  stretched.boundary("west", dirichlet(0.0)).default_boundary(insulated());
  Problem ring(Grid({Axis::uniform("x", 0, 1, 65, Unknowns::cells, true),
                     Axis::uniform("y", 0, 1, 31, Unknowns::cells)}),
               diffusion([](Point p) { return 1 + 0.5 * std::sin(2 * M_PI * p.x); }));
  ring.boundary("south", dirichlet(0.0)).default_boundary(insulated());
  for (const Problem* p : {&block, &stretched, &ring}) {
    const FaceSystem s = system_of(*p);
    const auto right = right_for(s);
    const auto direct = solved("direct", s, right);
    const auto solver = make_multigrid_solver({.tolerance = 1e-11});
    solver->factor(s);
    std::vector<Real> x(right.size());
    solver->solve(right, x);
    CHECK(solver->convergence()->reached);
    CHECK(solver->convergence()->iterations() < 40);
    CHECK(difference(x, direct) < 1e-8);
    CHECK(difference(solved("cg", s, right), direct) < 1e-8);
  }
}

TEST_CASE("multigrid takes as few iterations whatever the sizes, seams, placements and spacings") {
  struct Row {
    std::vector<Index> sizes;
    std::vector<bool> periodic;
    Unknowns unknowns;
    Real stretched;  ///< length of the first axis over that of the others
    Index most;
  };
  const auto cells = Unknowns::cells, nodes = Unknowns::nodes;
  for (const Row& row :
       {Row{{64, 48}, {true, false}, cells, 1, 13}, Row{{65, 48}, {true, false}, cells, 1, 14},
        Row{{66, 49}, {true, false}, nodes, 1, 14}, Row{{48, 64}, {false, true}, cells, 1, 13},
        Row{{48, 65}, {false, true}, nodes, 1, 14}, Row{{47, 50}, {false, false}, nodes, 1, 12},
        Row{{50, 47}, {false, false}, cells, 12, 12}, Row{{48, 65}, {false, true}, cells, 12, 13},
        Row{{65, 48}, {true, false}, cells, 12, 11}, Row{{16, 17, 18}, {false, true, false}, cells, 1, 15},
        Row{{17, 16, 18}, {true, false, false}, cells, 1, 15},
        Row{{16, 15, 18}, {false, false, true}, nodes, 1, 15}}) {
    std::vector<Axis> axes;
    for (std::size_t a = 0; a < row.sizes.size(); ++a)
      axes.push_back(Axis::uniform(std::string(1, "xyz"[a]), 0, a == 0 ? row.stretched : 1, row.sizes[a],
                                   row.unknowns, row.periodic[a]));
    Problem p(Grid(axes), diffusion(1.0));
    bool first = true;
    for (const Side side : p.grid().sides()) {
      if (p.periodic(side)) continue;
      p.boundary(p.grid().side_name(side), first ? dirichlet(0.0) : robin(2.0, 1.0));
      first = false;
    }
    const FaceSystem s = system_of(p);
    const auto right = right_for(s);
    const auto solver = make_multigrid_solver({.tolerance = 1e-10});
    solver->factor(s);
    std::vector<Real> x(right.size());
    solver->solve(right, x);
    CHECK(solver->convergence()->reached);
    CHECK(solver->convergence()->iterations() <= row.most);
  }
}

TEST_CASE("a right-hand side of zero needs no iterations, and matrices that do not fit are refused") {
  const FaceSystem s = system_of(rough(12, 1));
  for (const auto& kind : solver_kinds()) {
    if (kind.name == "transform") continue;
    const auto solver = kind.make({});
    solver->factor(s);
    std::vector<Real> zero(static_cast<std::size_t>(s.size()), 0.0), x(zero.size(), 3.0);
    solver->solve(zero, x);
    for (const Real v : x) CHECK(v == 0);
    if (const auto* c = solver->convergence()) CHECK(c->iterations() == 0);
  }
  FaceSystem skew = s;
  skew.upper[0][5 + 12 * 5] *= 2;
  CHECK_THROWS_AS(make_multigrid_solver()->factor(skew), SolverError);
  FaceSystem wrong = s;
  for (Real& v : wrong.lower[1]) v = -v;
  for (Real& v : wrong.upper[1]) v = -v;
  CHECK_THROWS_AS(make_cg_solver()->factor(wrong), SolverError);
  const SparseSystem any{2, {{0, 0, 1}, {1, 1, 1}}};
  for (const char* name : {"multigrid", "cg", "jacobi", "sor", "transform"})
    CHECK_THROWS_AS(make_solver(name, any)->factor(any), SolverError);
}

TEST_CASE("the steady solve says what it is relative to, and previews what it will take") {
  Problem p(
      Grid({Axis::uniform("x", 0, 1, 30, Unknowns::cells), Axis::uniform("y", 0, 1, 30, Unknowns::cells)}),
      diffusion(1.0, 1.0, 1.0));
  p.boundary("west", dirichlet(0.0)).default_boundary(insulated());
  ProblemBalance balance(p);
  State y = balance.initial_state();
  CHECK(preview_steady(balance, y).solver == "fast transforms");
  CHECK(preview_steady(balance, y, 0, {.solver = "sor"})
            .solver.starts_with("successive over-relaxation, factor 1.8"));
  const SteadyOutcome cg = solve_steady(balance, y, 0, {.solver = "cg", .tolerance = 1e-6});
  CHECK(cg.residuals.front() == doctest::Approx(1));  // the first guess is uniform
  CHECK(cg.residuals.back() <= 1e-6);
  // It stops where it is told to.
  State short_of = balance.initial_state();
  const SteadyOutcome three =
      solve_steady(balance, short_of, 0, {.solver = "cg", .tolerance = 1e-12, .iterations = 3});
  CHECK(three.iterations() == 3);
  CHECK_FALSE(three.reached);
  // From the answer there is nothing left to do.
  const SteadyOutcome again = solve_steady(balance, y, 0, {.solver = "cg", .tolerance = 1e-6});
  CHECK(again.iterations() == 0);
  CHECK(again.reached);
  CHECK(again.flows[0] == doctest::Approx(-1).epsilon(1e-5));
  CHECK(std::abs(again.left) < 1e-5);
}

TEST_CASE("biconjugate gradients start anew, give up when told to, and say what they cannot factor") {
  // Advection along x upwind, diffusion across: not symmetric.
  const Index n = 24;
  SparseSystem system{n * n, {}};
  for (Index j = 0; j < n; ++j)
    for (Index i = 0; i < n; ++i) {
      const Index k = i + n * j;
      system.entries.push_back({k, k, 4.3});
      if (i > 0) system.entries.push_back({k, k - 1, -2.3});
      if (j > 0) system.entries.push_back({k, k - n, -1});
      if (j + 1 < n) system.entries.push_back({k, k + n, -1});
    }
  std::vector<Real> right(static_cast<std::size_t>(n * n)), x(right.size()), sure(right.size());
  for (std::size_t k = 0; k < right.size(); ++k) right[k] = std::sin(0.7 * static_cast<Real>(k));
  const LinearSystem whole = system;
  const auto direct = make_direct_solver();
  direct->factor(whole);
  direct->solve(right, sure);
  const auto solver = make_bicgstab_solver({.tolerance = 1e-12, .iterations = 500});
  solver->factor(whole);
  solver->solve(right, x);
  REQUIRE(solver->convergence());
  CHECK(solver->convergence()->reached);
  CHECK(solver->convergence()->iterations() <= 6);
  CHECK(difference(x, sure) < 1e-10);
  // The residuals it tells are those of what it found.
  Real residual = 0, size = 0;
  std::vector<Real> left = right;
  for (const auto& e : system.entries)
    left[static_cast<std::size_t>(e.row)] -= e.value * x[static_cast<std::size_t>(e.column)];
  for (std::size_t k = 0; k < left.size(); ++k) {
    residual += left[k] * left[k];
    size += right[k] * right[k];
  }
  CHECK(std::sqrt(residual / size) < 3e-12);

  const auto hasty = make_bicgstab_solver({.tolerance = 1e-14, .iterations = 1});
  hasty->factor(whole);
  hasty->solve(right, x);
  CHECK_FALSE(hasty->convergence()->reached);
  CHECK(hasty->convergence()->iterations() == 1);
  CHECK(hasty->convergence()->residuals.back() > 1e-14);
  // A step that is not solved is no step.
  Problem p(
      Grid({Axis::uniform("x", 0, 1, 60, Unknowns::cells), Axis::uniform("y", 0, 1, 60, Unknowns::cells)}),
      diffusion([](Point q) { return 1 + q.x; }));
  p.initial = [](Point q) { return q.x * q.y; };
  p.default_boundary(dirichlet(0.0));
  ProblemBalance balance(p);
  State y = balance.initial_state();
  Plan plan;
  plan.scheme = scheme("implicit-euler");
  plan.step = plan.until = 10;
  plan.solver = "jacobi";
  std::string said;
  try {
    march(balance, y, plan);
  } catch (const SolverError& e) {
    said = e.what();
  }
  CHECK(said.find("did not solve a step in ") != std::string::npos);
}

TEST_CASE("matrices whose parts do not belong together are refused before they are solved") {
  FaceSystem faces;
  faces.extent = {3, 2, 1};
  faces.diagonal.assign(6, 2.0);
  for (int a = 0; a < 2; ++a)
    for (auto* side : {&faces.lower[a], &faces.upper[a]}) side->assign(6, -0.1);
  CHECK_NOTHROW(make_solver("direct", faces, {}));
  const auto refused = [&](auto change) {
    FaceSystem other = faces;
    change(other);
    CHECK_THROWS_WITH_AS(make_solver("direct", other, {}), doctest::Contains("unknowns of its extent"),
                         InputError);
  };
  refused([](FaceSystem& s) { s.diagonal.pop_back(); });
  refused([](FaceSystem& s) { s.lower[1].pop_back(); });
  refused([](FaceSystem& s) { s.upper[0].push_back(0); });
  refused([](FaceSystem& s) { s.prescribed.assign(5, 0); });
  refused([](FaceSystem& s) { s.lower[1].clear(), s.upper[1].clear(); });
  refused([](FaceSystem& s) { s.extent[2] = 2; });
  CHECK_NOTHROW(make_solver("direct", SparseSystem{2, {{0, 0, 1}, {1, 1, 1}}}, {}));
  CHECK_THROWS_WITH_AS(make_solver("direct", SparseSystem{2, {{0, 0, 1}, {1, 2, 1}}}, {}),
                       "a matrix with 2 rows has no entry at row 1, column 2", InputError);
}

TEST_CASE("over-relaxation by a factor of one is Gauss-Seidel, and its best factor is far better") {
  const FaceSystem s = system_of(rough(24, 1));
  const auto right = right_for(s);
  const auto iterations = [&](const std::string& name, Real relaxation) {
    const auto solver =
        make_relaxation_solver(name, {.tolerance = 1e-6, .iterations = 100000, .relaxation = relaxation});
    solver->factor(s);
    std::vector<Real> x(right.size());
    solver->solve(right, x);
    CHECK(solver->convergence()->reached);
    return solver->convergence()->iterations();
  };
  CHECK(iterations("sor", 1) == iterations("gauss-seidel", 0));
  CHECK(8 * iterations("sor", 0) < iterations("gauss-seidel", 0));
  CHECK(iterations("sor", 0) < iterations("sor", 1.5));
}

TEST_CASE("changes of Jacobi's method shrink by its spectral radius") {
  constexpr Index n = 20;
  Problem p(Grid({Axis::uniform("x", 0, 1, n + 1, Unknowns::nodes)}), diffusion(1.0));
  p.default_boundary(dirichlet(0.0));
  const FaceSystem s = system_of(p);
  const auto solver = make_relaxation_solver("jacobi", {.tolerance = 1e-9, .iterations = 100000});
  solver->factor(s);
  const auto right = right_for(s);
  std::vector<Real> x(right.size());
  solver->solve(right, x);
  CHECK(solver->convergence()->factor == doctest::Approx(std::cos(M_PI / (n + 1))).epsilon(1e-6));
}

TEST_CASE("of a matrix that fixes no mean the part that has a solution is solved, with mean zero") {
  Problem p(
      Grid({Axis::uniform("x", 0, 1, 16, Unknowns::cells), Axis::uniform("y", 0, 1, 12, Unknowns::cells)}),
      diffusion(1.0));
  p.default_boundary(insulated());
  const FaceSystem s = system_of(p);
  std::vector<Real> right(static_cast<std::size_t>(s.size())), shifted(right.size());
  for (std::size_t i = 0; i < right.size(); ++i) {
    right[i] = std::cos(M_PI * (static_cast<Real>(i % 16) + 0.5) / 16);
    shifted[i] = right[i] + 0.75;
  }
  for (const char* name : {"cg", "multigrid"}) {
    CAPTURE(std::string(name));
    const auto of_balanced = solved(name, s, right), of_shifted = solved(name, s, shifted);
    CHECK(difference(of_balanced, of_shifted) < 1e-9);
    Real sum = 0;
    for (const Real v : of_shifted) sum += v;
    CHECK(std::abs(sum) < 1e-9);
  }
}
