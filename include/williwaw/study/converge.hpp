// `converge`: the same case on a refinement study of grids and steps, and what that says about its answer.
#pragma once

#include "williwaw/study/answer.hpp"
#include "williwaw/verify/refinement.hpp"

namespace williwaw::study {

/// One line of the table: a norm or a headline over all levels.
struct ConvergedQuantity {
  std::string name, unit;
  bool is_error = false;  ///< values are sizes of errors, or of differences between neighbouring levels
  std::vector<Real> values = {};  ///< one a level; of differences one fewer
  verify::OrderStudy study = {};
  std::size_t unknown = 0;  ///< to which it belongs
  /// Why it has no limit as the spacing goes to zero, where that is known; empty otherwise. What then stands
  /// in `study` of limits and uncertainties means nothing.
  std::string without_limit = {};
  bool has_limit() const { return without_limit.empty() && study.trend != verify::Trend::no_limit; }
};

struct Convergence {
  std::vector<Answer> levels;
  std::vector<Refinement> refinements;
  Real ratio = 2;       ///< of neighbouring levels, in spacing or step, whichever the order refers to
  Real theory = 2;      ///< expected order
  std::string refined;  ///< "grid and step", ..
  std::vector<ConvergedQuantity> quantities;
  std::vector<std::string> warnings;
};

/// Solves the case of `file` on every level of its refinement study. `tell` hears of every level before it
/// starts. Throws CaseError; a level that does not reach its end is an InputError that says which.
Convergence converge(const std::filesystem::path& file, const std::vector<std::string>& overrides,
                     Execution execution = {}, const std::function<void(Index, const Case&)>& tell = {});

/// The same of a case that was read, with all that was changed in it.
Convergence converge(const Case& given, Execution execution = {});

/// Tables and verdicts.
Report convergence_report(const Case& given, const Convergence& result);
std::string convergence_table(const Convergence& result);
/// A row for every level: size, errors and headlines.
std::string convergence_csv(const Convergence& result);

}  // namespace williwaw::study
