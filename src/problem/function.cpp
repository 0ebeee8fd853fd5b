#include "williwaw/problem/function.hpp"

#include <algorithm>
#include <cmath>
#include <functional>

#include "williwaw/grid/expect.hpp"

namespace williwaw {

namespace {

// Those that it has, or itself and one.
std::optional<Function::Factors> factors_of(const Function& f) {
  if (f.depends_on_unknown()) return std::nullopt;
  if (f.factors()) return *f.factors();
  if (!f.depends_on_time()) return Function::Factors{f, 1.0};
  if (!f.depends_on_place()) return Function::Factors{1.0, f};
  return std::nullopt;
}

// Of a function whose parts are 0 but for one.
std::optional<Function::Factors> factors_by_region(const std::shared_ptr<const Regions>& regions,
                                                   std::vector<Function> parts) {
  const auto is_zero = [](const Function& part) { return part.is_constant() && part(Point{}) == 0; };
  if (std::ranges::count_if(parts, std::not_fn(is_zero)) != 1) return std::nullopt;
  Function& only = *std::ranges::find_if_not(parts, is_zero);
  const auto factors = factors_of(only);
  if (!factors) return std::nullopt;
  only = factors->place;
  return Function::Factors{Function::by_region(regions, std::move(parts)), factors->time};
}

}  // namespace

Function Function::by_line(ByLine evaluate, bool on_place, bool on_time) {
  Function f;
  f.by_line_ = std::make_shared<const ByLine>(std::move(evaluate));
  f.on_place_ = on_place;
  f.on_time_ = on_time;
  return f;
}

Function Function::of_unknown(OfUnknown evaluate, OfUnknown slope, bool on_place, bool on_time) {
  Function f;
  f.by_unknown_ = std::make_shared<const ByUnknown>(ByUnknown{std::move(evaluate), std::move(slope)});
  f.on_place_ = on_place;
  f.on_time_ = on_time;
  f.on_unknown_ = true;
  return f;
}

Function Function::of_unknown(std::function<Real(Real)> value, std::function<Real(Real)> slope) {
  const auto each = [](std::function<Real(Real)> of_one) -> OfUnknown {
    if (!of_one) return {};
    return [of_one = std::move(of_one)](const Points&, Real, std::span<const Real> u, std::span<Real> out) {
      for (std::size_t i = 0; i < out.size(); ++i) out[i] = of_one(u[i]);
    };
  };
  return of_unknown(each(std::move(value)), each(std::move(slope)), false, false);
}

Function Function::by_region(std::shared_ptr<const Regions> regions, std::vector<Function> parts) {
  if (static_cast<Index>(parts.size()) != regions->size() + 1)
    throw InputError("a function by region needs one part for each region, and one for the rest");
  Function f;
  f.on_place_ = true;
  for (const Function& p : parts) {
    f.on_time_ = f.on_time_ || p.on_time_;
    f.on_unknown_ = f.on_unknown_ || p.on_unknown_;
  }
  f.regions_ = std::move(regions);
  f.parts_ = std::make_shared<const std::vector<Function>>(std::move(parts));
  // Every part for all places, of which each takes that of its label.
  const auto each = [where = f.regions_, of = f.parts_](const Points& places, std::span<Real> out,
                                                        const auto& evaluate) {
    std::vector<int> labels(out.size());
    where->labels(places, labels);
    std::vector<Real> values(out.size());
    for (std::size_t l = 0; l < of->size(); ++l) {
      const int label = static_cast<int>(l);
      if (std::ranges::find(labels, label) == labels.end()) continue;
      evaluate((*of)[l], values);
      for (std::size_t i = 0; i < out.size(); ++i)
        if (labels[i] == label) out[i] = values[i];
    }
  };
  if (f.on_unknown_)
    f.by_unknown_ = std::make_shared<const ByUnknown>(ByUnknown{
        [each](const Points& places, Real time, std::span<const Real> u, std::span<Real> out) {
          each(places, out,
               [&](const Function& part, std::span<Real> to) { part.evaluate(places, time, u, to); });
        },
        [each](const Points& places, Real time, std::span<const Real> u, std::span<Real> out) {
          each(places, out,
               [&](const Function& part, std::span<Real> to) { part.slope(places, time, u, to); });
        }});
  else
    f.by_line_ = std::make_shared<const ByLine>([each](const Points& places, Real time, std::span<Real> out) {
      each(places, out, [&](const Function& part, std::span<Real> to) { part.evaluate(places, time, to); });
    });
  if (f.on_time_ && !f.on_unknown_)
    if (auto factors = factors_by_region(f.regions_, *f.parts_))
      return with_factors(std::move(f), std::move(factors->place), std::move(factors->time));
  return f;
}

Function Function::with_factors(Function whole, Function place, Function time) {
  expect(!place.on_time_ && !time.on_place_ && !whole.on_unknown_,
         "Function::with_factors: one factor of place and one of time");
  whole.factors_ = std::make_shared<const Factors>(Factors{std::move(place), std::move(time)});
  return whole;
}

void Function::evaluate(const Points& places, Real time, std::span<Real> out) const {
  expect(static_cast<Index>(out.size()) == places.size(), "Function::evaluate: a value for each place");
  if (on_unknown_) throw InputError("a function of the unknown stands where the unknown is not known");
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

void Function::evaluate(const Points& places, Real time, std::span<const Real> u, std::span<Real> out) const {
  if (!on_unknown_) {
    evaluate(places, time, out);
    return;
  }
  expect(u.size() == out.size() && static_cast<Index>(out.size()) == places.size(),
         "Function::evaluate: a value of the unknown for each place");
  by_unknown_->value(places, time, u, out);
}

// Without a derivative of its own a central difference whose step is the cube root of the round-off in u.
void Function::slope(const Points& places, Real time, std::span<const Real> u, std::span<Real> out) const {
  if (!on_unknown_) {
    std::fill(out.begin(), out.end(), 0.0);
    return;
  }
  if (by_unknown_->slope) {
    by_unknown_->slope(places, time, u, out);
    return;
  }
  Real size = 0;
  for (const Real value : u) size = std::max(size, std::abs(value));
  const Real step = 6e-6 * (size > 0 ? size : 1);
  std::vector<Real> moved(u.begin(), u.end()), below(u.size());
  for (Real& value : moved) value += step;
  evaluate(places, time, moved, out);
  for (Real& value : moved) value -= 2 * step;
  evaluate(places, time, moved, below);
  for (std::size_t i = 0; i < out.size(); ++i) out[i] = (out[i] - below[i]) / (2 * step);
}

Real Function::at(const Point& place, Real time, Real u) const {
  Points one(1);
  one.set(0, place);
  Real value = 0;
  evaluate(one, time, {&u, 1}, {&value, 1});
  return value;
}

Function operator*(const Function& a, const Function& b) {
  if (a.is_constant() && b.is_constant()) return {a(Point{}) * b(Point{})};
  if (const auto& regions = a.regions() ? a.regions() : b.regions()) {
    std::vector<Function> parts;
    for (int label = 0; label <= regions->size(); ++label) parts.push_back(a.part(label) * b.part(label));
    return Function::by_region(regions, std::move(parts));
  }
  const bool on_place = a.depends_on_place() || b.depends_on_place(),
             on_time = a.depends_on_time() || b.depends_on_time();
  if (a.depends_on_unknown() || b.depends_on_unknown()) {
    // value = a·b, slope = a'·b + a·b'
    return Function::of_unknown(
        [a, b](const Points& places, Real time, std::span<const Real> u, std::span<Real> out) {
          std::vector<Real> other(out.size());
          a.evaluate(places, time, u, out);
          b.evaluate(places, time, u, other);
          for (std::size_t i = 0; i < out.size(); ++i) out[i] *= other[i];
        },
        [a, b](const Points& places, Real time, std::span<const Real> u, std::span<Real> out) {
          std::vector<Real> values(out.size()), slopes(out.size());
          a.slope(places, time, u, out);
          b.evaluate(places, time, u, values);
          for (std::size_t i = 0; i < out.size(); ++i) out[i] *= values[i];
          a.evaluate(places, time, u, values);
          b.slope(places, time, u, slopes);
          for (std::size_t i = 0; i < out.size(); ++i) out[i] += values[i] * slopes[i];
        },
        on_place, on_time);
  }
  Function product = Function::by_line(
      [a, b](const Points& places, Real time, std::span<Real> out) {
        std::vector<Real> other(out.size());
        a.evaluate(places, time, out);
        b.evaluate(places, time, other);
        for (std::size_t i = 0; i < out.size(); ++i) out[i] *= other[i];
      },
      on_place, on_time);
  if (!on_place || !on_time) return product;
  const auto of_a = factors_of(a), of_b = factors_of(b);
  if (!of_a || !of_b) return product;
  return Function::with_factors(std::move(product), of_a->place * of_b->place, of_a->time * of_b->time);
}

Function sum(const Function& a, const Function& b) {
  if (const auto& regions = a.regions() ? a.regions() : b.regions()) {
    std::vector<Function> parts;
    for (int label = 0; label <= regions->size(); ++label) parts.push_back(sum(a.part(label), b.part(label)));
    return Function::by_region(regions, std::move(parts));
  }
  const auto add = [a, b](auto part) -> Function::OfUnknown {
    return [a, b, part](const Points& places, Real time, std::span<const Real> u, std::span<Real> out) {
      std::vector<Real> other(out.size());
      part(a, places, time, u, out);
      part(b, places, time, u, std::span<Real>(other));
      for (std::size_t i = 0; i < out.size(); ++i) out[i] += other[i];
    };
  };
  return Function::of_unknown(add([](const Function& f, const Points& p, Real t, std::span<const Real> u,
                                     std::span<Real> out) { f.evaluate(p, t, u, out); }),
                              add([](const Function& f, const Points& p, Real t, std::span<const Real> u,
                                     std::span<Real> out) { f.slope(p, t, u, out); }),
                              a.depends_on_place() || b.depends_on_place(),
                              a.depends_on_time() || b.depends_on_time());
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
