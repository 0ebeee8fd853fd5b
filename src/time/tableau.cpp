#include "williwaw/time/tableau.hpp"

#include <Eigen/LU>
#include <cmath>
#include <limits>

namespace williwaw {

namespace {

using Matrix = Eigen::MatrixXd;
using Vector = Eigen::VectorXd;

Matrix matrix_of(const Tableau& t) {
  const int s = t.stages();
  Matrix a(s, s);
  for (int i = 0; i < s; ++i)
    for (int j = 0; j < s; ++j) a(i, j) = t.a[i][j];
  return a;
}

constexpr Real endless = 1e12;

// Largest r in [0, endless] for which `holds`, which holds at 0 and fails from some point on.
Real last_that_holds(const std::function<bool(Real)>& holds) {
  if (holds(endless)) return std::numeric_limits<Real>::infinity();
  Real low = 0, high = 1e-3;
  while (holds(high)) {
    low = high;
    high *= 1.5;
  }
  for (int i = 0; i < 100; ++i) {
    const Real middle = 0.5 * (low + high);
    (holds(middle) ? low : high) = middle;
  }
  // Conditions that fail with the square of r only leave the root of the slack.
  return low < 1e-4 ? 0 : low;
}

// Taylor coefficients of R about z = −r: with M = (I + rA)⁻¹ they are 1 − r·bᵀM1 and bᵀ(MA)ⁿ⁻¹M²1, n >= 1.
bool function_is_monotone_at(const Tableau& t, Real r) {
  const int s = t.stages();
  const Matrix a = matrix_of(t);
  const Eigen::PartialPivLU<Matrix> lu(Matrix::Identity(s, s) + r * a);
  const Vector b = Eigen::Map<const Vector>(t.b.data(), s), one = Vector::Ones(s);
  Vector v = lu.solve(one);
  // Next to the value itself an error of the solve is as good as zero.
  const Real slack = 1e-10;
  if (1 - r * b.dot(v) < -slack) return false;
  v = lu.solve(v);
  Real scale = std::abs(b.dot(v));
  for (int n = 1; n <= 4 * s + 20; ++n) {
    const Real coefficient = b.dot(v);
    if (coefficient < -slack * scale) return false;
    v = lu.solve(a * v);
    scale = std::max(scale * (1e-300 + a.norm()), std::abs(coefficient));
  }
  return true;
}

}  // namespace

bool Tableau::is_explicit() const {
  for (int i = 0; i < stages(); ++i)
    if (a[i][i] != 0) return false;
  return true;
}

bool Tableau::ends_with_last_stage() const {
  return a.back() == b && c.back() == 1;
}

bool Tableau::starts_with_state() const {
  for (const Real x : a.front())
    if (x != 0) return false;
  return c.front() == 0;
}

void Tableau::validate() const {
  const std::size_t s = b.size();
  if (s == 0 || a.size() != s || c.size() != s) throw InputError("a tableau needs s x s, s and s entries");
  for (std::size_t i = 0; i < s; ++i) {
    if (a[i].size() != s) throw InputError("a tableau needs s x s, s and s entries");
    for (std::size_t j = i + 1; j < s; ++j)
      if (a[i][j] != 0) throw InputError("a stage of the tableau depends on a later one");
  }
}

std::optional<std::vector<TwoRegisterStage>> two_register_form(const Tableau& tableau) {
  if (!tableau.is_explicit() || !tableau.embedded.empty() || !tableau.starts_with_state())
    return std::nullopt;
  std::vector<TwoRegisterStage> result;
  const auto row = [&](int s) -> const std::vector<Real>& {
    return s < tableau.stages() ? tableau.a[s] : tableau.b;
  };
  for (int s = 1; s <= tableau.stages(); ++s) {
    TwoRegisterStage stage{1, row(s)[s - 1]};
    // row(s) must be share·row(s − 1) but for its last entry.
    if (s > 1) stage.fraction = row(s - 1)[s - 2] != 0 ? row(s)[s - 2] / row(s - 1)[s - 2] : -1;
    for (int j = 0; j < s - 1; ++j)
      if (std::abs(row(s)[j] - stage.fraction * row(s - 1)[j]) > 1e-14) return std::nullopt;
    result.push_back(stage);
  }
  return result;
}

std::optional<ExplicitStages> stages_by_line(const Tableau& tableau) {
  ExplicitStages result;
  const auto form = two_register_form(tableau);
  if (!form && (!tableau.is_explicit() || !tableau.embedded.empty() || !tableau.starts_with_state()))
    return std::nullopt;
  result.ends_with_sum = !form;
  const int count = tableau.stages();
  for (int s = 0; s < count; ++s) {
    for (int j = 0; !form && j < s - 1; ++j)
      if (tableau.a[s][j] != 0) return std::nullopt;
    ExplicitStages::Stage stage{tableau.c[s], s + 1 < count ? tableau.c[s + 1] : 1, 0, 0, tableau.b[s]};
    if (form) {
      stage.fraction = (*form)[s].fraction;
      stage.weight = (*form)[s].weight;
    } else if (s + 1 < count) {
      stage.weight = tableau.a[s + 1][s];
    }
    // What is added later is told from flows by its weight.
    if ((result.ends_with_sum && s + 1 == count ? stage.of_step : stage.weight) == 0) return std::nullopt;
    result.stages.push_back(stage);
  }
  return result;
}

std::complex<Real> stability_function(const Tableau& t, std::complex<Real> z) {
  // Stage values follow one after the other, since the tableau is lower triangular.
  std::vector<std::complex<Real>> stage(t.b.size());
  std::complex<Real> result = 1;
  for (int i = 0; i < t.stages(); ++i) {
    std::complex<Real> sum = 1;
    for (int j = 0; j < i; ++j) sum += z * t.a[i][j] * stage[j];
    stage[i] = sum / (1.0 - z * t.a[i][i]);
    result += z * t.b[i] * stage[i];
  }
  // A stiffly accurate scheme ends with its last stage, which avoids cancellation at large z.
  return t.ends_with_last_stage() ? stage.back() : result;
}

Real real_stability_interval(const Tableau& t) {
  const auto stable = [&](Real x) { return std::abs(stability_function(t, -x)) <= 1 + 1e-12; };
  // From point to point on a scale of ratios, fine enough that no gap between them is missed.
  Real low = 0, high = 1e-3;
  while (stable(high)) {
    low = high;
    high *= 1.002;
    if (high > endless) return std::numeric_limits<Real>::infinity();
  }
  for (int i = 0; i < 100; ++i) {
    const Real middle = 0.5 * (low + high);
    (stable(middle) ? low : high) = middle;
  }
  return low < 1e-6 ? 0 : low;
}

Real monotonicity_radius_of_function(const Tableau& t) {
  return last_that_holds([&](Real r) { return function_is_monotone_at(t, r); });
}

Real monotonicity_radius_of_tableau(const Tableau& t) {
  // With the step's end as one more stage K = (A 0; bᵀ 0): (I + rK)⁻¹·1 >= 0 and rK(I + rK)⁻¹ >= 0.
  const int s = t.stages();
  Matrix k = Matrix::Zero(s + 1, s + 1);
  k.topLeftCorner(s, s) = matrix_of(t);
  for (int j = 0; j < s; ++j) k(s, j) = t.b[j];
  return last_that_holds([&](Real r) {
    const Matrix inverse = (Matrix::Identity(s + 1, s + 1) + r * k).inverse();
    return (inverse * Vector::Ones(s + 1)).minCoeff() >= -1e-10 && (r * k * inverse).minCoeff() >= -1e-10;
  });
}

}  // namespace williwaw
