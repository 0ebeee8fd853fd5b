#include "williwaw/solve/spectrum.hpp"

#include <algorithm>
#include <cmath>
#include <limits>

#include "balance/face_kernels.hpp"
#include "domain/summing.hpp"
#include "grid/threads.hpp"
#include "williwaw/solve/dense.hpp"

namespace williwaw {

namespace {

// Number of eigenvalues below `shift`: negative pivots of the factored matrix. The last row carries the fill
// that the corner makes, so the periodic case costs one more product a row.
Index count_below(std::span<const Real> d, std::span<const Real> e, Real corner, Real shift) {
  const Index n = static_cast<Index>(d.size());
  constexpr Real tiny = std::numeric_limits<Real>::min();
  Index negative = 0;
  Real pivot = 0, fill = corner, last = d[n - 1] - shift;
  for (Index i = 0; i + 1 < n; ++i) {
    pivot = d[i] - shift - (i > 0 ? e[i - 1] * e[i - 1] / pivot : 0);
    if (std::abs(pivot) < tiny) pivot = -tiny;
    if (pivot < 0) ++negative;
    const Real joined = fill + (i == n - 2 ? e[i] : 0);
    last -= joined * joined / pivot;
    fill = -fill * e[i] / pivot;
  }
  return negative + (last < 0 ? 1 : 0);
}

Real bisect(std::span<const Real> d, std::span<const Real> e, Real corner, Index below) {
  const Index n = static_cast<Index>(d.size());
  Real low = std::numeric_limits<Real>::infinity(), high = -low;
  for (Index i = 0; i < n; ++i) {
    Real reach = (i > 0 ? std::abs(e[i - 1]) : 0) + (i + 1 < n ? std::abs(e[i]) : 0);
    if (i == 0 || i == n - 1) reach += std::abs(corner);
    low = std::min(low, d[i] - reach);
    high = std::max(high, d[i] + reach);
  }
  const Real size = std::max(std::abs(low), std::abs(high));
  while (high - low > 4 * std::numeric_limits<Real>::epsilon() * size) {
    const Real middle = 0.5 * (low + high);
    (count_below(d, e, corner, middle) > below ? high : low) = middle;
  }
  return 0.5 * (low + high);
}

}  // namespace

Real largest_eigenvalue(std::span<const Real> diagonal, std::span<const Real> off_diagonal, Real corner) {
  if (diagonal.size() == 1) return diagonal[0] + 2 * corner;
  return bisect(diagonal, off_diagonal, corner, static_cast<Index>(diagonal.size()) - 1);
}

Real smallest_eigenvalue(std::span<const Real> diagonal, std::span<const Real> off_diagonal, Real corner) {
  if (diagonal.size() == 1) return diagonal[0] + 2 * corner;
  return bisect(diagonal, off_diagonal, corner, 0);
}

std::vector<Real> symmetric_eigenvalues(Index rows, const std::vector<Triplet>& entries) {
  std::vector<Real> matrix(static_cast<std::size_t>(rows * rows), 0.0);
  for (const auto& t : entries) matrix[static_cast<std::size_t>(t.row + rows * t.column)] += t.value;
  return symmetric_eigenvalues(rows, matrix);
}

Real largest_by_lanczos(FaceSystem k, const std::vector<char>& free) {
  constexpr int products = 150, between_looks = 10;
  static_assert(products % between_looks == 0, "the last product is looked at");
  const Index count = k.size();
  const int threads = threads_for(count, 0);
  // The kernel subtracts what neighbours bring.
  for (auto& lower : k.lower)
    for (Real& value : lower) value = -value;
  const faces::View<double> operation{k.extent,
                                      k.periodic,
                                      k.dimension(),
                                      k.diagonal.data(),
                                      {k.lower[0].data(), k.lower[1].data(), k.lower[2].data()}};
  State v(free.size(), 0.0), last(free.size(), 0.0), w(free.size(), 0.0);
  // A start without symmetries that alternates, as the fastest modes do.
  for (Index n = 0; n < count; ++n) {
    if (!free[n]) continue;
    Real sign = 1;
    Index rest = n;
    for (int a = 0; a < k.dimension(); ++a) {
      sign *= (rest % k.extent[a]) % 2 ? -1 : 1;
      rest /= k.extent[a];
    }
    v[n] = sign * (1 + 0.3 * std::sin(0.7 * static_cast<Real>(n) + 0.1));
  }
  const Layout layout(k.extent);
  const auto sum = [over = Reductions(layout, threads)](const auto& term) { return sum_over(over, term); };
  std::vector<Real> diagonal, off;
  Real size = std::sqrt(sum([&](Index n) { return v[n] * v[n]; })), found = 0;
  for (int m = 0; m < products && size > 0; ++m) {
    const Real shrink = 1 / size;
#pragma omp parallel for simd schedule(static) num_threads(threads) if (threads > 1)
    for (Index n = 0; n < count; ++n) v[n] *= shrink;
    faces::multiply(operation, v.data(), w.data(), threads);
    const Real fraction = sum([&](Index n) {
      w[n] -= size * last[n];
      return w[n] * v[n];
    });
    if (m > 0) off.push_back(size);
    diagonal.push_back(fraction);
    size = std::sqrt(sum([&](Index n) {
      w[n] -= fraction * v[n];
      return w[n] * w[n];
    }));
    last.swap(v);
    v.swap(w);
    if ((m + 1) % between_looks != 0 && size > 1e-14 * std::abs(fraction)) continue;
    const Real now = largest_eigenvalue(diagonal, off);
    if (now - found <= 1e-9 * now || size <= 1e-14 * std::abs(fraction)) return now;
    found = now;
  }
  return found;
}

}  // namespace williwaw
