#include <doctest/doctest.h>

#include <cmath>
#include <random>

#include "williwaw/solve/newton.hpp"
#include "williwaw/solve/spectrum.hpp"

using namespace williwaw;

namespace {

FaceSystem random_line(Index n, bool periodic, unsigned seed) {
  std::mt19937 generator(seed);
  std::uniform_real_distribution<Real> v(0.1, 1);
  FaceSystem m;
  m.extent = {n, 1, 1};
  m.periodic[0] = periodic;
  for (auto* a : {&m.diagonal, &m.lower[0], &m.upper[0]}) a->resize(static_cast<std::size_t>(n));
  for (Index i = 0; i < n; ++i) {
    m.lower[0][i] = i > 0 || periodic ? -v(generator) : 0;
    m.upper[0][i] = i + 1 < n || periodic ? -v(generator) : 0;
    m.diagonal[i] = 0.1 - m.lower[0][i] - m.upper[0][i];
  }
  return m;
}

Real residual(const LinearSystem& m, const std::vector<Real>& x, const std::vector<Real>& b) {
  std::vector<Real> r = b;
  for (const auto& t : triplets_of(m)) r[t.row] -= t.value * x[t.column];
  Real most = 0;
  for (const Real v : r) most = std::max(most, std::abs(v));
  return most;
}

}  // namespace

TEST_CASE("Thomas, its periodic form and the direct solver solve what they are given") {
  for (const bool periodic : {false, true})
    for (const Index n : {3, 4, 50}) {
      const LinearSystem m = random_line(n, periodic, static_cast<unsigned>(n));
      std::vector<Real> b(static_cast<std::size_t>(n)), x(b.size());
      for (Index i = 0; i < n; ++i) b[i] = std::sin(static_cast<Real>(3 * i + 1));
      for (const auto& solver : {make_tridiagonal_solver(), make_direct_solver()}) {
        solver->factor(m);
        CAPTURE(solver->name());
        solver->solve(b, x);
        CHECK(residual(m, x, b) < 1e-11);
      }
    }
}

TEST_CASE("singular matrices are refused") {
  FaceSystem m = random_line(4, false, 1);
  m.diagonal.assign(4, 0);
  m.lower[0].assign(4, 0);
  m.upper[0].assign(4, 0);
  CHECK_THROWS_AS(make_tridiagonal_solver()->factor(m), SolverError);
  CHECK_THROWS_AS(make_direct_solver()->factor(m), SolverError);
}

TEST_CASE("prescribed unknowns become rows and columns of the identity") {
  FaceSystem m = random_line(5, false, 2);
  m.prescribed = {0, 0, 1, 0, 0};
  m.apply_mask();
  for (const auto& t : m.triplets())
    if (t.row == 2 || t.column == 2) CHECK((t.row == t.column && t.value == 1));
}

TEST_CASE("extreme eigenvalues of tridiagonal matrices agree with dense ones and with closed forms") {
  const Index n = 24;
  std::vector<Real> d(n, 2.0), e(n - 1, -1.0);
  CHECK(largest_eigenvalue(d, e) == doctest::Approx(2 - 2 * std::cos(M_PI * n / (n + 1.0))).epsilon(1e-13));
  CHECK(smallest_eigenvalue(d, e) == doctest::Approx(2 - 2 * std::cos(M_PI / (n + 1.0))).epsilon(1e-11));
  CHECK(largest_eigenvalue(d, e, -1) == doctest::Approx(4).epsilon(1e-13));
  CHECK(std::abs(smallest_eigenvalue(d, e, -1)) < 1e-13);
  std::mt19937 generator(5);
  std::uniform_real_distribution<Real> v(-1, 1);
  for (const bool periodic : {false, true}) {
    std::vector<Triplet> entries;
    for (Index i = 0; i < n; ++i) entries.push_back({i, i, d[i] = v(generator)});
    for (Index i = 0; i + 1 < n; ++i) {
      e[i] = v(generator);
      entries.push_back({i, i + 1, e[i]});
      entries.push_back({i + 1, i, e[i]});
    }
    const Real corner = periodic ? 0.7 : 0;
    entries.push_back({0, n - 1, corner});
    entries.push_back({n - 1, 0, corner});
    const auto all = symmetric_eigenvalues(n, entries);
    CHECK(largest_eigenvalue(d, e, corner) == doctest::Approx(all.back()).epsilon(1e-12));
    CHECK(smallest_eigenvalue(d, e, corner) == doctest::Approx(all.front()).epsilon(1e-12));
  }
}

TEST_CASE("one unknown joined to itself, and lines of two that meet at both ends") {
  const std::vector<Real> one{3.0}, none;
  CHECK(largest_eigenvalue(one, none, 0.5) == 4);
  CHECK(smallest_eigenvalue(one, none, 0.5) == 4);
  for (const Index along : {1, 2, 3, 5})
    for (const bool periodic : {false, true})
      for (const bool on_a_line : {false, true}) {
        CAPTURE(along);
        CAPTURE(periodic);
        CAPTURE(on_a_line);
        const int axis = on_a_line ? 0 : 1;
        FaceSystem s;
        s.extent = on_a_line ? std::array<Index, 3>{along, 1, 1} : std::array<Index, 3>{3, along, 1};
        s.periodic[static_cast<std::size_t>(axis)] = periodic;
        const auto count = static_cast<std::size_t>((on_a_line ? 1 : 3) * along);
        s.diagonal.assign(count, 4.0);
        for (int a = 0; a <= axis; ++a) {
          s.lower[a].assign(count, 0.0);
          s.upper[a].assign(count, 0.0);
        }
        for (Index n = 0; n < s.size(); ++n)
          for (const bool up : {false, true})
            if (s.neighbour(n, axis, up) >= 0) (up ? s.upper : s.lower)[axis][n] = up ? -1.2 : -0.7;
        std::vector<Real> right(count), x(count), sure(count);
        for (std::size_t n = 0; n < count; ++n) right[n] = std::sin(1.3 * static_cast<Real>(n)) + 0.1;
        const LinearSystem whole = s;
        const auto lines = on_a_line ? make_tridiagonal_solver() : make_lines_solver(),
                   direct = make_direct_solver();
        lines->factor(whole);
        direct->factor(whole);
        lines->solve(right, x);
        direct->solve(right, sure);
        for (std::size_t n = 0; n < count; ++n) CHECK(x[n] == doctest::Approx(sure[n]).epsilon(1e-12));
      }
}

TEST_CASE("Newton's method converges, halves steps that overshoot and says when it cannot") {
  const auto solve = [](Real start, const std::function<Real(Real)>& f,
                        const std::function<Real(Real)>& slope) {
    State y{start};
    newton(
        y, {}, [&](const State& at, State& r) { r[0] = f(at[0]); },
        [&](const State& at, const State& r, State& d) { d[0] = -r[0] / slope(at[0]); });
    return y[0];
  };
  CHECK(solve(
            3, [](Real v) { return v * v * v - 8; }, [](Real v) { return 3 * v * v; }) == doctest::Approx(2));
  // Whole steps diverge from here.
  CHECK(std::abs(solve(
            2, [](Real v) { return std::atan(v); }, [](Real v) { return 1 / (1 + v * v); })) < 1e-10);
  CHECK_THROWS_AS(solve(
                      1, [](Real v) { return v * v + 1; }, [](Real v) { return 2 * v; }),
                  SolverError);
}
