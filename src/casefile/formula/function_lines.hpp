// The functions of formulas over lines of numbers. Every processor gives the same values: those of the SLEEF
// library, within one unit in the last place (erfc 1.5).
#pragma once

#include "williwaw/grid/types.hpp"

namespace williwaw::casefile {

/// r[i] = f(a[i]); `r` may be `a`. A value does not depend on its place.
using FunctionLine = void (*)(Index count, const Real* a, Real* r);

namespace function_lines {
extern const FunctionLine sin, cos, tan, asin, acos, atan, sinh, cosh, tanh, asinh, acosh, atanh, exp, log,
    log2, log10, erf, erfc, sqrt, abs, sign, floor, ceil, rint;
}  // namespace function_lines

/// r[i] = a[i]^b[i], or of one number for all.
struct PowerLines {
  void (*both)(Index count, const Real* a, const Real* b, Real* r);
  void (*number_first)(Index count, Real a, const Real* b, Real* r);
  void (*number_second)(Index count, const Real* a, Real b, Real* r);
};
extern const PowerLines raising;

/// The angle of (x, y), by the same library.
Real angle_of(Real y, Real x);

}  // namespace williwaw::casefile
