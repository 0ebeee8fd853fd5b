#include <algorithm>

#include "time/schemes/kinds.hpp"

namespace williwaw {

const std::vector<SchemeKind>& scheme_kinds() {
  static const std::vector<SchemeKind> kinds{schemes::explicit_euler(),
                                             schemes::rk2(),
                                             schemes::ssprk3(),
                                             schemes::rk4(),
                                             schemes::rk45(),
                                             schemes::stabilized(),
                                             schemes::implicit_euler(),
                                             schemes::crank_nicolson(),
                                             schemes::theta(),
                                             schemes::bdf2(),
                                             schemes::sdirk4(),
                                             schemes::adi(),
                                             schemes::implicit_explicit(),
                                             schemes::semi_lagrangian(),
                                             schemes::leapfrog(),
                                             schemes::corrected_leapfrog(),
                                             schemes::newmark()};
  return kinds;
}

Scheme scheme(const std::string& name, Real parameter) {
  const auto& kinds = scheme_kinds();
  const auto found = std::ranges::find(kinds, name, &SchemeKind::name);
  if (found == kinds.end()) {
    std::string known;
    for (const auto& k : kinds) known += (known.empty() ? "" : ", ") + k.name;
    throw InputError(Subject::scheme, "there is no scheme called '" + name + "'; there are " + known);
  }
  if (!found->parameter.empty() && !(parameter >= found->lowest && parameter <= found->highest))
    throw InputError(Subject::scheme, "scheme '" + name + "': " + found->parameter + " must lie between " +
                                          to_text(found->lowest) + " and " + to_text(found->highest));
  return found->make(parameter);
}

}  // namespace williwaw
