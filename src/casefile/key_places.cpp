#include "williwaw/casefile/case.hpp"

namespace williwaw::casefile {

void KeyPlaces::add(Subject subject, KeyPlace place, const std::string& name) {
  places_.emplace(std::pair(subject, name), std::move(place));
}

const KeyPlace& KeyPlaces::of(Subject subject, const std::string& name) const {
  for (const auto& wanted : {std::pair(subject, name), {subject, ""}, {Subject::equation, ""}})
    if (const auto found = places_.find(wanted); found != places_.end()) return found->second;
  static const KeyPlace unknown;
  return unknown;
}

CaseError KeyPlaces::error(Subject subject, const std::string& text, const std::string& name) const {
  const KeyPlace& found = of(subject, name);
  return {found.place, found.key, text};
}

}  // namespace williwaw::casefile
