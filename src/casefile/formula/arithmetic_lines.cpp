#include "casefile/formula/arithmetic_lines.hpp"

#include <cmath>

#include "williwaw/grid/clones.hpp"

namespace williwaw::casefile {

// Macros, because functions are built for each vector unit, which templates are not.
#define LINES_OF_TWO(name, value)                                                                 \
  namespace {                                                                                     \
  WILLIWAW_CLONES void name##_both(Index n, const Real* a, const Real* b, Real* __restrict r) {   \
    for (Index i = 0; i < n; ++i) {                                                               \
      const Real v = a[i], w = b[i];                                                              \
      r[i] = value;                                                                               \
    }                                                                                             \
  }                                                                                               \
  WILLIWAW_CLONES void name##_number_first(Index n, Real v, const Real* b, Real* __restrict r) {  \
    for (Index i = 0; i < n; ++i) {                                                               \
      const Real w = b[i];                                                                        \
      r[i] = value;                                                                               \
    }                                                                                             \
  }                                                                                               \
  WILLIWAW_CLONES void name##_number_second(Index n, const Real* a, Real w, Real* __restrict r) { \
    for (Index i = 0; i < n; ++i) {                                                               \
      const Real v = a[i];                                                                        \
      r[i] = value;                                                                               \
    }                                                                                             \
  }                                                                                               \
  }                                                                                               \
  const LinesOfTwo lines_of_two::name{name##_both, name##_number_first, name##_number_second};
LINES_OF_TWO(add, v + w)
LINES_OF_TWO(subtract, v - w)
LINES_OF_TWO(multiply, v* w)
LINES_OF_TWO(divide, v / w)
LINES_OF_TWO(less, v < w ? 1.0 : 0.0)
LINES_OF_TWO(less_equal, v <= w ? 1.0 : 0.0)
LINES_OF_TWO(greater, v > w ? 1.0 : 0.0)
LINES_OF_TWO(greater_equal, v >= w ? 1.0 : 0.0)
LINES_OF_TWO(equal, v == w ? 1.0 : 0.0)
LINES_OF_TWO(not_equal, v != w ? 1.0 : 0.0)
LINES_OF_TWO(both, ((v != 0) & (w != 0)) ? 1.0 : 0.0)
LINES_OF_TWO(either, ((v != 0) | (w != 0)) ? 1.0 : 0.0)
LINES_OF_TWO(smaller, w < v ? w : v)
LINES_OF_TWO(larger, w > v ? w : v)
LINES_OF_TWO(remainder, v - w * std::floor(v / w))
#undef LINES_OF_TWO

WILLIWAW_CLONES void negated(Index count, const Real* a, Real* __restrict r) {
  for (Index i = 0; i < count; ++i) r[i] = -a[i];
}

namespace {

WILLIWAW_CLONES void chosen_lines(Index n, const Real* c, const Real* a, const Real* b, Real* __restrict r) {
  for (Index i = 0; i < n; ++i) {
    // Both are read, so that no branch is in the way of vectors.
    const Real v = a[i], w = b[i];
    r[i] = c[i] != 0 ? v : w;
  }
}
WILLIWAW_CLONES void chosen_first(Index n, const Real* c, Real v, const Real* b, Real* __restrict r) {
  for (Index i = 0; i < n; ++i) {
    const Real w = b[i];
    r[i] = c[i] != 0 ? v : w;
  }
}
WILLIWAW_CLONES void chosen_second(Index n, const Real* c, const Real* a, Real w, Real* __restrict r) {
  for (Index i = 0; i < n; ++i) {
    const Real v = a[i];
    r[i] = c[i] != 0 ? v : w;
  }
}
WILLIWAW_CLONES void chosen_numbers(Index n, const Real* c, Real v, Real w, Real* __restrict r) {
  for (Index i = 0; i < n; ++i) r[i] = c[i] != 0 ? v : w;
}

}  // namespace

void chosen(Index count, const Real* condition, const Real* a, bool a_single, const Real* b, bool b_single,
            Real* r) {
  if (a_single && b_single)
    chosen_numbers(count, condition, *a, *b, r);
  else if (a_single)
    chosen_first(count, condition, *a, b, r);
  else if (b_single)
    chosen_second(count, condition, a, *b, r);
  else
    chosen_lines(count, condition, a, b, r);
}

WILLIWAW_CLONES Index count_true(Index count, const Real* condition) {
  Index result = 0;
  for (Index i = 0; i < count; ++i) result += condition[i] != 0 ? 1 : 0;
  return result;
}

}  // namespace williwaw::casefile
