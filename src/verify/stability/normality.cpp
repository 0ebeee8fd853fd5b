#include "williwaw/verify/normality.hpp"

#include <algorithm>
#include <cmath>
#include <numbers>

#include "verify/complex.hpp"
#include "verify/search.hpp"
#include "williwaw/grid/expect.hpp"
#include "williwaw/solve/dense.hpp"
#include "williwaw/verify/stability.hpp"

namespace williwaw::verify {

namespace {

// Square, column after column.
struct Matrix {
  Index rows;
  std::vector<Real> entries;
  explicit Matrix(Index size, Real diagonal = 0)
      : rows(size), entries(static_cast<std::size_t>(size * size), 0.0) {
    for (Index i = 0; i < size; ++i) at(i, i) = diagonal;
  }
  Real& at(Index i, Index j) { return entries[static_cast<std::size_t>(i + rows * j)]; }
  Real at(Index i, Index j) const { return entries[static_cast<std::size_t>(i + rows * j)]; }
  void add(Real factor, const Matrix& other) {
    for (std::size_t n = 0; n < entries.size(); ++n) entries[n] += factor * other.entries[n];
  }
  Matrix transposed() const {
    Matrix result(rows);
    for (Index j = 0; j < rows; ++j)
      for (Index i = 0; i < rows; ++i) result.at(j, i) = at(i, j);
    return result;
  }
  Real sum_of_squares() const {
    Real sum = 0;
    for (const Real e : entries) sum += e * e;
    return sum;
  }
};

Matrix operator*(const Matrix& a, const Matrix& b) {
  Matrix result(a.rows);
  result.entries = product(a.rows, a.rows, a.entries, b.entries);
  return result;
}

constexpr int directions = 180;
constexpr Index most_steps = 4096;

// C^½·A·C^−½ with A = C⁻¹·F', over the unknowns that are free.
Matrix operator_of(Balance& balance, const State& about, Real at) {
  if (!balance.capabilities().matrix) throw InputError("a balance without a matrix cannot be judged by it");
  LinearSystem rates, capacities;
  balance.linearise(about, at, 0, 1, Parts::all(), rates);
  balance.linearise(about, at, 1, 0, Parts::all(), capacities);
  const Index rows = rows_of(rates);
  std::vector<char> fixed(static_cast<std::size_t>(rows), 0);
  for (const Index h : balance.prescribed()) fixed[h] = 1;
  for (const Index h : balance.inactive()) fixed[h] = 1;
  std::vector<Index> place(fixed.size(), -1);
  Index count = 0;
  for (Index n = 0; n < rows; ++n)
    if (!fixed[n]) place[n] = count++;
  if (count == 0 || count > dense_limit)
    throw InputError("operators of 1 to " + std::to_string(dense_limit) +
                     " unknowns are judged, this one has " + std::to_string(count));
  std::vector<Real> root(static_cast<std::size_t>(count), 0.0);
  for (const auto& e : triplets_of(capacities)) {
    if (e.row != e.column && e.value != 0) throw InputError("the storage matrix must be diagonal");
    if (place[e.row] >= 0) root[place[e.row]] += e.value;
  }
  for (Real& r : root) r = std::sqrt(r);
  Matrix a(count);
  for (const auto& e : triplets_of(rates)) {
    const Index i = place[e.row], j = place[e.column];
    if (i >= 0 && j >= 0) a.at(i, j) -= e.value / (root[i] * root[j]);
  }
  return a;
}

// Largest step up to which all points, scaled by it, are stable.
Real limit_of(const Scheme& scheme, const std::vector<Complex>& points) {
  Real size = 0;
  for (const Complex& p : points) size = std::max(size, std::abs(p));
  if (size == 0) return std::numeric_limits<Real>::infinity();
  const auto holds = [&](Real step) {
    for (const Complex& p : points)
      if (std::abs(amplification(scheme, p * step)) > 1 + 1e-9) return false;
    return true;
  };
  const Real limit = largest_step(holds, 1e-4 / size, 1.05, 1e11);
  return limit * size < 1e-3 ? 0 : limit;
}

// Corners of the polygon of lines that support the numerical range (Johnson, 1978): it lies inside.
std::vector<Complex> around_numerical_range(const Matrix& a) {
  std::vector<Real> support;
  std::vector<Complex> hermitian(a.entries.size());
  for (int d = 0; d < directions; ++d) {
    const Complex turn = std::polar(1.0, -2 * std::numbers::pi * d / directions);
    for (Index j = 0; j < a.rows; ++j)
      for (Index i = 0; i < a.rows; ++i)
        hermitian[static_cast<std::size_t>(i + a.rows * j)] =
            0.5 * (turn * a.at(i, j) + std::conj(turn) * a.at(j, i));
    support.push_back(largest_hermitian_eigenvalue(a.rows, hermitian));
  }
  std::vector<Complex> corners;
  const Real angle = 2 * std::numbers::pi / directions;
  for (int d = 0; d < directions; ++d) {
    const Real h = support[d], next = support[(d + 1) % directions];
    const Complex along = std::polar(1.0, angle * d);
    corners.push_back(along * Complex(h, (next - h * std::cos(angle)) / std::sin(angle)));
  }
  return corners;
}

Matrix step_matrix(const Scheme& scheme, const Matrix& z) {
  const Tableau& t = scheme.tableau();
  std::vector<Matrix> changes;  // z·stage
  Matrix result(z.rows, 1);
  for (int i = 0; i < t.stages(); ++i) {
    Matrix stage(z.rows, 1);
    for (int j = 0; j < i; ++j)
      if (t.a[i][j] != 0) stage.add(t.a[i][j], changes[static_cast<std::size_t>(j)]);
    if (t.a[i][i] != 0) {
      Matrix left(z.rows, 1);
      left.add(-t.a[i][i], z);
      solve_columns(left.rows, left.entries, stage.entries);
    }
    changes.push_back(z * stage);
    result.add(t.b[i], changes.back());
  }
  return result;
}

Real norm_of(const Matrix& m) {
  return std::sqrt(symmetric_eigenvalues(m.rows, (m.transposed() * m).entries).back());
}

}  // namespace

Judgement judge(Balance& balance, const State& about, const Scheme& scheme, Real step, Real at) {
  expect(static_cast<Index>(about.size()) == balance.layout().size(), "judge: a state of the balance");
  const Matrix a = operator_of(balance, about, at);
  Judgement result;
  const Real size = a.sum_of_squares();
  const Matrix turned = a.transposed();
  Matrix commutator = a * turned;
  commutator.add(-1, turned * a);
  if (size > 0) result.departure = std::sqrt(commutator.sum_of_squares()) / size;
  result.eigenvalues = eigenvalues(a.rows, a.entries);
  result.eigenvalue_limit = limit_of(scheme, result.eigenvalues);
  result.safe_limit = result.normal() ? result.eigenvalue_limit : limit_of(scheme, around_numerical_range(a));

  Matrix scaled(a.rows);
  scaled.add(step, a);
  Matrix power = step_matrix(scheme, scaled);
  // Growth is looked at after 1, 2, 4, .. steps, which sees all but a short hump.
  for (Index n = 1; n <= most_steps; n *= 2) {
    const Real now = norm_of(power);
    result.steps_looked_at = n;
    if (now > result.transient_growth) {
      result.transient_growth = now;
      result.at_step = n;
    }
    if (!std::isfinite(now) || now > 1e100 || now < 1e-8) break;
    power = power * power;
  }
  return result;
}

}  // namespace williwaw::verify
