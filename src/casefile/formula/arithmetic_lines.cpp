#include "casefile/formula/arithmetic_lines.hpp"

#include "williwaw/grid/clones.hpp"

namespace williwaw::casefile {

// Macros, because functions are built for each vector unit, which templates are not.
#define WILLIWAW_ARITHMETIC(name, operation)                                                      \
  namespace {                                                                                     \
  WILLIWAW_CLONES void name##_both(Index n, const Real* a, const Real* b, Real* __restrict r) {   \
    for (Index i = 0; i < n; ++i) r[i] = a[i] operation b[i];                                     \
  }                                                                                               \
  WILLIWAW_CLONES void name##_number_first(Index n, Real a, const Real* b, Real* __restrict r) {  \
    for (Index i = 0; i < n; ++i) r[i] = a operation b[i];                                        \
  }                                                                                               \
  WILLIWAW_CLONES void name##_number_second(Index n, const Real* a, Real b, Real* __restrict r) { \
    for (Index i = 0; i < n; ++i) r[i] = a[i] operation b;                                        \
  }                                                                                               \
  }                                                                                               \
  const ArithmeticLines name{name##_both, name##_number_first, name##_number_second};
WILLIWAW_ARITHMETIC(adding, +)
WILLIWAW_ARITHMETIC(subtracting, -)
WILLIWAW_ARITHMETIC(multiplying, *)
WILLIWAW_ARITHMETIC(dividing, /)
#undef WILLIWAW_ARITHMETIC

}  // namespace williwaw::casefile
