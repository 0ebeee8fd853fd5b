#include "casefile/formula/function_lines.hpp"

#include <sleef.h>

#include <algorithm>
#include <cmath>

#include "williwaw/grid/clones.hpp"

#if defined(__x86_64__)
#include <immintrin.h>

// The header tells of wide vectors only where all of a file may use them.
extern "C" {
// A call needs the declaration to ask for these vectors, too (clang).
#define WIDE_OF(function, accuracy)                                                          \
  __attribute__((target("avx"))) __m256d Sleef_cinz_##function##d4_##accuracy##avx(__m256d); \
  __attribute__((target("avx512f"))) __m512d Sleef_cinz_##function##d8_##accuracy##avx512fnofma(__m512d);
WIDE_OF(sin, u10)
WIDE_OF(cos, u10)
WIDE_OF(tan, u10)
WIDE_OF(asin, u10)
WIDE_OF(acos, u10)
WIDE_OF(atan, u10)
WIDE_OF(sinh, u10)
WIDE_OF(cosh, u10)
WIDE_OF(tanh, u10)
WIDE_OF(asinh, u10)
WIDE_OF(acosh, u10)
WIDE_OF(atanh, u10)
WIDE_OF(exp, u10)
WIDE_OF(log, u10)
WIDE_OF(log2, u10)
WIDE_OF(log10, u10)
WIDE_OF(erf, u10)
WIDE_OF(erfc, u15)
__attribute__((target("avx"))) __m256d Sleef_cinz_powd4_u10avx(__m256d, __m256d);
__attribute__((target("avx512f"))) __m512d Sleef_cinz_powd8_u10avx512fnofma(__m512d, __m512d);
#undef WIDE_OF
}
#endif

namespace williwaw::casefile {

namespace {

#if defined(__x86_64__)

// Values at once: 8, 4 or 2. All widths give the same bits, so that what is left over may be done by pairs.
int widest() {
  static const int width = __builtin_cpu_supports("avx512f") ? 8 : __builtin_cpu_supports("avx") ? 4 : 2;
  return width;
}

#define LINES(function, accuracy)                                                                          \
  void function##_pairs(Index n, const Real* a, Real* r) {                                                 \
    Index i = 0;                                                                                           \
    for (; i + 2 <= n; i += 2)                                                                             \
      _mm_storeu_pd(r + i, Sleef_cinz_##function##d2_##accuracy##sse2(_mm_loadu_pd(a + i)));               \
    if (i < n) _mm_store_sd(r + i, Sleef_cinz_##function##d2_##accuracy##sse2(_mm_set1_pd(a[i])));         \
  }                                                                                                        \
  __attribute__((target("avx"))) void function##_fours(Index n, const Real* a, Real* r) {                  \
    Index i = 0;                                                                                           \
    for (; i + 4 <= n; i += 4)                                                                             \
      _mm256_storeu_pd(r + i, Sleef_cinz_##function##d4_##accuracy##avx(_mm256_loadu_pd(a + i)));          \
    function##_pairs(n - i, a + i, r + i);                                                                 \
  }                                                                                                        \
  __attribute__((target("avx512f"))) void function##_eights(Index n, const Real* a, Real* r) {             \
    Index i = 0;                                                                                           \
    for (; i + 8 <= n; i += 8)                                                                             \
      _mm512_storeu_pd(r + i, Sleef_cinz_##function##d8_##accuracy##avx512fnofma(_mm512_loadu_pd(a + i))); \
    function##_pairs(n - i, a + i, r + i);                                                                 \
  }                                                                                                        \
  void function##_line(Index n, const Real* a, Real* r) {                                                  \
    const int width = n < 4 ? 2 : widest();                                                                \
    (width == 8 ? function##_eights : width == 4 ? function##_fours : function##_pairs)(n, a, r);          \
  }

void power_pairs(Index n, const Real* a, Index a_step, const Real* b, Index b_step, Real* r) {
  for (Index i = 0; i < n; ++i)
    _mm_store_sd(r + i, Sleef_cinz_powd2_u10sse2(_mm_set1_pd(a[i * a_step]), _mm_set1_pd(b[i * b_step])));
}
__attribute__((target("avx"))) void power_fours(Index n, const Real* a, Index a_step, const Real* b,
                                                Index b_step, Real* r) {
  Index i = 0;
  for (; i + 4 <= n; i += 4)
    _mm256_storeu_pd(r + i, Sleef_cinz_powd4_u10avx(a_step ? _mm256_loadu_pd(a + i) : _mm256_set1_pd(*a),
                                                    b_step ? _mm256_loadu_pd(b + i) : _mm256_set1_pd(*b)));
  power_pairs(n - i, a + i * a_step, a_step, b + i * b_step, b_step, r + i);
}
__attribute__((target("avx512f"))) void power_eights(Index n, const Real* a, Index a_step, const Real* b,
                                                     Index b_step, Real* r) {
  Index i = 0;
  for (; i + 8 <= n; i += 8)
    _mm512_storeu_pd(r + i,
                     Sleef_cinz_powd8_u10avx512fnofma(a_step ? _mm512_loadu_pd(a + i) : _mm512_set1_pd(*a),
                                                      b_step ? _mm512_loadu_pd(b + i) : _mm512_set1_pd(*b)));
  power_pairs(n - i, a + i * a_step, a_step, b + i * b_step, b_step, r + i);
}
void power(Index n, const Real* a, Index a_step, const Real* b, Index b_step, Real* r) {
  const int width = n < 4 ? 2 : widest();
  (width == 8 ? power_eights : width == 4 ? power_fours : power_pairs)(n, a, a_step, b, b_step, r);
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

LINES(sin, u10)
LINES(cos, u10)
LINES(tan, u10)
LINES(asin, u10)
LINES(acos, u10)
LINES(atan, u10)
LINES(sinh, u10)
LINES(cosh, u10)
LINES(tanh, u10)
LINES(asinh, u10)
LINES(acosh, u10)
LINES(atanh, u10)
LINES(exp, u10)
LINES(log, u10)
LINES(log2, u10)
LINES(log10, u10)
LINES(erf, u10)
LINES(erfc, u15)
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
