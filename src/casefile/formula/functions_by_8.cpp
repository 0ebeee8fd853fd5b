// Compiled for AVX-512.
#include "casefile/formula/wide_functions.hpp"

#if defined(__x86_64__)

#include <immintrin.h>
#include <sleef.h>

namespace williwaw::casefile::wide_functions {

#define MADE(function, accuracy)                                                                           \
  std::ptrdiff_t function##_by_8(std::ptrdiff_t count, const double* a, double* r) {                       \
    std::ptrdiff_t i = 0;                                                                                  \
    for (; i + 8 <= count; i += 8)                                                                         \
      _mm512_storeu_pd(r + i, Sleef_cinz_##function##d8_##accuracy##avx512fnofma(_mm512_loadu_pd(a + i))); \
    return i;                                                                                              \
  }
WILLIWAW_FUNCTIONS_OF_ONE(MADE)
#undef MADE

std::ptrdiff_t power_by_8(std::ptrdiff_t count, const double* a, std::ptrdiff_t a_step, const double* b,
                          std::ptrdiff_t b_step, double* r) {
  std::ptrdiff_t i = 0;
  for (; i + 8 <= count; i += 8)
    _mm512_storeu_pd(r + i,
                     Sleef_cinz_powd8_u10avx512fnofma(a_step ? _mm512_loadu_pd(a + i) : _mm512_set1_pd(*a),
                                                      b_step ? _mm512_loadu_pd(b + i) : _mm512_set1_pd(*b)));
  return i;
}

}  // namespace williwaw::casefile::wide_functions

#endif
