// The four operations over lines of numbers, of two lines or of a number and a line.
#pragma once

#include "williwaw/grid/types.hpp"

namespace williwaw::casefile {

struct ArithmeticLines {
  void (*both)(Index, const Real*, const Real*, Real*);
  void (*number_first)(Index, Real, const Real*, Real*);
  void (*number_second)(Index, const Real*, Real, Real*);
};

extern const ArithmeticLines adding, subtracting, multiplying, dividing;

}  // namespace williwaw::casefile
