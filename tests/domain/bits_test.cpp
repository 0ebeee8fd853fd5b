// A value does not depend on where it stands: neither in a line, nor beside which vector it is computed.
#include <doctest/doctest.h>

#include <bit>
#include <cmath>
#include <cstdint>

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
  if (lines > 1) p.default_boundary(equation.second_order ? free_boundary() : insulated());
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
  ProblemBalance balance(one.make(cells, shift));
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

namespace {

// Of whole numbers alone: the functions of the C library are rounded by each processor as it likes.
Real rough(Point p) {
  const Index i = static_cast<Index>(std::floor(40 * p.x)), j = static_cast<Index>(std::floor(30 * p.y));
  return static_cast<Real>((i * 37 + j * 101) % 257) / 64 - 1.7;
}

Problem rough_plan(const Equation& equation, Index nx, Index ny) {
  std::vector<Real> graded;
  for (Index n = 0; n <= nx; ++n)
    graded.push_back(static_cast<Real>(n * (n + 3 * nx)) / static_cast<Real>(4 * nx * nx));
  Problem p(Grid({Axis("x", graded, Unknowns::cells), Axis::uniform("y", 0, 1, ny, Unknowns::cells)}),
            equation);
  p.initial = rough;
  return p;
}

Problem rough_plan_of_squares(const Equation& equation, Index nx, Index ny) {
  Problem p(
      Grid({Axis::uniform("x", 0, 1, nx, Unknowns::cells), Axis::uniform("y", 0, 1, ny, Unknowns::cells)}),
      equation);
  p.initial = rough;
  return p;
}

std::uint64_t mixed(std::uint64_t hash, Real value) {
  // FNV-1a (Fowler, Noll and Vo, 1991) over the bits.
  auto bits = std::bit_cast<std::uint64_t>(value);
  for (int byte = 0; byte < 8; ++byte, bits >>= 8) hash = (hash ^ (bits & 255)) * 1099511628211ull;
  return hash;
}

std::uint64_t bits_of(const State& y, const Totals& totals, const Ledger& amounts) {
  std::uint64_t hash = 14695981039346656037ull;
  for (const Real u : y) hash = mixed(hash, u);
  for (const Real t : {totals.content, totals.gross, totals.integral, totals.lowest, totals.highest,
                       totals.kinetic, totals.potential})
    hash = mixed(hash, t);
  for (std::size_t l = 0; l < amounts.size(); ++l) hash = mixed(hash, amounts[l]);
  return hash;
}

std::uint64_t bits_of_march(const Problem& p, const char* name, Real step, const char* solver = "auto") {
  ProblemBalance balance(p);
  State y = balance.initial_state();
  Plan plan;
  plan.scheme = scheme(name);
  plan.step = step;
  plan.until = 10 * step;
  plan.solver = solver;
  const Outcome out = march(balance, y, plan);
  return bits_of(y, out.totals, out.budget.amounts());
}

}  // namespace

TEST_CASE("every processor and compiler gives the bits that are written here") {
  const auto differs = [](Point p) { return 0.25 + 0.5 * p.x * p.y; };
  const auto walled = [](Problem p) {
    p.boundary("west", dirichlet(1.5))
        .boundary("north", robin(3.0, 0.75))
        .boundary("south", flux(-0.25))
        .default_boundary(insulated());
    return p;
  };
  const auto advected = [](const char* reconstruction) {
    Problem p = rough_plan_of_squares(transport(Velocity(0.5, -0.25), 1e-3), 300, 12);
    p.reconstruction = reconstruction;
    p.boundary("west", dirichlet(0.5)).boundary("north", dirichlet(0.25)).default_boundary(outflow());
    return p;
  };
  Problem basin = rough_plan(wave(differs, 0.125), 300, 12);
  basin.boundary("west", fixed_boundary()).boundary("east", absorbing()).default_boundary(free_boundary());
  CHECK(bits_of_march(walled(rough_plan(diffusion(0.5), 300, 12)), "explicit-euler", 1e-6) ==
        5754844894748236369u);
  CHECK(bits_of_march(walled(rough_plan_of_squares(diffusion(0.5), 700, 5)), "explicit-euler", 1e-7) ==
        8760955184252643587u);
  CHECK(bits_of_march(walled(rough_plan(diffusion(differs), 300, 12)), "explicit-euler", 1e-6) ==
        4822551392445520497u);
  CHECK(bits_of_march(walled(rough_plan(diffusion(differs), 300, 12)), "rk4", 1e-6) == 9085988855847607654u);
  CHECK(bits_of_march(walled(rough_plan(diffusion(differs), 60, 50)), "crank-nicolson", 1e-2, "multigrid") ==
        7829417731851367041u);
  CHECK(bits_of_march(walled(rough_plan(diffusion(0.5), 60, 50)), "adi", 1e-2) == 18016353662302806961u);
  CHECK(bits_of_march(basin, "leapfrog", 1e-4) == 5291267306078838665u);
  CHECK(bits_of_march(advected("van-leer"), "ssprk3", 1e-4) == 6070589504445065517u);
  CHECK(bits_of_march(advected("weno5"), "ssprk3", 1e-4) == 13512934669299964365u);
}
