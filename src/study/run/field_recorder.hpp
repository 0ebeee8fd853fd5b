// Records whole fields while a run goes on, over all its stages: each rank its own part, into a journal of
// its own. fields.nc is made of all of them when the run ends.
#pragma once

#include "study/run/derived.hpp"
#include "williwaw/store/field_journal.hpp"
#include "williwaw/study/run.hpp"

namespace williwaw::study {

/// What of the fields belongs into a checkpoint.
struct FieldMemory {
  std::vector<std::size_t> rows;  ///< of each set of journals
  std::optional<Real> last;       ///< time of the last record
  std::vector<Comparison> comparisons;
};

/// Ranks that share a run each have one, and call its functions together unless it says otherwise.
class FieldRecorder {
 public:
  /// Goes on after what a checkpoint remembers; else journals of an earlier run in the folder are gone. The
  /// first rank makes its own before the others record.
  FieldRecorder(const Case& given, std::filesystem::path folder, Communicator& ranks,
                const FieldMemory* from = nullptr);

  /// What follows belongs to this stage, whose balance is the rank's part; both must outlive it.
  void begin_stage(Index stage, const Case& given, Discretization& balance);
  /// A record at the time of the last one is not repeated.
  void record(Real time, const State& y);
  /// What this rank has recorded is on the disk after this.
  void flush();
  /// Flushes first.
  FieldMemory remember();

  /// How far the unknowns are from exact solutions; of all ranks.
  const std::vector<Comparison>& comparisons() const { return comparisons_; }
  Index records() const;

  // For the first rank, when all others have flushed.
  /// Writes fields.nc of a case whose balance is whole; the journals stay until `clean`.
  void finish(const Case& given, const Discretization& whole);
  void clean() { journals_.remove(); }

 private:
  std::filesystem::path folder_;
  Communicator& ranks_;
  store::RecordShape shape_;
  store::FieldJournals journals_;
  std::vector<std::size_t> earlier_;  ///< rows of the sets before that of `own_`
  std::optional<store::FieldJournal> own_;
  std::optional<Real> last_;
  std::vector<Comparison> comparisons_;
  Index stage_ = 0;
  const Case* given_ = nullptr;
  Discretization* balance_ = nullptr;
  std::vector<DerivedField> derived_;
};

/// What a record of a case consists of.
store::RecordShape shape_of_records(const Case& given);
/// Completes fields.nc from journals with so many rows in each set.
void write_fields(const Case& given, const Discretization& whole, const std::filesystem::path& folder,
                  const std::vector<std::size_t>& rows);

}  // namespace williwaw::study
