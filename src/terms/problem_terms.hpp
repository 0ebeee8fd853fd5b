// The terms that a problem is made into, and where they stand in its balance.
#pragma once

#include <optional>

#include "terms/diffusion/wide_term.hpp"
#include "williwaw/terms/advection_term.hpp"
#include "williwaw/terms/inner_terms.hpp"

namespace williwaw {

/// Lines of the ledger of waves: for what damps, and for what a scheme itself adds or takes.
struct WaveLines {
  LineId damping, scheme;
};

/// Terms are known by their numbers in the balance; pointers are to those that the balance owns.
struct ProblemTerms {
  std::shared_ptr<const Problem> problem;
  OfUnknown of;
  std::shared_ptr<const ControlVolumes> volumes;
  /// Where what is stored is not in proportion to the unknown: `contents`, and in `storage` its slopes at the
  /// start.
  std::shared_ptr<const LinearStorage> storage;
  std::shared_ptr<const Storage> contents = nullptr;
  Real volume = 0;  ///< length, area or volume of the domain

  TermId<EvaluatedDiffusion> diffusion = {};
  TermId<EvaluatedBoundaryClosures> closures = {};
  TermId<EvaluatedSource> source = {};
  std::optional<TermId<EvaluatedAdvection>> advection = {};
  std::optional<TermId<EvaluatedWide>> wide = {};
  std::optional<TermId<EvaluatedReaction>> reaction = {};
  std::optional<TermId<EvaluatedPoints>> points = {};

  BoundaryClosures* boundary = nullptr;
  const BoundaryFlows* flows = nullptr;  ///< of order 2
  const SourceTerm* source_term = nullptr;
  const AdvectionTerm* advection_term = nullptr;  ///< where something is advected
  const WideTerm* wide_term = nullptr;            ///< of order 4
  LineId advected_line = {};                      ///< of semi-Lagrangian advection
  WaveLines wave_lines = {};                      ///< of second order in time

  const Grid& grid() const { return of.domain->grid(); }
  const Outline& outline() const { return of.domain->outline(); }
  /// Terms of what appears inside.
  std::vector<std::size_t> inner() const;
};

/// Appends the terms of a problem to those of a balance, as those of its unknown `number` whose block begins
/// at `first`, and lets them declare their lines. Throws InputError for a problem that is not complete or has
/// coefficients that cannot be used.
ProblemTerms add_terms(const Problem& problem, const Execution& execution, int number, Index first,
                       const std::string& prefix, std::vector<std::unique_ptr<Term>>& terms,
                       LedgerLines& lines);

}  // namespace williwaw
