// The columns of series.csv that measure an unknown.
#pragma once

#include <optional>

#include "williwaw/store/series.hpp"
#include "williwaw/study/open_case.hpp"
#include "williwaw/terms/discretization.hpp"
#include "williwaw/verify/shape.hpp"

namespace williwaw::study {

/// An unknown at a time, as its columns see it.
struct Measured {
  const Case& given;
  Discretization& balance;
  std::size_t unknown;
  const State& state;
  const Totals& totals;  ///< of this unknown
  /// Of `shape`, which is computed once for all columns.
  mutable std::optional<verify::Shape> shape_so_far = {};

  /// How its values are shown.
  store::Scale scale() const;
  const verify::Shape& shape() const;
};

/// How the values of an unknown are shown: the case says it of the first one, others are in SI.
store::Scale scale_of(const Case& given, std::size_t unknown);

struct SeriesColumn {
  std::string name;
  /// What kind of quantity it is, for summary.json: "extremum", "mean", "energy", "content", "norm", "count".
  std::string kind;
  Real (*value)(const Measured&);
  std::string (*unit)(const Case&, std::size_t unknown);
  /// Whether there is such a column; null: always. `equations` says of what.
  bool (*applies)(const Discretization&) = nullptr;
  std::string equations = "all equations";
  int digits = 10;
};

/// Every one there is, in the order of the file.
const std::vector<SeriesColumn>& series_columns();

/// All columns of series.csv, in the order of the file; `lines` are those of the ledgers of all stages.
std::vector<store::Column> layout_of_series(const Case& given, Discretization& balance,
                                            const std::vector<LedgerLine>& lines);

}  // namespace williwaw::study
