// How long pieces of work take, and the middle of several such times.
#pragma once

#include <algorithm>
#include <chrono>
#include <cstddef>
#include <vector>

namespace williwaw::bench {

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
