// Functions of formulas by four and by eight numbers at once. Each width is a file of its own, compiled for
// its vector unit: only there vectors are handed over as the SLEEF library takes them. Nothing is included
// here, and no inline function is called, whose copy for that unit another file could get.
#pragma once

#include <cstddef>

#define WILLIWAW_FUNCTIONS_OF_ONE(each)                                                                  \
  each(sin, u10) each(cos, u10) each(tan, u10) each(asin, u10) each(acos, u10) each(atan, u10)           \
      each(sinh, u10) each(cosh, u10) each(tanh, u10) each(asinh, u10) each(acosh, u10) each(atanh, u10) \
          each(exp, u10) each(log, u10) each(log2, u10) each(log10, u10) each(erf, u10) each(erfc, u15)

namespace williwaw::casefile::wide_functions {

/// r[i] = f(a[i]) for as many whole vectors as `count` has; how many values that was.
#define DECLARED(function, accuracy)                                                \
  std::ptrdiff_t function##_by_4(std::ptrdiff_t count, const double* a, double* r); \
  std::ptrdiff_t function##_by_8(std::ptrdiff_t count, const double* a, double* r);
WILLIWAW_FUNCTIONS_OF_ONE(DECLARED)
#undef DECLARED

/// The same of a[i·a_step]^b[i·b_step], steps 0 or 1.
std::ptrdiff_t power_by_4(std::ptrdiff_t count, const double* a, std::ptrdiff_t a_step, const double* b,
                          std::ptrdiff_t b_step, double* r);
std::ptrdiff_t power_by_8(std::ptrdiff_t count, const double* a, std::ptrdiff_t a_step, const double* b,
                          std::ptrdiff_t b_step, double* r);

}  // namespace williwaw::casefile::wide_functions
