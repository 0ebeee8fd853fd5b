// A value does not depend on where it stands: neither in a line, nor beside which vector it is computed.
#include <doctest/doctest.h>

#include <cmath>

#include "support/marching.hpp"

using namespace williwaw;

namespace {

struct Shifted {
  const char* name;
  Problem (*make)(Index cells, Index shift);
  const char* scheme;
  Real step;
};

// Not smooth, so that every rounding shows, and the same for `cells` cells from whichever the line starts.
Real value_at(Point p, Index cells, Index shift) {
  const Index i = (static_cast<Index>(std::floor(p.x)) + shift) % cells,
              j = static_cast<Index>(std::floor(p.y));
  return std::sin(static_cast<Real>(i * 37 % 101)) + 0.3 * std::cos(static_cast<Real>(j * 17 % 23));
}

Problem ring(const Equation& equation, Index cells, Index shift, Index lines) {
  std::vector<Axis> axes{Axis::uniform("x", 0, static_cast<Real>(cells), cells, Unknowns::cells, true)};
  if (lines > 1) axes.push_back(Axis::uniform("y", 0, static_cast<Real>(lines), lines, Unknowns::cells));
  Problem p(Grid(axes), equation);
  if (lines > 1) p.other_walls(equation.second_order ? free_end() : insulated());
  p.initial = [=](Point q) { return value_at(q, cells, shift); };
  return p;
}

const std::vector<Shifted>& all_shifted() {
  static const std::vector<Shifted> all{
      {"diffusion", [](Index n, Index s) { return ring(diffusion(0.7), n, s, 1); }, "explicit-euler", 0.3},
      {"diffusion on a plan", [](Index n, Index s) { return ring(diffusion(0.7), n, s, 3); },
       "explicit-euler", 0.2},
      {"diffusion by stages", [](Index n, Index s) { return ring(diffusion(0.7), n, s, 3); }, "rk4", 0.3},
      {"a coefficient that varies across",
       [](Index n, Index s) { return ring(diffusion([](Point p) { return 0.5 + 0.1 * p.y; }), n, s, 3); },
       "explicit-euler", 0.2},
      {"a wave", [](Index n, Index s) { return ring(wave(1.0), n, s, 1); }, "leapfrog", 0.7},
      {"a wave on a plan", [](Index n, Index s) { return ring(wave(1.0), n, s, 4); }, "leapfrog", 0.6},
      {"a wave whose speed varies across",
       [](Index n, Index s) { return ring(wave([](Point p) { return 0.8 + 0.1 * p.y; }), n, s, 3); },
       "leapfrog", 0.5},
      {"something carried",
       [](Index n, Index s) {
         Problem p = ring(transport(Velocity(0.6), 0.01), n, s, 1);
         p.reconstruction = "van-leer";
         return p;
       },
       "ssprk3", 0.5},
      {"something carried by slopes of order five",
       [](Index n, Index s) {
         Problem p = ring(transport(Velocity(0.6), 0.01), n, s, 1);
         p.reconstruction = "weno5";
         return p;
       },
       "ssprk3", 0.5},
  };
  return all;
}

State marched(const Shifted& one, Index cells, Index shift) {
  DiffusionBalance balance(one.make(cells, shift));
  State y = balance.initial_state();
  Plan plan;
  plan.scheme = scheme(one.scheme);
  plan.step = one.step;
  plan.until = 12 * one.step;
  march(balance, y, plan);
  return y;
}

}  // namespace

TEST_CASE("round a periodic line no cell differs from another in any bit") {
  for (const Shifted& one : all_shifted())
    for (const Index cells : {13, 64, 301}) {
      CAPTURE(one.name);
      CAPTURE(cells);
      const State from_first = marched(one, cells, 0);
      for (const Index shift : {1, 5, 8}) {
        CAPTURE(shift);
        const State shifted = marched(one, cells, shift);
        std::size_t different = 0;
        for (Index n = 0; n < static_cast<Index>(shifted.size()); ++n)
          if (shifted[n] != from_first[n / cells * cells + (n % cells + shift) % cells]) ++different;
        CHECK(different == 0);
      }
    }
}
