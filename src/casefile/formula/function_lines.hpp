// The functions of formulas over lines of numbers. Every processor gives the same values: those of the SLEEF
// library, within one unit in the last place (erfc 1.5).
#pragma once

#include "casefile/formula/arithmetic_lines.hpp"

namespace williwaw::casefile {

/// r[i] = f(a[i]); `r` may be `a`. A value does not depend on its place.
using FunctionLine = void (*)(Index count, const Real* a, Real* r);

namespace function_lines {
extern const FunctionLine sin, cos, tan, asin, acos, atan, sinh, cosh, tanh, asinh, acosh, atanh, exp, log,
    log2, log10, erf, erfc, sqrt, abs, sign, floor, ceil, rint;
}  // namespace function_lines

/// a^b; the powers -1, 2, 3 and 4 of one exponent for all by multiplication.
extern const LinesOfTwo raising;
/// The angle of (x, y), of y and x.
extern const LinesOfTwo angle;

}  // namespace williwaw::casefile
