// Operations of two numbers over lines of them: of two lines, or of a number and a line.
#pragma once

#include "williwaw/grid/types.hpp"

namespace williwaw::casefile {

/// r[i] = a[i] op b[i], or with one number for all (of two numbers the second one); `r` is none of the
/// others. A value does not depend on its place.
struct LinesOfTwo {
  void (*both)(Index count, const Real* a, const Real* b, Real* r);
  void (*number_first)(Index count, Real a, const Real* b, Real* r);
  void (*number_second)(Index count, const Real* a, Real b, Real* r);
};

namespace lines_of_two {
extern const LinesOfTwo add, subtract, multiply, divide;
/// 1 where it holds, 0 elsewhere.
extern const LinesOfTwo less, less_equal, greater, greater_equal, equal, not_equal, both, either;
/// `remainder`: a - b floor(a / b).
extern const LinesOfTwo smaller, larger, remainder;
}  // namespace lines_of_two

/// -a[i].
void negated(Index count, const Real* a, Real* r);

/// Where `condition` is not zero the value of `a`, elsewhere that of `b`: lines, or one number each.
void chosen(Index count, const Real* condition, const Real* a, bool a_single, const Real* b, bool b_single,
            Real* r);
/// How many are not zero.
Index count_true(Index count, const Real* condition);

}  // namespace williwaw::casefile
