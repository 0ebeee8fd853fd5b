// What passes of several steps or stages work with, kept from one to the next.
#pragma once

#include "balance/tiled_sweep.hpp"
#include "williwaw/balance/term_balance.hpp"

namespace williwaw {

/// One stage of a step by an explicit scheme.
struct TermBalance::StageLevel {
  const ExplicitStages::Stage* stage = nullptr;
  bool first = false, last = false;  ///< of its step
  std::shared_ptr<const Evaluation> now;
  ActingTerms acting;
  std::vector<Real> ahead;               ///< what is prescribed at its end
  std::vector<Real>* alone = nullptr;    ///< what prescribed unknowns would be without their boundaries
  std::vector<Real>* missing = nullptr;  ///< to them, at the end of the step
  const Real *start = nullptr, *y = nullptr;
  const Real* before = nullptr;  ///< what the stage before started from, where it is needed
  const std::vector<Real>* ahead_before = nullptr;  ///< what was prescribed there; null: as at the start
  Real* first_rate = nullptr;                       ///< C⁻¹F at the start, where it is needed
  Real *next = nullptr, *sum = nullptr;             ///< null where there is none
  State* made = nullptr;                            ///< what is complete after it
};

struct TermBalance::PassWorkspace {
  struct Level {
    std::shared_ptr<const Evaluation> now;
    ActingTerms acting;
    std::vector<Real> ahead, missing;
  };
  std::vector<Level> levels;
  PassTiles tiles;

  PassTiles tiles_of_stages;
  std::vector<StageLevel> stages;
  std::array<State, 2> between;                   ///< states of stages, in turn
  State first_rate;                               ///< of the step, where stages need it
  std::vector<std::vector<Real>> alone, missing;  ///< by step
  Ledger rates;                                   ///< of one stage
};

}  // namespace williwaw
