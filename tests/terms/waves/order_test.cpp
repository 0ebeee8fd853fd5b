// Orders of waves in space and time, modes, reflections against their formulas, and what the grid costs.
#include <doctest/doctest.h>

#include <complex>

#include "support/waves.hpp"

using namespace williwaw;
using namespace williwaw::test;

namespace {

Problem box(int dimension, Index n, Unknowns unknowns, const Function& speed, const Boundary& boundary,
            Function source = 0.0) {
  std::vector<Axis> axes;
  for (int a = 0; a < dimension; ++a)
    axes.push_back(Axis::uniform(std::string(1, static_cast<char>('x' + a)), 0, 1, n, unknowns));
  Problem p(Grid(std::move(axes)), wave(speed, 0.0, std::move(source)));
  p.default_boundary(boundary);
  return p;
}

Real product_of_sines(int dimension, const Point& p) {
  Real result = 1;
  for (int a = 0; a < dimension; ++a) result *= std::sin(M_PI * p[a]);
  return result;
}

// The largest error against cos(ωt) times a standing mode.
Real error_of_mode(int dimension, Index n, Unknowns unknowns, int order, const std::string& name,
                   Real courant) {
  Problem p = box(dimension, n, unknowns, 1.0, fixed_boundary());
  p.initial = [dimension](Point q) { return product_of_sines(dimension, q); };
  p.space_order = order;
  const Real until = 0.7, omega = M_PI * std::sqrt(static_cast<Real>(dimension));
  const Ride ride = go(p, name, courant / static_cast<Real>(n), until);
  ProblemBalance balance(p);
  Real most = 0;
  for (Index i = 0; i < p.grid().count(); ++i)
    most = std::max(most, std::abs(ride.state[i] - std::cos(omega * until) *
                                                       product_of_sines(dimension, p.grid().point_of(i))));
  return most;
}

// A manufactured wave in a medium that varies smoothly: u = cos(2t)·Π cos(πx), free ends.
Real error_in_medium(int dimension, Index n, Unknowns unknowns, int order, const std::string& name) {
  const auto c2 = [](const Point& q) { return 1 + 0.3 * std::cos(M_PI * q.x); };
  const auto shape = [dimension](const Point& q) {
    Real f = 1;
    for (int a = 0; a < dimension; ++a) f *= std::cos(M_PI * q[a]);
    return f;
  };
  const auto source = [=](Point q, Real t) {
    // u_tt − ∇c²·∇u − c²∇²u, with ∂u/∂x = −π tan(πx)·u written without the tangent.
    Real other = 1;
    for (int a = 1; a < dimension; ++a) other *= std::cos(M_PI * q[a]);
    const Real slope = -M_PI * std::sin(M_PI * q.x) * other, change = -0.3 * M_PI * std::sin(M_PI * q.x);
    return std::cos(2 * t) * (-4 * shape(q) - change * slope + dimension * M_PI * M_PI * c2(q) * shape(q));
  };
  Problem p = box(
      dimension, n, unknowns, [=](Point q) { return std::sqrt(c2(q)); }, free_boundary(), source);
  p.initial = [=](Point q) { return shape(q); };
  p.space_order = order;
  const Real until = 0.5;
  const Ride ride = go(p, name, 0.3 / static_cast<Real>(n), until);
  Real most = 0;
  for (Index i = 0; i < p.grid().count(); ++i)
    most = std::max(most, std::abs(ride.state[i] - std::cos(2 * until) * shape(p.grid().point_of(i))));
  return most;
}

}  // namespace

TEST_CASE("order 2 and, with four points in space and the correction in time, order 4; 1-D to 3-D") {
  for (const Unknowns unknowns : {Unknowns::cells, Unknowns::nodes})
    for (int dimension = 1; dimension <= highest_dimension; ++dimension) {
      CAPTURE(name_of(unknowns));
      CAPTURE(dimension);
      const Index n = dimension == 3 ? 12 : 20;
      const auto order_of = [&](int order, const std::string& name) {
        return order_between(error_of_mode(dimension, n, unknowns, order, name, 0.3),
                             error_of_mode(dimension, 2 * n, unknowns, order, name, 0.3));
      };
      CHECK(order_of(2, "leapfrog") == doctest::Approx(2).epsilon(0.08));
      CHECK(order_of(2, "newmark") == doctest::Approx(2).epsilon(0.08));
      CHECK(order_of(4, "corrected-leapfrog") == doctest::Approx(4).epsilon(0.06));
      // One half of the two is not enough.
      CHECK(order_of(4, "leapfrog") < 2.3);
    }
}

TEST_CASE("the same in a medium whose speed varies smoothly, driven by a source") {
  for (const Unknowns unknowns : {Unknowns::cells, Unknowns::nodes})
    for (const int dimension : {1, 2}) {
      CAPTURE(name_of(unknowns));
      CAPTURE(dimension);
      const auto order_of = [&](int order, const std::string& name) {
        return order_between(error_in_medium(dimension, 24, unknowns, order, name),
                             error_in_medium(dimension, 48, unknowns, order, name));
      };
      CHECK(order_of(2, "leapfrog") == doctest::Approx(2).epsilon(0.08));
      // The source of a cell is its mean over the cell, which is of order 2.
      if (unknowns == Unknowns::nodes) CHECK(order_of(4, "corrected-leapfrog") > 1.9);
    }
}

TEST_CASE("order 4 in a medium that varies, without a source: against a grid many times as fine") {
  const auto run = [](int dimension, Index n, int order, const std::string& name) {
    Problem p = box(
        dimension, n, Unknowns::nodes,
        [dimension](Point q) {
          return 1 + 0.3 * std::cos(M_PI * q.x) * (dimension > 1 ? std::cos(M_PI * q.y) : 1);
        },
        free_boundary());
    p.space_order = order;
    p.initial = [dimension](Point q) {
      return std::cos(M_PI * q.x) +
             0.5 * std::cos(2 * M_PI * q.x) * (dimension > 1 ? std::cos(M_PI * q.y) : 1);
    };
    return go(p, name, 0.25 / static_cast<Real>(n), 0.5).state;
  };
  for (int dimension = 1; dimension < highest_dimension; ++dimension) {
    CAPTURE(dimension);
    const Index fine = dimension == 1 ? 640 : 160;
    const State reference = run(dimension, fine, 4, "corrected-leapfrog");
    const auto error = [&](Index n, int order, const std::string& name) {
      const State y = run(dimension, n, order, name);
      const Index every = fine / n;
      Real most = 0;
      for (Index j = 0; j < (dimension == 1 ? 1 : n + 1); ++j)
        for (Index i = 0; i <= n; ++i)
          most = std::max(most, std::abs(y[i + (n + 1) * j] - reference[i * every + (fine + 1) * j * every]));
      return most;
    };
    CHECK(order_between(error(20, 4, "corrected-leapfrog"), error(40, 4, "corrected-leapfrog")) ==
          doctest::Approx(4).epsilon(0.03));
    CHECK(order_between(error(20, 2, "leapfrog"), error(40, 2, "leapfrog")) ==
          doctest::Approx(2).epsilon(0.03));
  }
}

TEST_CASE("a harmonic wave comes back from an absorbing node by tan²(kh/4), from an impedance as it should") {
  const Index n = 400;
  const Real h = 1.0 / n;
  for (const Real kh : {0.3, 0.6}) {
    for (const Real z : {1.0, 0.4, 2.5}) {
      CAPTURE(kh);
      CAPTURE(z);
      // Frequency of that wave number on the grid, steps so short that time adds nothing.
      const Real omega = 2 / h * std::sin(0.5 * kh), period = 2 * M_PI / omega;
      Problem p(Grid({Axis::uniform("x", 0, 1, n, Unknowns::nodes)}), wave(1.0));
      // Switched on over some periods, so that one frequency is left.
      p.boundary("west", driven_displacement([=](Real t) {
                   const Real ramp = std::min(t / (8 * period), 1.0);
                   return (10 * ramp * ramp * ramp - 15 * std::pow(ramp, 4) + 6 * std::pow(ramp, 5)) *
                          std::sin(omega * t);
                 }));
      p.boundary("east", z == 1.0 ? absorbing() : impedance(z));
      // Until the reflected wave stands everywhere, and not yet to the echo of the echo.
      const Real until = 1.75, coarse = std::ceil(until / (0.25 * h)), ready = until / coarse;
      ProblemBalance balance(p);
      State y = balance.initial_state();
      Plan plan;
      plan.scheme = scheme("leapfrog");
      plan.until = until;
      plan.step = ready;
      // Amplitudes of both waves from the extremes of the envelope near the east end.
      std::vector<Real> envelope(static_cast<std::size_t>(n + 1), 0.0);
      Observers watch;
      watch.on_step = [&](const StepInfo& m) {
        if (m.time < until - period) return;
        for (Index i = 0; i <= n; ++i) envelope[i] = std::max(envelope[i], std::abs(m.state[i]));
      };
      march(balance, y, plan, watch);
      const Index from = n - static_cast<Index>(std::ceil(2 * M_PI / kh));
      Real most = 0, least = 1e9;
      for (Index i = from; i <= n; ++i) {
        most = std::max(most, envelope[i]);
        least = std::min(least, envelope[i]);
      }
      const Real reflected = (most - least) / (most + least);
      // The step turns kh by its own part: ω·step/2 = C·sin(kh'/2).
      const Real courant = ready / h, kept = 2 * std::asin(std::sin(0.5 * omega * ready) / courant);
      if (z == 1.0)
        CHECK(reflected == doctest::Approx(std::pow(std::tan(0.25 * kept), 2)).epsilon(0.25));
      else
        CHECK(reflected == doctest::Approx(std::abs(z - 1) / (z + 1)).epsilon(0.04));
    }
  }
}

TEST_CASE("at 45 degrees a layer sends back less than 1 %, and higher orders less than the first" *
          doctest::skip(instrumented)) {
  // A pulse from the middle; what is still there when it has left came back from the boundaries.
  const auto left_over = [](const Boundary& boundary, Unknowns unknowns) {
    const Index n = 120;
    Problem p(Grid({Axis::uniform("x", -1, 1, n, unknowns), Axis::uniform("y", -1, 1, n, unknowns)}),
              wave(1.0));
    p.default_boundary(boundary);
    p.initial = [](Point q) { return std::exp(-(q.x * q.x + q.y * q.y) / 0.02); };
    const Ride ride = go(p, "leapfrog", 0.6 * 2.0 / n / std::sqrt(2.0), 2.6);
    // The pulse itself leaves a tail in 2-D: compare with a domain three times as wide.
    Problem wide(
        Grid({Axis::uniform("x", -3, 3, 3 * n, unknowns), Axis::uniform("y", -3, 3, 3 * n, unknowns)}),
        wave(1.0));
    wide.default_boundary(free_boundary());
    wide.initial = p.initial;
    const Ride far = go(wide, "leapfrog", 0.6 * 2.0 / n / std::sqrt(2.0), 2.6);
    Real most = 0;
    for (Index i = 0; i < p.grid().count(); ++i) {
      const Point q = p.grid().point_of(i);
      if (std::max(std::abs(q.x), std::abs(q.y)) > 0.6) continue;
      most = std::max(most, std::abs(ride.state[i] - far.state[wide.grid().containing(q)]));
    }
    return most;
  };
  for (const Unknowns unknowns : {Unknowns::cells, Unknowns::nodes}) {
    CAPTURE(name_of(unknowns));
    const Real first = left_over(absorbing(1), unknowns), second = left_over(absorbing(2), unknowns),
               third = left_over(absorbing(3), unknowns), layer = left_over(absorbing_layer(20), unknowns);
    CAPTURE(first);
    CAPTURE(second);
    CAPTURE(third);
    CAPTURE(layer);
    // The wave that meets a boundary at 45° is about a tenth of the pulse's height.
    CHECK(layer < 1e-3);
    CHECK(second < 0.5 * first);
    CHECK(third < first);
  }
}

TEST_CASE("a force that swings is taken at the time of each stage") {
  Problem p(
      Grid({Axis::uniform("x", 0, 1, 20, Unknowns::nodes)}),
      wave(1.0, 0.0, Function([](Point q, Real t) { return 9 * std::sin(M_PI * q.x) * std::sin(3 * t); })));
  p.default_boundary(fixed_boundary());
  p.initial_rate = [](Point q) { return 3 * std::sin(M_PI * q.x); };
  const auto middle = [&](Real step) { return go(p, "rk4", step, 1.0).state[10]; };
  const Real exact = middle(0.0025), coarse = std::abs(middle(0.04) - exact),
             fine = std::abs(middle(0.02) - exact);
  CHECK(coarse < 1e-5);
  CHECK(coarse / fine > 12);
}

TEST_CASE("a wave that leaves at the start leaves by ends of every order") {
  // Half of the pulse is beyond the end already; nothing comes back of what is still to go.
  for (const int order : {1, 2, 3})
    for (const Unknowns unknowns : {Unknowns::cells, Unknowns::nodes}) {
      CAPTURE(order);
      CAPTURE(name_of(unknowns));
      const auto pulse = [](Real x) { return std::exp(-200 * (x - 0.95) * (x - 0.95)); };
      Problem p(Grid({Axis::uniform("x", 0, 1, 200, unknowns), Axis::uniform("y", 0, 1, 4, unknowns)}),
                wave(1.0));
      p.boundary("east", absorbing(order)).default_boundary(free_boundary());
      p.initial = [=](Point q) { return pulse(q.x); };
      p.initial_rate = [=](Point q) { return 400 * (q.x - 0.95) * pulse(q.x); };
      const Ride ride = go(p, "leapfrog", 0.003, 0.3);
      Real most = 0;
      for (const Real u : ride.state) most = std::max(most, std::abs(u));
      CAPTURE(most);
      CHECK(most < 0.01);
    }
}

TEST_CASE("the delay that is predicted is the delay that is measured") {
  struct Run {
    const char* name;
    int order;
    Real courant;
    Real width;
  };
  for (const Run& run : {Run{"leapfrog", 2, 0.5, 0.008}, Run{"leapfrog", 2, 0.8, 0.006},
                         Run{"newmark", 2, 1.0, 0.015}, Run{"leapfrog", 4, 0.4, 0.01}}) {
    CAPTURE(run.name);
    CAPTURE(run.courant);
    const Index n = 800;
    Problem p(Grid({Axis::uniform("x", 0, 4, n, Unknowns::nodes, true)}), wave(1.0));
    // A packet on its way to the east.
    const Real w = run.width, k = 60;
    const auto f = [=](Real s) { return std::exp(-s * s / (w * 4)) * std::cos(k * s); };
    const auto slope = [=](Real s) {
      return std::exp(-s * s / (w * 4)) * (-2 * s / (w * 4) * std::cos(k * s) - k * std::sin(k * s));
    };
    p.initial = [=](Point q) { return f(q.x - 1); };
    p.initial_rate = [=](Point q) { return -slope(q.x - 1); };
    p.space_order = run.order;
    const Real until = 2, step = run.courant * 4 / n;
    ProblemBalance balance(p);
    const auto predicted = verify::dispersion(balance, scheme(run.name), step, 0, until);
    REQUIRE(predicted);
    const Ride ride = go(p, run.name, step, until);
    // Where the energy is, by the square of the slope.
    Real weight = 0, centre = 0;
    for (Index i = 0; i + 1 < n; ++i) {
      const Real square = std::pow(ride.state[i + 1] - ride.state[i], 2);
      weight += square;
      centre += square * (4 * (static_cast<Real>(i) + 0.5) / n);
    }
    const Real measured = 1 + until - centre / weight;
    CHECK(predicted->phase_lag == doctest::Approx(measured).epsilon(0.05));
    CHECK(std::abs(measured) > 1e-3);
  }
}
