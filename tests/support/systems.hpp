// Linear systems of problems that are hard to solve, and their solution by any solver.
#pragma once

#include <doctest/doctest.h>

#include <cmath>

#include "williwaw/williwaw.hpp"

namespace williwaw::test {

inline FaceSystem system_of(const Problem& p, Real a = 0, Real b = 1) {
  ProblemBalance balance(p);
  LinearSystem system;
  balance.linearise(balance.initial_state(), 0, a, b, Parts::all(), system);
  return std::get<FaceSystem>(system);
}

inline std::vector<Real> right_for(const FaceSystem& s) {
  std::vector<Real> right(static_cast<std::size_t>(s.size()));
  for (Index n = 0; n < s.size(); ++n)
    right[n] = !s.prescribed.empty() && s.prescribed[n] ? 0 : std::sin(0.3 * static_cast<Real>(n)) + 0.2;
  return right;
}

inline Real difference(const std::vector<Real>& a, const std::vector<Real>& b) {
  Real most = 0, size = 0;
  for (std::size_t n = 0; n < a.size(); ++n) {
    most = std::max(most, std::abs(a[n] - b[n]));
    size = std::max(size, std::abs(b[n]));
  }
  return most / size;
}

inline std::vector<Real> solved(const std::string& name, const FaceSystem& s,
                                const std::vector<Real>& right) {
  const LinearSystem system = s;
  const auto solver = make_solver(name, system, {.tolerance = 1e-12, .iterations = 200000});
  solver->factor(system);
  std::vector<Real> x(right.size());
  solver->solve(right, x);
  if (const auto* c = solver->convergence()) CHECK(c->reached);
  return x;
}

inline Boundary boundary_called(const std::string& kind) {
  if (kind == "held") return dirichlet(0.0);
  if (kind == "robin") return robin(3.0, 0.0);
  return insulated();
}

// Two materials and a corner cut out.
inline Problem rough(Index n, Real jump, Unknowns u = Unknowns::cells) {
  const Regions regions(
      {{"core", inside([](Point p) { return std::abs(p.x - 0.3) < 0.15 && std::abs(p.y - 0.6) < 0.2; })},
       {"corner", inside([](Point p) { return p.x > 0.7 && p.y < 0.3; }), false, "", false}});
  const auto shared = std::make_shared<const Regions>(regions);
  Problem p(Grid({Axis::uniform("x", 0, 1, n, u), Axis::uniform("y", 0, 1, n, u)}),
            diffusion(Function::by_region(shared, {1.0, jump, 1.0}), 1.0, 1.0), regions);
  p.boundary("west", dirichlet(0.0))
      .boundary("north", robin(2.0, 1.0))
      .boundary("corner", dirichlet(1.0))
      .default_boundary(insulated());
  return p;
}

}  // namespace williwaw::test
