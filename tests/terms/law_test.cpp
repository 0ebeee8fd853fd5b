// Laws as others may write them: times a number, looking at the time by themselves, fixing some of their
// unknowns.
#include <doctest/doctest.h>

#include <cmath>

#include "support/smooth.hpp"
#include "support/waves.hpp"

using namespace williwaw;
using namespace williwaw::test;

namespace {

class Scaled final : public BoundaryCondition {
 public:
  Scaled(BoundaryConditionPointer one, Real factor)
      : BoundaryCondition(one->kind(), one->arguments()), one_(std::move(one)), factor_(factor) {}
  bool holds() const override { return one_->holds(); }
  bool is_linear() const override { return one_->is_linear(); }
  bool left_side_depends_on_time() const override { return one_->left_side_depends_on_time(); }
  bool has_rate() const override { return one_->has_rate(); }
  const Absorption* absorption() const override { return one_->absorption(); }
  const AdvectiveBoundary* advective_boundary() const override { return one_->advective_boundary(); }
  void law(const BoundaryPlace& place, LawLine& out) const override {
    one_->law(place, out);
    for (auto* numbers : {&out.value, &out.flux, &out.rate, &out.data})
      for (Real& number : *numbers) number *= factor_;
  }

 private:
  BoundaryConditionPointer one_;
  Real factor_;
};

Boundary scaled(const Boundary& boundary, Real factor) {
  Boundary result;
  for (const auto& one : boundary.conditions()) {
    const Boundary next(std::make_shared<Scaled>(one, factor));
    result = result.empty() ? next : result + next;
  }
  return result;
}

// The unit square without a slanting corner, so that faces of all kinds are there.
Problem notched(const Equation& equation, Unknowns unknowns, const Boundary& west, const Boundary& notch) {
  const Regions regions({{"notch", inside([](const Point& p) { return p.x + 0.7 * p.y > 1.3; }), false}});
  Problem p(Grid({Axis::uniform("x", 0, 1, 9, unknowns), Axis::uniform("y", 0, 1, 8, unknowns)}), equation,
            regions);
  p.boundary("west", west)
      .boundary("notch", notch)
      .default_boundary(equation.second_order ? free_boundary() : insulated());
  p.initial = [](Point at) { return 300 + 20 * std::sin(3 * at.x + at.y); };
  return p;
}

bool alike(Real a, Real b) {
  return a == b || std::abs(a - b) <= 1e-11 * std::abs(b);
}

}  // namespace

namespace {
// Some of its faces fix their unknowns and others do not.
bool prescribes_in_part(const BoundaryClosure& boundary) {
  Index is_prescribed = 0;
  for (Index f = 0; f < boundary.faces(); ++f) is_prescribed += boundary.prescribes(f) ? 1 : 0;
  return is_prescribed > 0 && is_prescribed < boundary.faces();
}
}  // namespace

TEST_CASE("a law times a number is the same law: rates, matrices, ledgers, prescribed values") {
  const auto over_place = [](Point at) { return 2 + at.x + 3 * at.y; };
  Equation equation = diffusion(1.3);
  equation.storage = 2.0;
  for (const Unknowns unknowns : {Unknowns::cells, Unknowns::nodes})
    for (const Boundary& boundary :
         {dirichlet(over_place), flux(over_place), gradient(over_place), robin(over_place, 280.0),
          robin(3.0, 280.0) + flux(5.0), radiation(0.9, 290.0) + robin(2.0, 310.0)})
      for (const Real factor : {3.0, -0.2}) {
        CAPTURE(boundary.conditions().front()->kind());
        CAPTURE(factor);
        ProblemBalance one(notched(equation, unknowns, boundary, boundary));
        ProblemBalance other(notched(equation, unknowns, scaled(boundary, factor), scaled(boundary, factor)));
        State y = one.initial_state(), same = y;
        one.prescribe(0.5, y);
        other.prescribe(0.5, same);
        CHECK(largest_difference(y, same) <= 1e-12 * 300);
        State f(y.size()), g(y.size());
        Ledger of_one(one.lines().size()), of_other(one.lines().size());
        one.rate(y, 0.5, Parts::all(), f, of_one);
        other.rate(y, 0.5, Parts::all(), g, of_other);
        CHECK(largest_difference(f, g) <= 1e-11 * 300);
        for (std::size_t l = 0; l < of_one.size(); ++l)
          CHECK(of_other[l] == doctest::Approx(of_one[l]).epsilon(1e-11));
        LinearSystem a, b;
        one.linearise(y, 0.5, 1, 0.1, Parts::all(), a);
        other.linearise(y, 0.5, 1, 0.1, Parts::all(), b);
        CHECK(largest_difference(std::get<FaceSystem>(a).diagonal, std::get<FaceSystem>(b).diagonal) <=
              1e-11);
        const auto closures_of_one = one.closures_at(0.5, y), closures_of_other = other.closures_at(0.5, y);
        for (std::size_t c = 0; c < closures_of_one->size(); ++c) {
          const EvaluatedBoundaryClosure &here = (*closures_of_one)[c], &there = (*closures_of_other)[c];
          const Points& places = here.closure().places();
          const auto prescribed = here.closure().prescribed_at(places, 0.5);
          CHECK(prescribed.size() == there.closure().prescribed_at(places, 0.5).size());
          CHECK(largest_difference(prescribed, there.closure().prescribed_at(places, 0.5)) <= 1e-12 * 300);
          CHECK(alike(there.data_bounds().lowest, here.data_bounds().lowest));
          CHECK(alike(there.data_bounds().highest, here.data_bounds().highest));
          CHECK(alike(there.data_bounds().raising, here.data_bounds().raising));
          CHECK(alike(there.data_bounds().lowering, here.data_bounds().lowering));
        }
      }
}

TEST_CASE("a law of waves times a number lets the same wave through") {
  for (const Unknowns unknowns : {Unknowns::cells, Unknowns::nodes})
    for (const Boundary& boundary :
         {impedance(0.6), impedance([](Real t) { return 1 + t; }), absorbing(1), absorbing(2),
          driven_force(50.0), driven_displacement([](Real t) { return 300 + std::sin(t); })})
      for (const Real factor : {3.0, -0.2}) {
        CAPTURE(boundary.conditions().front()->kind());
        CAPTURE(factor);
        const Equation equation = wave(1.0);
        const Ride one = go(notched(equation, unknowns, boundary, free_boundary()), "leapfrog", 0.02, 1.0);
        const Ride other =
            go(notched(equation, unknowns, scaled(boundary, factor), free_boundary()), "leapfrog", 0.02, 1.0);
        CHECK(largest_difference(one.state, other.state) <= 1e-9 * 300);
        const Ledger &amounts = one.outcome.budget.amounts(), &same = other.outcome.budget.amounts();
        for (std::size_t l = 0; l < amounts.size(); ++l)
          CHECK(same[l] == doctest::Approx(amounts[l]).epsilon(1e-8));
      }
}

namespace {

// Looks at the time by itself, not by an argument.
class Tide final : public BoundaryCondition {
 public:
  Tide() : BoundaryCondition("tide", {}) {}
  bool depends_on_time() const override { return true; }
  void law(const BoundaryPlace& place, LawLine& out) const override {
    for (std::size_t f = 0; f < out.flux.size(); ++f) {
      out.flux[f] = 1;
      out.data[f] = std::sin(place.time);
    }
  }
};

}  // namespace

TEST_CASE("a law that looks at the time by itself is asked again") {
  Problem p(Grid({Axis::uniform("x", 0, 1, 4, Unknowns::cells)}), diffusion(1.0));
  p.boundary("west", Boundary(std::make_shared<Tide>())).boundary("east", insulated());
  ProblemBalance balance(p);
  State y(4, 0.0), f(4);
  Ledger ledger(balance.lines().size());
  for (const Real at : {0.5, 1.0, 2.0, 1.0}) {
    balance.rate(y, at, Parts::all(), f, ledger);
    CHECK(f[0] == doctest::Approx(std::sin(at)));
    CHECK(ledger[0] == doctest::Approx(std::sin(at)));
  }
  CHECK_FALSE(balance.data_bounds(0).steady);
}

// Its nodes lie on one face of the notch and beside the other: the boundary fixes some and passes to others.
TEST_CASE("a step in one pass takes what flows beside a swinging boundary from the start of the step") {
  const Regions regions({{"notch", inside([](const Point& p) { return p.x > 0.5 && p.y > 0.43; }), false}});
  Problem p(
      Grid({Axis::uniform("x", 0, 1, 8, Unknowns::nodes), Axis::uniform("y", 0, 1, 8, Unknowns::nodes)}),
      diffusion(1.0), regions);
  p.boundary("notch", dirichlet([](Real t) { return 1 + std::sin(20 * t); })).default_boundary(insulated());
  ProblemBalance balance(p);
  bool both = false;
  for (const BoundaryClosure& boundary : balance.closures()) both = both || prescribes_in_part(boundary);
  REQUIRE(both);
  State y(static_cast<std::size_t>(balance.layout().size()), 0.0), once(y.size()), plain(y.size());
  balance.prescribe(0.1, y);
  Ledger of_once(balance.lines().size()), of_plain(balance.lines().size());
  const Totals fused = balance.advance(y, 0.1, 0.001, once, of_once);
  const Totals by_rates = balance.Balance::advance(y, 0.1, 0.001, plain, of_plain);
  CHECK(largest_difference(once, plain) <= 1e-13);
  CHECK(fused.content == doctest::Approx(by_rates.content).epsilon(1e-12));
  for (std::size_t l = 0; l < of_once.size(); ++l)
    CHECK(of_once[l] == doctest::Approx(of_plain[l]).epsilon(1e-11));
}
