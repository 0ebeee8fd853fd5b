// Checkpoints of runs: written every so often, read by `run --resume`.
#pragma once

#include "study/run/cycle_watch.hpp"
#include "study/run/field_recorder.hpp"
#include "study/run/recorder.hpp"
#include "study/run/settled.hpp"

namespace williwaw::study {

struct Checkpoint {
  std::string case_text;
  Index stage = 0;
  Real stage_start = 0;
  State stage_initial;  ///< of later stages, what they started from
  Snapshot snapshot;
  RecorderMemory recorder;
  FieldMemory fields;
  SettledMemory settled;
  CycleMemory cycle;
  store::SeriesWriter::Mark steps;  ///< of steps.csv
  std::string past;                 ///< closing words of the stages before, as Report remembers them

  static std::filesystem::path file_in(const std::filesystem::path& folder) { return folder / "checkpoint"; }
  /// The one before, which stays until the next is written.
  static std::filesystem::path earlier_in(const std::filesystem::path& folder) {
    return folder / "checkpoint.before";
  }
  static bool exists(const std::filesystem::path& folder) {
    return std::filesystem::exists(file_in(folder)) || std::filesystem::exists(earlier_in(folder));
  }
  static void remove(const std::filesystem::path& folder);
  void save(const std::filesystem::path& folder) const;
  /// Where the last one is damaged the one before is taken, and `trouble` says so. Throws StoreError.
  static Checkpoint load(const std::filesystem::path& folder, std::string& trouble);

 private:
  static Checkpoint read(const std::filesystem::path& file);
};

}  // namespace williwaw::study
