// What several ranks make of a case: their boxes, what they send, how much faster they are.
#pragma once

#include "williwaw/domain/rank_model.hpp"
#include "williwaw/study/check.hpp"

namespace williwaw::study {

/// Exchanges messages between neighbouring ranks; all of them call it. The slowest of several pairs, and the
/// fastest of several tries, since machines are shared.
Network measured_network(Communicator& ranks);

/// Rows on boxes, halo, bytes of each step, and the efficiency that these let expect where the time of a step
/// on this machine and a network are known. `prepared.seconds` is that of all of the run by all threads of
/// one rank.
void ranks_section(const Case& given, const Prepared& prepared, const Decomposition& boxes,
                   const std::optional<Network>& network, Report& report);

/// Ranks may cut lines along the first axis as well: all steps of all stages are explicit.
bool cuts_lines(const Case& given);

/// "1 x 2 x 2 boxes", as many axes as the grid has.
std::string boxes_in_words(const Decomposition& boxes, const Grid& grid);

}  // namespace williwaw::study
