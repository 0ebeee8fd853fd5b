// A march of which every rank takes its part, while those who look at it see it whole.
#pragma once

#include "study/run/field_recorder.hpp"
#include "study/run/measures.hpp"
#include "williwaw/study/run.hpp"

namespace williwaw::study {

/// Who shares a grid, and how. Errors of one rank alone leave the others waiting: whoever meets one has to
/// end them all (`ranks::end_all`).
struct Shared {
  Communicator& ranks;
  std::array<int, 3> boxes;
  FieldRecorder& fields;  ///< takes their records
  Index stage;            ///< of the run
};

/// Who looks at a march: `observers.on_series` is not called, but on_row, with the totals and the budget of
/// all and what all ranks have measured; its states, and those of `observers.on_record`, are the first rank's
/// part.
struct RankedWatch {
  Observers observers;
  std::function<void(const StepInfo&, const RowMeasures&)> on_row;
};

/// For the first rank: marches the plan of `ready`, which the others are told, from the initial values of the
/// case, and leaves the last state as a whole. Observers see whole states, and the balance of `ready`, which
/// is whole, goes with them; `from` is a whole snapshot, as those that they get. The outcome is that of all.
Outcome march_on_ranks(const Case& given, const Prepared& ready, State& state, const RankedWatch& watch,
                       const Snapshot* from, const Shared& shared);

/// What a rank has of a march: its part of the last state, and those of the grids of the unknowns.
struct MarchedPart {
  Outcome outcome;
  State state;
  std::vector<Grid> grids;
};
/// The same for the others. They have no more than their parts, but of the snapshot, if the run goes on from
/// one.
MarchedPart march_beside(const Case& given, int threads, const Snapshot* from, const Shared& shared);

/// The steady state of a case from its initial values, found by all ranks; the first one gets it as a whole,
/// where it asks for it.
SteadyOutcome solve_steady_on_ranks(const Case& given, const SteadyRules& rules, const Shared& shared,
                                    State* at_first);

}  // namespace williwaw::study
