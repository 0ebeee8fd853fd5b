// Work that may bring down a process, done in another one.
#pragma once

#include <functional>
#include <string>

namespace williwaw::store {

/// Does `work` in a copy of this process (fork), which sees everything as it is now and changes nothing here
/// but files. What it throws is thrown here as a StoreError with the same words; where it dies, a StoreError
/// says that `what` was not written. The library below NetCDF dies of files that cannot be closed.
void apart(const std::string& what, const std::function<void()>& work);

}  // namespace williwaw::store
