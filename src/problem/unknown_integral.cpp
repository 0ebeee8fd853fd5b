#include "williwaw/problem/unknown_integral.hpp"

#include <algorithm>
#include <array>
#include <cmath>
#include <numbers>

#include "williwaw/grid/expect.hpp"

namespace williwaw {

namespace {

constexpr Real accuracy = 2e-13;
// An error below `noise_limit` that halving has hardly made smaller is noise in f: kinks halve theirs, and
// jumps have large ones.
constexpr Real noise_limit = 1e-5, noise_ratio = 0.8;
// Halvings of a top range; what is left of a jump is as wide as the range over 2 to this power.
constexpr int deepest = 43;
// Values as small as this have few digits, and do not count; and panels of a top range, of which no function
// with a meaning needs so many.
constexpr Real no_value = 1e-290;
constexpr std::size_t most_panels = 30000;

template <std::size_t N>
std::array<Real, N> chebyshev_places() {
  std::array<Real, N> result;
  for (std::size_t i = 0; i < N; ++i)
    result[i] = -std::cos(std::numbers::pi * (static_cast<Real>(i) + 0.5) / static_cast<Real>(N));
  return result;
}

// Coefficients of powers of the polynomial through values at Chebyshev's places, by Newton's divided
// differences.
template <std::size_t N>
std::array<Real, N> polynomial_through(const std::array<Real, N>& places, std::array<Real, N> values) {
  for (std::size_t order = 1; order < N; ++order)
    for (std::size_t i = N - 1; i >= order; --i)
      values[i] = (values[i] - values[i - 1]) / (places[i] - places[i - order]);
  std::array<Real, N> result{};
  for (std::size_t i = N; i-- > 0;) {
    for (std::size_t k = N - 1; k > 0; --k) result[k] = result[k - 1] - places[i] * result[k];
    result[0] = values[i] - places[i] * result[0];
  }
  return result;
}

template <std::size_t N>
Real value_at(const std::array<Real, N>& coefficients, Real t) {
  Real sum = 0;
  for (std::size_t k = N; k-- > 0;) sum = sum * t + coefficients[k];
  return sum;
}

}  // namespace

UnknownIntegral::UnknownIntegral(Integrand f, Real scale) : f_(std::move(f)), scale_(scale) {
  expect(scale > 0 && std::isfinite(scale), "UnknownIntegral: a scale above zero");
  // A power of two: edges are exact.
  scale_ = std::exp2(std::round(std::log2(scale)));
}

// .. −2, −1, 0, 1, 2, 4, 8 .. scales
Real UnknownIntegral::top_edge(int number) const {
  if (number == 0) return 0;
  return std::copysign(scale_ * std::exp2(std::abs(number) - 1), static_cast<Real>(number));
}

void UnknownIntegral::add_range(Real from, Real to, std::vector<Panel>& to_panels) const {
  static const auto places = chebyshev_places<terms>();
  static const auto looks = chebyshev_places<terms + 3>();
  struct Piece {
    Real from, to;
    int depth;
    Real error;  // of the piece that it is a half of, relative
  };
  std::vector<Piece> left{{from, to, 0, 1e300}};
  std::array<Real, terms> u, values;
  std::array<Real, terms + 3> others, seen;
  while (!left.empty()) {
    const Piece piece = left.back();
    left.pop_back();
    const Real middle = 0.5 * (piece.from + piece.to), half = 0.5 * (piece.to - piece.from);
    for (std::size_t i = 0; i < u.size(); ++i) u[i] = middle + half * places[i];
    for (std::size_t i = 0; i < others.size(); ++i) others[i] = middle + half * looks[i];
    f_(u, values);
    f_(others, seen);
    Panel panel{piece.from, piece.to, polynomial_through(places, values), 0};
    Real size = 0, error = 0;
    std::size_t numbers = 0;
    for (const Real v : values) size = std::max(size, std::abs(v));
    for (std::size_t i = 0; i < others.size(); ++i) {
      numbers += std::isfinite(seen[i]) ? 1 : 0;
      size = std::max(size, std::abs(seen[i]));
      error = std::max(error, std::abs(value_at(panel.coefficients, looks[i]) - seen[i]));
    }
    // Where f is no number anywhere the integral is none; values are told of where they are met.
    const bool some = numbers > 0 && numbers < others.size();
    const bool good = !some && (!(error > accuracy * size) || size < no_value);
    error = some ? 1 : error / size;
    const bool noise = error < noise_limit && error > noise_ratio * piece.error;
    if (good || noise || piece.depth == deepest || to_panels.size() > most_panels) {
      panel.whole = (panel.to - panel.from) * panel.mean_between(panel.from, panel.to);
      to_panels.push_back(panel);
      continue;
    }
    left.push_back({middle, piece.to, piece.depth + 1, error});
    left.push_back({piece.from, middle, piece.depth + 1, error});
  }
}

void UnknownIntegral::cover(Real lowest, Real highest) {
  expect(std::isfinite(lowest) && std::isfinite(highest), "UnknownIntegral::cover: finite values");
  const auto make = [&](int n) {
    TopRange range;
    add_range(top_edge(n), top_edge(n + 1), range.panels);
    for (std::size_t b = 0; (b + 1) * block <= range.panels.size(); ++b)
      range.blocks.push_back(sum_of(range, b * block, (b + 1) * block));
    return range;
  };
  while (top_edge(first_) > lowest) ranges_.insert(ranges_.begin(), make(--first_));
  const bool zero = highest >= 0 && last_ == 0;
  for (; ranges_.empty() || top_edge(last_) < highest || (zero && last_ == 0); ++last_)
    ranges_.push_back(make(last_));
}

// ∫ f over whole panels of a top range, by blocks where there are any.
Real UnknownIntegral::sum_of(const TopRange& range, std::size_t first, std::size_t end) {
  const auto by_panel = [&](std::size_t from, std::size_t to) {
    Real sum = 0;
    for (std::size_t p = from; p < to; ++p) sum += range.panels[p].whole;
    return sum;
  };
  const std::size_t first_block = (first + block - 1) / block,
                    end_block = std::min(end / block, range.blocks.size());
  if (first_block >= end_block) return by_panel(first, end);
  Real sum = by_panel(first, first_block * block);
  for (std::size_t b = first_block; b < end_block; ++b) sum += range.blocks[b];
  return sum + by_panel(end_block * block, end);
}

// The top range and the panel in it that hold a value. One between two panels belongs to that towards zero,
// which is there whatever else has been covered: results do not depend on values that others have had. Zero
// belongs to what lies above, unless f is no number there.
std::pair<std::size_t, std::size_t> UnknownIntegral::place_of(Real u) const {
  const auto first_beyond = [u](const auto& all, const auto& from) {
    return u > 0 ? std::ranges::lower_bound(all, u, {}, from) : std::ranges::upper_bound(all, u, {}, from);
  };
  // A search that runs away leaves many of them behind.
  const auto from_of = [](const TopRange& r) { return r.panels.front().from; };
  const auto beyond = first_beyond(ranges_, from_of);
  auto range = static_cast<std::size_t>(std::max<std::ptrdiff_t>(beyond - ranges_.begin(), 1) - 1);
  if (u == 0 && range > 0 && !std::isfinite(ranges_[range].panels.front().whole)) {
    --range;
    return {range, ranges_[range].panels.size() - 1};
  }
  const auto& panels = ranges_[range].panels;
  const auto above = first_beyond(panels, &Panel::from);
  return {range, static_cast<std::size_t>(std::max<std::ptrdiff_t>(above - panels.begin(), 1) - 1)};
}

// Σ c_k·(b^(k+1) − a^(k+1))/((k + 1)·(b − a)): sums of products a^i·b^(k−i), in which nothing cancels where a
// and b are near to each other.
Real UnknownIntegral::Panel::mean_between(Real a, Real b) const {
  const Real middle = 0.5 * (from + to), half = 0.5 * (to - from);
  const Real s = (a - middle) / half, t = (b - middle) / half;
  Real sum = 0, products = 1, power = 1;
  for (std::size_t k = 0; k < terms; ++k) {
    sum += coefficients[k] * products / static_cast<Real>(k + 1);
    power *= s;
    products = t * products + power;
  }
  return sum;
}

Real UnknownIntegral::between(Real a, Real b) const {
  return (b - a) * mean(a, b);
}

Real UnknownIntegral::mean(Real a, Real b) const {
  if (a > b) std::swap(a, b);
  expect(!ranges_.empty(), "UnknownIntegral::mean: values that are covered");
  const auto [first_range, first] = place_of(a);
  const auto [last_range, last] = place_of(b);
  const Panel& low = ranges_[first_range].panels[first];
  const Panel& high = ranges_[last_range].panels[last];
  if (&low == &high) return low.mean_between(a, b);
  Real sum = (low.to - a) * low.mean_between(a, low.to);
  for (std::size_t r = first_range; r <= last_range; ++r)
    sum += sum_of(ranges_[r], r == first_range ? first + 1 : 0,
                  r == last_range ? last : ranges_[r].panels.size());
  sum += (b - high.from) * high.mean_between(high.from, b);
  return sum / (b - a);
}

}  // namespace williwaw
