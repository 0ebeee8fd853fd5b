// Waves marched through the public interface: what ends send back, what energy does, orders in time and
// space.
#include <doctest/doctest.h>

#include "support/waves.hpp"

using namespace williwaw;
using namespace williwaw::test;

namespace {

#ifdef WILLIWAW_SANITIZED
constexpr Index most_steps = 20000;  // instrumented, more take minutes
#else
constexpr Index most_steps = 100000;
#endif

// A pulse on its way to the east: u = f(x − t), rate −f'.
Real hump(Real s) {
  return std::exp(-s * s / 0.005);
}
Real hump_slope(Real s) {
  return -2 * s / 0.005 * hump(s);
}

Problem line_with(const Boundary& west, const Boundary& east, Index intervals, Unknowns unknowns) {
  Problem p(Grid({Axis::uniform("x", 0, 1, intervals, unknowns)}), wave(1.0));
  p.boundary("west", west).boundary("east", east);
  p.initial = [](Point q) { return hump(q.x - 0.5); };
  p.initial_rate = [](Point q) { return -hump_slope(q.x - 0.5); };
  return p;
}

struct Bounce {
  Real inverted, upright;
};
// How much of the pulse came back, compared with its mirror images.
Bounce bounce(const Boundary& east, Index intervals, Unknowns unknowns, Real courant = 0.5) {
  const Problem p = line_with(fixed_boundary(), east, intervals, unknowns);
  const Ride ride = go(p, "leapfrog", courant / static_cast<Real>(intervals), 0.8);
  Real most = 0, least = 0;
  for (const Real u : ride.state) {
    most = std::max(most, u);
    least = std::min(least, u);
  }
  return {least, most};
}

}  // namespace

TEST_CASE("a fixed end sends a pulse back upside down, a free one upright") {
  for (const Unknowns unknowns : {Unknowns::cells, Unknowns::nodes}) {
    CAPTURE(name_of(unknowns));
    const Bounce fixed = bounce(fixed_boundary(), 400, unknowns),
                 free = bounce(free_boundary(), 400, unknowns);
    CHECK(fixed.inverted == doctest::Approx(-1).epsilon(0.01));
    CHECK(fixed.upright < 0.02);
    CHECK(free.upright == doctest::Approx(1).epsilon(0.01));
    CHECK(free.inverted > -0.02);
  }
}

TEST_CASE("at Courant number one leapfrog at nodes is exact on a line: what d'Alembert said") {
  const Index n = 200;
  Problem p = line_with(fixed_boundary(), fixed_boundary(), n, Unknowns::nodes);
  p.initial = [](Point q) { return hump(q.x - 0.3) - hump(q.x + 0.3); };
  p.initial_rate = 0.0;
  const Real until = 0.25;
  const Ride ride = go(p, "leapfrog", 1.0 / n, until);
  for (Index i = 0; i <= n; ++i) {
    const Real x = static_cast<Real>(i) / n;
    // Beyond the end stands the mirror image, upside down.
    const auto g = [](Real s) { return hump(s - 0.3) - hump(s + 0.3); };
    CHECK(std::abs(ride.state[i] - 0.5 * (g(x - until) + g(x + until))) < 1e-9);
  }
}

TEST_CASE("absorbing boundarys let pulses out") {
  for (const Unknowns unknowns : {Unknowns::cells, Unknowns::nodes}) {
    CAPTURE(name_of(unknowns));
    for (const int order : {1, 2, 3}) {
      CAPTURE(order);
      const Bounce b = bounce(absorbing(order), 400, unknowns);
      CHECK(std::max(-b.inverted, b.upright) < 1.2e-3);
    }
    const Bounce layer = bounce(absorbing_layer(20), 400, unknowns);
    CHECK(std::max(-layer.inverted, layer.upright) < 1e-3);
    // (z − 1)/(z + 1) of the pulse comes back, upside down for a stiff end.
    const Bounce stiff = bounce(impedance(3.0), 400, unknowns), soft = bounce(impedance(0.25), 400, unknowns);
    CHECK(stiff.inverted == doctest::Approx(-0.5).epsilon(0.01));
    CHECK(soft.upright == doctest::Approx(0.6).epsilon(0.01));
  }
}

TEST_CASE("extremes, integral and energy that are told of every step are those of its state") {
  const Function varies = [](Point q) { return 1 + 0.4 * q.x + 0.2 * q.y; };
  for (const Unknowns unknowns : {Unknowns::cells, Unknowns::nodes})
    for (const int dimension : {1, 2})
      for (const char* name : {"leapfrog", "corrected-leapfrog", "newmark"})
        for (const bool uneven : {false, true})
          for (const bool damped : {false, true}) {
            CAPTURE(name_of(unknowns));
            CAPTURE(dimension);
            CAPTURE(std::string(name));
            CAPTURE(uneven);
            CAPTURE(damped);
            std::vector<Axis> axes{Axis::uniform("x", 0, 1, 12, unknowns)};
            if (dimension > 1) axes.push_back(Axis::uniform("y", 0, 1, 9, unknowns));
            const Equation e = damped ? wave(uneven ? varies : Function(1.0), 0.5,
                                             [](Point q, Real t) { return q.x * std::sin(4 * t); })
                                      : wave(uneven ? varies : Function(1.0));
            Problem p(Grid(axes), e);
            p.boundary("west", driven_displacement([](Real t) { return 0.3 * std::sin(5 * t); }))
                .default_boundary(free_boundary());
            p.initial = [](Point q) { return std::cos(3 * q.x + q.y); };
            ProblemBalance balance(p);
            State y = balance.initial_state();
            Observers watch;
            Index looked = 0;
            watch.on_step = [&](const StepInfo& m) {
              const auto [low, high] = std::ranges::minmax(m.state);
              CHECK(m.totals.lowest == low);
              CHECK(m.totals.highest == high);
              Real integral = 0;
              for (Index n = 0; n < p.grid().count(); ++n) integral += p.grid().volume_of(n) * m.state[n];
              CHECK(m.totals.integral == doctest::Approx(integral).epsilon(1e-12));
              CHECK(m.totals.content == doctest::Approx(m.totals.kinetic + m.totals.potential));
              Real moving = 0;
              for (Index n = 0; n < p.grid().count(); ++n)
                moving += 0.5 * p.grid().volume_of(n) * std::pow((m.state[n] - m.previous[n]) / 0.02, 2);
              // Newmark's has a rate of its own, at the end of the step.
              if (name[0] != 'n') CHECK(m.totals.kinetic == doctest::Approx(moving));
              ++looked;
            };
            CHECK(march(balance, y, plan_of(name, 0.02, 0.6), watch).ending == Outcome::Ending::reached);
            CHECK(looked == 30);
          }
}

TEST_CASE("energy: conserved over 1e5 steps of leapfrog and of average acceleration") {
  for (const std::string name : {"leapfrog", "newmark", "corrected-leapfrog"})
    for (const Unknowns unknowns : {Unknowns::cells, Unknowns::nodes}) {
      CAPTURE(name);
      const Problem p = line_with(fixed_boundary(), free_boundary(), 60, unknowns);
      const Index steps = name == "leapfrog" ? most_steps : most_steps / 5;
      const Ride ride = go(p, name, 0.6 / 60, static_cast<Real>(steps) * 0.6 / 60);
      CHECK(ride.outcome.steps == steps);
      CHECK(std::abs(ride.outcome.totals.content / ride.outcome.budget.initial_content() - 1) < 1e-10);
      CHECK(ride.outcome.budget.relative_residual() < 1e-10);
    }
}

TEST_CASE("energy: what is put in, damped and let out adds up to 1e-10") {
  for (const Unknowns unknowns : {Unknowns::cells, Unknowns::nodes})
    for (const int dimension : {1, 2, 3})
      for (const std::string name : {"leapfrog", "corrected-leapfrog", "newmark", "rk4", "explicit-euler"}) {
        CAPTURE(name_of(unknowns));
        CAPTURE(dimension);
        CAPTURE(name);
        std::vector<Axis> axes;
        const Index n = dimension == 3 ? 8 : 16;
        for (int a = 0; a < dimension; ++a)
          axes.push_back(
              Axis::uniform(std::string(1, static_cast<char>('x' + a)), 0, 1 + 0.2 * a, n, unknowns));
        Problem p(Grid(axes), wave([](Point q) { return 1 + 0.4 * q.x; }, 0.3,
                                   [](Point q, Real t) { return std::sin(5 * t) * (1 + q.x); }));
        const bool leapfrog_steps = name.find("leapfrog") != std::string::npos;
        p.boundary("west", driven_displacement([](Real t) { return 0.2 * std::sin(7 * t); }));
        p.boundary("east", leapfrog_steps || unknowns == Unknowns::nodes ? absorbing() : driven_force(0.3));
        if (dimension > 1) {
          p.boundary("south", leapfrog_steps ? absorbing(2) : free_boundary());
          p.boundary("north", leapfrog_steps ? absorbing_layer(4) : fixed_boundary());
        }
        if (dimension > 2) p.default_boundary(driven_force([](Real t) { return std::cos(3 * t); }));
        p.initial = [](Point q) { return std::sin(3 * q.x); };
        p.initial_rate = [](Point q) { return std::cos(2 * q.x); };
        const Ride ride = go(p, name, 0.01, 1.0);
        if (name != "explicit-euler") CHECK(ride.outcome.ending == Outcome::Ending::reached);
        CHECK(ride.outcome.budget.relative_residual() < 1e-10);
        CHECK(ride.outcome.budget.worst_step() < 1e-10);
        // A budget that closes because nothing moves would prove nothing.
        CHECK(ride.outcome.budget.amounts().gross() > 1e-2);
      }
}
