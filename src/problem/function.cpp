#include "williwaw/problem/function.hpp"

#include <algorithm>

#include "williwaw/grid/expect.hpp"

namespace williwaw {

Function Function::by_line(ByLine evaluate, bool on_place, bool on_time) {
  Function f;
  f.by_line_ = std::make_shared<const ByLine>(std::move(evaluate));
  f.on_place_ = on_place;
  f.on_time_ = on_time;
  return f;
}

Function Function::by_region(std::shared_ptr<const Regions> regions, std::vector<Function> parts) {
  if (static_cast<Index>(parts.size()) != regions->size() + 1)
    throw InputError("a function by region needs one part for each region, and one for the rest");
  Function f;
  f.on_place_ = true;
  for (const Function& p : parts) f.on_time_ = f.on_time_ || p.on_time_;
  f.regions_ = std::move(regions);
  f.parts_ = std::make_shared<const std::vector<Function>>(std::move(parts));
  f.by_line_ = std::make_shared<const ByLine>(
      [where = f.regions_, of = f.parts_](const Points& places, Real time, std::span<Real> out) {
        std::vector<int> labels(out.size());
        where->labels(places, labels);
        std::vector<Real> values(out.size());
        for (std::size_t l = 0; l < of->size(); ++l) {
          const int label = static_cast<int>(l);
          if (std::ranges::find(labels, label) == labels.end()) continue;
          (*of)[l].evaluate(places, time, values);
          for (std::size_t i = 0; i < out.size(); ++i)
            if (labels[i] == label) out[i] = values[i];
        }
      });
  return f;
}

void Function::evaluate(const Points& places, Real time, std::span<Real> out) const {
  expect(static_cast<Index>(out.size()) == places.size(), "Function::evaluate: a value for each place");
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
  if (const auto& regions = a.regions() ? a.regions() : b.regions()) {
    std::vector<Function> parts;
    for (int label = 0; label <= regions->size(); ++label) parts.push_back(a.part(label) * b.part(label));
    return Function::by_region(regions, std::move(parts));
  }
  return Function::by_line(
      [a, b](const Points& places, Real time, std::span<Real> out) {
        std::vector<Real> other(out.size());
        a.evaluate(places, time, out);
        b.evaluate(places, time, other);
        for (std::size_t i = 0; i < out.size(); ++i) out[i] *= other[i];
      },
      a.depends_on_place() || b.depends_on_place(), a.depends_on_time() || b.depends_on_time());
}

Function changed(const Function& f, std::function<Real(Real)> change) {
  if (f.is_constant()) return {change(f(Point{}))};
  if (const auto& regions = f.regions()) {
    std::vector<Function> parts;
    for (int label = 0; label <= regions->size(); ++label) parts.push_back(changed(f.part(label), change));
    return Function::by_region(regions, std::move(parts));
  }
  return Function::by_line(
      [f, change = std::move(change)](const Points& places, Real time, std::span<Real> out) {
        f.evaluate(places, time, out);
        for (Real& v : out) v = change(v);
      },
      f.depends_on_place(), f.depends_on_time());
}

}  // namespace williwaw
