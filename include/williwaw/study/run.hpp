// Runs a case: marches it and leaves a result folder.
#pragma once

#include "williwaw/store/folder_lock.hpp"
#include "williwaw/store/written.hpp"
#include "williwaw/study/check.hpp"

namespace williwaw::study {

/// How far the solution is from the exact one at a record, in shown units.
struct Comparison {
  Real time = 0;
  Norms norms;
  std::size_t unknown = 0;
};

struct RunOptions {
  std::filesystem::path folder;
  /// Told besides what the run itself records; `arrived` ends the stage that is run. On several ranks those
  /// of the first one are, `on_series` and `on_record` with that rank's part of the state.
  Observers observers = {};
  /// Told when a stage begins: its title, its case and what was prepared.
  std::function<void(const Case&, const Prepared&)> on_stage = {};
  bool resume = false;           ///< go on from the folder's checkpoint, where there is one
  Real checkpoint_seconds = 10;  ///< between checkpoints, of real time; 0: after every step
  /// Who marches together; null: this process alone. The first of them calls run_case, which writes the files
  /// and is told what happens, the others run_beside with the same case, boxes and folder.
  Communicator* ranks = nullptr;
  /// Boxes along each axis; zeros: as `Decomposition::choose` has it.
  std::array<int, 3> boxes{0, 0, 0};

  bool shared() const { return ranks && ranks->size() > 1; }
  Communicator& communicator() const { return ranks ? *ranks : Communicator::self(); }
  /// This process is the one that writes.
  bool writes() const { return !shared() || ranks->rank() == 0; }
};

struct RunResult {
  Outcome outcome;  ///< of a run in time
  std::optional<SteadyOutcome> steady;
  std::vector<Comparison> comparisons;
  std::vector<std::string> files;
  Index records = 0;
  Real seconds = 0;
  Report closing;                     ///< closing words of all stages
  std::vector<store::Moved> earlier;  ///< what somebody had drawn of an earlier run in this folder
  std::optional<Index> resumed_at;    ///< step of the checkpoint that it went on from
  /// Keeps others from writing into the folder while figures are drawn there.
  std::shared_ptr<store::FolderLock> lock;
};

/// Where a case's results go unless told otherwise: CASE.out beside the working directory.
std::filesystem::path default_folder(const std::filesystem::path& case_file);

/// Marches a prepared case, or finds its steady state, and writes fields.nc, series.csv, summary.json,
/// case.toml and run.log; a steady state adds residuals.csv, and boundaries.csv tells what flows through
/// every face of every boundary at the end. What was recorded is kept when the run blows up, is interrupted,
/// meets data that are no numbers, or cannot write its files. Throws StoreError where another process writes
/// into the folder.
RunResult run_case(const Case& given, Prepared& prepared, const RunOptions& options);

/// The part of another rank than the first in a run: it marches its own boxes and leaves the rest to
/// `run_case` there.
void run_beside(const Case& given, int threads, const RunOptions& options);

/// Throws CaseError for what several ranks cannot do, as run_case does on them before anything is written.
void refuse_on_ranks(const Case& given, const Prepared& prepared);

/// Whether a run in the folder can go on from a checkpoint.
bool has_checkpoint(const std::filesystem::path& folder);

/// What a run that was killed, or could not write its files, had recorded: completes fields.nc and series.csv
/// from its journal and returns the number of whole fields. A checkpoint stays, so that the run can still go
/// on. Throws StoreError for a folder that holds no journal.
Index recover(const std::filesystem::path& folder);

/// The closing words of a run: budget, how settled it is, comparison, files.
Report closing_report(const Case& given, const Prepared& prepared, const RunResult& result);
/// The fields of a state, in SI, in the order of the case's unknowns, on the grid that results are shown on.
/// Halos have the values on the boundaries.
std::vector<Field> shown_fields(const Case& given, Discretization& balance, const State& y, Real time);
/// What a march made of steps that share a pass over memory, in a line.
std::string tiling_text(const TilingOutcome& tiling);

/// A part of the time that a run took, in seconds.
struct TimePart {
  std::string what;
  Real seconds = 0;
};
/// Ends run.log in the folder of a run with these parts and what they sum up to. Throws StoreError where it
/// cannot be written.
void log_times(const std::filesystem::path& folder, const std::vector<TimePart>& parts);

}  // namespace williwaw::study
