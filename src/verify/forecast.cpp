#include "williwaw/verify/forecast.hpp"

#include <algorithm>
#include <cmath>

#include "forecast_parts.hpp"
#include "modes.hpp"
#include "spectrum.hpp"
#include "williwaw/time/guard.hpp"

namespace williwaw::verify {

namespace {

constexpr Real epsilon = std::numeric_limits<Real>::epsilon();

Real largest(const State& y) {
  Real most = 0;
  for (const Real v : y) most = std::max(most, std::abs(v));
  return most;
}

Index place_of_largest(const State& y) {
  return std::ranges::max_element(y, {}, [](Real v) { return std::abs(v); }) - y.begin();
}

// How the modes of an unstable step grow from what data hold of them.
class Growth {
 public:
  Growth(DiffusionBalance& balance, const Scheme& scheme, Real step, Real at, const Modes& modes)
      : modes_(modes) {
    State y = balance.initial_state();
    balance.pin(at, y);
    const Totals totals = balance.totals(y, at);
    const Guard guard(balance, totals, at);
    const Drive drive = balance.drive(at);
    scale_ = std::max({std::abs(guard.lowest()), std::abs(guard.highest()), 1e-300});
    width_ = std::max(guard.highest() - guard.lowest(), 1e-6 * scale_);
    widening_ = step * (drive.raising + drive.lowering);

    // How far each mode is from rest: what it changes by at the start over the rate at which it decays.
    State rate(y.size()), change(y.size(), 0.0);
    Ledger ignored(balance.lines().size());
    balance.rate(y, at, Parts::all(), rate, ignored);
    for (const Index h : balance.held()) rate[h] = 0;
    const Couplings& c = balance.couplings(at);
    for (Index n = 0; n < balance.grid().count(); ++n)
      if (balance.outline().active(n)) change[n] = rate[n] / c.capacity(n);
    seeds_ = modes.analyse(change);
    const auto& values = modes.eigenvalues();
    factors_.resize(values.size());
    const int count = stages(scheme, *std::ranges::max_element(values) * step);
    for (std::size_t m = 0; m < values.size(); ++m) {
      factors_[m] = amplification(scheme, std::complex<Real>(-values[m] * step), count).real();
      const bool grows = std::abs(factors_[m]) > 1 + 1e-12 && values[m] > 0;
      if (!grows) {
        seeds_[m] = 0;
        continue;
      }
      growing_.push_back(m);
      seeds_[m] /= -values[m];
    }
  }

  const std::vector<std::size_t>& growing() const { return growing_; }
  Real factor(std::size_t mode) const { return factors_[mode]; }
  Real scale() const { return scale_; }
  const std::vector<Real>& seeds() const { return seeds_; }

  // The growing part after so many steps.
  State after(Real steps) const {
    std::vector<Real> now(seeds_.size(), 0.0);
    for (const std::size_t m : growing_) {
      const Real sign = factors_[m] < 0 && std::fmod(std::round(steps), 2) == 1 ? -1 : 1;
      const Real power = steps * std::log(std::abs(factors_[m]));
      now[m] = sign * seeds_[m] * std::exp(std::min(power, 600.0));
    }
    return modes_.compose(now);
  }

  // Distance from the range at which the guard stops a run: nine times the width of it, from its middle.
  Real level(Real steps) const { return 9.5 * (width_ + steps * widening_); }
  Real width() const { return width_; }

  // First step at which `reached(size of the growing part, steps)` holds; it grows without end.
  template <class Reached>
  Real first(const Reached& reached) const {
    Real high = 1;
    while (!reached(largest(after(high)), high) && high < 1e12) high *= 2;
    Real low = high / 2;
    if (high == 1) return 1;
    while (high - low > 0.5) {
      const Real middle = std::floor(0.5 * (low + high));
      if (middle <= low) break;
      (reached(largest(after(middle)), middle) ? high : low) = middle;
    }
    return high;
  }

  // Steps that a seed of this size in the fastest mode takes to the guard's level.
  Real from_seed(Real seed, Real fastest) const {
    return std::ceil(std::log(std::max(level(0) / seed, 1.0)) / std::log(fastest));
  }

 private:
  const Modes& modes_;
  std::vector<Real> seeds_, factors_;
  std::vector<std::size_t> growing_;
  Real scale_ = 1, width_ = 1, widening_ = 0;
};

void count_signs(const DiffusionBalance& balance, Forecast& result) {
  const Grid& g = balance.grid();
  for (Index n = 0; n < g.count(); ++n) {
    const auto at = g.position(n);
    Index stride = 1;
    for (int a = 0; a < g.rank(); ++a) {
      if (at[a] + 1 < g.size(a)) {
        const Real product = result.shape[n] * result.shape[n + stride];
        if (std::abs(product) > 1e-12) {
          ++result.changes_possible[a];
          if (product < 0) ++result.sign_changes[a];
        }
      }
      stride *= g.size(a);
    }
  }
}

}  // namespace

void describe_shape(const DiffusionBalance& balance, State mode, Forecast& result) {
  result.shape = std::move(mode);
  result.peak = place_of_largest(result.shape);
  const Real height = result.shape[result.peak];
  for (Real& v : result.shape) v /= height;
  result.amplitude = std::abs(height);
  count_signs(balance, result);
}

std::vector<Real> decay_rates(DiffusionBalance& balance, Real at) {
  if (balance.transport()) return {};
  const auto modes = Modes::of(balance, at);
  return modes ? modes->eigenvalues() : std::vector<Real>{};
}

std::optional<Forecast> forecast(DiffusionBalance& balance, const Scheme& scheme, Real step, Real at) {
  if (balance.problem().equation().as_system && !is_second_order(scheme)) return std::nullopt;
  if (balance.transport()) return std::nullopt;
  if (balance.motion()) return forecast_of_wave(balance, scheme, step, at);
  const auto modes = Modes::of(balance, at);
  if (!modes) return std::nullopt;
  const Growth growth(balance, scheme, step, at, *modes);
  if (growth.growing().empty()) return std::nullopt;
  Forecast result;
  result.growing = static_cast<Index>(growth.growing().size());
  result.modes = static_cast<Index>(modes->eigenvalues().size());
  std::size_t fastest = growth.growing().front();
  for (const std::size_t m : growth.growing())
    if (std::abs(growth.factor(m)) > std::abs(growth.factor(fastest))) fastest = m;
  result.factor = std::abs(growth.factor(fastest));
  result.eigenvalue = modes->eigenvalues()[fastest];

  // What data hold of modes below round-off is round-off.
  const Real early = growth.from_seed(epsilon * growth.scale(), result.factor);
  const Real late = growth.from_seed(1e-3 * epsilon * growth.scale(), result.factor);
  const State seeded = growth.after(0);
  std::size_t leading = fastest;
  result.seeded = largest(seeded) > 1e3 * epsilon * growth.scale();
  if (result.seeded) {
    result.last_step = growth.first([&](Real size, Real n) { return size > growth.level(n); });
    result.visible_step = growth.first([&](Real size, Real) { return size > 0.01 * growth.width(); });
    // Round-off in a faster mode may overtake what data hold of a slower one.
    result.seeded = result.last_step <= early;
  }
  if (result.seeded) {
    const State end = growth.after(result.last_step);
    result.where = place_of_largest(end);
    const auto content = modes->analyse(end);
    leading = place_of_largest(content);
    result.first_step =
        balance.problem().data_change_in_time() ? std::min(early, 0.5 * result.last_step) : result.last_step;
    if (balance.problem().data_change_in_time()) result.last_step = std::max(late, result.last_step);
  } else {
    result.first_step = early;
    result.last_step = late;
    result.visible_step = std::max(1.0, early - std::log(950.0) / std::log(result.factor));
  }
  std::vector<Real> one(modes->eigenvalues().size(), 0.0);
  one[leading] = 1;
  describe_shape(balance, modes->compose(one), result);
  result.leading_factor = std::abs(growth.factor(leading));
  result.amplitude = result.seeded ? std::abs(growth.seeds()[leading] * result.amplitude) : 0;
  if (!result.seeded) result.where = result.peak;
  return result;
}

}  // namespace williwaw::verify
