#include "williwaw/verify/uniform_state.hpp"

#include <algorithm>
#include <cmath>
#include <numbers>

#include "verify/stability/at_place.hpp"

namespace williwaw::verify {

namespace {

Eigen::MatrixXd matrix_of(const UniformState& state, Real wavenumber) {
  const auto count = static_cast<Eigen::Index>(state.values.size());
  Eigen::MatrixXd m(count, count);
  for (Eigen::Index r = 0; r < count; ++r) {
    for (Eigen::Index c = 0; c < count; ++c) {
      const auto entry = static_cast<std::size_t>(r * count + c);
      m(r, c) = state.reaction_over_storage[entry] - state.diffusivity[entry] * wavenumber * wavenumber;
    }
  }
  return m;
}

// The eigenvalue of largest real part.
std::complex<Real> leading(const Eigen::MatrixXd& m) {
  const Eigen::VectorXcd all = m.eigenvalues();
  std::complex<Real> result = all[0];
  for (const std::complex<Real>& value : all)
    if (value.real() > result.real()) result = value;
  return result;
}

// Sources included.
ReactionAt rates_at(const Discretization& balance, const Eigen::VectorXd& u) {
  std::vector<Real> sizes;
  for (const Real value : u) sizes.push_back(std::abs(value));
  ReactionAt result = reaction_at(balance.reaction(), Point{}, 0, u, sizes);
  for (Eigen::Index m = 0; m < u.size(); ++m)
    result.rate[m] += balance.problem(static_cast<std::size_t>(m)).equation().source(Point{});
  return result;
}

bool is_uniform(const Discretization& balance) {
  if (!balance.reaction() || balance.reaction().on_place || balance.reaction().on_time) return false;
  for (const CrossDiffusion& cross : balance.cross_diffusion())
    if (cross.on_place || cross.on_time) return false;
  for (std::size_t u = 0; u < balance.unknowns().size(); ++u) {
    const Equation& e = balance.problem(u).equation();
    const auto& k = e.diffusion.coefficient;
    const bool plain = k[0].is_constant() && k[1].is_constant() && k[2].is_constant() &&
                       e.storage.is_constant() && e.source.is_constant() && !e.content && !e.reaction &&
                       e.points.empty();
    const Point p{};
    const int dimension = balance.grid().dimension();
    if (!plain || (dimension > 1 && k[0](p) != k[1](p)) || (dimension > 2 && k[0](p) != k[2](p)))
      return false;
  }
  return true;
}

std::optional<Eigen::VectorXd> find(Discretization& balance) {
  const State start = balance.initial_state();
  const auto totals = balance.totals_by_unknown(start, 0);
  Eigen::VectorXd u(static_cast<Eigen::Index>(totals.size()));
  for (std::size_t m = 0; m < totals.size(); ++m)
    u[static_cast<Eigen::Index>(m)] = totals[m].integral / balance.volume(m);
  ReactionAt now = rates_at(balance, u);
  const Real size =
      std::max(now.rate.cwiseAbs().maxCoeff(), now.slope.cwiseAbs().maxCoeff() * u.cwiseAbs().maxCoeff());
  for (int iteration = 0; iteration < 100; ++iteration) {
    if (!(now.rate.cwiseAbs().maxCoeff() > 1e-13 * size)) return u;
    const Eigen::VectorXd change = now.slope.fullPivLu().solve(-now.rate);
    if (!change.allFinite()) return std::nullopt;
    Real length = 1;
    const Real before = now.rate.norm();
    for (int halving = 0; halving < 20; ++halving, length *= 0.5) {
      const ReactionAt trial = rates_at(balance, u + length * change);
      if (trial.rate.allFinite() && (trial.rate.norm() < before || halving == 19)) {
        u += length * change;
        now = trial;
        break;
      }
    }
    // Round-off can keep the rates just above.
    if (change.norm() * length <= 1e-13 * u.norm() && now.rate.cwiseAbs().maxCoeff() <= 1e-9 * size) return u;
  }
  return std::nullopt;
}

}  // namespace

Real UniformState::growth(Real wavenumber) const {
  return leading(matrix_of(*this, wavenumber)).real();
}

std::optional<UniformState> uniform_state(Discretization& balance) {
  if (!is_uniform(balance)) return std::nullopt;
  const auto found = find(balance);
  if (!found) return std::nullopt;
  UniformState result;
  const ReactionAt rates = rates_at(balance, *found);
  const Eigen::Index count = found->size();
  const Eigen::MatrixXd cross = cross_diffusion_at(balance.cross_diffusion(), Point{}, 0, *found);
  for (Eigen::Index m = 0; m < count; ++m) {
    const Equation& e = balance.problem(static_cast<std::size_t>(m)).equation();
    const Real storage = e.storage(Point{});
    result.values.push_back((*found)[m]);
    for (Eigen::Index k = 0; k < count; ++k) {
      const Real diffusivity = m == k ? e.diffusion.coefficient[0](Point{}) : cross(m, k);
      result.diffusivity.push_back(diffusivity / storage);
      result.reaction_over_storage.push_back(rates.slope(m, k) / storage);
    }
  }
  const std::complex<Real> uniform = leading(matrix_of(result, 0));
  result.without_waves = result.fastest = uniform.real();
  result.oscillates = std::abs(uniform.imag()) > 1e-9 * std::abs(uniform);
  result.wavelength = std::numeric_limits<Real>::infinity();
  Real shortest = std::numeric_limits<Real>::infinity(), longest = 0;
  const Grid& g = balance.grid();
  for (int a = 0; a < g.dimension(); ++a) {
    shortest = std::min(shortest, g.axis(a).length() / static_cast<Real>(g.axis(a).intervals()));
    longest = std::max(longest, g.axis(a).length());
  }
  // From a hundred lengths of the domain down to two spacings.
  const Real low = 2 * std::numbers::pi / (100 * longest), high = std::numbers::pi / shortest;
  constexpr int samples = 2000;
  const auto wavenumber = [&](Real n) { return low * std::pow(high / low, n / samples); };
  Real best = -1;
  std::optional<Real> first, last;  // samples that grow
  for (int n = 0; n <= samples; ++n) {
    const Real rate = result.growth(wavenumber(n));
    if (rate > result.fastest) {
      result.fastest = rate;
      best = n;
    }
    if (rate > 0) {
      if (!first) first = n;
      last = n;
    }
  }
  if (best >= 0) {
    // By golden section between the neighbours of the best sample.
    Real left = std::max(best - 1, 0.0), right = std::min(best + 1, static_cast<Real>(samples));
    const Real golden = 0.5 * (std::sqrt(5.0) - 1);
    for (int i = 0; i < 60; ++i) {
      const Real a = right - golden * (right - left), b = left + golden * (right - left);
      if (result.growth(wavenumber(a)) > result.growth(wavenumber(b)))
        right = b;
      else
        left = a;
    }
    const Real at = wavenumber(0.5 * (left + right));
    result.fastest = result.growth(at);
    result.wavelength = 2 * std::numbers::pi / at;
  }
  if (!first) return result;
  const auto border = [&](Real grows, Real decays) {
    for (int i = 0; i < 60; ++i) {
      const Real middle = 0.5 * (grows + decays);
      (result.growth(wavenumber(middle)) > 0 ? grows : decays) = middle;
    }
    return 2 * std::numbers::pi / wavenumber(grows);
  };
  const Real top = *last >= samples ? 2 * shortest : border(*last, *last + 1);
  const Real bottom = result.without_waves > 0 || *first <= 0 ? std::numeric_limits<Real>::infinity()
                                                              : border(*first, *first - 1);
  result.growing = {top, bottom};
  return result;
}

}  // namespace williwaw::verify
