// The forecast of an unstable step of a wave: modes grow in the energy norm, and the run ends when they hold
// many times the energy that was put in.
#include <algorithm>
#include <cmath>

#include "verify/forecast/forecast_parts.hpp"
#include "verify/stability/modes.hpp"
#include "williwaw/time/guard.hpp"

namespace williwaw::verify {

namespace {

constexpr Real rounding = std::numeric_limits<Real>::epsilon();

class WaveGrowth {
 public:
  WaveGrowth(Discretization& balance, const Scheme& scheme, Real step, Real at, const Modes& modes)
      : step_(step), leapfrog_steps_(is_second_order(scheme)), values_(modes.eigenvalues()) {
    if (const auto* s = std::get_if<SecondOrder>(&scheme.method)) corrected_ = s->corrected;
    State y = balance.initial_state(), rate, force(y.size()), change(y.size(), 0.0);
    balance.prescribe(at, y);
    balance.dynamics().initial_rate(rate);
    const Totals start = balance.dynamics().totals(y, rate, at);
    own_energy_ = start.kinetic + start.potential;
    Ledger ignored(balance.lines().size());
    balance.rate(y, at, Parts::all(), force, ignored);
    const auto conductances = balance.conductances(at);
    const Conductances& c = *conductances;
    for (const Index h : balance.prescribed()) force[h] = 0;
    for (Index n = 0; n < balance.grid().count(); ++n)
      if (balance.outline().active(n)) change[n] = force[n] / c.capacity(n);
    const auto pushed = modes.analyse(change), moving = modes.analyse(rate);
    const Real damping = balance.problem().equation().damping.is_constant()
                             ? balance.problem().equation().damping(Point{})
                             : 0;
    for (std::size_t m = 0; m < values_.size(); ++m) {
      const Real x = values_[m] * step * step;
      const auto roots = wave_amplification(scheme, x, damping * step);
      const bool first = std::abs(roots[0]) >= std::abs(roots[1]);
      const std::complex<Real> large = roots[first ? 0 : 1], small = roots[first ? 1 : 0];
      factors_.push_back(std::abs(large));
      // Distance from rest, and the fraction of it that the larger root gets.
      const Real u = values_[m] > 0 ? -pushed[m] / values_[m] : 0, v = moving[m];
      // What leapfrog conserves, half a step before the start; a pair of first order starts with all of it.
      const Real moved = moved_by(x);
      energy_ += 0.5 * (v * v +
                        values_[m] * (leapfrog_steps_ && x > 0 ? moved / x * (1 - 0.25 * moved) : 1) * u * u);
      const Real next = (1 - 0.5 * moved) * u + step * v;
      Real seed = values_[m] > 0 ? std::hypot(u, v / std::sqrt(values_[m])) : 0;
      if (leapfrog_steps_ && values_[m] > 0 && std::abs(large - small) > 1e-12 &&
          std::abs(large.imag()) < 1e-12)
        seed = std::abs((next - small * u) / (large - small));
      seeds_.push_back(seed);
      roots_.push_back(large.real());
      if (factors_[m] > 1 + 1e-12 && values_[m] > 0) growing_.push_back(m);
    }
    largest_ = 0;
    for (const Real s : seeds_) largest_ = std::max(largest_, s);
  }

  const std::vector<std::size_t>& growing() const { return growing_; }
  const std::vector<Real>& factors() const { return factors_; }
  const std::vector<Real>& seeds() const { return seeds_; }
  Real energy() const { return energy_; }
  Real largest_seed() const { return largest_; }
  // What drives it, rather than what it starts with, brings most of what is measured by.
  bool driven() const { return !(own_energy_ > 0.5 * energy_); }

  // Energy, as the run counts it, of a growing mode with this amplitude.
  Real energy_of(std::size_t m, Real amplitude) const {
    if (!leapfrog_steps_) return 0.5 * values_[m] * amplitude * amplitude;
    const Real rate = (roots_[m] - 1) * amplitude / step_, x = values_[m] * step_ * step_;
    return 0.5 * rate * rate +
           0.5 * std::abs(values_[m] * moved_by(x) / x * roots_[m]) * amplitude * amplitude;
  }
  Real energy_after(Real steps, Real least_seed) const {
    Real sum = 0;
    for (const std::size_t m : growing_)
      sum += energy_of(
          m, std::max(seeds_[m], least_seed) * std::exp(std::min(steps * std::log(factors_[m]), 300.0)));
    return sum;
  }
  // step²·eigenvalue as the formula of the scheme has it.
  Real moved_by(Real x) const { return corrected_ ? x - x * x / 12 : x; }
  // First step after which growing modes hold so much.
  Real first(Real energy, Real least_seed) const {
    Real high = 1;
    while (energy_after(high, least_seed) < energy && high < 1e12) high *= 2;
    Real low = high / 2;
    while (high - low > 0.5) {
      const Real middle = std::floor(0.5 * (low + high));
      if (middle <= low) break;
      (energy_after(middle, least_seed) < energy ? low : high) = middle;
    }
    return high;
  }

 private:
  Real step_;
  bool leapfrog_steps_, corrected_ = false;
  const std::vector<Real>& values_;
  std::vector<Real> factors_, roots_, seeds_;
  std::vector<std::size_t> growing_;
  Real energy_ = 0, own_energy_ = 0, largest_ = 0;
};

}  // namespace

std::optional<Forecast> forecast_of_wave(Discretization& balance, const Scheme& scheme, Real step, Real at) {
  const auto modes = Modes::of(balance, at);
  if (!modes) return std::nullopt;
  const WaveGrowth growth(balance, scheme, step, at, *modes);
  if (growth.growing().empty()) return std::nullopt;
  Forecast result;
  result.growing = static_cast<Index>(growth.growing().size());
  result.modes = static_cast<Index>(modes->eigenvalues().size());
  std::size_t fastest = growth.growing().front();
  for (const std::size_t m : growth.growing())
    if (growth.factors()[m] > growth.factors()[fastest]) fastest = m;
  result.factor = growth.factors()[fastest];
  result.eigenvalue = modes->eigenvalues()[fastest];
  // A wave that starts at rest is seeded by what drives it, which this cannot weigh against what it has
  // brought by then: round-off is the latest that brings the end about.
  const bool at_rest = growth.energy() <= 0;
  const Real limit = tolerated_energy * (at_rest ? 1.0 : growth.energy());
  const Real grain = rounding * (at_rest ? 1.0 : growth.largest_seed());
  // Sums over some hundred unknowns round to less, or to a little more, than one rounding of the largest.
  const Real early = growth.first(limit, 3 * grain), late = growth.first(limit, 3e-3 * grain);
  const Real by_data = growth.first(limit, 0);
  result.seeded = !at_rest && by_data <= early;
  result.first_step = result.seeded ? by_data : early;
  result.last_step = result.seeded ? by_data : late;
  if (balance.capabilities().data_change) {
    result.first_step = std::min(early, 0.5 * result.first_step);
    result.last_step = std::max(late, result.last_step);
  }
  if (growth.driven()) result.first_step = 1;
  result.visible_step = growth.first(1e-4 * limit / tolerated_energy, result.seeded ? 0 : grain);
  std::size_t leading = fastest;
  if (result.seeded) {
    Real most = 0;
    for (const std::size_t m : growth.growing()) {
      const Real then = std::log(std::max(growth.seeds()[m], 1e-300)) +
                        result.last_step * std::log(growth.factors()[m]) +
                        0.5 * std::log(modes->eigenvalues()[m]);
      if (m == growth.growing().front() || then > most) {
        most = then;
        leading = m;
      }
    }
  }
  result.leading_factor = growth.factors()[leading];
  std::vector<Real> one(modes->eigenvalues().size(), 0.0);
  one[leading] = 1;
  describe_shape(balance, modes->compose(one), result);
  if (result.seeded)
    result.amplitude = growth.seeds()[leading] * result.amplitude;
  else
    result.amplitude = 0;
  result.where = result.peak;
  return result;
}

}  // namespace williwaw::verify
