#include "williwaw/verify/ladder.hpp"

#include <algorithm>
#include <cmath>

namespace williwaw::verify {

namespace {

// How near an order must be to the theory, and to the one before, to count as the same.
constexpr Real near = 0.15, fair = 0.6;

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
      return "a steady order, but not the one that is due";
    case Trend::erratic:
      break;
  }
  return "erratic orders, not to be trusted";
}

Climb climb_errors(const std::vector<Real>& errors, Real ratio, Real theory, Real floor) {
  if (errors.size() < 2) throw InputError("an order needs the errors of two levels or more");
  Climb result;
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

Climb climb_differences(const std::vector<Real>& differences, Real ratio, Real theory, Real floor) {
  Climb result = climb_errors(differences, ratio, theory, floor);
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

Climb climb_values(const std::vector<Real>& values, Real ratio, Real theory, Real floor) {
  if (values.size() < 3) throw InputError("an order without a known solution needs three levels or more");
  std::vector<Real> differences;
  for (std::size_t l = 1; l < values.size(); ++l) differences.push_back(values[l] - values[l - 1]);
  Climb result = climb_differences(differences, ratio, theory, floor);
  result.extrapolated = values.back();
  if (result.trend == Trend::exact) return result;
  // Differences that change sign do not shrink by a power of the spacing.
  const std::size_t last = differences.size() - 1;
  if (differences[last] * differences[last - 1] < 0) {
    result.trend = Trend::erratic;
    result.uncertainty = 3 * std::max(std::abs(differences[last]), std::abs(differences[last - 1]));
    return result;
  }
  if (result.trend != Trend::erratic) {
    const Real order = std::clamp(result.orders.back(), 0.5, theory + 0.5);
    result.extrapolated += differences[last] / (std::pow(ratio, order) - 1);
  }
  return result;
}

Real uncertainty_of_two(Real difference, Real ratio, Real order, Real safety) {
  if (!(ratio > 1) || !(order > 0))
    throw InputError("two resolutions must differ, and the order be above zero");
  return safety * std::abs(difference) / (std::pow(ratio, order) - 1);
}

}  // namespace williwaw::verify
