// Whole fields that a run has recorded so far: each rank writes its own part of them into a journal of its
// own, and what they have written is read back slab by slab.
#pragma once

#include <optional>

#include "williwaw/store/fields.hpp"
#include "williwaw/store/journal.hpp"

namespace williwaw::store {

/// What the records of a run are made of.
struct RecordShape {
  Grid grid;  ///< the whole one, on which all fields are
  std::size_t fields = 1;
  bool velocity = false;
};

/// Numbers of a record, all ranks together.
std::size_t numbers_of_record(const RecordShape& shape);

/// The unknowns of a grid that are a rank's own: a range along each axis.
using OwnRanges = std::array<RowRange, 3>;
/// Of a part of a grid; all of a whole one.
OwnRanges own_ranges(const Grid& part);

/// A run begins a further set of journals, one for each rank, where it goes on with its unknowns dealt out in
/// another way. Names of all sets and ranks: fields.journal, fields.rank1.journal, fields.set1.journal, ..
class FieldJournals {
 public:
  explicit FieldJournals(std::filesystem::path folder) : folder_(std::move(folder)) {}

  std::filesystem::path file(std::size_t set, int rank) const;
  /// There is one.
  bool exist() const { return std::filesystem::exists(file(0, 0)); }
  /// Those of a set, by rank.
  std::vector<std::filesystem::path> of_set(std::size_t set) const;
  /// Cuts the first sets back to so many rows each, and removes those that follow.
  void cut_back(const RecordShape& shape, const std::vector<std::size_t>& rows) const;
  /// Rows of each set that all of its ranks have written.
  std::vector<std::size_t> whole_rows(const RecordShape& shape) const;
  void remove() const { remove_sets(0); }
  /// Visits all records in order. Throws StoreError where one is damaged or its parts do not make up a whole.
  void each(const RecordShape& shape, const std::vector<std::size_t>& rows,
            const std::function<void(RecordSource&)>& visit) const;

 private:
  void remove_sets(std::size_t first) const;

  std::filesystem::path folder_;
};

/// The journal of one rank.
class FieldJournal {
 public:
  /// Of a rank that has these unknowns; starts anew, or goes on after so many rows.
  FieldJournal(const std::filesystem::path& file, const RecordShape& shape, const OwnRanges& own,
               std::size_t rows = 0);
  /// Whether the rows of a file are of these unknowns.
  static bool is_of(const std::filesystem::path& file, const OwnRanges& own);

  /// Appends a record: all fields, of which each may be on the rank's part of the grid, and of the velocity
  /// one value at every unknown of that for each axis.
  void append(Real time, int stage, std::span<const Field> fields, std::span<const Real> velocity);
  const OwnRanges& own() const { return own_; }
  std::size_t rows() const { return rows_.rows(); }
  void flush() { rows_.flush(); }

 private:
  RecordShape shape_;
  OwnRanges own_;
  Journal rows_;
};

}  // namespace williwaw::store
