#include "grid/named.hpp"
#include "time/schemes/kinds.hpp"

namespace williwaw {

const std::vector<SchemeKind>& scheme_kinds() {
  static const std::vector<SchemeKind> kinds{
#define KIND(name) schemes::name(),
#include "time/schemes/list.inc"
#undef KIND
  };
  return kinds;
}

Scheme scheme(const std::string& name, Real parameter) {
  const SchemeKind& kind = named(scheme_kinds(), name, Subject::scheme, "scheme");
  if (!kind.parameter.empty() && !(parameter >= kind.lowest && parameter <= kind.highest))
    throw InputError(Subject::scheme, "scheme '" + name + "': " + kind.parameter + " must lie between " +
                                          to_text(kind.lowest) + " and " + to_text(kind.highest));
  return kind.make(parameter);
}

}  // namespace williwaw
