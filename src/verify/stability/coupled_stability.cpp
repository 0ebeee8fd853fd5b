// Several unknowns: diffusion, advection and reactions by von Neumann's analysis with the coefficients,
// speeds and derivatives of the start.
#include <algorithm>
#include <cmath>
#include <complex>
#include <optional>

#include "verify/complex.hpp"
#include "verify/search.hpp"
#include "verify/stability/at_place.hpp"
#include "verify/stability/spectrum.hpp"
#include "williwaw/terms/reconstruction.hpp"
#include "williwaw/verify/stability.hpp"

namespace williwaw::verify {

namespace {

constexpr Index most_places = 400;
constexpr int angles = 32;

// Modes that decay by less than this part of what they turn round are the reaction's own oscillation.
// Explicit schemes of low order let them grow at any step: what counts is by how much.
constexpr Real least_damping = 0.1;
// By how much of the angle of a step an undamped oscillation may grow in it: 10 % in about a third of a turn.
constexpr Real tolerated_growth = 0.05;

struct Mode {
  Complex rate;           ///< of all parts together
  Complex explicit_rate;  ///< of what implicit-explicit schemes take explicitly
  bool advected;          ///< advection takes part in it
};

// The symbols at one place: what diffuses at the shortest wave, what is advected, and the reactions.
struct PlaceSymbols {
  Eigen::MatrixXd diffusion;  ///< of each unknown, per time, down its own gradient and those of others
  Real advection = 0;         ///< Σ over axes of speed over spacing
  Eigen::MatrixXd reaction;
};

std::vector<Index> places_of(const Discretization& balance) {
  const Index count = balance.grid().count(), stride = std::max<Index>(1, count / most_places);
  std::vector<Index> places;
  for (Index n = stride / 2; n < count; n += stride)
    if (balance.outline().active(n)) places.push_back(n);
  return places;
}

using OfEach = std::vector<std::shared_ptr<const Conductances>>;

// The unknown of another one that stands beside unknown `n` of the first.
Index beside(const Discretization& balance, std::size_t unknown, Index n) {
  const Grid& g = balance.grid(unknown);
  auto at = balance.grid().position(n);
  for (int a = 0; a < g.dimension(); ++a) {
    auto& along = at[static_cast<std::size_t>(a)];
    along = std::min(along, g.size(a) - 1);
  }
  return g.number(at[0], at[1], at[2]);
}

Eigen::VectorXd values_at(const Discretization& balance, const State& y, Index n) {
  Eigen::VectorXd u(static_cast<Eigen::Index>(balance.unknowns().size()));
  for (Eigen::Index m = 0; m < u.size(); ++m)
    u[m] = y[static_cast<std::size_t>(n + m * balance.grid().count())];
  return u;
}

// Over what is stored, per time.
Eigen::MatrixXd slopes_at(const Discretization& balance, const OfEach& conductances, const State& y, Real at,
                          Index n, std::span<const Real> sizes) {
  const auto count = static_cast<Eigen::Index>(balance.unknowns().size());
  if (!balance.reaction()) return Eigen::MatrixXd::Zero(count, count);
  Eigen::MatrixXd result =
      reaction_at(balance.reaction(), balance.grid().point_of(n), at, values_at(balance, y, n), sizes).slope;
  for (Eigen::Index m = 0; m < count; ++m) {
    const auto u = static_cast<std::size_t>(m);
    const Index own = beside(balance, u, n);
    result.row(m) *= balance.unknowns()[u].storage->volume(own) / conductances[u]->capacity(own);
  }
  return result;
}

// Symbols of the shortest wave, per time.
Eigen::MatrixXd diffusion_at(const Discretization& balance, const OfEach& conductances, const State& y,
                             Real at, Index n) {
  const Grid& g = balance.grid();
  Eigen::MatrixXd result =
      cross_diffusion_at(balance.cross_diffusion(), g.point_of(n), at, values_at(balance, y, n));
  Real across = 0;
  for (int a = 0; a < g.dimension(); ++a) {
    const Real width = g.axis(a).widths()[g.position(n)[a]];
    across += 4 / (width * width);
  }
  for (Eigen::Index m = 0; m < result.rows(); ++m) {
    const auto u = static_cast<std::size_t>(m);
    const Index own = beside(balance, u, n);
    result.row(m) *= across * balance.unknowns()[u].storage->volume(own) / conductances[u]->capacity(own);
    result(m, m) = frozen_symbol(*conductances[u], balance.grid(u), own);
  }
  return result;
}

// Σ over axes of |speed|/spacing of everything that advects, at each unknown.
std::vector<Real> advection_rates(Discretization& balance, const State& y, Real at) {
  if (!balance.advects()) return balance.speeds_over_widths(y);
  const Grid& g = balance.grid();
  std::vector<Real> rates(static_cast<std::size_t>(g.count()), 0.0), along(rates.size());
  const auto advection = balance.advection(at, y);
  for (int a = 0; a < g.dimension(); ++a) {
    advection->velocities().at_unknowns(a, along);
    for (Index n = 0; n < g.count(); ++n)
      rates[static_cast<std::size_t>(n)] +=
          std::abs(along[static_cast<std::size_t>(n)]) / g.axis(a).widths()[g.position(n)[a]];
  }
  return rates;
}

void add_modes(const PlaceSymbols& place, const ReconstructionKind& kind, std::vector<Mode>& modes) {
  const Eigen::Index count = place.reaction.rows();
  for (int n = 0; n <= angles; ++n) {
    const Real angle = M_PI * n / angles, half = std::sin(0.5 * angle);
    const std::array<Real, 2> at_face = kind.symbol(angle);
    const Complex face(at_face[0], at_face[1]);
    const Complex carried = -place.advection * (Complex(1) - std::exp(Complex(0, -angle))) * face;
    Eigen::MatrixXcd fixed = place.reaction.cast<Complex>();
    for (Eigen::Index m = 0; m < count; ++m) fixed(m, m) += carried;
    Eigen::MatrixXcd whole = fixed;
    whole -= (half * half) * place.diffusion.cast<Complex>();
    const Eigen::VectorXcd all = whole.eigenvalues(), of_fixed = fixed.eigenvalues();
    const bool advected = n > 0 && place.advection > 0;
    for (Eigen::Index m = 0; m < count; ++m) modes.push_back({all[m], of_fixed[m], advected});
  }
}

// What a mode may be multiplied by in a step at most; nothing where it is not judged. Waves that advection
// damps little are left to the shorter ones, which it damps more.
std::optional<Real> largest_factor(const Complex& rate, bool advected, Real step) {
  const Real size = std::abs(rate);
  if (size == 0) return std::nullopt;
  const Real damping = -rate.real() / size;
  if (damping >= least_damping) return 1 + 1e-10;
  if (advected || rate.imag() == 0) return std::nullopt;
  const Real spared = tolerated_growth * (1 - std::max(0.0, damping) / least_damping);
  return std::max(1.0, std::exp(rate.real() * step)) * (1 + spared * size * step);
}

}  // namespace

Stability stability_of_coupled(Discretization& balance, const Scheme& scheme, Real step, Real from) {
  using enum Limit::Standing;
  Stability result;
  result.step = step;
  const State start = balance.initial_state(), y = balance.at_places_of_first(start);
  const std::size_t count = balance.unknowns().size();
  const Grid& g = balance.grid();
  std::vector<Real> sizes(count, 0.0);
  for (std::size_t u = 0; u < count; ++u)
    for (Index n = 0; n < g.count(); ++n)
      sizes[u] =
          std::max(sizes[u], std::abs(y[static_cast<std::size_t>(n + static_cast<Index>(u) * g.count())]));
  const std::vector<Real> advection = advection_rates(balance, start, from);
  const ReconstructionKind& kind = reconstruction_kind(balance.problem(0).reconstruction);
  OfEach conductances;
  for (std::size_t u = 0; u < count; ++u) conductances.push_back(balance.conductances(from, u));
  std::vector<Mode> modes;
  Real most = 0, fastest = 0;
  for (const Index n : places_of(balance)) {
    const PlaceSymbols place{diffusion_at(balance, conductances, y, from, n),
                             advection[static_cast<std::size_t>(n)],
                             slopes_at(balance, conductances, y, from, n, sizes)};
    const Real diffuses = place.diffusion.cwiseAbs().rowwise().sum().maxCoeff();
    if (const Real here = diffuses + place.advection; here > most) {
      most = here;
      result.worst = n;
    }
    result.diffusion_number = std::max(result.diffusion_number, 0.25 * step * diffuses);
    fastest = std::max(fastest, place.advection);
    if (place.reaction.allFinite() && std::isfinite(place.advection)) add_modes(place, kind, modes);
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
      const std::optional<Real> allowed = largest_factor(rate, m.advected, length);
      if (!allowed) continue;
      const Complex factor =
          apart ? amplification_of_parts(scheme, 0, rate * length)
                : amplification(scheme, rate * length, stages(scheme, result.largest_eigenvalue * length));
      if (std::abs(factor) > *allowed) return false;
    }
    return true;
  };
  const bool bounded = std::ranges::any_of(modes, [&](const Mode& m) {
    return largest_factor(apart ? m.explicit_rate : m.rate, m.advected, 0).has_value();
  });
  const bool any_step =
      !bounded || (!is_explicit(scheme) && !apart && std::isinf(real_stability_interval(scheme)));
  const Real limit = any_step ? std::numeric_limits<Real>::infinity()
                              : largest_step(holds, 1e-3 / result.largest_eigenvalue, 1.1, 1e12);
  result.limit = {limit, heuristic, result.worst};
  result.interior = result.limit;
  return result;
}

}  // namespace williwaw::verify
