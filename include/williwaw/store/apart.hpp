// Work that may bring down a process, done in another one.
#pragma once

#include <functional>
#include <string>

namespace williwaw::store {

/// Does `work` in a copy of this process (fork), which sees everything as it is now and changes nothing here
/// but files. What it throws is thrown here as a StoreError with the same words; where it dies, a StoreError
/// says that `what` was not written. The library below NetCDF dies of files that cannot be closed.
void apart(const std::string& what, const std::function<void()>& work);

/// The same beside what this process goes on with. Begin it before threads are started: they do not come
/// along, and what they hold at that moment stays locked.
class Apart {
 public:
  Apart(std::string what, const std::function<void()>& work);
  Apart(const Apart&) = delete;
  Apart& operator=(const Apart&) = delete;
  /// Waits without a word.
  ~Apart();

  /// Waits for its end and throws as `apart` does. Once.
  void wait();

 private:
  std::string what_;
  int process_ = -1, handle_ = -1;
};

}  // namespace williwaw::store
