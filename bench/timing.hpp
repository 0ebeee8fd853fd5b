// How long pieces of work take, the middle of several such times, and how much work there is.
#pragma once

#include <algorithm>
#include <chrono>
#include <cstddef>
#include <cstdlib>
#include <vector>

namespace williwaw::bench {

/// `full`, a size or count that shows something; with WILLIWAW_BENCH_TINY in the environment `tiny`, which
/// only shows that the benchmark runs.
template <class Number>
Number at_size(Number full, Number tiny) {
  return std::getenv("WILLIWAW_BENCH_TINY") ? tiny : full;
}

inline double seconds_of(const auto& work) {
  const auto start = std::chrono::steady_clock::now();
  work();
  return std::chrono::duration<double>(std::chrono::steady_clock::now() - start).count();
}

inline double median(std::vector<double> v) {
  std::ranges::nth_element(v, v.begin() + static_cast<std::ptrdiff_t>(v.size() / 2));
  return v[v.size() / 2];
}

}  // namespace williwaw::bench
