// Checkpoints of runs: written every so often, read by `run --resume`.
#pragma once

#include "cycle_watch.hpp"
#include "recorder.hpp"
#include "settled.hpp"

namespace williwaw::casefile {

struct Checkpoint {
  std::string case_text;
  Index stage = 0;
  Real stage_start = 0;
  State stage_initial;  ///< of later stages, what they started from
  Snapshot snapshot;
  RecorderMemory recorder;
  SettledMemory settled;
  CycleMemory cycle;

  static std::filesystem::path file_in(const std::filesystem::path& folder) { return folder / "checkpoint"; }
  void save(const std::filesystem::path& folder) const;
  /// Throws StoreError.
  static Checkpoint load(const std::filesystem::path& folder);
};

}  // namespace williwaw::casefile
