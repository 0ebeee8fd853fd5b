// Records a run while it goes on: whole fields into a journal, the series row by row, over all its stages.
#pragma once

#include "study/run/measures.hpp"
#include "williwaw/store/journal.hpp"
#include "williwaw/store/run_series.hpp"
#include "williwaw/study/run.hpp"

namespace williwaw::study {

/// What of a recorder belongs into a checkpoint.
struct RecorderMemory {
  std::size_t fields = 0;            ///< rows of the journal
  store::SeriesWriter::Mark series;  ///< of the series so far
  std::vector<Real> earlier;         ///< what came in during earlier stages, for each line
  std::optional<Real> last_row, last_record;
  std::vector<Comparison> comparisons;
};

class Recorder {
 public:
  /// `lines` are those of the ledgers of all stages, without repetition.
  Recorder(const Case& given, Discretization& balance, const std::vector<LedgerLine>& lines,
           std::filesystem::path folder, const RecorderMemory* from = nullptr);

  /// Numbers of a row of the journal: time, stage, the field of each unknown with its halo, velocities.
  static std::size_t row_length(const Case& given, const Discretization& balance);
  /// What follows belongs to this stage.
  void begin_stage(Index stage, const Case& given, Discretization& balance);
  /// A stage that goes on from a checkpoint.
  void go_on(const RecorderMemory& from);

  /// A row that a record, or the end of a stage, at the same time has written already is not repeated.
  bool has_row(Real time) const { return last_.row && *last_.row == time; }
  void series(const StepInfo& m, const RowMeasures& measured);
  void record(const StepInfo& m);
  /// The row of a steady state: nothing has come in since a start.
  void row_of_steady(const State& y, const Totals& totals, const Ledger& flows, Real residual);
  void record(Real time, const State& y);

  RecorderMemory remember();
  /// Completes fields.nc and series.csv; what a resumed run needs stays beside them until `clean`.
  void finish();
  void clean();

  const std::vector<Comparison>& comparisons() const { return comparisons_; }
  Index records() const { return static_cast<Index>(fields_.rows()); }

 private:
  void write_fields(const std::filesystem::path& file);
  using Cells = std::vector<std::optional<Real>>;
  struct Row {
    Real time;
    const RowMeasures& measured;
    Cells flows, amounts;  ///< for each line of this stage
    Real residual;
    const Budget* budget;  ///< null for a steady state
    bool between_steps;
  };

  std::vector<store::Column> columns() const;
  const casefile::UnknownOfCase& unknown_of(const LedgerLine& line) const;
  void append(const Row& row);

  const Case* given_;
  Discretization* balance_;
  std::filesystem::path folder_;
  std::vector<LedgerLine> lines_;
  std::vector<std::size_t> column_of_line_;
  store::Description about_;
  store::Scale time_;  ///< of the series: the case's, or a smaller unit in which its times are round
  std::vector<Real> fractions_;
  std::vector<Sight> sights_;
  std::vector<DerivedField> derived_;
  Index stage_ = 0;
  store::Journal fields_;
  store::SeriesWriter series_;
  std::vector<Real> earlier_, amounts_;  ///< before this stage and until now, for each of `lines_`
  /// When the last row and the last whole field were written.
  struct Last {
    std::optional<Real> row, record;
  };
  Last last_;
  std::vector<Comparison> comparisons_;
};

}  // namespace williwaw::study
