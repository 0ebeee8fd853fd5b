#include "williwaw/problem/problem.hpp"

#include <doctest/doctest.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <functional>
#include <set>

using namespace williwaw;

TEST_CASE("functions know what they depend on") {
  CHECK(Function(3).is_constant());
  CHECK(Function([](Point) { return 1.0; }).depends_on_place());
  CHECK_FALSE(Function([](Point) { return 1.0; }).depends_on_time());
  const Function of_time([](Real t) { return 2 * t; });
  CHECK(of_time.depends_on_time());
  CHECK_FALSE(of_time.depends_on_place());
  CHECK(of_time({}, 3) == 6);
  const Function both([](Point p, Real t) { return p.x * t; });
  CHECK(both({2, 0, 0}, 5) == 10);
}

TEST_CASE("a function that varies in time only is evaluated once for a whole line") {
  int calls = 0;
  const Function f([&calls](Real t) {
    ++calls;
    return t;
  });
  std::vector<Real> out(100);
  f.evaluate(Points(100), 4, out);
  CHECK(calls == 1);
  CHECK(out[99] == 4);
}

TEST_CASE("products of functions keep track of both") {
  const Function f = Function(2) * Function([](Point p) { return p.y; });
  CHECK(f({0, 3, 0}) == 6);
  CHECK(f.depends_on_place());
  CHECK((Function(2) * Function(4)).is_constant());
  CHECK((Function(2) * Function([](Real t) { return t; })).depends_on_time());
}

TEST_CASE("heat stores density times heat capacity") {
  const Equation e = heat(1.5, 2000, 800);
  CHECK(e.storage(Point{}) == 1.6e6);
  CHECK(e.unknown == "temperature");
}

TEST_CASE("a problem says which sides it has and which are left open") {
  Problem p(Grid({Axis::uniform("x", 0, 1, 4, Unknowns::cells)}), diffusion(1.0));
  CHECK_THROWS_WITH_AS(p.boundary("north", insulated()),
                       "this grid has no side called 'north'; its sides are west, east", InputError);
  p.boundary("west", dirichlet(1.0));
  CHECK_THROWS_WITH_AS(
      p.validate(), "no condition for side 'east': give it a condition, or a default for all sides not named",
      InputError);
  p.default_boundary(insulated());
  CHECK_NOTHROW(p.validate());
  CHECK(p.boundary(Side{0, false}).holds());
}

TEST_CASE("periodic axes take no boundaries") {
  Problem p(Grid({Axis::uniform("x", 0, 1, 4, Unknowns::cells, true)}), diffusion(1.0));
  CHECK_THROWS_AS(p.boundary("west", insulated()), InputError);
  CHECK_NOTHROW(p.validate());
}

TEST_CASE("fluxes add up, prescribed values do not") {
  const Boundary sum = robin(8, 20) + flux(15) + flux([](Real t) { return t; });
  CHECK(sum.conditions().size() == 3);
  CHECK(sum.depends_on_time());
  CHECK_THROWS_AS(dirichlet(1) + flux(2), InputError);
}

TEST_CASE("each kind of condition states its law") {
  const Points here(1);
  const std::vector<Real> k{3.0}, storage{12.0};
  const auto law = [&](const Boundary& w) {
    LawLine line(1);
    w.conditions()[0]->law({here, 0, k, storage, {}}, line);
    return std::array{line.value[0], line.flux[0], line.rate[0], line.data[0]};
  };
  CHECK(law(dirichlet(7)) == std::array<Real, 4>{1, 0, 0, 7});
  CHECK(law(flux(7)) == std::array<Real, 4>{0, 1, 0, 7});
  CHECK(law(gradient(7)) == std::array<Real, 4>{0, 1, 0, 21});
  CHECK(law(robin(2, 7)) == std::array<Real, 4>{2, 1, 0, 14});
  CHECK(law(insulated()) == std::array<Real, 4>{0, 1, 0, 0});
}

TEST_CASE("registries list every kind once") {
  std::set<std::string> names;
  for (const BoundaryConditionKind& kind : boundary_condition_kinds()) CHECK(names.insert(kind.name).second);
  // Ends of waves are those whose law is about forces or motion.
  std::vector<std::string> of_waves;
  for (const BoundaryConditionKind& kind : boundary_condition_kinds())
    if (kind.of_waves) of_waves.push_back(kind.name);
  std::ranges::sort(of_waves);
  CHECK(of_waves == std::vector<std::string>{"absorbing", "driven", "fixed", "free", "impedance"});
  CHECK(boundary_condition_kind("robin").arguments.size() == 2);
  CHECK_THROWS_AS(boundary_condition_kind("leaky"), InputError);
  CHECK(equation_kinds().size() == 7);
}

TEST_CASE("a storage that changes by itself is refused") {
  Problem p(Grid({Axis::uniform("x", 0, 1, 4, Unknowns::cells)}),
            diffusion(1.0, [](Real t) { return 1 + t; }));
  p.default_boundary(insulated());
  CHECK_THROWS_AS(p.validate(), InputError);
}

TEST_CASE("functions by region multiply and change region by region") {
  const auto regions =
      std::make_shared<const Regions>(Regions({{"left", inside([](Point p) { return p.x < 0.4; })},
                                               {"right", inside([](Point p) { return p.x > 0.7; })}}));
  const Function by_region = Function::by_region(regions, {1.0, 2.0, Function([](Point p) { return p.x; })});
  const Function other([](Point p, Real t) { return 3 * p.y + t; });
  const Function product = by_region * other, turned = other * by_region;
  const Function root = changed(by_region, [](Real v) { return std::sqrt(v); });
  CHECK(product.regions() == regions);
  CHECK(root.regions() == regions);
  const std::array<Point, 3> places{Point{0.2, 0.5, 0}, Point{0.5, 0.5, 0}, Point{0.9, 0.5, 0}};
  const std::array<Real, 3> values{2, 1, 0.9};  // left, between, right
  const std::array<int, 3> labels{1, 0, 2};
  for (std::size_t n = 0; n < 3; ++n) {
    CHECK(product.part(labels[n])(places[n], 0.25) == doctest::Approx(values[n] * 1.75));
    CHECK(turned.part(labels[n])(places[n], 0.25) == doctest::Approx(values[n] * 1.75));
    CHECK(root.part(labels[n])(places[n], 0) == doctest::Approx(std::sqrt(values[n])));
    CHECK(product(places[n], 0.25) == doctest::Approx(values[n] * 1.75));
  }
  CHECK((Function(2.0) * Function(3.0)).is_constant());
  CHECK(product.depends_on_time());
  CHECK_FALSE(by_region.depends_on_time());
}

TEST_CASE("a wave is given by its speed, or by tension and density, and not by both or neither") {
  const auto kind = std::ranges::find(equation_kinds(), "wave", &EquationKind::name);
  REQUIRE(kind != equation_kinds().end());
  const auto made = [&](Function speed, Function tension, Function density) {
    return kind->make({{speed}, {tension}, {density}, {0.0}, {0.0}});
  };
  const Equation by_speed = made(3.0, 0.0, 1.0), by_tension = made(0.0, 8.0, 2.0),
                 by_formula = made([](Point p) { return 1 + p.x; }, 0.0, 1.0);
  CHECK(by_speed.second_order);
  // Speed squared is tension over density.
  const auto square = [](const Equation& e, Point p) { return e.diffusion.coefficient[0](p) / e.storage(p); };
  CHECK(square(by_speed, {}) == doctest::Approx(9));
  CHECK(square(by_tension, {}) == doctest::Approx(4));
  CHECK(square(by_formula, {2, 0, 0}) == doctest::Approx(9));
  for (const auto& make :
       std::vector<std::function<void()>>{[&] { made(3.0, 8.0, 2.0); }, [&] { made(0.0, 0.0, 1.0); }})
    CHECK_THROWS_WITH_AS(make(), "a wave needs its speed, or tension and density, and not both", InputError);
}

#ifdef WILLIWAW_ASSERT
TEST_CASE("functions want room for every place, problems sides and regions that they have") {
  const Function f = [](Point p) { return p.x; };
  std::vector<Real> two(2);
  CHECK_THROWS_AS(f.evaluate(Points(3), 0, two), PreconditionError);
  CHECK_THROWS_AS(f.part(-1), PreconditionError);
  Problem p(Grid({Axis::uniform("x", 0, 1, 4, Unknowns::cells)}), diffusion(1.0));
  p.default_boundary(insulated());
  CHECK_NOTHROW(p.boundary(Side{0, true}));
  CHECK_THROWS_AS(p.boundary(Side{1, true}), PreconditionError);
  CHECK_THROWS_AS(p.cutout_boundary(0), PreconditionError);
}
#endif
