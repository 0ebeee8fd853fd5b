// A case solved in memory: the numbers that people ask for, without a result folder.
#pragma once

#include "williwaw/casefile/check.hpp"

namespace williwaw::casefile {

/// A number that a run is done for, in shown units.
struct Headline {
  std::string name;
  std::string unit;
  Real value = 0;
};

/// What came out of a case.
struct Answer {
  Real time = 0;  ///< SI; of the end
  std::optional<Field> field;
  /// Probes and the mean at the end; mean inflow through every wall over the run, or the steady one.
  std::vector<Headline> headlines;
  /// Against the case's exact solution at the end, in shown units.
  std::optional<Norms> error;
  bool reached = false;
  std::string trouble;  ///< why it did not
  Index steps = 0;      ///< or iterations
  Index unknowns = 0;
  Real longest_step = 0;
  Real seconds = 0;
  /// Measure of what every region cuts out, and length or area of what it exposes; empty without cut-outs.
  std::vector<Real> outline;
};

/// Norms of a field less the exact solution of its case at a time, in shown units; nothing where there is
/// none.
std::optional<Norms> against_exact(const Case& given, const DiffusionBalance& balance, const Field& field,
                                   Real time);

/// Solves a case and reads its headlines. Throws CaseError as `prepare` does; a run that does not reach its
/// end is an answer with `reached` false.
Answer answer(const Case& given, Execution execution = {});

}  // namespace williwaw::casefile
