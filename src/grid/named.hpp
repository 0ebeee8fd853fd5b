// Lists of kinds, and their entries by name.
#pragma once

#include <algorithm>
#include <vector>

#include "williwaw/grid/types.hpp"

namespace williwaw {

/// "a, b, c"
template <class Kind>
std::string names_of(const std::vector<Kind>& kinds) {
  std::string result;
  for (const Kind& kind : kinds) result += (result.empty() ? "" : ", ") + kind.name;
  return result;
}

/// The entry called `name`. Throws InputError with the names that there are; `what` is what they are.
template <class Kind>
const Kind& named(const std::vector<Kind>& kinds, const std::string& name, Subject subject,
                  const std::string& what) {
  const auto found = std::ranges::find(kinds, name, &Kind::name);
  if (found == kinds.end())
    throw InputError(subject, "there is no " + what + " called '" + name + "'; there are " + names_of(kinds));
  return *found;
}

}  // namespace williwaw
