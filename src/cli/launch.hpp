// Processes that a launcher started together, of which the first one speaks for all.
#pragma once

#include <array>
#include <string>

#include "williwaw/domain/communicator.hpp"

namespace williwaw::cli {

/// This process is the first of those that were started together, or the only one.
bool speaks();

/// All of them, for a command that they do together; null where this process is alone. They stay together
/// until the program ends.
Communicator* started_together();

/// Threads for each rank of this machine unless told otherwise: what the launcher leaves it.
int threads_of_rank(int wanted);

/// "2x2", "1x2x4": boxes along each axis; ones along those left out. Throws InputError.
std::array<int, 3> boxes_from(const std::string& text);

/// From here on each process may meet an error that the others do not.
void march_begins();
void march_ends();
/// The others must be ended with this one.
bool others_wait();

}  // namespace williwaw::cli
