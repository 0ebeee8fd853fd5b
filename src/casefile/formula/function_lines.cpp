#include "casefile/formula/function_lines.hpp"

#include <sleef.h>

#include <algorithm>
#include <cmath>

#include "williwaw/grid/clones.hpp"

#if defined(__x86_64__)
#include <immintrin.h>
#endif

#include "casefile/formula/wide_functions.hpp"

namespace williwaw::casefile {

namespace {

#if defined(__x86_64__)

// Values at once: 8, 4 or 2. All widths give the same bits, so that what is left over may be done by pairs.
int widest() {
  static const int width = __builtin_cpu_supports("avx512f") ? 8 : __builtin_cpu_supports("avx") ? 4 : 2;
  return width;
}

#define LINES(function, accuracy)                                                                  \
  void function##_line(Index n, const Real* a, Real* r) {                                          \
    const int width = n < 4 ? 2 : widest();                                                        \
    Index i = width == 8   ? wide_functions::function##_by_8(n, a, r)                              \
              : width == 4 ? wide_functions::function##_by_4(n, a, r)                              \
                           : 0;                                                                    \
    for (; i + 2 <= n; i += 2)                                                                     \
      _mm_storeu_pd(r + i, Sleef_cinz_##function##d2_##accuracy##sse2(_mm_loadu_pd(a + i)));       \
    if (i < n) _mm_store_sd(r + i, Sleef_cinz_##function##d2_##accuracy##sse2(_mm_set1_pd(a[i]))); \
  }

void power(Index n, const Real* a, Index a_step, const Real* b, Index b_step, Real* r) {
  const int width = n < 4 ? 2 : widest();
  Index i = width == 8   ? wide_functions::power_by_8(n, a, a_step, b, b_step, r)
            : width == 4 ? wide_functions::power_by_4(n, a, a_step, b, b_step, r)
                         : 0;
  for (; i < n; ++i)
    _mm_store_sd(r + i, Sleef_cinz_powd2_u10sse2(_mm_set1_pd(a[i * a_step]), _mm_set1_pd(b[i * b_step])));
}

#else

#define LINES(function, accuracy)                                                           \
  void function##_line(Index n, const Real* a, Real* r) {                                   \
    for (Index i = 0; i < n; ++i) r[i] = Sleef_cinz_##function##d1_##accuracy##purec(a[i]); \
  }
void power(Index n, const Real* a, Index a_step, const Real* b, Index b_step, Real* r) {
  for (Index i = 0; i < n; ++i) r[i] = Sleef_cinz_powd1_u10purec(a[i * a_step], b[i * b_step]);
}

#endif

WILLIWAW_FUNCTIONS_OF_ONE(LINES)
#undef LINES

// Exact ones.
#define EXACT(name, value)                                            \
  WILLIWAW_CLONES void name##_line(Index n, const Real* a, Real* r) { \
    for (Index i = 0; i < n; ++i) {                                   \
      const Real v = a[i];                                            \
      r[i] = value;                                                   \
    }                                                                 \
  }
EXACT(sqrt, std::sqrt(v))
EXACT(abs, std::fabs(v))
EXACT(sign, v > 0 ? 1 : v < 0 ? -1 : 0)
EXACT(floor, std::floor(v))
EXACT(ceil, std::ceil(v))
EXACT(rint, std::rint(v))
#undef EXACT

}  // namespace

namespace function_lines {
#define GIVE(name) const FunctionLine name = name##_line;
GIVE(sin)
GIVE(cos)
GIVE(tan)
GIVE(asin)
GIVE(acos)
GIVE(atan)
GIVE(sinh)
GIVE(cosh)
GIVE(tanh)
GIVE(asinh)
GIVE(acosh)
GIVE(atanh)
GIVE(exp)
GIVE(log)
GIVE(log2)
GIVE(log10)
GIVE(erf)
GIVE(erfc)
GIVE(sqrt)
GIVE(abs)
GIVE(sign)
GIVE(floor)
GIVE(ceil)
GIVE(rint)
#undef GIVE
}  // namespace function_lines

namespace {

// Whole exponents by multiplication: as exact, and many times as fast.
void power_of_number(Index n, const Real* a, Real b, Real* r) {
  using namespace lines_of_two;
  if (b == -1) return divide.number_first(n, 1, a, r);
  if (b != 2 && b != 3 && b != 4) return power(n, a, 1, &b, 0, r);
  constexpr Index piece = 256;
  Real square[piece];
  for (Index begin = 0; begin < n; begin += piece) {
    const Index count = std::min(piece, n - begin);
    Real* const to = b == 2 ? r + begin : square;
    multiply.both(count, a + begin, a + begin, to);
    if (b == 3) multiply.both(count, square, a + begin, r + begin);
    if (b == 4) multiply.both(count, square, square, r + begin);
  }
}

void angles(Index n, const Real* y, Index y_step, const Real* x, Index x_step, Real* r) {
  for (Index i = 0; i < n; ++i) r[i] = Sleef_cinz_atan2d1_u10purec(y[i * y_step], x[i * x_step]);
}

}  // namespace

const LinesOfTwo raising{[](Index n, const Real* a, const Real* b, Real* r) { power(n, a, 1, b, 1, r); },
                         [](Index n, Real a, const Real* b, Real* r) { power(n, &a, 0, b, 1, r); },
                         power_of_number};

const LinesOfTwo angle{[](Index n, const Real* y, const Real* x, Real* r) { angles(n, y, 1, x, 1, r); },
                       [](Index n, Real y, const Real* x, Real* r) { angles(n, &y, 0, x, 1, r); },
                       [](Index n, const Real* y, Real x, Real* r) { angles(n, y, 1, &x, 0, r); }};

}  // namespace williwaw::casefile
