// The limits that stability() states, against dense eigenvalues of the matrix probed column by column from
// rate.
#include <doctest/doctest.h>

#include <cmath>

#include "support/smooth.hpp"
#include "williwaw/solve/spectrum.hpp"

using namespace williwaw;
using namespace williwaw::test;

namespace {

// Eigenvalues of −C⁻¹F' over the free unknowns, from nothing but rate and storage.
std::vector<Real> probed_eigenvalues(ProblemBalance& balance, Real at = 0) {
  const Index size = balance.layout().size();
  State zero(static_cast<std::size_t>(size)), base(zero), f(zero), unit(zero), capacity(zero);
  Ledger ledger(balance.lines().size());
  balance.rate(zero, at, Parts::all(), base, ledger);
  balance.storage(State(static_cast<std::size_t>(size), 1.0), at, capacity);
  std::vector<Index> place(static_cast<std::size_t>(size), 0);
  for (const Index h : balance.prescribed()) place[h] = -1;
  Index free = 0;
  for (Index& p : place)
    if (p == 0) p = free++;
  std::vector<Triplet> entries;
  for (Index c = 0; c < size; ++c) {
    if (place[c] < 0) continue;
    unit.assign(unit.size(), 0.0);
    unit[c] = 1;
    balance.rate(unit, at, Parts::all(), f, ledger);
    for (Index r = 0; r < size; ++r)
      if (place[r] >= 0 && f[r] != base[r])
        entries.push_back({place[r], place[c], -(f[r] - base[r]) / std::sqrt(capacity[r] * capacity[c])});
  }
  return symmetric_eigenvalues(free, entries);
}

}  // namespace

TEST_CASE(
    "the largest eigenvalue is that of the probed matrix for every kind of boundary, rank and placement") {
  for (const std::string kind : all_kinds)
    for (const Unknowns unknowns : {Unknowns::cells, Unknowns::nodes})
      for (int dimension = 1; dimension <= 3; ++dimension) {
        CAPTURE(kind);
        CAPTURE(dimension);
        ProblemBalance balance(
            smooth_problem(smooth_for(kind, dimension), kind, dimension == 3 ? 4 : 7, unknowns));
        const auto judged = verify::stability(balance, scheme("explicit-euler"), 1e-3);
        const auto values = probed_eigenvalues(balance);
        CHECK(judged.method == "axis by axis");
        CHECK(judged.largest_eigenvalue == doctest::Approx(values.back()).epsilon(1e-9));
        CHECK(judged.limit.step == doctest::Approx(2 / values.back()).epsilon(1e-9));
        REQUIRE(judged.smallest_eigenvalue);
        CHECK(std::abs(*judged.smallest_eigenvalue - values.front()) < 1e-8 * values.back());
      }
}

TEST_CASE("the same with coefficients that vary, by tridiagonal and by dense eigenvalues") {
  for (int dimension = 1; dimension <= 2; ++dimension) {
    Problem p(graded_grid(dimension, 8, Unknowns::nodes),
              diffusion([](Point q) { return 1 + q.x + q.y * q.y; }, [](Point q) { return 2 - q.x; }));
    p.boundary("west", robin([](Point q) { return 1 + q.y; }, 2.0)).default_boundary(dirichlet(0.0));
    ProblemBalance balance(p);
    const auto judged = verify::stability(balance, scheme("rk4"), 1e-3);
    CHECK(judged.method == (dimension == 1 ? "by bisection" : "by dense eigenvalues"));
    CHECK(judged.limit.standing == verify::Limit::Standing::sharp);
    CHECK(judged.limit.step ==
          doctest::Approx(2.785293563405282 / probed_eigenvalues(balance).back()).epsilon(1e-8));
  }
}

TEST_CASE("where neither serves the limit stands between a Lanczos and a Gershgorin bound") {
  Problem p(graded_grid(2, 30, Unknowns::cells), diffusion([](Point q) { return 1 + q.x; }));
  p.default_boundary(robin([](Point q) { return q.x + q.y; }, 1.0));
  ProblemBalance balance(p);
  const auto judged = verify::stability(balance, scheme("explicit-euler"), 1e-3);
  CHECK(judged.method == "bounds by Lanczos and Gershgorin");
  CHECK(judged.limit.standing == verify::Limit::Standing::bracketed);
  const Real sharp = 2 / probed_eigenvalues(balance).back();
  CHECK(judged.limit.step <= sharp);
  CHECK(judged.limit.step > 0.7 * sharp);
  CHECK(judged.limit.unstable_from >= sharp * (1 - 1e-12));
  CHECK(judged.limit.unstable_from < 1.001 * sharp);
}

TEST_CASE("interior limit, positivity and diffusion number of equal cells are the textbook's") {
  const Real h = 0.1, step = 0.002;
  for (int dimension = 1; dimension <= 3; ++dimension) {
    std::vector<Axis> axes;
    for (int a = 0; a < dimension; ++a)
      axes.push_back(Axis::uniform(std::string(1, static_cast<char>('x' + a)), 0, 1, 10, Unknowns::nodes));
    Problem p(Grid(axes), diffusion(1.0));
    p.default_boundary(dirichlet(0.0));
    const auto judged = verify::stability(p, scheme("explicit-euler"), step);
    CHECK(judged.interior.step == doctest::Approx(h * h / (2 * dimension)));
    CHECK(judged.positivity.step == doctest::Approx(h * h / (2 * dimension)));
    CHECK(judged.diffusion_number == doctest::Approx(dimension * step / (h * h)));
    CHECK(judged.limit.step > judged.interior.step);
  }
  // Cells beside insulated boundaries are interior cells, judged by the neighbours that they have.
  for (const Function& even : {Function(1.0), Function([](Point) { return 1.0; })}) {
    Problem closed(
        Grid({Axis::uniform("x", 0, 1, 10, Unknowns::cells), Axis::uniform("y", 0, 1, 10, Unknowns::cells)}),
        diffusion(even));
    closed.default_boundary(insulated());
    CHECK(verify::stability(closed, scheme("explicit-euler"), step).interior.step ==
          doctest::Approx(h * h / 4));
  }
}

TEST_CASE("the worst place is named") {
  Problem p(Grid({Axis("x", {0, 0.3, 0.5, 0.55, 0.7, 1}, Unknowns::cells)}), diffusion(1.0));
  p.default_boundary(insulated());
  const auto judged = verify::stability(p, scheme("explicit-euler"), 1e-3);
  CHECK(judged.worst == 2);
  CHECK(judged.interior.where == std::optional<Index>(2));
}

TEST_CASE("unconditional stability and data that vary in time") {
  Problem p(Grid({Axis::uniform("x", 0, 1, 10, Unknowns::cells)}), diffusion(1.0));
  p.boundary("west", dirichlet([](Real t) { return t; })).default_boundary(insulated());
  CHECK(std::isinf(verify::stability(p, scheme("implicit-euler"), 5).limit.step));
  CHECK(verify::stability(p, scheme("crank-nicolson"), 5).stable());
  // With data that move, the classical scheme promises no signs at all.
  CHECK(verify::stability(p, scheme("rk4"), 1e-3).positivity.step < 1e-9);
  p.boundary("west", dirichlet(1.0));
  CHECK(verify::stability(p, scheme("rk4"), 1e-3).positivity.step > 1e-3);
}

TEST_CASE("coefficients that change in time are judged over the whole run") {
  Problem p(Grid({Axis::uniform("x", 0, 1, 10, Unknowns::nodes)}), diffusion([](Real t) { return 1 + t; }));
  p.default_boundary(insulated());
  const auto early = verify::stability(p, scheme("explicit-euler"), 1e-3, 0, 0);
  const auto whole = verify::stability(p, scheme("explicit-euler"), 1e-3, 0, 3);
  CHECK(early.times == 1);
  CHECK(whole.times == 33);
  CHECK(whole.limit.step == doctest::Approx(early.limit.step / 4));
}
