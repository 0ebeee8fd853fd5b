// The error that every wrong case file ends in: where, which key, what was found, what would be right.
#pragma once

#include "williwaw/grid/types.hpp"

namespace williwaw::casefile {

/// The message reads "file:line: key: text".
class CaseError : public InputError {
 public:
  CaseError(const std::string& place, const std::string& key, const std::string& text)
      : InputError(place + ": " + (key.empty() ? "" : key + ": ") + text),
        place_(place),
        key_(key),
        text_(text) {}
  const std::string& place() const { return place_; }
  const std::string& key() const { return key_; }
  const std::string& text() const { return text_; }

 private:
  std::string place_, key_, text_;
};

}  // namespace williwaw::casefile
