// Compiled for AVX.
#include "casefile/formula/wide_functions.hpp"

#if defined(__x86_64__)

#include <immintrin.h>
#include <sleef.h>

namespace williwaw::casefile::wide_functions {

#define MADE(function, accuracy)                                                                  \
  std::ptrdiff_t function##_by_4(std::ptrdiff_t count, const double* a, double* r) {              \
    std::ptrdiff_t i = 0;                                                                         \
    for (; i + 4 <= count; i += 4)                                                                \
      _mm256_storeu_pd(r + i, Sleef_cinz_##function##d4_##accuracy##avx(_mm256_loadu_pd(a + i))); \
    return i;                                                                                     \
  }
WILLIWAW_FUNCTIONS_OF_ONE(MADE)
#undef MADE

std::ptrdiff_t power_by_4(std::ptrdiff_t count, const double* a, std::ptrdiff_t a_step, const double* b,
                          std::ptrdiff_t b_step, double* r) {
  std::ptrdiff_t i = 0;
  for (; i + 4 <= count; i += 4)
    _mm256_storeu_pd(r + i, Sleef_cinz_powd4_u10avx(a_step ? _mm256_loadu_pd(a + i) : _mm256_set1_pd(*a),
                                                    b_step ? _mm256_loadu_pd(b + i) : _mm256_set1_pd(*b)));
  return i;
}

}  // namespace williwaw::casefile::wide_functions

#endif
