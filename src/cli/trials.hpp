// Several runs of a case side by side, each in a process of its own.
#pragma once

#include <filesystem>
#include <functional>
#include <optional>
#include <string>
#include <vector>

#include "williwaw/study/end_values.hpp"

namespace williwaw::cli {

/// One run of a sweep: what is changed, and how it went.
struct Trial {
  std::string label;    ///< of the table's row and the figure's curve
  std::string variant;  ///< title of a variant, or empty
  Index sample = 0;     ///< of [samples]
  std::vector<std::string> set = {};
  std::filesystem::path folder = {};

  std::string verdict;
  std::string trouble;  ///< why there is no result
  bool finished = false;
  Index effort = 0;  ///< steps, or iterations
  Real residual = 0, seconds = 0;
  std::vector<study::EndValue> values = {};
};

/// "time.step=30 s,60 s" or "time.theta=0.5..1 by 0.1": a key and its values. Throws InputError.
struct Varied {
  std::string key;
  std::vector<std::string> values;
};
Varied varied_from(const std::string& option);

/// All combinations of variants and varied keys, the last key fastest. Folders lie in `folder`; the case
/// without a variant is called `as_written`.
std::vector<Trial> trials_of(const std::vector<std::string>& variants, const std::vector<Varied>& varied,
                             const std::filesystem::path& folder, const std::string& as_written);

/// How trials are run.
struct TrialRules {
  int jobs = 1;     ///< at a time
  int threads = 1;  ///< of each
  bool force = false;
  bool remembered = false;  ///< what came of each is kept, for those who resume
  bool resume = false;      ///< go on from checkpoints; what has ended already is not run again
  std::optional<Real> checkpoint_seconds = {};
  study::MemoryLimit memory = {};
  /// Who shares the trials, so many at a time on each rank; null: this process alone. All of them call
  /// run_trials with the same trials, and know in the end what came of each.
  Communicator* ranks = nullptr;
  /// Asked between steps, and when a signal came: stop, and keep what is there.
  std::function<bool()> interrupt = {};
};

/// Runs all of them; one whose case is wrong is refused, with the reason. Throws InputError where all are,
/// with the message of the first one.
void run_trials(const std::filesystem::path& file, const std::vector<std::string>& set,
                const TrialRules& rules, std::vector<Trial>& trials);

}  // namespace williwaw::cli
