#include "williwaw/problem/function.hpp"

#include <algorithm>

namespace williwaw {

Function Function::by_line(ByLine evaluate, bool on_place, bool on_time) {
  Function f;
  f.by_line_ = std::make_shared<const ByLine>(std::move(evaluate));
  f.on_place_ = on_place;
  f.on_time_ = on_time;
  return f;
}

void Function::evaluate(const Points& places, Real time, std::span<Real> out) const {
  if (!by_line_) {
    std::fill(out.begin(), out.end(), constant_);
    return;
  }
  if (on_place_) {
    (*by_line_)(places, time, out);
    return;
  }
  // The same everywhere: once is enough.
  Real value = 0;
  (*by_line_)(Points(1), time, {&value, 1});
  std::fill(out.begin(), out.end(), value);
}

Real Function::operator()(const Point& place, Real time) const {
  Points one(1);
  one.set(0, place);
  Real value = 0;
  evaluate(one, time, {&value, 1});
  return value;
}

Function operator*(const Function& a, const Function& b) {
  if (a.is_constant() && b.is_constant()) return {a(Point{}) * b(Point{})};
  return Function::by_line(
      [a, b](const Points& places, Real time, std::span<Real> out) {
        std::vector<Real> other(out.size());
        a.evaluate(places, time, out);
        b.evaluate(places, time, other);
        for (std::size_t i = 0; i < out.size(); ++i) out[i] *= other[i];
      },
      a.depends_on_place() || b.depends_on_place(), a.depends_on_time() || b.depends_on_time());
}

}  // namespace williwaw
