// What the machine's memory gives, and loops tuned by hand for comparison: the yardsticks of all benchmarks.
#pragma once

#include <cstddef>
#include <memory>

namespace williwaw::bench {

/// An array that its own threads have touched first, aligned for vector loads.
class Array {
 public:
  explicit Array(std::size_t count);
  ~Array();
  Array(const Array&) = delete;
  Array& operator=(const Array&) = delete;
  double* data() { return data_; }
  const double* data() const { return data_; }
  std::size_t size() const { return count_; }

 private:
  std::size_t count_;
  double* data_;
};

/// out[i] = a[i]: 24 bytes a value move (read, read for ownership, write).
void copy(const Array& a, Array& out, int threads);

/// One explicit step on an n x n plan with closed walls, written by hand for this one case: constant
/// coefficients, equal spacings, nothing counted.
void hand_tuned_step(const double* u, double* out, std::ptrdiff_t n, double x, double y, int threads);

}  // namespace williwaw::bench
