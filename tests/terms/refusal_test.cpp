// Problems that cannot be laid out are refused with a sentence that names the part that is wrong.
#include <doctest/doctest.h>

#include <cmath>
#include <functional>
#include <limits>

#include "williwaw/williwaw.hpp"

using namespace williwaw;

namespace {

Grid line(Unknowns u = Unknowns::cells, Index n = 12) {
  return Grid({Axis::uniform("x", 0, 1, n, u)});
}

Grid graded(Unknowns u = Unknowns::cells) {
  return Grid({Axis("x", {0, 0.1, 0.25, 0.45, 0.7, 0.8, 0.9, 1}, u)});
}

Grid plan(Unknowns u = Unknowns::cells) {
  return Grid({Axis::uniform("x", 0, 1, 8, u), Axis::uniform("y", 0, 1, 8, u)});
}

Regions hole() {
  return Regions({{"hole", inside([](Point p) { return std::hypot(p.x - 0.5, p.y - 0.5) < 0.26; }), false}});
}

Equation system_form(Equation e = wave(1.0)) {
  e.as_system = true;
  return e;
}

// The sentence of what `declare` throws.
std::string refused(const std::function<void()>& declare) {
  try {
    declare();
  } catch (const InputError& e) {
    return e.what();
  }
  return "";
}

// Laid out in full: what the first-order form of waves needs is found when its scheme is made.
std::string refused_layout(Problem p, const Boundary& others = insulated()) {
  return refused([&] {
    p.default_boundary(others);
    ProblemBalance balance(p);
    if (!p.equation().as_system) return;
    State y = balance.initial_state();
    march(balance, y, {.scheme = scheme("ssprk3"), .until = 1e-3, .step = 1e-3});
  });
}

Problem with(Problem p, const std::string& flux, const std::string& reconstruction = "first-order") {
  p.numerical_flux = flux;
  p.reconstruction = reconstruction;
  return p;
}

Problem of_order_four(Problem p) {
  p.space_order = 4;
  return p;
}

}  // namespace

#define REFUSED(call, part) CHECK((call).find(part) != std::string::npos)

TEST_CASE("parts of sides and points that are nowhere are refused by name") {
  Problem p(plan(), diffusion(1.0), hole());
  const auto part = [&](BoundaryPart w) { return refused([&] { p.part(std::move(w)); }); };
  const Where all = inside([](Point) { return true; });
  REFUSED(part({.name = "door", .side = "up", .boundary = insulated()}),
          "neither a side nor an inactive region");
  REFUSED(part({.name = "door", .side = "west"}), "no condition for part 'door'");
  REFUSED(part({.name = "door", .touching = "rock", .boundary = insulated()}),
          "touches 'rock', which is no region");
  REFUSED(part({.name = "door", .boundary = insulated()}), "give its side, touching or where");
  REFUSED(part({.name = "north", .side = "west", .boundary = insulated()}), "cannot be called 'north'");
  CHECK(part({.name = "door", .side = "west", .where = all, .boundary = insulated()}).empty());
  REFUSED(part({.name = "door", .side = "west", .where = all, .boundary = insulated()}),
          "two parts are called 'door'");
  Problem ring(Grid({Axis::uniform("x", 0, 1, 8, Unknowns::cells, true)}), diffusion(1.0));
  REFUSED(refused([&] { ring.part({.name = "door", .side = "west", .boundary = insulated()}); }),
          "is periodic and takes no");
  const auto with_point = [&](Point at) {
    Equation e = diffusion(1.0);
    e.points = {{"leak", at, 1.0}};
    return refused_layout(Problem(plan(), e, hole()));
  };
  REFUSED(with_point({2, 0.5, 0}), "point 'leak': ");
  REFUSED(with_point({0.5, 0.5, 0}), "lies in 'hole', which is inactive");
  CHECK(with_point({0.1, 0.1, 0}).empty());
}

TEST_CASE("numerical fluxes and reconstructions say what they cannot take") {
  const auto moved = [](Grid g) { return Problem(std::move(g), transport(Velocity(1.0, 0.5), 0.1)); };
  REFUSED(refused_layout(with(moved(line()), "roe")),
          "there is no numerical flux called 'roe'; there are central");
  REFUSED(refused_layout(with(moved(line()), "upwind", "parabola")),
          "there is no reconstruction called 'parabola'; there are first-order");
  REFUSED(refused_layout(with(moved(graded()), "upwind", "weno5")),
          "'weno5' needs uniform axes; take a limited one");
  REFUSED(refused_layout(
              with(Problem(plan(), transport(Velocity(1.0, 0.5), 0.1), hole()), "upwind", "third-order")),
          "needs a rectangle without inactive");
  REFUSED(refused_layout(with(Problem(plan(), conservation(quadratic_flux())), "engquist-osher", "weno5")),
          "splits the flux by its largest speed");
  Problem swirl(plan(Unknowns::nodes),
                transport(Velocity::of_stream_function([](Point p) { return p.x * p.y; }), 0.1));
  REFUSED(refused_layout(with(swirl, "lax-friedrichs", "weno5")), "on nodes takes no stream function");
  REFUSED(refused_layout(
              Problem(line(), transport(Velocity::of_stream_function([](Point p) { return p.x; }), 0.1))),
          "in a plane of two axes, and this grid has 1");
  REFUSED(refused_layout(with(Problem(line(), conservation(quadratic_flux())), "hybrid")),
          "is for velocities");
  REFUSED(refused_layout(with(moved(plan()), "lax-wendroff")), "is for one dimension");
  REFUSED(refused_layout(with(moved(graded()), "lax-wendroff")), "needs a uniform axis");
  REFUSED(refused_layout(with(moved(line()), "lax-wendroff", "van-leer")),
          "takes reconstruction \"first-order\"");
  REFUSED(refused_layout(with(moved(line(Unknowns::nodes)), "lax-wendroff"), dirichlet(0.0)),
          "takes no prescribed nodes");
  Problem slanted(plan(), conservation(quadratic_flux()), hole());
  slanted.boundary("hole", outflow());
  REFUSED(refused_layout(slanted), "'hole' is slanted");
  const Real none = std::nan("");
  const auto balance = [&](const Problem& p, Real at) {
    return refused([&] {
      Problem closed = p;
      closed.default_boundary(insulated());
      ProblemBalance b(closed);
      State y = b.initial_state(), f(y.size());
      Ledger ledger(b.lines().size());
      b.rate(y, at, Parts::all(), f, ledger);
    });
  };
  const auto late = [none](Real before) {
    return Function([none, before](Point, Real t) { return t < 1 ? before : none; });
  };
  // Data that become no number name the time, whatever they belong to.
  REFUSED(balance(Problem(plan(), transport(Velocity(late(1.0), 0.5), 0.1)), 2),
          "the velocity along x is not a finite number everywhere at time 2");
  REFUSED(balance(Problem(plan(), diffusion(late(1.0))), 2), "must be above zero");
  Equation leak = diffusion(1.0);
  leak.points = {{"leak", {0.5, 0.5, 0}, late(1.0)}};
  REFUSED(balance(Problem(plan(), leak), 2), "the rate of point 'leak' is not a finite number at time 2");
  CHECK(balance(Problem(plan(), leak), 0.5).empty());
}

TEST_CASE("waves say which grids, sides and schemes they cannot take") {
  REFUSED(refused_layout(of_order_four(Problem(line(), diffusion(1.0)))), "for waves only");
  REFUSED(refused_layout(of_order_four(Problem(plan(), wave(1.0), hole())), fixed_boundary()),
          "without cut-outs");
  REFUSED(refused_layout(of_order_four(Problem(graded(), wave(1.0))), fixed_boundary()),
          "order 4 need uniform spacing, which axis x has not");
  REFUSED(refused_layout(of_order_four(Problem(line(Unknowns::cells, 5), wave(1.0))), fixed_boundary()),
          "at least 6 unknowns");
  REFUSED(refused_layout(Problem(line(Unknowns::nodes), system_form()), fixed_boundary()),
          "needs unknowns at cells");
  REFUSED(refused_layout(Problem(graded(), system_form()), fixed_boundary()),
          "'first-order' needs uniform spacing, which axis x has not");
  REFUSED(refused_layout(with(Problem(line(), system_form()), "roe"), fixed_boundary()),
          "no numerical flux called 'roe'");
  REFUSED(refused_layout(with(Problem(plan(), system_form()), "lax-wendroff"), fixed_boundary()),
          "is available in 1-D only");
  REFUSED(refused_layout(Problem(line(), system_form()), absorbing(2)),
          "has order 1");
  REFUSED(refused_layout(Problem(plan(), system_form(), hole()), fixed_boundary()),
          "outlines along grid faces only");
  REFUSED(refused_layout(Problem(line(Unknowns::cells, 8), wave(1.0)), absorbing_layer(5)),
          "thicker than half of the domain along x");
  REFUSED(refused_layout(Problem(line(Unknowns::cells, 3), wave(1.0)), absorbing(2)),
          "too few unknowns along x");
  Problem islet(plan(), wave(1.0), hole());
  islet.boundary("hole", absorbing(2));
  REFUSED(refused_layout(islet, fixed_boundary()), "a cut-out takes order 1");
  Problem sponge(plan(), wave(1.0), hole());
  sponge.boundary("hole", absorbing_layer(4));
  REFUSED(refused_layout(sponge, fixed_boundary()), "belongs to a whole side of the grid");
  REFUSED(refused_layout(Problem(plan(), wave(1.0)), absorbing() + flux(1.0)),
          "a condition with du/dt cannot be combined");
  Problem swing(line(), wave(1.0));
  swing.initial_rate = [](Point) { return std::numeric_limits<Real>::infinity(); };
  REFUSED(refused([&] {
            swing.default_boundary(fixed_boundary());
            ProblemBalance b(swing);
            State y = b.initial_state();
            march(b, y, {.scheme = scheme("leapfrog"), .until = 0.1, .step = 0.01});
          }),
          "the initial rate is not a finite number at x = ");
}

TEST_CASE("schemes and judgements say which equations are not theirs") {
  Problem still(line(), diffusion(1.0)), moving(line(), wave(1.0));
  still.default_boundary(dirichlet(0.0));
  moving.default_boundary(fixed_boundary());
  ProblemBalance heat_like(still), wave_like(moving);
  const auto marched = [](ProblemBalance& b, const char* name) {
    return refused([&] {
      State y = b.initial_state();
      march(b, y, {.scheme = scheme(name), .until = 0.01, .step = 0.001});
    });
  };
  REFUSED(marched(heat_like, "leapfrog"), "is for equations of second order in time");
  REFUSED(marched(heat_like, "semi-lagrangian"), "needs a velocity, and a balance built");
  REFUSED(refused([&] { verify::stability(heat_like, scheme("newmark"), 0.01); }),
          "marches equations of second order in time only");
  REFUSED(refused([&] { verify::stability(wave_like, scheme("bdf2"), 0.01); }),
          "does not march equations of second order in time");
  CHECK(marched(heat_like, "rk4").empty());
  CHECK(marched(wave_like, "leapfrog").empty());
}

TEST_CASE("an end of the first-order form books the work of points and the state of its snapshot") {
  Equation e = system_form(wave(1.0));
  e.points = {{"thumper", {0.3, 0, 0}, [](Point, Real t) { return std::sin(8 * t); }}};
  Problem p(line(Unknowns::cells, 100), e);
  p.reconstruction = "van-leer";
  p.boundary("west", fixed_boundary()).boundary("east", absorbing());
  ProblemBalance balance(p);
  State y = balance.initial_state();
  const Outcome o = march(balance, y, {.scheme = scheme("ssprk3"), .until = 3, .step = 0.005});
  CHECK(o.ending == Outcome::Ending::reached);
  CHECK(o.budget.relative_residual() < 1e-10);
  Real worked = 0, left = 0;
  for (std::size_t l = 0; l < balance.lines().size(); ++l) {
    if (balance.lines()[l].name == "point thumper") worked = o.budget.amounts()[l];
    if (balance.lines()[l].name.starts_with("east")) left = o.budget.amounts()[l];
  }
  // The pulse comes back from the fixed end and leaves after 1.3 lengths.
  CHECK(worked > 0);
  CHECK(left < -0.3 * worked);
}
