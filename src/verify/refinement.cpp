#include "williwaw/verify/refinement.hpp"

#include <algorithm>
#include <cmath>
#include <limits>

namespace williwaw::verify {

namespace {

// How near an order must be to the theory, and to the one before, to count as the same.
constexpr Real near = 0.15, fair = 0.6;
// Orders below this are those of a logarithm, or of nothing at all.
constexpr Real no_order = 0.2;

Trend trend_of(const std::vector<Real>& orders, Real theory) {
  if (orders.empty()) return Trend::erratic;
  const Real last = orders.back();
  // Orders that swing widely have met something that the grid does not follow.
  const auto [low, high] = std::ranges::minmax_element(orders);
  if (*high - *low > 2) return Trend::erratic;
  for (const Real p : orders)
    if (!std::isfinite(p)) return Trend::erratic;
  const Real miss = std::abs(last - theory);
  if (orders.size() == 1)
    return miss <= near ? Trend::asymptotic : miss <= fair ? Trend::approaching : Trend::erratic;
  const Real before = orders[orders.size() - 2], change = std::abs(last - before);
  if (miss <= near && change <= fair) return Trend::asymptotic;
  if (miss <= fair && miss <= std::abs(before - theory) + 0.05) return Trend::approaching;
  if (change <= 2 * near && last > 0.3) return Trend::off;
  return Trend::erratic;
}

}  // namespace

std::string trend_text(Trend trend) {
  switch (trend) {
    case Trend::exact:
      return "exact up to round-off";
    case Trend::asymptotic:
      return "the asymptotic range is reached";
    case Trend::approaching:
      return "near the asymptotic range, not in it yet";
    case Trend::off:
      return "constant order, different from the expected one";
    case Trend::no_limit:
      return "differences do not shrink: no limit in sight";
    case Trend::erratic:
      break;
  }
  return "erratic orders, not to be trusted";
}

OrderStudy study_errors(const std::vector<Real>& errors, Real ratio, Real theory, Real floor) {
  if (errors.size() < 2) throw InputError("an order needs the errors of two levels or more");
  OrderStudy result;
  if (std::ranges::all_of(errors, [&](Real e) { return std::abs(e) <= floor; })) {
    result.trend = Trend::exact;
    return result;
  }
  for (std::size_t l = 1; l < errors.size(); ++l)
    result.orders.push_back(std::log(std::abs(errors[l - 1] / errors[l])) / std::log(ratio));
  result.trend = trend_of(result.orders, theory);
  if (std::abs(errors.back()) <= floor && result.trend != Trend::erratic) result.trend = Trend::exact;
  result.uncertainty = std::abs(errors.back());
  return result;
}

OrderStudy study_differences(const std::vector<Real>& differences, Real ratio, Real theory, Real floor) {
  OrderStudy result = study_errors(differences, ratio, theory, floor);
  if (result.trend == Trend::exact) {
    result.uncertainty = floor;
    return result;
  }
  const bool trusted = result.trend == Trend::asymptotic || result.trend == Trend::approaching;
  const Real seen = std::isfinite(result.orders.back()) ? result.orders.back() : 0;
  const Real order = std::clamp(seen, 0.5, theory);
  result.uncertainty = (result.trend == Trend::asymptotic ? 1.25
                        : trusted                         ? 1.6
                                                          : 3) *
                       std::abs(differences.back()) /
                       (std::pow(ratio, trusted ? order : std::min(order, 1.0)) - 1);
  return result;
}

OrderStudy study_values(const std::vector<Real>& values, Real ratio, Real theory, Real floor) {
  if (values.size() < 3) throw InputError("an order without a known solution needs three levels or more");
  std::vector<Real> differences;
  for (std::size_t l = 1; l < values.size(); ++l) differences.push_back(values[l] - values[l - 1]);
  OrderStudy result = study_differences(differences, ratio, theory, floor);
  result.extrapolated = values.back();
  if (result.trend == Trend::exact) return result;
  // Differences that change sign do not shrink by a power of the spacing.
  const std::size_t last = differences.size() - 1;
  if (differences[last] * differences[last - 1] < 0) {
    result.trend = Trend::erratic;
    result.uncertainty = 3 * std::max(std::abs(differences[last]), std::abs(differences[last - 1]));
    return result;
  }
  if (result.orders.back() < no_order &&
      std::ranges::all_of(result.orders, [](Real p) { return p < fair; })) {
    result.trend = Trend::no_limit;
    return result;
  }
  if (result.trend != Trend::erratic) {
    const Real order = std::clamp(result.orders.back(), 0.5, theory + 0.5);
    result.extrapolated += differences[last] / (std::pow(ratio, order) - 1);
  }
  return result;
}

namespace {

// The order at which differences of values at spacings 1, r and s stand as they do: (s^p − r^p)/(r^p − 1) =
// quotient, between the bounds.
Real order_between(Real quotient, Real r, Real s, Real lowest, Real highest) {
  const auto at = [&](Real p) {
    return std::abs(p) < 1e-6 ? std::log(s / r) / std::log(r)
                              : (std::pow(s, p) - std::pow(r, p)) / (std::pow(r, p) - 1);
  };
  if (quotient <= at(lowest)) return lowest;
  if (quotient >= at(highest)) return highest;
  for (int n = 0; n < 60; ++n) {
    const Real middle = 0.5 * (lowest + highest);
    (at(middle) < quotient ? lowest : highest) = middle;
  }
  return lowest;
}

constexpr Real highest_order = 12;

struct Fit {
  Real limit, slope, scatter;
};

// Weighted least squares of limit + slope·ratio^order.
Fit fit_power(std::span<const Real> values, std::span<const Real> ratios, Real order) {
  Real w = 0, x = 0, y = 0;
  for (std::size_t n = 0; n < values.size(); ++n) {
    w += 1 / ratios[n];
    x += std::pow(ratios[n], order) / ratios[n];
    y += values[n] / ratios[n];
  }
  x /= w;
  y /= w;
  Real xx = 0, xy = 0;
  for (std::size_t n = 0; n < values.size(); ++n) {
    const Real d = std::pow(ratios[n], order) - x;
    xx += d * d / ratios[n];
    xy += d * (values[n] - y) / ratios[n];
  }
  Fit fit{y - xy / xx * x, xy / xx, 0};
  for (std::size_t n = 0; n < values.size(); ++n) {
    const Real d = values[n] - fit.limit - fit.slope * std::pow(ratios[n], order);
    fit.scatter += d * d / ratios[n];
  }
  const auto count = static_cast<Real>(values.size());
  fit.scatter = std::sqrt(fit.scatter / w * count / (count - 2));
  return fit;
}

}  // namespace

LevelSpread spread_of(std::span<const Real> values, std::span<const Real> ratios, Real theory, Real floor) {
  if (values.empty() || values.size() > 3 || values.size() != ratios.size())
    throw InputError("one to three levels are needed, each with its ratio");
  LevelSpread result;
  result.order = theory;
  if (values.size() == 1) return result;
  const Real last = values[0] - values[1];
  if (values.size() == 2) {
    result.uncertainty = uncertainty_of_two(last, ratios[1], theory, 2);
    result.even = false;
    return result;
  }
  const Real r = ratios[1], s = ratios[2], before = values[1] - values[2];
  if (std::abs(last) <= floor && std::abs(before) <= floor) return result;
  const auto advected = [](Real difference, Real from, Real to, Real order) {
    return std::abs(difference) / (std::pow(to, order) - std::pow(from, order));
  };
  const Real either = std::max(advected(last, 1, r, theory), advected(before, r, s, theory));
  if (last * before <= 0) {
    result.even = false;
    result.uncertainty = 1.5 * std::max(either, std::abs(last));
    return result;
  }
  result.order = order_between(before / last, r, s, -2, highest_order);
  if (result.order < no_order && std::abs(last) > floor) {
    result.even = result.shrinks = false;
    result.uncertainty = 3 * std::max(std::abs(last), std::abs(before));
    return result;
  }
  if (result.order > theory + 0.75) {
    result.even = false;
    result.order = theory;
    result.uncertainty = 1.5 * either;
    return result;
  }
  result.even = result.order > theory - 0.6;
  result.order = std::min(result.order, theory);
  const Real size = advected(last, 1, r, result.order);
  result.uncertainty = (result.even ? 1.5 : 2) * size;
  if (result.even) result.correction = last > 0 ? size : -size;
  return result;
}

bool grows_like_logarithm(std::span<const Real> values, std::span<const Real> ratios) {
  std::vector<Real> slopes;
  for (std::size_t l = 1; l < values.size(); ++l)
    slopes.push_back((values[l] - values[l - 1]) / std::log(ratios[l] / ratios[l - 1]));
  if (slopes.size() < 2) return false;
  for (const Real slope : slopes)
    if (slope * slopes[0] <= 0 || std::abs(slopes[0]) < 0.8 * std::abs(slope)) return false;
  return true;
}

LevelSpread spread_about_fit(std::span<const Real> values, std::span<const Real> ratios, Real theory,
                             Real floor) {
  if (values.size() < 4 || values.size() != ratios.size())
    throw InputError("a fit needs four levels or more, each with its ratio");
  const auto [low, high] = std::ranges::minmax_element(values);
  LevelSpread result;
  result.order = theory;
  if (*high - *low <= floor) return result;
  result.even = false;
  Real least = std::numeric_limits<Real>::infinity();
  for (const Real order : {0.5, 1.0, theory})
    least = std::min(least, fit_power(values, ratios, order).scatter);
  for (const Real order : {0.5, 1.0, theory}) {
    const Fit fit = fit_power(values, ratios, order);
    if (fit.scatter > 1.25 * least + floor) continue;
    const Real here =
        1.15 * std::abs(fit.slope) + 1.7 * fit.scatter + std::abs(values[0] - fit.limit - fit.slope);
    if (here < result.uncertainty) continue;
    result.uncertainty = here;
    result.order = order;
  }
  return result;
}

Real uncertainty_of_two(Real difference, Real ratio, Real order, Real safety) {
  if (!(ratio > 1) || !(order > 0))
    throw InputError("two resolutions must differ, and the order be above zero");
  return safety * std::abs(difference) / (std::pow(ratio, order) - 1);
}

}  // namespace williwaw::verify
