// A run by several processes that were started together.
#pragma once

#include "commands.hpp"
#include "launch.hpp"
#include "williwaw/domain/decomposition.hpp"

namespace williwaw::cli {

/// How a grid is shared out: as `wanted`, boxes along each axis, or among those that were started together.
/// Throws InputError.
Decomposition shared_boxes(const std::string& wanted, const casefile::Case& given, Communicator* together);
/// The same for a run, which needs as many boxes as processes were started. Throws InputError.
Decomposition boxes_of_all(const RunArguments& arguments, const casefile::Case& given,
                           Communicator* together);

/// While the first of those that were started together looks at a case, the others wait for its word.
class OthersWait {
 public:
  explicit OthersWait(Communicator* together) : together_(together) {}
  OthersWait(const OthersWait&) = delete;
  OthersWait& operator=(const OthersWait&) = delete;
  // Without a word the run does not begin, and they end as well.
  ~OthersWait() { tell(false); }
  void begin() { tell(true); }
  static bool told_to_begin(Communicator& together) {
    std::array<Real, 1> word{0};
    together.broadcast(word);
    return word[0] != 0;
  }

 private:
  void tell(bool begins) {
    std::array<Real, 1> word{begins ? 1.0 : 0.0};
    if (together_) together_->broadcast(word);
    together_ = nullptr;
  }
  Communicator* together_;
};

/// The part of another process than the first: an exit code.
int run_beside(const RunArguments& arguments, const casefile::Case& given, Communicator& together);

/// What is said of the boxes before the run.
std::string ranks_in_words(const casefile::Case& given, int started, const Decomposition& boxes);

}  // namespace williwaw::cli
