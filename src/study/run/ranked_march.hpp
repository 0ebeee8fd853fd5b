// A march of which every rank takes its part, while those who look at it see it whole.
#pragma once

#include "williwaw/study/run.hpp"

namespace williwaw::study {

/// Marches the plan of `ready` from a whole state that all ranks have, and leaves the last one with all of
/// them. Observers of the first rank see whole states, those of others nothing, and the balance of `ready`,
/// which is whole, goes with them; `from` is a whole snapshot, as those that they get. The outcome is that of
/// all. Errors of one rank alone leave the others waiting: whoever meets one has to end them all
/// (`ranks::end_all`).
Outcome march_on_ranks(const Case& given, const Prepared& ready, State& state, const Observers& observers,
                       const Snapshot* from, Communicator& ranks, const std::array<int, 3>& boxes);

/// The steady state of a case, found by all ranks from a first guess that all of them have; all get it.
SteadyOutcome solve_steady_on_ranks(const Case& given, State& state, const SteadyRules& rules,
                                    Communicator& ranks, const std::array<int, 3>& boxes);

}  // namespace williwaw::study
