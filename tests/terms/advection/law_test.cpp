// Conservation laws against exact solutions: before and after a shock, with viscosity, through a sonic point,
// and of a law that is not convex.
#include <doctest/doctest.h>

#include "support/advected.hpp"

using namespace williwaw;
using namespace williwaw::test;

namespace {

Grid line(Real from, Real to, Index cells) {
  return Grid({Axis::uniform("x", from, to, cells, Unknowns::cells)});
}

// A step from `left` to `right` at 0, between open ends.
Problem step_problem(Index cells, Real left, Real right, std::shared_ptr<const FluxLaw> law,
                     const std::string& flux, const std::string& reconstruction) {
  Problem p(line(-1, 1, cells), conservation(std::move(law)));
  p.initial = [=](Point q) { return q.x < 0 ? left : right; };
  p.numerical_flux = flux;
  p.reconstruction = reconstruction;
  p.default_boundary(outflow());
  return p;
}

// Oil and water in a porous medium (Buckley and Leverett, 1942): neither convex nor concave.
struct Fractional {
  Real flux(Real u) const { return u * u / (u * u + 0.25 * (1 - u) * (1 - u)); }
  Real speed(Real u) const {
    const Real d = u * u + 0.25 * (1 - u) * (1 - u);
    return 0.5 * u * (1 - u) / (d * d);
  }
};

}  // namespace

TEST_CASE("the quadratic flux follows its characteristics up to the shock") {
  const auto shape = [](Real x) { return 1 + 0.5 * std::sin(2 * M_PI * x); };
  const Real until = 0.2;  // the profile breaks at 1/π
  const auto error = [&](Index cells, const char* flux) {
    Problem p(periodic_line(cells), conservation(quadratic_flux()));
    p.initial = [shape](Point q) { return shape(q.x); };
    p.reconstruction = "van-leer";
    p.numerical_flux = flux;
    const Advected run = advect(p, "ssprk3", 0.45, 1.5 * static_cast<Real>(cells), until);
    return mean_error(p, run.state, [=](Point q) {
      Real u = shape(q.x - 0.2);
      for (int i = 0; i < 60; ++i) {
        const Real s = q.x - u * until;
        u -= (u - shape(s)) / (1 + until * M_PI * std::cos(2 * M_PI * s));
      }
      return u;
    });
  };
  for (const char* flux : {"upwind", "engquist-osher", "local-lax-friedrichs", "lax-friedrichs"}) {
    CAPTURE(flux);
    CHECK(order_between(error(100, flux), error(200, flux)) > 1.7);
  }
}

TEST_CASE("a shock runs at its speed and is of first order in the mean") {
  const auto error = [](Index cells, const char* flux, const char* name) {
    const Problem p = step_problem(cells, 1.2, 0.2, quadratic_flux(), flux, name);
    const Advected run = advect(p, "ssprk3", 0.45, 0.6 * static_cast<Real>(cells), 0.6);
    CHECK(run.outcome.budget.worst_step() < 1e-13);
    // (1.2 + 0.2)/2 is its speed (Rankine, 1870; Hugoniot, 1889).
    return mean_error(p, run.state, [](Point q) { return q.x < 0.42 ? 1.2 : 0.2; });
  };
  for (const char* flux : {"upwind", "engquist-osher", "local-lax-friedrichs"})
    for (const char* name : {"first-order", "van-leer", "weno5"}) {
      CAPTURE(flux);
      CAPTURE(name);
      const Real coarse = error(100, flux, name), fine = error(200, flux, name);
      CHECK(fine < 0.02);
      CHECK(order_between(coarse, fine) == doctest::Approx(1).epsilon(0.3));
    }
}

TEST_CASE("a rarefaction opens through its sonic point") {
  for (const char* flux : {"upwind", "engquist-osher", "local-lax-friedrichs", "lax-friedrichs"})
    for (const char* name : {"first-order", "van-leer"}) {
      CAPTURE(flux);
      CAPTURE(name);
      const Problem p = step_problem(200, -0.8, 1.0, quadratic_flux(), flux, name);
      const Advected run = advect(p, "ssprk3", 0.45, 100, 0.5);
      CHECK(mean_error(p, run.state, [](Point q) { return std::clamp(q.x / 0.5, -0.8, 1.0); }) < 0.03);
      // No jump is left at the sonic point.
      Real largest = 0;
      for (Index i = 95; i < 105; ++i) largest = std::max(largest, run.state[i + 1] - run.state[i]);
      CHECK(largest < 0.09);
    }
}

TEST_CASE("a law that is not convex makes a shock with a fan behind it") {
  const auto law = flux_law(Fractional{}, "u²/(u² + (1 − u)²/4)");
  // Where the chord from 0 touches: f(u)/u = f'(u), u = 1/√5.
  const Real touch = 1 / std::sqrt(5.0), speed = Fractional{}.flux(touch) / touch, until = 0.35;
  const auto exact = [=](Point q) {
    const Real s = q.x / until;
    if (s >= speed) return 0.0;
    if (s <= 0) return 1.0;
    Real low = touch, high = 1;
    for (int i = 0; i < 60; ++i) {
      const Real middle = 0.5 * (low + high);
      (Fractional{}.speed(middle) > s ? low : high) = middle;
    }
    return 0.5 * (low + high);
  };
  const auto error = [&](Index cells, const char* flux, const char* name) {
    const Problem p = step_problem(cells, 1, 0, law, flux, name);
    const Advected run = advect(p, "ssprk3", 0.45, 1.3 * static_cast<Real>(cells), until);
    CHECK(run.outcome.totals.highest <= 1 + 1e-10);
    return mean_error(p, run.state, exact);
  };
  for (const char* flux : {"upwind", "engquist-osher", "local-lax-friedrichs"}) {
    CAPTURE(flux);
    CHECK(error(200, flux, "van-leer") < 0.008);
    CHECK(error(400, flux, "van-leer") < 0.75 * error(200, flux, "van-leer"));
  }
}

TEST_CASE("with viscosity the quadratic flux has the solution of Cole and Hopf") {
  // u = 4πν·e·sin(2πx)/(2 + e·cos(2πx)), e = exp(−4π²νt): Cole (1951), Hopf (1950), of φ = 2 + e·cos.
  const Real nu = 0.02, until = 0.5;
  const auto exact = [nu](Point q, Real t) {
    const Real e = std::exp(-4 * M_PI * M_PI * nu * t), a = 2 * M_PI * q.x;
    return 4 * M_PI * nu * e * std::sin(a) / (2 + e * std::cos(a));
  };
  const auto error = [&](Index cells, const char* name, const char* scheme_name, Real courant) {
    Problem p(periodic_line(cells), conservation(quadratic_flux(), nu));
    p.initial = [exact](Point q) { return exact(q, 0); };
    p.reconstruction = name;
    const Advected run = advect(p, scheme_name, courant, static_cast<Real>(cells), until);
    CHECK(std::abs(run.outcome.totals.content) < 1e-14);
    return mean_error(p, run.state, [&](Point q) { return exact(q, until); });
  };
  CHECK(order_between(error(40, "van-leer", "implicit-explicit", 0.2),
                      error(80, "van-leer", "implicit-explicit", 0.2)) > 1.7);
  CHECK(order_between(error(40, "weno5", "rk4", 0.1), error(80, "weno5", "rk4", 0.1)) > 1.8);
  CHECK(error(80, "van-leer", "implicit-explicit", 0.2) < 2e-4);
  // By Newton's method with the upwind neighbour of the matrix.
  CHECK(error(80, "van-leer", "crank-nicolson", 1) < 4e-4);
}

TEST_CASE("turning points are found, and the largest speed") {
  const TurningPoints quadratic(*quadratic_flux(), 0, -1.3, 2.1);
  REQUIRE(quadratic.places().size() == 1);
  CHECK(std::abs(quadratic.places()[0]) < 1e-12);
  CHECK(quadratic.largest_speed(*quadratic_flux(), 0, -1.2, 0.7) == doctest::Approx(1.2));
  struct Cosine {
    Real flux(Real u) const { return std::cos(u); }
    Real speed(Real u) const { return -std::sin(u); }
  };
  const TurningPoints cosine(*flux_law(Cosine{}), 0, -7, 7);
  REQUIRE(cosine.places().size() == 5);
  CHECK(cosine.places()[1] == doctest::Approx(-M_PI));
  CHECK(cosine.fluxes()[1] == doctest::Approx(-1));
  CHECK(cosine.largest_speed(*flux_law(Cosine{}), 0, 0.1, 3) == doctest::Approx(1).epsilon(1e-4));
  struct Root {
    Real flux(Real u) const { return u * std::sqrt(u); }
    Real speed(Real u) const { return 1.5 * std::sqrt(u); }
  };
  // Not there below zero: nothing bounds its speed.
  CHECK(std::isinf(TurningPoints(*flux_law(Root{}), 0, -1, 1).largest_speed(*flux_law(Root{}), 0, 0.5, 1)));
  CHECK(TurningPoints(*flux_law(Root{}), 0, 0.25, 1).largest_speed(*flux_law(Root{}), 0, 0.5, 1) ==
        doctest::Approx(1.5));
  // Where it turns beyond the ends, the ends are fastest.
  CHECK(cosine.largest_speed(*flux_law(Cosine{}), 0, 2, 3) == doctest::Approx(std::sin(2)));
  CHECK(cosine.largest_speed(*flux_law(Cosine{}), 0, 0.2, 1.2) == doctest::Approx(std::sin(1.2)));
}

TEST_CASE("a step between two wells of a law takes the least and the largest flux between both") {
  // Godunov's flux of any law is an extreme between both values; Engquist's and Osher's agrees where it is
  // monotone and is never larger.
  struct Wavy {
    Real flux(Real u) const { return std::sin(3 * u) + 0.4 * u; }
    Real speed(Real u) const { return 3 * std::cos(3 * u) + 0.4; }
  };
  const auto law = flux_law(Wavy{});
  const TurningPoints turning(*law, 0, -2, 2);
  for (Real l = -1.9; l < 2; l += 0.23)
    for (Real r = -1.9; r < 2; r += 0.31) {
      Real least = std::numeric_limits<Real>::infinity(), most = -least;
      for (int n = 0; n <= 4000; ++n) {
        const Real f = Wavy{}.flux(l + (r - l) * n / 4000);
        least = std::min(least, f);
        most = std::max(most, f);
      }
      Real workspace[4], out = 0;
      FaceLine face;
      face.count = 1;
      face.left = &l;
      face.right = &r;
      face.law = law.get();
      face.turning = &turning;
      face.workspace = workspace;
      numerical_flux("upwind").evaluate(face, &out);
      CHECK(out == doctest::Approx(l <= r ? least : most).epsilon(1e-5));
      const Real godunov = out;
      numerical_flux("engquist-osher").evaluate(face, &out);
      CHECK((l <= r ? out - godunov : godunov - out) < 1e-12);
    }
}
