#include <doctest/doctest.h>

#include <cmath>

#include "williwaw/williwaw.hpp"

using namespace williwaw;

TEST_CASE("the slowest decay of a bar and a plate") {
  for (const Unknowns u : {Unknowns::cells, Unknowns::nodes}) {
    Problem p(Grid({Axis::uniform("x", 0, 1, 40, u), Axis::uniform("y", 0, 2, 30, u)}), diffusion(0.7, 1.4));
    p.boundary("west", dirichlet(0.0)).boundary("east", dirichlet(0.0)).default_boundary(insulated());
    ProblemBalance balance(p);
    const auto decay = verify::slowest_decay(balance);
    CHECK(decay.settled);
    CHECK(decay.rate == doctest::Approx(0.5 * M_PI * M_PI).epsilon(1e-3));
    // The same as the analysis of the step finds axis by axis.
    CHECK(decay.rate ==
          doctest::Approx(*verify::stability(p, scheme("implicit-euler"), 1).smallest_eigenvalue)
              .epsilon(1e-8));
  }
  Problem closed(Grid({Axis::uniform("x", 0, 1, 40, Unknowns::cells)}), diffusion(1.0));
  closed.default_boundary(insulated());
  ProblemBalance balance(closed);
  CHECK(verify::slowest_decay(balance).rate == 0);
}

TEST_CASE(
    "decay and growth in a block; what moves or is carried has neither, what is not linear has no decay") {
  Problem block(
      Grid({Axis::uniform("x", 0, 1, 10, Unknowns::cells), Axis::uniform("y", 0, 1, 9, Unknowns::cells),
            Axis::uniform("z", 0, 1, 8, Unknowns::cells)}),
      diffusion(0.5));
  block.boundary("top", dirichlet(0.0)).boundary("bottom", dirichlet(0.0)).default_boundary(insulated());
  ProblemBalance balance(block);
  const auto decay = verify::slowest_decay(balance);
  // The slowest mode along z on eight cells.
  const Real of_grid = 4 * 64 * std::pow(std::sin(M_PI / 16), 2);
  CHECK(decay.rate == doctest::Approx(0.5 * of_grid).epsilon(1e-6));
  CHECK(*verify::growing_modes(balance, balance.initial_state()) == 0);
  // A reaction r·u turns every mode slower than r into one that grows.
  for (const auto& [reaction, growing] : {std::pair{1.0, 0}, {1.01 * 0.5 * of_grid, 1}}) {
    Equation e = diffusion(0.5);
    e.reaction = Reaction::of([r = reaction](Real u) { return r * u; }, true);
    Problem p(block.grid(), e);
    p.boundary("top", dirichlet(0.0)).boundary("bottom", dirichlet(0.0)).default_boundary(insulated());
    ProblemBalance reacting(p);
    CHECK(*verify::growing_modes(reacting, reacting.initial_state()) == growing);
  }
  const Grid line({Axis::uniform("x", 0, 1, 10, Unknowns::cells)});
  Problem advected(line, transport(Velocity(1.0), 0.1)), moving(line, wave(1.0)),
      curved(line, diffusion(1.0));
  advected.boundary("west", dirichlet(0.0)).boundary("east", outflow());
  moving.default_boundary(fixed_boundary());
  curved.boundary("west", radiation(0.9, 280.0)).boundary("east", insulated());
  curved.initial = 300.0;
  ProblemBalance first(advected), second(moving), third(curved);
  CHECK_FALSE(verify::growing_modes(first, first.initial_state()));
  CHECK_FALSE(verify::growing_modes(second, second.initial_state()));
  CHECK_THROWS_AS(verify::slowest_decay(third), InputError);
}

TEST_CASE(
    "the L-shaped domain decays as published: 9.639724 for side length 2, at the order its corner allows") {
  // Fox, Henrici and Moler (1967).
  const Real exact = 9.6397238440219;
  for (const Unknowns u : {Unknowns::cells, Unknowns::nodes}) {
    std::vector<Real> errors;
    for (const Index n : {32, 64, 128}) {
      const Regions corner(
          {{"corner", inside([](Point p) { return p.x > 0 && p.y > 0; }), false, "", false}});
      Problem p(Grid({Axis::uniform("x", -1, 1, n, u), Axis::uniform("y", -1, 1, n, u)}), diffusion(1.0),
                corner);
      p.default_boundary(dirichlet(0.0));
      ProblemBalance balance(p);
      const auto decay = verify::slowest_decay(balance);
      CHECK(decay.settled);
      errors.push_back(decay.rate / exact - 1);
    }
    INFO(errors[0], " ", errors[1], " ", errors[2]);
    CHECK(std::abs(errors[2]) < 0.01);
    const Real observed = std::log2(std::abs(errors[1] / errors[2]));
    // A smooth domain would show 2; the re-entrant corner allows for 4/3.
    CHECK(observed > 1.1);
    CHECK(observed < 1.9);
  }
}
