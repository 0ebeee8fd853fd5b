#include "williwaw/verify/forecast.hpp"

#include <algorithm>
#include <cmath>

#include "verify/forecast/forecast_parts.hpp"
#include "verify/forecast/probe.hpp"
#include "verify/stability/modes.hpp"
#include "verify/stability/spectrum.hpp"
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
  Growth(Discretization& balance, const Scheme& scheme, Real step, Real at, const Modes& modes)
      : modes_(modes) {
    State y = balance.initial_state();
    balance.prescribe(at, y);
    const Totals totals = balance.totals(y, at);
    const Guard guard(balance, totals, at);
    const DataBounds data_bounds = balance.data_bounds(at);
    scale_ = std::max({std::abs(guard.lowest()), std::abs(guard.highest()), 1e-300});
    width_ = std::max(guard.highest() - guard.lowest(), 1e-6 * scale_);
    widening_ = step * (data_bounds.raising + data_bounds.lowering);
    const auto& values = modes.eigenvalues();
    factors_.resize(values.size());
    seeds_.assign(values.size(), 0.0);
    const int count = stages(scheme, *std::ranges::max_element(values) * step);
    for (std::size_t m = 0; m < values.size(); ++m) {
      factors_[m] = amplification(scheme, std::complex<Real>(-values[m] * step), count).real();
      if (std::abs(factors_[m]) > 1 + 1e-12 && values[m] > 0) growing_.push_back(m);
    }
  }

  // What data hold of each mode: how far it is from rest, which is what it changes by at the start over the
  // rate at which it decays.
  void seed_by_data(Discretization& balance, Real at) {
    State y = balance.initial_state();
    balance.prescribe(at, y);
    State rate(y.size()), change(y.size(), 0.0);
    Ledger ignored(balance.lines().size());
    balance.rate(y, at, Parts::all(), rate, ignored);
    for (const Index h : balance.prescribed()) rate[h] = 0;
    const auto conductances = balance.conductances(at);
    const Conductances& c = *conductances;
    for (Index n = 0; n < balance.grid().count(); ++n)
      if (balance.outline().active(n)) change[n] = rate[n] / c.capacity(n);
    const auto found = modes_.analyse(change);
    for (const std::size_t m : growing_) seeds_[m] = found[m] / -modes_.eigenvalues()[m];
  }

  // What data and arithmetic hold of each mode after some steps: what the last of them changed it by over
  // factor − 1. Less than rounding leaves of a change is no evidence of anything.
  void seed_by(const Prober& probe) {
    const auto found = modes_.analyse(probe.change());
    // Both states that the change is the difference of are rounded, in every unknown by itself.
    Real size = 0;
    for (const Real c : modes_.analyse(probe.state())) size = std::max(size, std::abs(c));
    noise_ = 30 * epsilon * size;
    start_ = static_cast<Real>(probe.steps() - 1);
    std::ranges::fill(seeds_, 0.0);
    for (const std::size_t m : growing_)
      if (std::abs(found[m]) > noise_) seeds_[m] = found[m] / (factors_[m] - 1);
  }

  // Modes that vary along an axis on which everything is the same have no seed.
  void drop_unseeded(const Discretization& balance, const std::array<bool, 3>& uniform) {
    possible_.assign(factors_.size(), 1);
    for (int a = 0; a < balance.grid().dimension(); ++a) {
      if (!uniform[static_cast<std::size_t>(a)] || balance.grid().size(a) < 2) continue;
      const auto constant = modes_.constant_along(balance.grid(), a);
      for (std::size_t m = 0; m < possible_.size(); ++m) possible_[m] = possible_[m] && constant[m];
    }
    for (const std::size_t m : growing_)
      if (!possible_[m]) seeds_[m] = 0;
    std::erase_if(seeded_ = growing_, [&](std::size_t m) { return seeds_[m] == 0; });
  }

  // Steps until a mode of which there is no more than noise could leave the range: until then what was found
  // decides.
  Real until_noise_counts() const {
    std::vector<std::size_t> hidden = growing_;
    std::erase_if(hidden, [&](std::size_t m) { return seeds_[m] != 0 || !possible_[m]; });
    if (hidden.empty()) return std::numeric_limits<Real>::infinity();
    const std::size_t fastest = fastest_of(hidden);
    std::vector<Real> one(factors_.size(), 0.0);
    one[fastest] = noise_;
    const Real height = largest(modes_.compose(one));
    if (!(height > 0)) return std::numeric_limits<Real>::infinity();
    return start_ + std::log(std::max(level(start_) / height, 1.0)) / std::log(std::abs(factors_[fastest]));
  }

  /// The step at which the growing part leaves the range of the guard.
  Real leaves_at() const {
    return first([this](Real size, Real n) { return size > level(n); });
  }

  /// Modes that grow and have a seed.
  const std::vector<std::size_t>& seeded() const { return seeded_; }
  std::size_t fastest_of(const std::vector<std::size_t>& list) const {
    return *std::ranges::max_element(list, {}, [&](std::size_t m) { return std::abs(factors_[m]); });
  }
  const std::vector<std::size_t>& growing() const { return growing_; }
  Real factor(std::size_t mode) const { return factors_[mode]; }
  Real scale() const { return scale_; }
  Real seed_at_start(std::size_t mode) const {
    return seeds_[mode] * std::exp(-start_ * std::log(std::abs(factors_[mode])));
  }

  // The growing part after so many steps from the start; seeds are those after `start_` of them.
  State after(Real all) const {
    const Real steps = all - start_;
    std::vector<Real> now(seeds_.size(), 0.0);
    for (const std::size_t m : growing_) {
      const Real sign = factors_[m] < 0 && std::fmod(std::abs(std::round(steps)), 2) == 1 ? -1 : 1;
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
  std::vector<std::size_t> growing_, seeded_;
  std::vector<char> possible_;  ///< modes that may have a seed
  Real start_ = 0, noise_ = 0;
  Real scale_ = 1, width_ = 1, widening_ = 0;
};

void count_signs(const Discretization& balance, Forecast& result) {
  const Grid& g = balance.grid();
  for (Index n = 0; n < g.count(); ++n) {
    const auto at = g.position(n);
    Index stride = 1;
    for (int a = 0; a < g.dimension(); ++a) {
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

void describe_shape(const Discretization& balance, State mode, Forecast& result) {
  result.shape = std::move(mode);
  result.peak = place_of_largest(result.shape);
  const Real height = result.shape[result.peak];
  for (Real& v : result.shape) v /= height;
  result.amplitude = std::abs(height);
  count_signs(balance, result);
}

std::vector<Real> decay_rates(Discretization& balance, Real at) {
  if (balance.advects()) return {};
  const auto modes = Modes::of(balance, at);
  return modes ? modes->eigenvalues() : std::vector<Real>{};
}

namespace {

// When the solution leaves its range: from what the probe showed to be there.
void foresee(Discretization& balance, const Growth& growth, const Prober& probe, bool clear,
             const State& by_data, Real fastest, Forecast& result) {
  // What data hold of modes below round-off is round-off.
  const Real early = growth.from_seed(epsilon * growth.scale(), fastest);
  const Real late = growth.from_seed(1e-3 * epsilon * growth.scale(), fastest);
  const Real found = probe.left()              ? static_cast<Real>(probe.steps())
                     : growth.seeded().empty() ? early
                                               : growth.leaves_at();
  result.visible_step = found;
  if (!growth.seeded().empty())
    result.visible_step =
        std::min(found, growth.first([&](Real size, Real) { return size > 0.01 * growth.width(); }));
  result.seeded = largest(by_data) > 1e3 * epsilon * growth.scale() && found <= early;
  result.first_step = probe.left() ? found : std::floor(0.97 * found);
  result.last_step = probe.left() ? found : std::ceil(1.03 * found);
  if (!clear) {
    // Too costly to be shown: round-off is somewhere between one unit of the largest value and a thousandth
    // of it.
    result.first_step = std::min(result.first_step, result.seeded ? result.first_step : early);
    result.last_step = std::max(result.last_step, result.seeded ? result.last_step : late);
  }
  // Data that change may seed modes later, or more.
  if (balance.capabilities().data_change && !probe.left()) {
    result.first_step = std::min({early, 0.5 * found, result.first_step});
    result.last_step = std::max(late, result.last_step);
  }
}

}  // namespace

std::optional<Forecast> forecast(Discretization& balance, const Scheme& scheme, Real step, Real at) {
  if (balance.capabilities().first_order_form && !is_second_order(scheme)) return std::nullopt;
  if (balance.advects()) return std::nullopt;
  if (balance.capabilities().second_order) return forecast_of_wave(balance, scheme, step, at);
  const auto modes = Modes::of(balance, at);
  if (!modes) return std::nullopt;
  Growth growth(balance, scheme, step, at, *modes);
  if (growth.growing().empty()) return std::nullopt;
  Forecast result;
  result.growing = static_cast<Index>(growth.growing().size());
  result.modes = static_cast<Index>(modes->eigenvalues().size());
  std::size_t fastest = growth.fastest_of(growth.growing());
  result.factor = std::abs(growth.factor(fastest));
  result.eigenvalue = modes->eigenvalues()[fastest];
  growth.seed_by_data(balance, at);
  const State by_data = growth.after(0);

  // As many steps as round-off takes to grow a hundred thousand-fold, and more until modes stand clear of it.
  Prober probe(balance, scheme, step, at);
  const Real log_factor = std::log(result.factor);
  Index wanted = static_cast<Index>(std::ceil(std::log(1e5) / log_factor)) + 2;
  bool clear = false;
  for (;;) {
    const Index taken = probe.go(wanted);
    growth.seed_by(probe);
    result.uniform = uniform_along(balance, probe.state(), 0);
    growth.drop_unseeded(balance, result.uniform);
    const Real doubt = growth.until_noise_counts();
    const bool shown = !growth.seeded().empty() && growth.leaves_at() < doubt;
    // A seed that is still not there after growing 10^40-fold is none.
    const bool none = growth.seeded().empty() &&
                      (std::isinf(doubt) || static_cast<Real>(probe.steps()) * log_factor > std::log(1e40));
    clear = probe.left() || shown || none;
    if (clear || taken < wanted) break;
    wanted = probe.steps();
  }
  if (growth.seeded().empty() && clear && !probe.left()) {
    result.dormant = true;
    result.first_step = result.last_step = result.visible_step = std::numeric_limits<Real>::infinity();
  } else {
    if (!growth.seeded().empty()) fastest = growth.fastest_of(growth.seeded());
    foresee(balance, growth, probe, clear, by_data, std::abs(growth.factor(fastest)), result);
  }
  const State end = growth.after(std::isinf(result.last_step) ? 0 : result.last_step);
  const std::size_t leading =
      result.dormant ? fastest : static_cast<std::size_t>(place_of_largest(modes->analyse(end)));
  std::vector<Real> one(modes->eigenvalues().size(), 0.0);
  one[leading] = 1;
  describe_shape(balance, modes->compose(one), result);
  result.leading_factor = std::abs(growth.factor(leading));
  result.amplitude = result.seeded ? std::abs(growth.seed_at_start(leading) * result.amplitude) : 0;
  result.where = result.dormant ? result.peak : place_of_largest(end);
  return result;
}

Forecast seen_in(const Discretization& balance, const State& state) {
  Forecast result;
  Real low = std::numeric_limits<Real>::infinity(), high = -low;
  for (Index n = 0; n < balance.grid().count(); ++n)
    if (balance.outline().active(n) && std::isfinite(state[static_cast<std::size_t>(n)])) {
      low = std::min(low, state[static_cast<std::size_t>(n)]);
      high = std::max(high, state[static_cast<std::size_t>(n)]);
    }
  if (!(high > low)) return result;
  State about = state;
  for (Index n = 0; n < balance.grid().count(); ++n) {
    Real& v = about[static_cast<std::size_t>(n)];
    v = balance.outline().active(n) && std::isfinite(v) ? v - 0.5 * (low + high) : 0;
  }
  result.uniform = uniform_along(balance, state, 1e-6);
  describe_shape(balance, about, result);
  result.where = result.peak;
  return result;
}

}  // namespace williwaw::verify
