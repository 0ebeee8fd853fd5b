// How many inputs of a harness were accepted deep enough to do their work; told when it ends.
#pragma once

#include <cstdio>
#include <string>
#include <vector>

namespace williwaw::fuzz {

struct Count {
  long tried = 0, accepted = 0;
  ~Count() {
    std::fprintf(stderr, "accepted %ld of %ld inputs (%.1f %%)\n", accepted, tried,
                 tried > 0 ? 100.0 * static_cast<double>(accepted) / static_cast<double>(tried) : 0.0);
  }
};

inline Count& count() {
  static Count counted;
  return counted;
}

/// Inputs that were accepted lately, for mutators to start from: what is refused shows new lines of code too,
/// and would soon be all that is mutated.
inline std::vector<std::string>& accepted_inputs() {
  static std::vector<std::string> inputs;
  return inputs;
}

inline void accept(const std::string& input) {
  constexpr std::size_t most = 256;
  auto& all = accepted_inputs();
  if (all.size() < most)
    all.push_back(input);
  else
    all[static_cast<std::size_t>(count().accepted) * 7919 % most] = input;
  ++count().accepted;
}

}  // namespace williwaw::fuzz
