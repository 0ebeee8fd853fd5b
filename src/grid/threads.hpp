// Work on all threads whose parts may throw.
#pragma once

#include <omp.h>

#include <exception>

#include "williwaw/grid/types.hpp"

namespace williwaw {

/// From here on it pays to call other threads.
inline constexpr Index worth_threads = 20000;

/// Calls work(own, n) for n from 0 to count - 1, on all threads if `many`; `own` is what make() gives each of
/// them. Of what parts throw the one with the least number is thrown again, once all are done.
template <class Make, class Work>
void on_all_threads(Index count, [[maybe_unused]] bool many, const Make& make, const Work& work) {
  std::exception_ptr trouble;
  Index where = count;
  const auto met = [&](Index n) {
#pragma omp critical(williwaw_trouble)
    if (n < where || !trouble) {
      where = n;
      trouble = std::current_exception();
    }
  };
#pragma omp parallel if (many)
  {
    const Index team = omp_get_num_threads(), member = omp_get_thread_num();
    try {
      auto own = make();
      for (Index n = count * member / team; n < count * (member + 1) / team; ++n) try {
          work(own, n);
        } catch (...) {
          met(n);
        }
    } catch (...) {
      met(-1);
    }
  }
  if (trouble) std::rethrow_exception(trouble);
}

}  // namespace williwaw
