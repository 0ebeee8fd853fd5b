// Ranks by MPI, where the library was built with it.
#pragma once

#include <memory>

#include "williwaw/domain/communicator.hpp"

namespace williwaw::ranks {

/// A launcher (`mpirun`, a batch system) has started this process together with others, or says that it is
/// the only one.
bool launched();
/// The number of this process among them, as the launcher has it; 0 where there is none.
int launched_rank();

/// All processes of the launcher; MPI begins with the first call and ends with the last of the results.
/// Throws InputError where the library was built without MPI.
std::unique_ptr<Communicator> world();

/// Ends all processes of the launcher at once, with this exit code: one that cannot go on would keep the
/// others waiting for ever.
[[noreturn]] void end_all(int code);

}  // namespace williwaw::ranks
