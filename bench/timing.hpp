// How long pieces of work take, the middle of several such times, and how much work there is.
#pragma once

#include <algorithm>
#include <chrono>
#include <cstddef>
#include <cstdio>
#include <cstdlib>
#include <string>
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

/// One row of docs/speed.md: some work, what its cost or speed is measured by, and the ratio. With
/// WILLIWAW_BENCH_ROWS in the environment it is added to the file of that name.
inline void row(const std::string& work, const std::string& measure, double ratio) {
  const char* file = std::getenv("WILLIWAW_BENCH_ROWS");
  std::FILE* out = file ? std::fopen(file, "a") : nullptr;
  if (!out) return;
  std::fprintf(out, "| %s | %s | %.3g |\n", work.c_str(), measure.c_str(), ratio);
  std::fclose(out);
}

}  // namespace williwaw::bench
