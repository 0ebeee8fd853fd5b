// Problems that several benchmarks solve.
#pragma once

#include <memory>

#include "williwaw/williwaw.hpp"

namespace williwaw::bench {

inline Grid square(Index side, bool around_x = false, bool around_y = false) {
  return Grid({Axis::uniform("x", 0, 1, side, Unknowns::cells, around_x),
               Axis::uniform("y", 0, 1, side, Unknowns::cells, around_y)});
}

/// A core that conducts `jump` times as well, and a corner that is cut out. Regions are tested line by line,
/// as a program that cares for speed would.
inline Problem plan(Index side, Real jump) {
  const auto box = [](Real x0, Real x1, Real y0, Real y1) {
    return Where([=](const Points& p, std::span<char> in) {
      for (Index i = 0; i < p.size(); ++i) in[i] = p.x[i] > x0 && p.x[i] < x1 && p.y[i] > y0 && p.y[i] < y1;
    });
  };
  const Regions regions({{"core", box(0.15, 0.45, 0.4, 0.8)}, {"corner", box(0.7, 2, -1, 0.3), false}});
  const auto shared = std::make_shared<const Regions>(regions);
  Problem p(square(side), diffusion(Function::by_region(shared, {1.0, jump, 1.0}), 1.0, 1.0), regions);
  p.boundary("west", dirichlet(0.0))
      .boundary("north", robin(2.0, 1.0))
      .boundary("corner", dirichlet(1.0))
      .default_boundary(insulated());
  return p;
}

}  // namespace williwaw::bench
