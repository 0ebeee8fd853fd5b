// Marches of many kinds, short and on small grids, for what must show in none of their bits.
#pragma once

#include <cmath>

#include "support/marching.hpp"
#include "support/smooth.hpp"

namespace williwaw::test {

inline Grid plan_of_cells(Index nx, Index ny, Unknowns unknowns = Unknowns::cells) {
  return Grid({Axis::uniform("x", 0, 1, nx, unknowns), Axis::uniform("y", 0, 1, ny, unknowns)});
}

struct Marched {
  const char* name;
  Problem problem;
  const char* scheme;
  Real step;
};

inline std::vector<Marched> all_kinds_of_marches() {
  const Function hill(
      [](Point p) { return std::exp(-30 * std::pow(p.x - 0.4, 2) - 20 * std::pow(p.y - 0.5, 2)); });
  std::vector<Marched> result;
  const auto add = [&](const char* name, Problem p, const char* scheme_name, Real step) {
    p.initial = hill;
    result.push_back({name, std::move(p), scheme_name, step});
  };
  const Function varying([](Point p) { return 1 + p.x * p.y; });
  const Regions hole(
      {{"hole", inside([](Point p) { return std::hypot(p.x - 0.7, p.y - 0.6) < 0.15; }), false}});
  Problem plate(plan_of_cells(61, 47), diffusion(varying), hole);
  plate.default_boundary(robin(2.0, 0.3));
  add("diffusion around a hole", plate, "explicit-euler", 5e-6);
  add("diffusion around a hole", plate, "stabilized", 1e-3);
  add("diffusion around a hole", plate, "crank-nicolson", 1e-2);
  Problem nodes(plan_of_cells(40, 52, Unknowns::nodes), diffusion(varying));
  nodes.boundary("west", dirichlet(1.0)).default_boundary(insulated());
  add("diffusion at nodes by directions", nodes, "adi", 1e-2);
  add("diffusion at nodes", nodes, "bdf2", 1e-2);
  Problem block(
      Grid({Axis::uniform("x", 0, 1, 14, Unknowns::cells), Axis::uniform("y", 0, 1, 12, Unknowns::cells),
            Axis::uniform("z", 0, 1, 13, Unknowns::cells)}),
      wave(varying));
  block.boundary("bottom", fixed_boundary()).boundary("top", absorbing()).default_boundary(free_boundary());
  add("a wave in a block", block, "leapfrog", 0.01);
  for (const char* reconstruction : {"first-order", "van-leer", "weno5"}) {
    Problem dye(plan_of_cells(55, 48), transport(Velocity(varying, -0.6), 1e-3));
    dye.reconstruction = reconstruction;
    dye.boundary("west", dirichlet(0.2))
        .boundary("east", outflow())
        .default_boundary(outflow_with_backflow(0.0));
    add("something carried", dye, "ssprk3", 2e-3);
  }
  Problem law(plan_of_cells(51, 44), conservation(quadratic_flux(), 1e-3));
  law.reconstruction = "superbee";
  law.default_boundary(insulated());
  add("a conservation law", law, "rk2", 2e-3);
  Equation stress = wave(1.0);
  stress.as_system = true;
  Problem system(plan_of_cells(41, 45), stress);
  system.reconstruction = "monotonized-central";
  system.boundary("west", fixed_boundary()).default_boundary(absorbing());
  add("rate and stress", system, "ssprk3", 5e-3);
  Problem looked(plan_of_cells(44, 41, Unknowns::nodes), transport(Velocity(0.5, -0.3)));
  looked.boundary("west", dirichlet(0.0)).boundary("north", dirichlet(0.0)).default_boundary(outflow());
  add("something looked up where it came from", looked, "semi-lagrangian", 0.05);
  return result;
}

}  // namespace williwaw::test
