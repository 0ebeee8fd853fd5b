// What a step costs on several ranks: their own cells, what they tell their neighbours, sums over all of
// them.
#pragma once

#include "williwaw/domain/decomposition.hpp"

namespace williwaw {

/// What lies between two ranks.
struct Network {
  Real latency = 0;    ///< seconds of a message of one value and its answer, by two
  Real bandwidth = 0;  ///< bytes per second of a long one, in each direction
};

/// What a step is to all ranks: so many unknowns at each place and stages, of which each fills halos and sums
/// up; and the seconds that one place takes by a rank alone.
struct StepOnRanks {
  Real seconds_of_place = 0;
  Index unknowns = 1;
  Index stages = 1;
};

/// Bytes that a rank sends to its neighbours in a step, at the most. Here and below boxes are those of a
/// grid.
Real bytes_sent(const Decomposition& boxes, const StepOnRanks& step);
/// Seconds of a step: those of the largest box, a message to the neighbours along each axis that is cut with
/// all that is sent, and two messages for each round in which sums of pairs of ranks come together and go out
/// again, of which there are log2 of the ranks. Nothing is done beside telling.
Real seconds_of_step(const Decomposition& boxes, const StepOnRanks& step, const Network& network);
/// Over that time, one rank's time shared evenly: 1 for ranks that lose nothing.
Real efficiency(const Decomposition& boxes, Index places, const StepOnRanks& step, const Network& network);

}  // namespace williwaw
