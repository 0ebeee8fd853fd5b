// Work on all threads whose parts may throw.
#pragma once

#include <omp.h>

#include <atomic>
#include <exception>

#include "williwaw/grid/types.hpp"

namespace williwaw {

/// From here on it pays to call other threads: waking a second one costs more than a small grid takes.
inline constexpr Index worth_threads = 20000;

/// Threads for so many values: as many as are wanted, 0 for as many as the machine offers.
inline int threads_for(Index count, int wanted) {
  if (count < worth_threads) return 1;
  return wanted > 0 ? wanted : omp_get_max_threads();
}

/// Calls work(n) for n from 0 to count - 1 by `wanted` threads, 0 for all; for work on each value that cannot
/// throw.
template <class Work>
void each_by_threads(Index count, int wanted, const Work& work) {
  [[maybe_unused]] const int threads = threads_for(count, wanted);
#pragma omp parallel for schedule(static) num_threads(threads) if (threads > 1)
  for (Index n = 0; n < count; ++n) work(n);
}

/// Whether test(n) holds for all n from 0 to count - 1, on so many threads; once one is known that does not,
/// no more are begun. For tests that cannot throw.
template <class Test>
bool all_by_threads(Index count, [[maybe_unused]] int threads, const Test& test) {
  std::atomic<bool> all = true;
#pragma omp parallel for schedule(static) num_threads(threads) if (threads > 1)
  for (Index n = 0; n < count; ++n)
    if (all && !test(n)) all = false;
  return all;
}

/// What parts of a work shared by threads throw: threads cannot let an error out, and that of the least
/// number is told when all are done.
class LeastTrouble {
 public:
  /// In a handler, of the part with this number.
  void keep(Index number) {
#pragma omp critical(williwaw_trouble)
    if (!trouble_ || number < number_) {
      number_ = number;
      trouble_ = std::current_exception();
    }
  }
  void tell() const {
    if (trouble_) std::rethrow_exception(trouble_);
  }

 private:
  std::exception_ptr trouble_;
  Index number_ = 0;
};

/// Calls work(own, n) for n from 0 to count - 1, on so many threads; `own` is what make() gives each of
/// them. Of what parts throw the one with the least number is thrown again, once all are done.
template <class Make, class Work>
void on_all_threads(Index count, [[maybe_unused]] int threads, const Make& make, const Work& work) {
  LeastTrouble trouble;
#pragma omp parallel num_threads(threads) if (threads > 1)
  {
    const Index team = omp_get_num_threads(), member = omp_get_thread_num();
    try {
      auto own = make();
      for (Index n = count * member / team; n < count * (member + 1) / team; ++n) try {
          work(own, n);
        } catch (...) {
          trouble.keep(n);
        }
    } catch (...) {
      trouble.keep(-1);
    }
  }
  trouble.tell();
}

}  // namespace williwaw
