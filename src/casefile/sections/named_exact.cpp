// [exact] solution = "slab", ..: a solution with a name, with the numbers of the case itself.
#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "casefile/sections/sections.hpp"
#include "williwaw/casefile/readable.hpp"
#include "williwaw/verify/exact_solutions.hpp"

namespace williwaw::casefile {

namespace {

// What the case says, as far as these solutions need it: one axis, constant numbers.
class Declared {
 public:
  Declared(const Section& section, const Case& given) : section_(section), problem_(given.problem) {
    const Grid& g = problem_.grid();
    const Equation& e = problem_.equation();
    if (given.steady) refuse("a run in [time] is needed");
    if (g.dimension() != 1) refuse("one dimension is needed");
    if (e.reaction || !e.points.empty()) refuse("neither reactions nor points have a place in it");
    axis = &g.axis(0);
    direction = g.direction(0);
    conductivity =
        constant(e.diffusion.coefficient[static_cast<std::size_t>(g.direction(0))], "conductivity");
    storage = constant(e.storage, "storage");
    source = constant(e.source, "source");
    start = constant(problem_.initial, "initial value");
    diffusivity = conductivity / storage;
  }

  [[noreturn]] void refuse(const std::string& what) const {
    section_.fail("solution", "does not fit this case: " + what);
  }
  Real constant(const Function& f, const std::string& what) const {
    if (!f.is_constant()) refuse("the " + what + " must be one number");
    return f(Point{});
  }
  void need_no_source() const {
    if (source != 0) refuse("there must be no source");
  }

  bool insulated(bool upper) const {
    const auto& all = problem_.boundary({0, upper}).conditions();
    return all.size() == 1 && all[0]->kind() == "insulated";
  }
  // Exchange coefficient (infinity where prescribed) and what it exchanges with.
  std::pair<Real, Real> surface(bool upper) const {
    const auto& all = problem_.boundary({0, upper}).conditions();
    const std::string side = problem_.grid().side_name({0, upper});
    if (all.size() == 1 && all[0]->kind() == "dirichlet")
      return {INFINITY, constant(all[0]->arguments()[0], "value of " + side)};
    if (all.size() == 1 && all[0]->kind() == "robin")
      return {constant(all[0]->arguments()[0], "coefficient of " + side),
              constant(all[0]->arguments()[1], "ambient value of " + side)};
    refuse(side + " must be prescribed (dirichlet) or exchange (robin)");
  }

  const Axis* axis = nullptr;
  int direction = 0;  ///< of the axis in a place
  Real conductivity = 1, storage = 1, source = 0, start = 0, diffusivity = 1;

 private:
  const Section& section_;
  const Problem& problem_;
};

Value cooling(const Declared& d, verify::CoolingBody::Shape shape, bool surface_above) {
  d.need_no_source();
  const auto [h, ambient] = d.surface(surface_above);
  const Real length = d.axis->length(), from = surface_above ? d.axis->from() : d.axis->to();
  const Real biot = h * length / d.conductivity;
  const int direction = d.direction;
  const verify::CoolingBody body(shape, biot);
  Value v;
  const Real start = d.start, surroundings = ambient, diffusivity = d.diffusivity;
  v.function = [=](Point p, Real t) {
    const Real theta = body(std::abs(p[direction] - from) / length, diffusivity * t / (length * length));
    return surroundings + (start - surroundings) * theta;
  };
  v.text = fmt::format("by {} roots, {} (Carslaw and Jaeger, 1959)", body.roots().size(),
                       std::isinf(biot) ? "surface prescribed" : "Biot number " + readable(biot));
  return v;
}

Value slab(const Declared& d) {
  if (d.axis->name() == "r") d.refuse("a slab has cartesian coordinates");
  if (d.insulated(false)) return cooling(d, verify::CoolingBody::Shape::slab, true);
  if (d.insulated(true)) return cooling(d, verify::CoolingBody::Shape::slab, false);
  d.refuse("one of its sides must be insulated");
}

Value round_body(const Declared& d, Coordinates form, verify::CoolingBody::Shape shape) {
  if (d.axis->name() != "r" || d.axis->coordinates() != form || d.axis->from() != 0)
    d.refuse(fmt::format("r from 0 in {} coordinates is needed",
                         form == Coordinates::spherical ? "spherical" : "cylindrical"));
  return cooling(d, shape, true);
}

Value half_space(const Declared& d) {
  d.need_no_source();
  if (d.axis->name() == "r") d.refuse("a half-space has cartesian coordinates");
  const auto [h, ambient] = d.surface(false);
  const Real from = d.axis->from(), start = d.start, surroundings = ambient, diffusivity = d.diffusivity;
  const Real exchange = h / d.conductivity;
  const int direction = d.direction;
  Value v;
  v.function = [=](Point p, Real t) {
    return surroundings + (start - surroundings) *
                              verify::half_space(p[direction] - from, std::sqrt(diffusivity * t), exchange);
  };
  v.text = "as long as the far boundary is undisturbed (Carslaw and Jaeger, 1959)";
  return v;
}

Value start_up(const Declared& d) {
  if (d.axis->name() == "r") d.refuse("two plates have cartesian coordinates");
  const auto [h, low] = d.surface(false);
  const auto [k, high] = d.surface(true);
  if (!std::isinf(h) || !std::isinf(k)) d.refuse("both sides must be prescribed (dirichlet)");
  const Real from = d.axis->from(), length = d.axis->length(), start = d.start, diffusivity = d.diffusivity;
  const int direction = d.direction;
  const Real below = low, above = high, forcing = d.source * length * length / d.conductivity;
  Value v;
  v.function = [=](Point p, Real t) {
    return verify::started_flow((p[direction] - from) / length, diffusivity * t / (length * length), below,
                                above, forcing, start);
  };
  v.text = "by a sine series (Carslaw and Jaeger, 1959)";
  return v;
}

struct Named {
  std::string name;
  std::function<Value(const Declared&)> make;
};

const std::vector<Named>& named_solutions() {
  using Shape = verify::CoolingBody::Shape;
  static const std::vector<Named> all{
      {"slab", slab},
      {"cylinder",
       [](const Declared& d) { return round_body(d, Coordinates::cylindrical, Shape::cylinder); }},
      {"sphere", [](const Declared& d) { return round_body(d, Coordinates::spherical, Shape::sphere); }},
      {"half-space", half_space},
      {"start-up", start_up}};
  return all;
}

}  // namespace

Value named_exact(const Section& section, const Case& given) {
  Words names;
  for (const auto& n : named_solutions()) names.push_back(n.name);
  const std::string name = section.choice("solution", "", names, {});
  const Declared declared(section, given);
  Value v = std::ranges::find(named_solutions(), name, &Named::name)->make(declared);
  v.text = name + ", " + v.text;
  return v;
}

}  // namespace williwaw::casefile
