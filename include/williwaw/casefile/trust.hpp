// `run --trust`: every headline number with its uncertainty, from companion runs on a coarser grid and with
// half the step.
#pragma once

#include "williwaw/casefile/answer.hpp"

namespace williwaw::casefile {

struct Trusted {
  Headline headline;
  Real from_space = 0, from_time = 0;
  Real uncertainty() const { return from_space + from_time; }
};

struct Trust {
  std::vector<Trusted> numbers;
  /// Why a part is missing; empty where none is.
  std::string without_space, without_time;
  Real seconds = 0;               ///< that the companions took
  bool first_stage_only = false;  ///< the case has more stages than were looked at
};

/// Solves the case and its companions. Each part is the difference to its companion carried on by the order
/// of the grid (2) or of the scheme, times 1.5 since two results cannot show their order.
Trust assess(const std::filesystem::path& file, const std::vector<std::string>& overrides,
             Execution execution = {}, const Reading& reading = {});

Report trust_report(const Trust& trust);

}  // namespace williwaw::casefile
