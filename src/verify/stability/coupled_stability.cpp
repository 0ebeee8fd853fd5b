// Several unknowns: diffusion, advection and reactions by von Neumann's analysis with the coefficients,
// speeds and derivatives of the start.
#include <algorithm>
#include <cmath>
#include <complex>

#include "verify/complex.hpp"
#include "verify/search.hpp"
#include "verify/stability/reaction_at.hpp"
#include "verify/stability/spectrum.hpp"
#include "williwaw/terms/reconstruction.hpp"
#include "williwaw/verify/stability.hpp"

namespace williwaw::verify {

namespace {

constexpr Index most_places = 400;
constexpr int angles = 32;

// Modes that turn round faster than they decay are the reaction's own; a scheme that lets them grow a little
// is inaccurate, not unstable.
constexpr Real least_damping = 0.1;

struct Mode {
  Complex rate;           ///< of all parts together
  Complex explicit_rate;  ///< of what implicit-explicit schemes take explicitly
};

// The symbols at one place: what diffuses at the shortest wave, what is advected, and the reactions.
struct PlaceSymbols {
  std::vector<Real> diffusion;  ///< of each unknown, per time
  Real advection = 0;           ///< Σ over axes of speed over spacing
  Eigen::MatrixXd reaction;
};

std::vector<Index> places_of(const Discretization& balance) {
  const Index count = balance.grid().count(), stride = std::max<Index>(1, count / most_places);
  std::vector<Index> places;
  for (Index n = stride / 2; n < count; n += stride)
    if (balance.outline().active(n)) places.push_back(n);
  return places;
}

Eigen::MatrixXd slopes_at(const Discretization& balance, const State& y, Real at, Index n,
                          std::span<const Real> sizes) {
  const auto count = static_cast<Eigen::Index>(balance.unknowns().size());
  if (!balance.reaction()) return Eigen::MatrixXd::Zero(count, count);
  Eigen::VectorXd u(count);
  for (Eigen::Index m = 0; m < count; ++m) u[m] = y[static_cast<std::size_t>(n + m * balance.grid().count())];
  return reaction_at(balance.reaction(), balance.grid().point_of(n), at, u, sizes).slope;
}

// Σ over axes of |speed|/spacing of everything that advects, at each unknown.
std::vector<Real> advection_rates(Discretization& balance, const State& y, Real at) {
  const Grid& g = balance.grid();
  std::vector<Real> rates(static_cast<std::size_t>(g.count()), 0.0);
  if (const SystemFlux* flux = balance.flux()) {
    std::vector<std::span<const Real>> u;
    for (std::size_t m = 0; m < balance.unknowns().size(); ++m)
      u.emplace_back(y.data() + static_cast<std::size_t>(g.count()) * m, static_cast<std::size_t>(g.count()));
    std::vector<Real> speed(rates.size());
    for (int a = 0; a < g.dimension(); ++a) {
      flux->speed(g.direction(a), u, speed);
      for (Index n = 0; n < g.count(); ++n)
        rates[static_cast<std::size_t>(n)] +=
            speed[static_cast<std::size_t>(n)] / g.axis(a).widths()[g.position(n)[a]];
    }
  } else if (balance.advects()) {
    const auto advection = balance.advection(at, y);
    std::vector<Real> along(rates.size());
    for (int a = 0; a < g.dimension(); ++a) {
      advection->velocities().at_unknowns(a, along);
      for (Index n = 0; n < g.count(); ++n)
        rates[static_cast<std::size_t>(n)] +=
            std::abs(along[static_cast<std::size_t>(n)]) / g.axis(a).widths()[g.position(n)[a]];
    }
  }
  return rates;
}

void add_modes(const PlaceSymbols& place, bool constant, std::vector<Mode>& modes) {
  const Eigen::Index count = place.reaction.rows();
  for (int n = 0; n <= angles; ++n) {
    const Real angle = M_PI * n / angles, half = std::sin(0.5 * angle);
    const Complex face = constant ? Complex(1) : Complex(1, 0.5 * std::sin(angle));
    const Complex carried = -place.advection * (Complex(1) - std::exp(Complex(0, -angle))) * face;
    Eigen::MatrixXcd fixed = place.reaction.cast<Complex>();
    for (Eigen::Index m = 0; m < count; ++m) fixed(m, m) += carried;
    Eigen::MatrixXcd whole = fixed;
    for (Eigen::Index m = 0; m < count; ++m)
      whole(m, m) -= place.diffusion[static_cast<std::size_t>(m)] * half * half;
    const Eigen::VectorXcd all = whole.eigenvalues(), of_fixed = fixed.eigenvalues();
    for (Eigen::Index m = 0; m < count; ++m) modes.push_back({all[m], of_fixed[m]});
  }
}

bool damped(const Complex& rate) {
  return rate.real() < 0 && -rate.real() >= least_damping * std::abs(rate);
}

}  // namespace

Stability stability_of_coupled(Discretization& balance, const Scheme& scheme, Real step, Real from) {
  using enum Limit::Standing;
  Stability result;
  result.step = step;
  const State y = balance.initial_state();
  const std::size_t count = balance.unknowns().size();
  const Grid& g = balance.grid();
  std::vector<Real> sizes(count, 0.0);
  for (std::size_t u = 0; u < count; ++u)
    for (Index n = 0; n < g.count(); ++n)
      sizes[u] =
          std::max(sizes[u], std::abs(y[static_cast<std::size_t>(n + static_cast<Index>(u) * g.count())]));
  const std::vector<Real> advection = advection_rates(balance, y, from);
  const bool constant = reconstruction_kind(balance.problem(0).reconstruction).order == 1;
  std::vector<std::shared_ptr<const Conductances>> conductances;
  for (std::size_t u = 0; u < count; ++u) conductances.push_back(balance.conductances(from, u));
  std::vector<Mode> modes;
  Real most = 0, fastest = 0;
  for (const Index n : places_of(balance)) {
    PlaceSymbols place{{}, advection[static_cast<std::size_t>(n)], slopes_at(balance, y, from, n, sizes)};
    for (std::size_t u = 0; u < count; ++u) {
      place.diffusion.push_back(frozen_symbol(*conductances[u], g, n));
      place.reaction.row(static_cast<Eigen::Index>(u)) *=
          balance.unknowns()[u].storage->volume(n) / conductances[u]->capacity(n);
    }
    if (const Real here = *std::ranges::max_element(place.diffusion) + place.advection; here > most) {
      most = here;
      result.worst = n;
    }
    result.diffusion_number =
        std::max(result.diffusion_number, 0.25 * step * *std::ranges::max_element(place.diffusion));
    fastest = std::max(fastest, place.advection);
    if (place.reaction.allFinite() && std::isfinite(place.advection)) add_modes(place, constant, modes);
  }
  fastest = std::max(fastest, *std::ranges::max_element(advection));
  result.courant_number = fastest * step;
  result.method = "von Neumann, with the values of the start";
  for (const Mode& m : modes)
    result.largest_eigenvalue = std::max(result.largest_eigenvalue, std::abs(m.rate));
  result.stages = stages(scheme, result.largest_eigenvalue * step);
  if (!std::isfinite(fastest)) {
    result.limit = result.interior = {0, heuristic, result.worst};
    return result;
  }
  const bool apart = std::holds_alternative<ImplicitExplicit>(scheme.method);
  const auto holds = [&](Real length) {
    for (const Mode& m : modes) {
      const Complex& rate = apart ? m.explicit_rate : m.rate;
      if (!damped(rate)) continue;
      const Complex factor =
          apart ? amplification_of_parts(scheme, 0, rate * length)
                : amplification(scheme, rate * length, stages(scheme, result.largest_eigenvalue * length));
      if (std::abs(factor) > 1 + 1e-10) return false;
    }
    return true;
  };
  const bool bounded =
      std::ranges::any_of(modes, [&](const Mode& m) { return damped(apart ? m.explicit_rate : m.rate); });
  const bool any_step =
      !bounded || (!is_explicit(scheme) && !apart && std::isinf(real_stability_interval(scheme)));
  const Real limit = any_step ? std::numeric_limits<Real>::infinity()
                              : largest_step(holds, 1e-3 / result.largest_eigenvalue, 1.1, 1e12);
  result.limit = {limit, heuristic, result.worst};
  result.interior = result.limit;
  return result;
}

}  // namespace williwaw::verify
