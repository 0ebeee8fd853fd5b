#include "memory.hpp"

#include <new>

namespace williwaw::bench {

Array::Array(std::size_t count)
    : count_(count),
      data_(static_cast<double*>(::operator new(count * sizeof(double), std::align_val_t(64)))) {
  const auto n = static_cast<std::ptrdiff_t>(count);
#pragma omp parallel for schedule(static)
  for (std::ptrdiff_t i = 0; i < n; ++i) data_[i] = 1;
}

Array::~Array() {
  ::operator delete(data_, std::align_val_t(64));
}

void copy(const Array& a, Array& out, int threads) {
  const double* from = a.data();
  double* to = out.data();
  const auto n = static_cast<std::ptrdiff_t>(a.size());
#pragma omp parallel for simd schedule(static) num_threads(threads)
  for (std::ptrdiff_t i = 0; i < n; ++i) to[i] = from[i];
}

void hand_tuned_step(const double* u, double* out, std::ptrdiff_t n, double x, double y, int threads) {
#pragma omp parallel for schedule(static) num_threads(threads)
  for (std::ptrdiff_t j = 0; j < n; ++j) {
    const double* here = u + j * n;
    const double* south = j > 0 ? here - n : here;
    const double* north = j + 1 < n ? here + n : here;
    double* __restrict to = out + j * n;
    to[0] = here[0] + x * (here[1] - here[0]) + y * (south[0] - 2 * here[0] + north[0]);
#pragma omp simd
    for (std::ptrdiff_t i = 1; i < n - 1; ++i)
      to[i] =
          here[i] + x * (here[i - 1] - 2 * here[i] + here[i + 1]) + y * (south[i] - 2 * here[i] + north[i]);
    to[n - 1] =
        here[n - 1] + x * (here[n - 2] - here[n - 1]) + y * (south[n - 1] - 2 * here[n - 1] + north[n - 1]);
  }
}

}  // namespace williwaw::bench
