// Sommeijer, Shampine and Verwer (1997): Chebyshev polynomials, damped a little and of order 2. With s stages
// the real stability interval is 2/3·(s² − 1)·(1 − 2/15·ε), ε = 2/13.
#include <cmath>

#include "kinds.hpp"

namespace williwaw {

namespace {

constexpr Real damping = 2.0 / 13;

// T_j and its first two derivatives at x > 1, for j = 0 .. s.
struct Chebyshev {
  std::vector<Real> value, first, second;
  Chebyshev(int s, Real x) : value{1, x}, first{0, 1}, second{0, 0} {
    for (std::size_t j = 2; j <= static_cast<std::size_t>(s); ++j) {
      value.push_back(2 * x * value[j - 1] - value[j - 2]);
      first.push_back(2 * value[j - 1] + 2 * x * first[j - 1] - first[j - 2]);
      second.push_back(4 * first[j - 1] + 2 * x * second[j - 1] - second[j - 2]);
    }
  }
};

std::vector<Recurrence> recurrences_for(int s) {
  const auto count = static_cast<std::size_t>(s);
  const Real w0 = 1 + damping / (static_cast<Real>(s) * s);
  const Chebyshev t(s, w0);
  const Real w1 = t.first[count] / t.second[count];
  std::vector<Real> b(count + 1), a(count + 1);
  for (std::size_t j = 2; j <= count; ++j) b[j] = t.second[j] / (t.first[j] * t.first[j]);
  b[0] = b[1] = b[2];
  for (std::size_t j = 0; j <= count; ++j) a[j] = 1 - b[j] * t.value[j];
  std::vector<Recurrence> rows(count);
  const auto abscissa = [&](std::size_t j) { return w1 * t.second[j] / t.first[j]; };
  // The first stage is a plain Euler step over b₁·w₁: Y_1 = Y_0 + that step.
  rows[0] = {0, 0, b[1] * w1, 0, abscissa(2) / t.first[2]};
  for (std::size_t j = 2; j <= count; ++j) {
    const Real rate = 2 * b[j] * w1 / b[j - 1];
    rows[j - 1] = {2 * b[j] * w0 / b[j - 1], -b[j] / b[j - 2], rate, -a[j - 1] * rate, abscissa(j)};
  }
  return rows;
}

}  // namespace

SchemeKind schemes::stabilized() {
  return {"stabilized", "", 0, 0, [](Real) {
            Stabilized method;
            method.recurrences = recurrences_for;
            method.interval = [](int s) {
              return 2.0 / 3 * (static_cast<Real>(s) * s - 1) * (1 - 2 * damping / 15);
            };
            return Scheme{"stabilized", "Runge-Kutta-Chebyshev, order 2", 2, method};
          }};
}

}  // namespace williwaw
