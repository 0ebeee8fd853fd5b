#include "williwaw/space/limiter.hpp"

#include <algorithm>
#include <cmath>

namespace williwaw {

namespace {

Real none(Real, Real) {
  return 0;
}

Real smaller(Real a, Real b) {
  return std::abs(a) < std::abs(b) ? a : b;
}

Real minmod(Real a, Real b) {
  return a * b > 0 ? smaller(a, b) : 0;
}

Real van_leer(Real a, Real b) {
  return a * b > 0 ? 2 * a * b / (a + b) : 0;
}

Real monotonized(Real a, Real b) {
  return a * b > 0 ? smaller(0.5 * (a + b), 2 * smaller(a, b)) : 0;
}

Real superbee(Real a, Real b) {
  if (!(a * b > 0)) return 0;
  const Real first = smaller(2 * a, b), second = smaller(a, 2 * b);
  return std::abs(first) > std::abs(second) ? first : second;
}

}  // namespace

const std::vector<LimiterKind>& limiter_kinds() {
  static const std::vector<LimiterKind> kinds{{"none", none},
                                              {"minmod", minmod},
                                              {"van-leer", van_leer},
                                              {"mc", monotonized},
                                              {"superbee", superbee}};
  return kinds;
}

const LimiterKind& limiter_kind(const std::string& name) {
  const auto& kinds = limiter_kinds();
  const auto found = std::ranges::find(kinds, name, &LimiterKind::name);
  if (found == kinds.end()) {
    std::string known;
    for (const auto& k : kinds) known += (known.empty() ? "" : ", ") + k.name;
    throw InputError("there is no reconstruction called '" + name + "'; there are " + known);
  }
  return *found;
}

}  // namespace williwaw
