// A smooth solution of storage·du/dt = Σ D_a u_aa + source that varies along every axis and in time, with
// what it asks of sources and boundaries. Orders of accuracy are measured against it.
#pragma once

#include <array>
#include <cmath>
#include <functional>

#include "williwaw/williwaw.hpp"

namespace williwaw::test {

/// Along each axis a factor f(s) = 1.5 + sin(w·s + p), times exp(−t/2)·(1 + t).
struct Smooth {
  int dimension = 1;
  std::array<Real, 3> wave{1.3, 0.9, 0.7};
  std::array<Real, 3> phase{0.4, 1.1, 0.5};
  std::array<Real, 3> conductivity{1.0, 0.6, 1.7};
  Real storage = 1.4;

  static Smooth periodic_in_x(int dimension) {
    Smooth s;
    s.dimension = dimension;
    s.wave[0] = 2 * M_PI;
    return s;
  }
  /// Cosines with no slope at 0 and 1: what insulated boundaries need.
  static Smooth flat_at_boundaries(int dimension) {
    Smooth s;
    s.dimension = dimension;
    s.wave = {M_PI, M_PI, M_PI};
    s.phase = {M_PI / 2, M_PI / 2, M_PI / 2};
    return s;
  }

  Real factor(int a, Real s, int derivative = 0) const {
    const Real angle = wave[a] * s + phase[a];
    if (derivative == 0) return 1.5 + std::sin(angle);
    if (derivative == 1) return wave[a] * std::cos(angle);
    return -wave[a] * wave[a] * std::sin(angle);
  }
  Real in_time(Real t) const { return std::exp(-0.5 * t) * (1 + t); }
  Real in_time_rate(Real t) const { return std::exp(-0.5 * t) * (0.5 - 0.5 * t); }
  Real product(const Point& p, int axis = -1, int derivative = 0) const {
    Real result = 1;
    for (int a = 0; a < dimension; ++a) result *= factor(a, p[a], a == axis ? derivative : 0);
    return result;
  }

  Real value(const Point& p, Real t) const { return in_time(t) * product(p); }
  /// Flux into the domain through a side: conductivity times the outward derivative.
  Real inflow(const Point& p, Real t, Side side) const {
    return conductivity[side.axis] * outward(p, t, side);
  }
  Real outward(const Point& p, Real t, Side side) const {
    return (side.upper ? 1 : -1) * in_time(t) * product(p, side.axis, 1);
  }
  Real source(const Point& p, Real t) const {
    Real sum = storage * in_time_rate(t) * product(p);
    for (int a = 0; a < dimension; ++a) sum -= conductivity[a] * in_time(t) * product(p, a, 2);
    return sum;
  }

  Equation equation() const {
    return diffusion(std::array<Function, 3>{conductivity[0], conductivity[1], conductivity[2]}, storage,
                     [*this](Point p, Real t) { return source(p, t); });
  }
  /// What a boundary of the given kind must be told so that this is the solution.
  Boundary boundary(const std::string& kind, Side side) const {
    const Smooth s = *this;
    if (kind == "dirichlet") return dirichlet([s](Point p, Real t) { return s.value(p, t); });
    if (kind == "flux") return flux([s, side](Point p, Real t) { return s.inflow(p, t, side); });
    if (kind == "gradient") return gradient([s, side](Point p, Real t) { return s.outward(p, t, side); });
    if (kind == "robin")
      return robin(2.0, [s, side](Point p, Real t) { return s.value(p, t) + s.inflow(p, t, side) / 2; });
    if (kind == "two") {
      const Boundary half = flux([s, side](Point p, Real t) { return 0.5 * s.inflow(p, t, side); });
      return half +
             robin(3.0, [s, side](Point p, Real t) { return s.value(p, t) + s.inflow(p, t, side) / 6; });
    }
    return insulated();
  }
  /// Exact flow through a side: the product of one integral (16-point midpoint sums are not enough; Simpson
  /// is).
  Real flow(Real t, Side side) const {
    Real result = conductivity[side.axis] * (side.upper ? 1 : -1) * in_time(t) *
                  factor(side.axis, side.upper ? 1 : 0, 1);
    for (int a = 0; a < dimension; ++a)
      if (a != side.axis) result *= 1.5 + (std::cos(phase[a]) - std::cos(wave[a] + phase[a])) / wave[a];
    return result;
  }
};

/// Marks from 0 to 1, smoothly graded so that neighbouring intervals differ.
inline std::vector<Real> graded(Index intervals, Real strength) {
  std::vector<Real> faces;
  for (Index i = 0; i <= intervals; ++i) {
    const Real s = static_cast<Real>(i) / static_cast<Real>(intervals);
    faces.push_back(i == intervals ? 1 : s + strength * std::sin(2 * M_PI * s) / (2 * M_PI));
  }
  return faces;
}

/// The unit line, square or cube with graded axes, each graded differently.
inline Grid graded_grid(int dimension, Index intervals, Unknowns unknowns, bool periodic_x = false) {
  std::vector<Axis> axes;
  // The coarse grids that three dimensions allow would be in the asymptotic range with mild grading only.
  const std::array<Real, 3> strength =
      dimension < 3 ? std::array{0.35, -0.25, 0.2} : std::array{0.2, -0.15, 0.1};
  for (int a = 0; a < dimension; ++a)
    axes.emplace_back(std::string(1, static_cast<char>('x' + a)), graded(intervals, strength[a]), unknowns,
                      periodic_x && a == 0);
  return Grid(std::move(axes));
}

/// The problem whose solution `smooth` is, with the same kind of boundary on every side ("periodic": on x,
/// Dirichlet elsewhere).
inline Problem smooth_problem(const Smooth& smooth, const std::string& kind, Index intervals,
                              Unknowns unknowns) {
  const bool periodic = kind == "periodic";
  Problem p(graded_grid(smooth.dimension, intervals, unknowns, periodic), smooth.equation());
  p.initial = [smooth](Point q) { return smooth.value(q, 0); };
  for (const Side side : p.grid().sides())
    if (!p.periodic(side))
      p.boundary(p.grid().side_name(side), smooth.boundary(periodic ? "dirichlet" : kind, side));
  return p;
}

inline Smooth smooth_for(const std::string& kind, int dimension) {
  if (kind == "periodic") return Smooth::periodic_in_x(dimension);
  if (kind == "insulated") return Smooth::flat_at_boundaries(dimension);
  Smooth s;
  s.dimension = dimension;
  return s;
}

inline const char* const all_kinds[] = {"dirichlet", "flux",      "gradient", "robin",
                                        "two",       "insulated", "periodic"};

/// A plan with a fixed step and nothing recorded on the way.
inline Plan plan_of(const char* name, Real step, Real until) {
  Plan plan;
  plan.scheme = scheme(name);
  plan.step = step;
  plan.until = until;
  return plan;
}

inline Real order(Real coarse, Real fine, Real ratio = 2) {
  return std::log(coarse / fine) / std::log(ratio);
}

/// Schemes for equations of first order in time.
inline std::vector<SchemeKind> first_order_kinds() {
  std::vector<SchemeKind> result;
  for (const auto& kind : scheme_kinds())
    if (const Scheme s = kind.make(kind.lowest);
        !is_second_order(s) && !std::holds_alternative<SemiLagrangianMethod>(s.method))
      result.push_back(kind);
  return result;
}
inline std::string name_of(Unknowns u) {
  return u == Unknowns::cells ? "cells" : "nodes";
}

}  // namespace williwaw::test
