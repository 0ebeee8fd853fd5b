// What a row of the series tells of a state, measured by all ranks that share it.
#pragma once

#include "study/run/derived.hpp"
#include "williwaw/study/series_columns.hpp"

namespace williwaw::study {

struct RowMeasures {
  std::vector<std::optional<Real>> flows;  ///< by line of the balance; empty where they are not asked for
  std::vector<Totals> each;                ///< by unknown
  std::vector<Real> seen;                  ///< what probes see, as it is shown, in the order of `sights_of`
  std::vector<Real> columns;               ///< unknown after unknown, in the order of `columns_of`
};

/// The columns of a balance's series that measure an unknown.
std::vector<const SeriesColumn*> columns_of(const Discretization& balance);

/// Of one stage of a case. Ranks of which each has a part of the balance call its functions together, and get
/// the same.
class Measures {
 public:
  /// Both must outlive it.
  Measures(const Case& given, Discretization& balance);

  RowMeasures of(const StepInfo& m);
  /// Without flows.
  RowMeasures of(const State& y, Real time, const Totals& totals);

 private:
  std::vector<std::optional<Real>> flows_of(const StepInfo& m, const State& y);
  std::vector<Real> seen(const State& y, Real time);

  const Case& given_;
  Discretization& balance_;
  std::vector<Sight> sights_;
};

}  // namespace williwaw::study
