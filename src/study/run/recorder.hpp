// The series of a run, row by row while it goes on, over all its stages.
#pragma once

#include "study/run/measures.hpp"
#include "williwaw/store/run_series.hpp"
#include "williwaw/study/run.hpp"

namespace williwaw::study {

/// What of a recorder belongs into a checkpoint.
struct RecorderMemory {
  store::SeriesWriter::Mark series;  ///< of the series so far
  std::vector<Real> earlier;         ///< what came in during earlier stages, for each line
  std::optional<Real> last_row;
};

class Recorder {
 public:
  /// `lines` are those of the ledgers of all stages, without repetition.
  Recorder(const Case& given, Discretization& balance, const std::vector<LedgerLine>& lines,
           std::filesystem::path folder, const RecorderMemory* from = nullptr);

  /// What follows belongs to this stage.
  void begin_stage(const Case& given, Discretization& balance);
  /// A stage that goes on from a checkpoint.
  void go_on(const RecorderMemory& from);

  /// A row that a record, or the end of a stage, at the same time has written already is not repeated.
  bool has_row(Real time) const { return last_row_ == time; }
  void series(const StepInfo& m, const RowMeasures& measured);
  /// The row of a steady state: nothing has come in since a start.
  void row_of_steady(const State& y, const Totals& totals, const Ledger& flows, Real residual);

  RecorderMemory remember();
  /// Completes series.csv; what a resumed run needs stays beside it until `clean`.
  void finish() { series_.finish(true); }
  void clean() { series_.remove_partial(); }

 private:
  using Cells = std::vector<std::optional<Real>>;
  struct Row {
    Real time;
    const RowMeasures& measured;
    Cells flows, amounts;  ///< for each line of this stage
    Real residual;
    const Budget* budget;  ///< null for a steady state
    bool between_steps;
  };

  void append(const Row& row);

  const Case* given_;
  std::vector<store::Scale> flow_scales_;  ///< by unknown, for all stages
  Discretization* balance_;
  std::vector<LedgerLine> lines_;
  std::vector<std::size_t> column_of_line_;
  store::Scale time_;  ///< of the series: the case's, or a smaller unit in which its times are round
  std::vector<Sight> sights_;
  store::SeriesWriter series_;
  std::vector<Real> earlier_, amounts_;  ///< before this stage and until now, for each of `lines_`
  std::optional<Real> last_row_;         ///< when it was written
};

}  // namespace williwaw::study
