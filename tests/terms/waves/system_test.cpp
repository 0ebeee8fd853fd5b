// Waves as a first-order system: orders, ends, limits, and what numerical fluxes take.
#include <doctest/doctest.h>

#include <complex>

#include "support/waves.hpp"
#include "williwaw/terms/wave_flux.hpp"

using namespace williwaw;
using namespace williwaw::test;

namespace {

Problem system_on(int dimension, Index n, const Function& speed, const std::string& flux,
                  const std::string& limiter) {
  std::vector<Axis> axes;
  for (int a = 0; a < dimension; ++a)
    axes.push_back(Axis::uniform(std::string(1, static_cast<char>('x' + a)), 0, 1, n, Unknowns::cells));
  Equation e = wave(speed);
  e.as_system = true;
  Problem p(Grid(std::move(axes)), e);
  p.numerical_flux = flux;
  p.reconstruction = limiter;
  return p;
}

// Mean error of the standing mode with free ends.
Real error_of(int dimension, Index n, const std::string& name, const std::string& flux,
              const std::string& limiter) {
  Problem p = system_on(dimension, n, 1.0, flux, limiter);
  p.default_boundary(free_boundary());
  const auto mode = [dimension](const Point& q) {
    Real f = 1;
    for (int a = 0; a < dimension; ++a) f *= std::cos(M_PI * q[a]);
    return f;
  };
  p.initial = [=](Point q) { return mode(q); };
  const Real until = 0.4, omega = M_PI * std::sqrt(static_cast<Real>(dimension));
  const Ride ride = go(p, name, 0.4 / (dimension * static_cast<Real>(n)), until);
  CHECK(ride.outcome.budget.relative_residual() < 1e-11);
  Real sum = 0;
  for (Index i = 0; i < p.grid().count(); ++i)
    sum += std::abs(ride.state[i] - std::cos(omega * until) * mode(p.grid().point_of(i)));
  return sum / static_cast<Real>(p.grid().count());
}

Real bump(Real s) {
  return std::exp(-s * s / 0.004);
}

Problem pulse(const Boundary& east, const std::string& limiter = "van-leer") {
  Problem p = system_on(1, 400, 1.0, "upwind", limiter);
  p.boundary("west", fixed_boundary()).boundary("east", east);
  p.initial = [](Point q) { return bump(q.x - 0.5); };
  p.initial_rate = [](Point q) { return 2 * (q.x - 0.5) / 0.004 * bump(q.x - 0.5); };
  return p;
}

Real extreme(const State& y) {
  Real most = 0;
  for (const Real u : y)
    if (std::abs(u) > std::abs(most)) most = u;
  return most;
}

}  // namespace

TEST_CASE("orders of the numerical fluxes, on a line and on a plan" * doctest::skip(instrumented)) {
  const auto order_of = [](int dimension, const char* name, const char* flux, const char* limiter) {
    return order_between(error_of(dimension, 40, name, flux, limiter),
                         error_of(dimension, 80, name, flux, limiter));
  };
  CHECK(order_of(1, "explicit-euler", "upwind", "first-order") == doctest::Approx(1).epsilon(0.15));
  CHECK(order_of(1, "explicit-euler", "lax-friedrichs", "first-order") == doctest::Approx(1).epsilon(0.2));
  CHECK(order_of(1, "explicit-euler", "lax-wendroff", "first-order") > 1.8);
  for (const char* limiter : {"van-leer", "monotonized-central", "minmod"}) {
    CAPTURE(limiter);
    CHECK(order_of(1, "ssprk3", "upwind", limiter) > 1.6);
    CHECK(order_of(2, "ssprk3", "upwind", limiter) > 1.5);
  }
  CHECK(order_of(1, "rk4", "central", "first-order") > 1.8);
}

TEST_CASE("ends of the system: upside down, upright, gone, in part") {
  const auto after = [](const Boundary& east) {
    return extreme(go(pulse(east), "ssprk3", 0.4 / 400, 0.9).state);
  };
  CHECK(after(fixed_boundary()) == doctest::Approx(-1).epsilon(0.03));
  CHECK(after(free_boundary()) == doctest::Approx(1).epsilon(0.03));
  CHECK(std::abs(after(absorbing())) < 3e-3);
  CHECK(after(impedance(3.0)) == doctest::Approx(-0.5).epsilon(0.04));
  // Moved by hand: the end itself goes where it is told.
  Problem p = pulse(driven_displacement([](Real t) { return 0.3 * std::sin(4 * t); }));
  p.initial = 0.0;
  p.initial_rate = 0.0;
  const Ride ride = go(p, "ssprk3", 0.4 / 400, 0.3);
  CHECK(ride.state.back() == doctest::Approx(0.3 * std::sin(1.2)).epsilon(0.01));
  CHECK(ride.outcome.budget.relative_residual() < 1e-11);
  CHECK_THROWS_WITH_AS(go(pulse(absorbing(2)), "ssprk3", 1e-3, 0.1), doctest::Contains("order 1"),
                       InputError);
}

TEST_CASE("round a periodic line and plan a limited system is of second order and has no first cell") {
  const auto ring = [](int dimension, Index n, Real shift) {
    std::vector<Axis> axes;
    for (int a = 0; a < dimension; ++a)
      axes.push_back(
          Axis::uniform(std::string(1, static_cast<char>('x' + a)), 0, 1, n, Unknowns::cells, true));
    Equation e = wave(1.0);
    e.as_system = true;
    Problem p(Grid(axes), e);
    p.numerical_flux = "upwind";
    p.reconstruction = "van-leer";
    const Real k = 2 * M_PI;
    // Travels to the east.
    p.initial = [=](Point q) { return std::sin(k * (q.x - shift)); };
    p.initial_rate = [=](Point q) { return -k * std::cos(k * (q.x - shift)); };
    return p;
  };
  for (const int dimension : {1, 2}) {
    const auto error = [&](Index n) {
      const Problem p = ring(dimension, n, 0);
      const Ride ride = go(p, "ssprk3", 0.4 / (dimension * static_cast<Real>(n)), 0.5);
      CHECK(ride.outcome.budget.relative_residual() < 1e-11);
      Real sum = 0;
      for (Index i = 0; i < p.grid().count(); ++i)
        sum += std::abs(ride.state[static_cast<std::size_t>(i)] -
                        std::sin(2 * M_PI * (p.grid().point_of(i).x - 0.5)));
      return sum / static_cast<Real>(p.grid().count());
    };
    CAPTURE(dimension);
    CHECK(order_between(error(dimension == 1 ? 50 : 25), error(dimension == 1 ? 100 : 50)) > 1.6);
  }
  // Moved by seven cells, the same is seven cells further.
  const State one = go(ring(1, 20, 0), "ssprk3", 0.02, 0.5).state,
              moved = go(ring(1, 20, 7.0 / 20), "ssprk3", 0.02, 0.5).state;
  for (std::size_t i = 0; i < 20; ++i) CHECK(moved[(i + 7) % 20] == doctest::Approx(one[i]).epsilon(1e-11));
}

TEST_CASE("pulses come back from each end of a limited system with second order") {
  // Mirror images: the pulse from 0.5 meets the end at 0.5 and is back in the middle at 1.
  for (const bool west : {false, true})
    for (const bool prescribed : {false, true}) {
      const auto error = [&](Index n) {
        Problem p = system_on(1, n, 1.0, "upwind", "van-leer");
        const Real sign = west ? -1 : 1;
        p.boundary(west ? "west" : "east", prescribed ? fixed_boundary() : free_boundary())
            .boundary(west ? "east" : "west", absorbing());
        p.initial = [](Point q) { return bump(0.5 * (q.x - 0.5)); };
        p.initial_rate = [sign](Point q) { return sign * (q.x - 0.5) / 0.008 * bump(0.5 * (q.x - 0.5)); };
        const State y = go(p, "ssprk3", 0.4 / static_cast<Real>(n), 0.9).state;
        Real sum = 0;
        for (Index i = 0; i < n; ++i) {
          const Real x = p.grid().point_of(i).x, shift = sign * 0.9;
          const Real image = west ? -x : 2 - x;
          sum += std::abs(y[static_cast<std::size_t>(i)] - bump(0.5 * (x - shift - 0.5)) -
                          (prescribed ? -1 : 1) * bump(0.5 * (image - shift - 0.5)));
        }
        return sum / static_cast<Real>(n);
      };
      CAPTURE(west);
      CAPTURE(prescribed);
      CHECK(order_between(error(100), error(200)) > 1.7);
    }
}

TEST_CASE("a limited system loses energy to its scheme alone, the less the sharper the limiter") {
  Real last = -std::numeric_limits<Real>::infinity();
  for (const char* limiter : {"first-order", "minmod", "van-leer"}) {
    const Ride ride = go(pulse(free_boundary(), limiter), "ssprk3", 0.4 / 400, 2.0);
    const auto& lines = ride.outcome.budget.lines();
    const auto found = std::ranges::find(lines, "scheme", &LedgerLine::name) - lines.begin();
    const Real lost = ride.outcome.budget.amounts()[static_cast<std::size_t>(found)];
    CAPTURE(limiter);
    CHECK(lost < 0);
    CHECK(lost > 0.7 * last);
    last = lost;
    CHECK(ride.outcome.totals.content == doctest::Approx(ride.outcome.budget.initial_content() + lost));
  }
}

TEST_CASE("a step in the speed sends back what impedances say" * doctest::skip(instrumented)) {
  Problem p = system_on(
      1, 800, [](Point q) { return q.x < 0.6 ? 1.0 : 3.0; }, "upwind", "van-leer");
  p.boundary("west", fixed_boundary()).boundary("east", absorbing());
  p.initial = [](Point q) { return bump(q.x - 0.4); };
  p.initial_rate = [](Point q) { return 2 * (q.x - 0.4) / 0.004 * bump(q.x - 0.4); };
  const Ride ride = go(p, "ssprk3", 0.1 / 800, 0.45);
  Real back = 0;
  for (Index i = 0; i < 480; ++i)
    if (std::abs(ride.state[i]) > std::abs(back)) back = ride.state[i];
  // With storage 1 the impedance is the speed: (1 − 3)/(1 + 3).
  CHECK(back == doctest::Approx(-0.5).epsilon(0.03));
}

TEST_CASE(
    "limits of the system: Courant numbers that hold, and central differences with Euler that never do") {
  const auto limit = [](const char* name, const char* flux, const char* limiter) {
    const Problem p = [&] {
      Problem q = system_on(1, 50, 2.0, flux, limiter);
      q.default_boundary(fixed_boundary());
      return q;
    }();
    const auto s = verify::stability(p, scheme(name), 1e-3);
    return s.limit.step * 2.0 * 50;
  };
  CHECK(limit("explicit-euler", "upwind", "first-order") == doctest::Approx(1).epsilon(1e-6));
  CHECK(limit("explicit-euler", "lax-friedrichs", "first-order") == doctest::Approx(1).epsilon(1e-6));
  CHECK(limit("explicit-euler", "lax-wendroff", "first-order") == doctest::Approx(1).epsilon(1e-6));
  CHECK(limit("rk4", "central", "first-order") == doctest::Approx(std::sqrt(8.0)).epsilon(1e-4));
  CHECK(limit("explicit-euler", "central", "first-order") == 0);
  for (const char* flux : {"upwind", "lax-wendroff", "lax-friedrichs"})
    for (const Real fraction : {0.98, 1.06}) {
      Problem p = system_on(1, 50, 1.0, flux, "first-order");
      p.default_boundary(fixed_boundary());
      p.initial = [](Point q) { return std::sin(37 * q.x) + std::cos(151 * q.x); };
      CAPTURE(flux);
      const Ride ride = go(p, "explicit-euler", fraction / 50, 80);
      CHECK((ride.outcome.ending == Outcome::Ending::reached) == (fraction < 1));
    }
}

TEST_CASE("leapfrog of the system, with stresses half a step and half a cell apart, is leapfrog") {
  Problem p = pulse(free_boundary()), q = p;
  Equation e = p.equation();
  e.as_system = false;
  Problem second(p.grid(), e);
  second.boundary("west", fixed_boundary()).boundary("east", free_boundary());
  second.initial = p.initial;
  second.initial_rate = p.initial_rate;
  CHECK(largest_difference(go(p, "leapfrog", 0.8 / 400, 0.7).state,
                           go(second, "leapfrog", 0.8 / 400, 0.7).state) == 0);
}

TEST_CASE(
    "an island round which a periodic first-order system runs may lie anywhere, on its first cell too") {
  const Index n = 32;
  const Real h = 1.0 / static_cast<Real>(n);
  const auto after = [&](Index shift) {
    const auto along = [=](Real x) {
      const Real from = x - static_cast<Real>(shift) * h;
      return from - std::floor(from);
    };
    Equation e = wave(1.0);
    e.as_system = true;
    Region island;
    island.name = "island";
    island.where = inside([=](const Point& q) {
      return std::abs(along(q.x) - 0.625) < 3.99 * h && std::abs(q.y - 0.5) < 2.99 * h;
    });
    island.active = false;
    Problem p(Grid({Axis::uniform("x", 0, 1, n, Unknowns::cells, true),
                    Axis::uniform("y", 0, 1, n, Unknowns::cells)}),
              e, Regions({island}));
    p.reconstruction = "van-leer";
    p.boundary("island", fixed_boundary()).default_boundary(free_boundary());
    p.initial = [=](const Point& q) { return bump(along(q.x) - 0.25) * (1 + q.y); };
    const Ride ride = go(p, "ssprk3", 0.25 * h, 0.4);
    CHECK(ride.outcome.budget.relative_residual() < 1e-11);
    State back;
    for (Index j = 0; j < n; ++j)
      for (Index i = 0; i < n; ++i)
        back.push_back(ride.state[static_cast<std::size_t>(n * j + (i + shift) % n)]);
    return back;
  };
  const State usual = after(0);
  CHECK(std::abs(extreme(usual)) > 0.2);
  for (const Index shift : {9, 11, 13, 20}) {
    CAPTURE(shift);
    CHECK(largest_difference(after(shift), usual) == 0);
  }
}

TEST_CASE("a first-order system goes on from memories that hold each of its unknowns by itself") {
  Problem p = system_on(2, 12, 1.0, "upwind", "monotonized-central");
  p.default_boundary(absorbing());
  p.initial = [](Point q) { return bump(q.x - 0.5) * q.y; };
  ProblemBalance balance(p);
  State y = balance.initial_state();
  const auto first = make_stepper(balance, scheme("ssprk3"));
  Ledger amounts(balance.lines().size());
  first->begin(y, 0, 0.01);
  first->advance(y, 0, 0.01, amounts);
  StepperMemory whole = first->remember(), apart{whole.numbers, {}, {}};
  REQUIRE(whole.states.size() == 1);
  REQUIRE(whole.states[0].size() == 4 * y.size());
  for (std::size_t b = 0; b < 4; ++b) {
    const auto from = whole.states[0].begin() + static_cast<std::ptrdiff_t>(b * y.size());
    apart.states.emplace_back(from, from + static_cast<std::ptrdiff_t>(y.size()));
  }
  State other = y;
  const auto second = make_stepper(balance, scheme("ssprk3"));
  second->recall(apart);
  first->advance(y, 0.01, 0.01, amounts);
  second->advance(other, 0.01, 0.01, amounts);
  CHECK(largest_difference(y, other) == 0);
  apart.states.pop_back();
  CHECK_THROWS_AS(second->recall(apart), InputError);
}

TEST_CASE("symbols of the numerical fluxes against their closed forms") {
  using Complex = std::complex<Real>;
  for (const Real c : {0.3, 0.8, 1.0})
    for (const Real angle : {0.2, 1.1, 2.7}) {
      const Complex i(0, 1);
      const Real s = std::sin(angle), h = std::sin(0.5 * angle);
      const Complex face = 1.0 + 0.5 * i * s, before = 1.0 - std::exp(-i * angle);
      const auto of = [&](const char* name) { return wave_flux(name).symbol(c, angle, face); };
      CHECK(std::abs(of("central") + i * c * s) < 1e-14);
      CHECK(std::abs(of("upwind") + c * face * before) < 1e-14);
      CHECK(std::abs(of("lax-friedrichs") - (-i * c * s - 2 * h * h)) < 1e-14);
      // One step of explicit Euler: |1 + z|² = 1 − 4·c²·(1 − c²)·sin⁴(angle/2) (Lax and Wendroff, 1960).
      CHECK(std::norm(1.0 + of("lax-wendroff")) ==
            doctest::Approx(1 - 4 * c * c * (1 - c * c) * std::pow(h, 4)));
    }
}

TEST_CASE(
    "a wave that meets its boundaries is the mirror image of the one that meets them the other way round") {
  for (const char* flux : {"upwind", "central", "lax-wendroff"})
    for (const char* limiter : {"first-order", "van-leer", "superbee"}) {
      if (std::string(flux) != "upwind" && std::string(limiter) != "first-order") continue;
      CAPTURE(std::string(flux));
      CAPTURE(std::string(limiter));
      const auto run = [&](bool mirrored) {
        Problem p = system_on(
            1, 50, [=](Point q) { return 1 + 0.4 * (mirrored ? 1 - q.x : q.x); }, flux, limiter);
        const Boundary open = impedance(1.3),
                       shut = driven_force([](Point, Real t) { return std::sin(9 * t); });
        p.boundary("west", mirrored ? shut : open).boundary("east", mirrored ? open : shut);
        p.initial = [=](Point q) {
          return bump((mirrored ? 1 - q.x : q.x) - 0.85) + 0.2 * (mirrored ? 1 - q.x : q.x);
        };
        return go(p,
                  std::string(flux) == "central"          ? "rk4"
                  : std::string(limiter) == "first-order" ? "explicit-euler"
                                                          : "ssprk3",
                  0.004, 0.4)
            .state;
      };
      const State there = run(false), back = run(true);
      for (Index n = 0; n < 50; ++n) CHECK(there[n] == doctest::Approx(back[49 - n]).epsilon(1e-10));
    }
}
