#include "memory.hpp"

#include <algorithm>
#include <new>
#include <vector>

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

namespace {

// What lies next to a line of unknowns; beyond an end stands the line itself.
struct Beside {
  const double *here, *south, *north, *below, *above;
  double* to;
};

Beside beside(const double* u, double* other, std::ptrdiff_t line, std::ptrdiff_t n, std::ptrdiff_t layers) {
  const std::ptrdiff_t j = line % n, k = line / n;
  const double* here = u + line * n;
  return {here,
          j > 0 ? here - n : here,
          j + 1 < n ? here + n : here,
          k > 0 ? here - n * n : here,
          k + 1 < layers ? here + n * n : here,
          other + line * n};
}

}  // namespace

namespace {

// to = centre·u + square·Σ neighbours, with `swings` less what stood there.
template <bool swings>
void hand_tuned_even(const double* u, double* other, std::ptrdiff_t n, std::ptrdiff_t layers, double square,
                     int threads) {
  const double centre = (swings ? 2 : 1) - (layers > 1 ? 6 : 4) * square;
#pragma omp parallel for schedule(static) num_threads(threads)
  for (std::ptrdiff_t line = 0; line < n * layers; ++line) {
    const auto [here, south, north, below, above, out] = beside(u, other, line, n, layers);
    double* __restrict to = out;
    const auto put = [to, h = here, centre, square](std::ptrdiff_t i, double sum) {
      if constexpr (swings)
        to[i] = centre * h[i] - to[i] + square * sum;
      else
        to[i] = centre * h[i] + square * sum;
    };
    const auto one = [&, s = south, t = north, b = below, a = above](std::ptrdiff_t i, double low,
                                                                     double high) {
      double sum = low + high + s[i] + t[i];
      if (layers > 1) sum += b[i] + a[i];
      put(i, sum);
    };
    one(0, here[0], here[1]);
    if (layers > 1) {
#pragma omp simd
      for (std::ptrdiff_t i = 1; i < n - 1; ++i)
        put(i, here[i - 1] + here[i + 1] + south[i] + north[i] + below[i] + above[i]);
    } else {
#pragma omp simd
      for (std::ptrdiff_t i = 1; i < n - 1; ++i) put(i, here[i - 1] + here[i + 1] + south[i] + north[i]);
    }
    one(n - 1, here[n - 2], here[n - 1]);
  }
}

// to = u + square·Σ conductance·(neighbour − u), with `swings` 2u less what stood there instead of u.
template <bool swings>
void hand_tuned_varying(const double* u, double* other, std::ptrdiff_t n, std::ptrdiff_t layers,
                        const double* x, const double* y, const double* z, double square, int threads) {
#pragma omp parallel for schedule(static) num_threads(threads)
  for (std::ptrdiff_t line = 0; line < n * layers; ++line) {
    const auto [here, south, north, below, above, out] = beside(u, other, line, n, layers);
    const std::ptrdiff_t j = line % n, k = line / n;
    double* __restrict to = out;
    const double *fx = x + line * (n + 1), *fy = y + (k * (n + 1) + j) * n, *fz = z ? z + line * n : nullptr;
    const double *fy_up = fy + n, *fz_up = z ? fz + n * n : nullptr;
    const auto put = [to](std::ptrdiff_t i, double u0, double change) {
      if constexpr (swings)
        to[i] = 2 * u0 - to[i] + change;
      else
        to[i] = u0 + change;
    };
    if (z) {
#pragma omp simd
      for (std::ptrdiff_t i = 1; i < n - 1; ++i) {
        const double u0 = here[i];
        put(i, u0,
            square * (fx[i] * (here[i - 1] - u0) + fx[i + 1] * (here[i + 1] - u0) + fy[i] * (south[i] - u0) +
                      fy_up[i] * (north[i] - u0) + fz[i] * (below[i] - u0) + fz_up[i] * (above[i] - u0)));
      }
    } else {
#pragma omp simd
      for (std::ptrdiff_t i = 1; i < n - 1; ++i) {
        const double u0 = here[i];
        put(i, u0,
            square * (fx[i] * (here[i - 1] - u0) + fx[i + 1] * (here[i + 1] - u0) + fy[i] * (south[i] - u0) +
                      fy_up[i] * (north[i] - u0)));
      }
    }
    for (const std::ptrdiff_t i : {std::ptrdiff_t{0}, n - 1}) {
      const double u0 = here[i], low = i > 0 ? here[i - 1] : u0, high = i + 1 < n ? here[i + 1] : u0;
      double sum =
          fx[i] * (low - u0) + fx[i + 1] * (high - u0) + fy[i] * (south[i] - u0) + fy_up[i] * (north[i] - u0);
      if (z) sum += fz[i] * (below[i] - u0) + fz_up[i] * (above[i] - u0);
      put(i, u0, square * sum);
    }
  }
}

}  // namespace

void hand_tuned_step(const double* u, double* out, std::ptrdiff_t n, std::ptrdiff_t layers, double square,
                     int threads) {
  hand_tuned_even<false>(u, out, n, layers, square, threads);
}

void hand_tuned_step(const double* u, double* out, std::ptrdiff_t n, std::ptrdiff_t layers, const double* x,
                     const double* y, const double* z, double square, int threads) {
  hand_tuned_varying<false>(u, out, n, layers, x, y, z, square, threads);
}

void hand_tuned_leapfrog(const double* u, double* other, std::ptrdiff_t n, std::ptrdiff_t layers,
                         double square, int threads) {
  hand_tuned_even<true>(u, other, n, layers, square, threads);
}

void hand_tuned_leapfrog(const double* u, double* other, std::ptrdiff_t n, std::ptrdiff_t layers,
                         const double* x, const double* y, const double* z, double square, int threads) {
  hand_tuned_varying<true>(u, other, n, layers, x, y, z, square, threads);
}

namespace {

// next = start + weight·k and sum = from + of_step·k, k being what flows in, without `next` at the last
// stage.
template <bool with_next>
void hand_tuned_stage_of_rk4(const double* start, const double* u, const double* from, double* next,
                             double* sum, std::ptrdiff_t n, double weight, double of_step, int threads) {
#pragma omp parallel for schedule(static) num_threads(threads)
  for (std::ptrdiff_t line = 0; line < n; ++line) {
    const auto [here, south, north, below, above, other] = beside(u, sum, line, n, 1);
    const double *first = start + line * n, *before = from + line * n;
    double* __restrict to = with_next ? next + line * n : nullptr;
    const auto one = [&, h = here, s = south, t = north, o = other](std::ptrdiff_t i, double low,
                                                                    double high) {
      const double k = low + high + s[i] + t[i] - 4 * h[i];
      if constexpr (with_next) to[i] = first[i] + weight * k;
      o[i] = before[i] + of_step * k;
    };
    one(0, here[0], here[1]);
#pragma omp simd
    for (std::ptrdiff_t i = 1; i < n - 1; ++i) {
      const double k = here[i - 1] + here[i + 1] + south[i] + north[i] - 4 * here[i];
      if constexpr (with_next) to[i] = first[i] + weight * k;
      other[i] = before[i] + of_step * k;
    }
    one(n - 1, here[n - 2], here[n - 1]);
  }
}

}  // namespace

void hand_tuned_rk4(const double* u, double* out, double* one, double* two, std::ptrdiff_t n, double square,
                    int threads) {
  hand_tuned_stage_of_rk4<true>(u, u, u, one, out, n, 0.5 * square, square / 6, threads);
  hand_tuned_stage_of_rk4<true>(u, one, out, two, out, n, 0.5 * square, square / 3, threads);
  hand_tuned_stage_of_rk4<true>(u, two, out, one, out, n, square, square / 3, threads);
  hand_tuned_stage_of_rk4<false>(u, one, out, nullptr, out, n, 0, square / 6, threads);
}

void hand_reacting_step(const double* u, const double* v, double* next_u, double* next_v, std::ptrdiff_t n,
                        double x, double y, double a, double b, double step, int threads) {
#pragma omp parallel for schedule(static) num_threads(threads)
  for (std::ptrdiff_t j = 0; j < n; ++j) {
    const double *of_u = u + j * n, *of_v = v + j * n;
    const std::ptrdiff_t below = j > 0 ? -n : 0, above = j + 1 < n ? n : 0;
    double* __restrict to_u = next_u + j * n;
    double* __restrict to_v = next_v + j * n;
    const auto at = [&](std::ptrdiff_t i, std::ptrdiff_t west, std::ptrdiff_t east) {
      const double p = of_u[i], q = of_v[i], made = p * p * q;
      to_u[i] = p + x * (of_u[i + west] + of_u[i + east] + of_u[i + below] + of_u[i + above] - 4 * p) +
                step * (a - p + made);
      to_v[i] = q + y * (of_v[i + west] + of_v[i + east] + of_v[i + below] + of_v[i + above] - 4 * q) +
                step * (b - made);
    };
    at(0, 0, 1);
#pragma omp simd
    for (std::ptrdiff_t i = 1; i < n - 1; ++i) at(i, -1, 1);
    at(n - 1, -1, 0);
  }
}

namespace {

inline double slope(double a, double b) {
  const double product = a * b;
  return product > 0 ? 2 * product / (a + b) : 0.0;
}

inline double godunov(double left, double right) {
  const double l = left > 0 ? left : 0.0, r = right < 0 ? right : 0.0;
  const double fl = 0.5 * l * l, fr = 0.5 * r * r;
  return fl > fr ? fl : fr;
}

// Fluxes through the faces between rows b and c.
void flux_between(const double* a, const double* b, const double* c, const double* d, double* out,
                  std::ptrdiff_t n) {
#pragma omp simd
  for (std::ptrdiff_t i = 0; i < n; ++i) {
    const double middle = c[i] - b[i];
    out[i] = godunov(b[i] + 0.5 * slope(b[i] - a[i], middle), c[i] - 0.5 * slope(middle, d[i] - c[i]));
  }
}

}  // namespace

void hand_tuned_stage(const double* start, const double* u, double* out, std::ptrdiff_t n, double fraction,
                      double ratio, int threads) {
#pragma omp parallel num_threads(threads)
  {
    std::vector<double> below(static_cast<std::size_t>(n)), above(below.size()), across(below.size() + 1),
        padded(below.size() + 4);
    const auto row = [&](std::ptrdiff_t j) { return u + n * ((j + n) % n); };
    std::ptrdiff_t last = -2;
#pragma omp for schedule(static)
    for (std::ptrdiff_t j = 0; j < n; ++j) {
      if (last != j - 1) flux_between(row(j - 2), row(j - 1), row(j), row(j + 1), above.data(), n);
      below.swap(above);
      last = j;
      flux_between(row(j - 1), row(j), row(j + 1), row(j + 2), above.data(), n);
      const double* line = row(j);
      std::copy(line, line + n, padded.data() + 2);
      padded[0] = line[n - 2];
      padded[1] = line[n - 1];
      padded[static_cast<std::size_t>(n) + 2] = line[0];
      padded[static_cast<std::size_t>(n) + 3] = line[1];
      const double* p = padded.data();
      flux_between(p, p + 1, p + 2, p + 3, across.data(), n + 1);
      const double *s = start + n * j, *x = across.data(), *lo = below.data(), *hi = above.data();
      double* o = out + n * j;
      const double rest = 1 - fraction;
#pragma omp simd
      for (std::ptrdiff_t i = 0; i < n; ++i)
        o[i] = rest * s[i] + fraction * line[i] - ratio * (x[i + 1] - x[i] + hi[i] - lo[i]);
    }
  }
}

}  // namespace williwaw::bench
