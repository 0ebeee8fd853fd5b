// A case solved in memory: the numbers that people ask for, without a result folder.
#pragma once

#include "williwaw/study/check.hpp"

namespace williwaw::study {

/// A number that a run is done for, in shown units.
struct Headline {
  std::string name;
  std::string unit;
  Real value = 0;
  /// Of probes: the same by cubic interpolation, whose own error falls faster than that of the field and does
  /// not depend on where the place lies between the unknowns. Of other numbers the value itself.
  Real smooth = 0;
  /// Why it has no limit as the spacing goes to zero; empty where nothing is known against it.
  std::string without_limit = {};
  std::size_t unknown = 0;  ///< to which it belongs
};

/// What came out of a case.
struct Answer {
  Real time = 0;              ///< SI; of the end
  std::vector<Field> fields;  ///< of each unknown; none of a run that did not reach its end
  /// Probes and the mean at the end; mean inflow through every boundary over the run, or the steady one.
  std::vector<Headline> headlines;
  /// Of each unknown against its exact solution at the end, in shown units, where the case gives one.
  std::vector<std::optional<Norms>> errors;
  bool reached = false;
  std::string trouble;  ///< why it did not
  Index steps = 0;      ///< or iterations
  Index unknowns = 0;
  Real longest_step = 0;
  /// Of an unknown: its largest magnitude.
  Real size(std::size_t unknown) const;
  /// Measure of what every region cuts out, and length or area of what it exposes; empty without cut-outs.
  std::vector<Real> outline;
  /// Something falls differently on every grid: outlines of regions, cut-outs or parts cross cells, or
  /// neighbours at the start or the end of a run in time differ by a quarter of the range or more, as beside
  /// a jump.
  bool falls_unevenly = false;
};

/// Expected orders of a case's discretization in space: 2, or 1 with advective differences
/// of first order. And of a case whose step shrinks with this power of the spacing, of both.
Real order_in_space(const Case& given);
Real order_of_both(const Case& given, Real step_power);

/// What is known beforehand against flows and probes of a case: "amount west" has no limit, since ..; by the
/// names of headlines.
std::vector<std::pair<std::string, std::string>> without_limits(const Case& given,
                                                                const Discretization& balance);

/// Norms of the field of an unknown less its exact solution at a time, in shown units; nothing where the case
/// gives none.
std::optional<Norms> against_exact(const Case& given, const Discretization& balance, const Field& field,
                                   Real time, std::size_t unknown = 0);

/// Solves a case and reads its headlines. Throws CaseError as `prepare` does; a run that does not reach its
/// end is an answer with `reached` false.
Answer answer(const Case& given, Execution execution = {});

}  // namespace williwaw::study
