#include "williwaw/terms/limiter.hpp"

#include <algorithm>

#include "terms/advection/slopes.hpp"

namespace williwaw {

const std::vector<LimiterKind>& limiter_kinds() {
  static const std::vector<LimiterKind> kinds{{"first-order", slopes::None::of},
                                              {"minmod", slopes::Minmod::of},
                                              {"van-leer", slopes::VanLeer::of},
                                              {"monotonized-central", slopes::Monotonized::of},
                                              {"superbee", slopes::Superbee::of}};
  return kinds;
}

const LimiterKind& limiter_kind(const std::string& name) {
  const auto& kinds = limiter_kinds();
  const auto found = std::ranges::find(kinds, name, &LimiterKind::name);
  if (found == kinds.end()) {
    std::string known;
    for (const auto& k : kinds) known += (known.empty() ? "" : ", ") + k.name;
    throw InputError(Subject::reconstruction,
                     "there is no reconstruction called '" + name + "'; there are " + known);
  }
  return *found;
}

}  // namespace williwaw
