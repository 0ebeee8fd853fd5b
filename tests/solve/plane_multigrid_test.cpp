// Multigrid on planes: shapes, jumps, boundaries, what nothing fixes, and what it costs where it is slow.
#include <random>

#include "support/systems.hpp"

using namespace williwaw;
using namespace williwaw::test;

namespace {

// Conductances between 1 and `jump`, without an order; `excess` of the diagonal is what fixes the unknowns.
FaceSystem random_plane(Index width, Index lines, Real jump, Real excess, unsigned seed = 1) {
  std::mt19937 random(seed);
  std::uniform_real_distribution<Real> any(0, 1);
  FaceSystem s;
  s.extent = {width, lines, 1};
  const auto count = static_cast<std::size_t>(width * lines);
  s.diagonal.assign(count, excess);
  for (const std::size_t a : {0, 1}) {
    s.lower[a].assign(count, 0.0);
    s.upper[a].assign(count, 0.0);
  }
  for (Index n = 0; n < s.size(); ++n)
    for (int a = 0; a < 2; ++a)
      if (const Index above = s.neighbour(n, a, true); above >= 0) {
        const Real c = std::pow(jump, any(random));
        s.upper[a][n] = s.lower[a][above] = -c;
        s.diagonal[n] += c;
        s.diagonal[above] += c;
      }
  return s;
}

// Root of the sum of squares of b − A·x, over that of b.
Real left_of(const FaceSystem& s, const std::vector<Real>& x, const std::vector<Real>& right) {
  std::vector<Real> r = right;
  for (const Triplet& t : s.triplets()) r[t.row] -= t.value * x[t.column];
  Real above = 0, below = 0;
  for (std::size_t n = 0; n < r.size(); ++n) {
    above += r[n] * r[n];
    below += right[n] * right[n];
  }
  return std::sqrt(above / below);
}

struct Found {
  std::vector<Real> x;
  Convergence convergence;
  std::string name;
};

Found found_by(const FaceSystem& s, const std::vector<Real>& right, const SolverRules& rules) {
  const auto solver = make_multigrid_solver(rules);
  solver->factor(s);
  Found found{std::vector<Real>(right.size()), {}, ""};
  solver->solve(right, found.x);
  found.convergence = *solver->convergence();
  found.name = solver->name();
  return found;
}

}  // namespace

TEST_CASE("multigrid on planes of any width and length does what it says") {
  for (const auto& shape : {std::array<Index, 2>{16, 16},
                            {17, 16},
                            {16, 33},
                            {31, 32},
                            {64, 19},
                            {301, 16},
                            {16, 402},
                            {45, 46},
                            {127, 65}}) {
    const FaceSystem s = random_plane(shape[0], shape[1], 3, 1e-3);
    const auto right = right_for(s);
    const Found found = found_by(s, right, {.tolerance = 1e-11});
    INFO(shape[0], " x ", shape[1]);
    CHECK(found.name == "multigrid");
    CHECK(found.convergence.reached);
    CHECK(found.convergence.iterations() <= 20);
    // What it says of its residual is measured, not derived.
    const Real left = left_of(s, found.x, right);
    CHECK(left < 2e-11);
    CHECK(left == doctest::Approx(found.convergence.residuals.back()).epsilon(0.1));
    CHECK(difference(found.x, solved("direct", s, right)) < 1e-8);
  }
}

TEST_CASE("multigrid takes holes, rows of the identity and a matrix of any size") {
  for (const Real size : {1e-25, 1.0, 1e25}) {
    FaceSystem s = random_plane(50, 41, 100, 1e-2);
    for (auto* numbers : {&s.diagonal, &s.lower[0], &s.lower[1], &s.upper[0], &s.upper[1]})
      for (Real& v : *numbers) v *= size;
    s.prescribed.assign(s.diagonal.size(), 0);
    for (Index n = 0; n < s.size(); ++n)
      s.prescribed[n] = (n % 50 > 20 && n % 50 < 30 && n / 50 > 10 && n / 50 < 18) || n == 3 || n % 50 == 49;
    s.apply_mask();
    std::vector<Real> right = right_for(s);
    right[3] = 7;  // of an identity row: what it is
    for (const Real tall : {1e-30, 1e30}) {
      std::vector<Real> scaled = right;
      for (Real& v : scaled) v *= tall;
      const Found found = found_by(s, scaled, {.tolerance = 1e-11});
      CHECK(found.convergence.reached);
      CHECK(found.convergence.iterations() <= 40);
      CHECK(found.x[3] == 7 * tall);
      CHECK(difference(found.x, solved("direct", s, scaled)) < 1e-8);
    }
  }
}

TEST_CASE("multigrid where little or nothing fixes the mean") {
  for (const Real excess : {0.0, 1e-7, 1e-4}) {
    const FaceSystem s = random_plane(80, 61, 10, excess);
    std::vector<Real> right = right_for(s);
    Real mean = 0;
    for (const Real v : right) mean += v / static_cast<Real>(right.size());
    for (Real& v : right) v -= mean;
    const Found found = found_by(s, right, {.tolerance = 1e-10});
    CAPTURE(excess);
    CHECK(found.name == "multigrid");
    CHECK(found.convergence.reached);
    CHECK(found.convergence.iterations() <= 30);
    CHECK(left_of(s, found.x, right) < 2e-10);
  }
}

TEST_CASE("multigrid does not ask for more than rounding leaves, and says so where it does not get there") {
  const FaceSystem s = random_plane(120, 130, 1, 1e-9);
  const auto right = right_for(s);
  const Found found = found_by(s, right, {.tolerance = 1e-18});
  CHECK(found.convergence.reached);
  CHECK(found.convergence.iterations() < 40);
  const Found stopped = found_by(s, right, {.tolerance = 1e-10, .iterations = 2});
  CHECK_FALSE(stopped.convergence.reached);
  CHECK(stopped.convergence.iterations() == 2);
}

TEST_CASE("multigrid after another right-hand side, and from a first guess") {
  FaceSystem s = random_plane(40, 37, 5, 1e-2);
  s.prescribed.assign(s.diagonal.size(), 0);
  s.prescribed[7] = 1;
  s.apply_mask();
  const auto right = right_for(s);
  const auto solver = make_multigrid_solver({.tolerance = 1e-10});
  solver->factor(s);
  std::vector<Real> x(right.size()), again = x;
  solver->solve(right, x);
  const Index cycles = solver->convergence()->iterations();
  // Near the solution fewer are left to do, at it none; far from it the result is the same.
  struct Guess {
    Real scale, shift;
    Index most;
  };
  for (const Guess& guess : {Guess{1, 0, 0}, {1 + 1e-6, 0, cycles / 2 + 1}, {-3, 2, 100}}) {
    for (std::size_t n = 0; n < x.size(); ++n) again[n] = guess.scale * x[n] + guess.shift;
    solver->improve(right, again);
    CHECK(solver->convergence()->reached);
    CHECK(solver->convergence()->iterations() <= guess.most);
    CHECK(difference(again, x) < 1e-7);
    CHECK(again[7] == right[7]);
  }
  std::vector<Real> zero(right.size(), 0.0);
  zero[7] = 2;
  solver->solve(zero, x);
  CHECK(solver->convergence()->iterations() == 0);
  for (std::size_t n = 0; n < x.size(); ++n) CHECK(x[n] == zero[n]);
}

TEST_CASE("slow cycles are accelerated; hopeless ones give way to conjugate gradients") {
  // One number for each block of cells.
  FaceSystem blocks = random_plane(128, 120, 1, 1e-3);
  std::mt19937 random(5);
  std::uniform_real_distribution<Real> any(0, 1);
  std::vector<Real> of_block(32 * 30);
  for (Real& v : of_block) v = std::pow(1000.0, any(random));
  const auto at = [&](Index n) { return of_block[n % 128 / 4 + 32 * (n / 128 / 4)]; };
  std::ranges::fill(blocks.diagonal, 1e-3);
  for (Index n = 0; n < blocks.size(); ++n)
    for (int a = 0; a < 2; ++a)
      if (const Index above = blocks.neighbour(n, a, true); above >= 0) {
        const Real c = 2 / (1 / at(n) + 1 / at(above));
        blocks.upper[a][n] = blocks.lower[a][above] = -c;
        blocks.diagonal[n] += c;
        blocks.diagonal[above] += c;
      }
  const auto right = right_for(blocks);
  const Found fast = found_by(blocks, right, {.tolerance = 1e-10});
  CHECK(fast.name == "multigrid");
  // Cycles alone take 57.
  CHECK(fast.convergence.iterations() <= 36);
  CHECK(left_of(blocks, fast.x, right) < 2e-10);
  FaceSystem stretched = random_plane(100, 90, 1, 1e-3);
  for (Index n = 0; n < stretched.size(); ++n)
    for (auto* side : {&stretched.lower[1], &stretched.upper[1]}) {
      stretched.diagonal[n] += 0.9999 * (*side)[n];
      (*side)[n] *= 1e-4;
    }
  const Found other = found_by(stretched, right_for(stretched), {.tolerance = 1e-10});
  CHECK(other.name == "conjugate gradients with multigrid");
  CHECK(other.convergence.reached);
  CHECK(other.convergence.iterations() < 40);
}
