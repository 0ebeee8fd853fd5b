#include "williwaw/problem/system.hpp"

#include <algorithm>
#include <cmath>
#include <limits>
#include <numbers>

namespace williwaw {

namespace {

using Values = std::vector<std::vector<Real>>;

// Derivatives of each of `rows` lines that evaluate(u, lines) writes by each unknown, row by row. The step is
// the cube root of round-off in `sizes`; a difference of an affine function is exact, whatever its length.
template <class Evaluate>
void by_differences(UnknownLines u, std::span<const Real> sizes, bool affine, std::size_t rows,
                    const Evaluate& evaluate, std::span<std::span<Real>> out) {
  const std::size_t count = u.size(), length = u.front().size();
  Values moved, above(rows, std::vector<Real>(length)), below = above;
  for (const auto& line : u) moved.emplace_back(line.begin(), line.end());
  std::vector<std::span<Real>> high(above.begin(), above.end()), low(below.begin(), below.end());
  for (std::size_t k = 0; k < count; ++k) {
    const Real size = sizes[k] > 0 ? sizes[k] : 1, step = affine ? size : 6e-6 * size;
    const std::vector<Real> here = moved[k];
    const auto at = [&](Real by, std::vector<std::span<Real>>& values) {
      for (std::size_t i = 0; i < length; ++i) moved[k][i] = here[i] + by;
      evaluate(std::vector<std::span<const Real>>(moved.begin(), moved.end()), values);
    };
    at(step, high);
    at(-step, low);
    moved[k] = here;
    for (std::size_t m = 0; m < rows; ++m)
      for (std::size_t i = 0; i < length; ++i)
        out[m * count + k][i] = (above[m][i] - below[m][i]) / (2 * step);
  }
}

}  // namespace

void SystemReaction::differentiate(const Points& places, Real time, UnknownLines u,
                                   std::span<const Real> sizes, std::span<std::span<Real>> out) const {
  if (slopes) {
    slopes(places, time, u, out);
    return;
  }
  by_differences(
      u, sizes, linear, u.size(),
      [&](UnknownLines at, std::span<std::span<Real>> rates) { rate(places, time, at, rates); }, out);
}

void CrossDiffusion::differentiate(const Points& places, Real time, UnknownLines u,
                                   std::span<const Real> sizes, std::span<std::span<Real>> out) const {
  if (slopes) {
    slopes(places, time, u, out);
    return;
  }
  by_differences(
      u, sizes, false, 1,
      [&](UnknownLines at, std::span<std::span<Real>> values) {
        diffusivity(places, time, at, values.front());
      },
      out);
}

void SystemFlux::jacobian(int, UnknownLines, std::span<std::span<Real>>) const {
  throw InputError(Subject::flux, "this flux does not tell its Jacobian");
}

namespace {

constexpr Real not_real = std::numeric_limits<Real>::infinity();

// Largest magnitude of the eigenvalues of [a b; c d].
Real largest_of_two(Real a, Real b, Real c, Real d) {
  const Real middle = 0.5 * (a + d), half = 0.5 * (a - d), square = half * half + b * c;
  // Of a double eigenvalue round-off may take the root below zero.
  const Real rounding = 1e-14 * (half * half + std::abs(b * c));
  if (square < -rounding) return not_real;
  return std::abs(middle) + std::sqrt(std::max(square, 0.0));
}

// The same of a matrix of three rows, by the trigonometric roots of its characteristic polynomial (Viète).
Real largest_of_three(const std::array<Real, 9>& m) {
  const Real mean = (m[0] + m[4] + m[8]) / 3;
  const Real a = m[0] - mean, e = m[4] - mean, i = m[8] - mean;
  // λ³ + p·λ + q = 0 for the matrix without its mean.
  const Real p = a * e + a * i + e * i - m[1] * m[3] - m[2] * m[6] - m[5] * m[7];
  const Real q =
      -(a * (e * i - m[5] * m[7]) - m[1] * (m[3] * i - m[5] * m[6]) + m[2] * (m[3] * m[7] - e * m[6]));
  Real size = 0;
  for (const Real v : {a, e, i, m[1], m[2], m[3], m[5], m[6], m[7]}) size = std::max(size, std::abs(v));
  const Real third = -p / 3, discriminant = 0.25 * q * q - third * third * third;
  if (discriminant > 1e-10 * std::pow(size, 6)) return not_real;
  if (!(third > 0)) return std::abs(mean) + std::cbrt(std::abs(q));
  const Real root = std::sqrt(third), angle = std::acos(std::clamp(-0.5 * q / (third * root), -1.0, 1.0)) / 3;
  Real largest = 0;
  for (int k = 0; k < 3; ++k)
    largest = std::max(largest, std::abs(mean + 2 * root * std::cos(angle - 2 * std::numbers::pi * k / 3)));
  return largest;
}

// Any norm bounds the eigenvalues.
Real norm_of(std::span<const Real> m, std::size_t count) {
  Real rows = 0, columns = 0;
  for (std::size_t i = 0; i < count; ++i) {
    Real row = 0, column = 0;
    for (std::size_t k = 0; k < count; ++k) {
      row += std::abs(m[i * count + k]);
      column += std::abs(m[k * count + i]);
    }
    rows = std::max(rows, row);
    columns = std::max(columns, column);
  }
  return std::min(rows, columns);
}

}  // namespace

void SystemFlux::speed(int direction, UnknownLines u, std::span<Real> out) const {
  const std::size_t count = u.size();
  std::vector<std::vector<Real>> entries(count * count, std::vector<Real>(out.size()));
  std::vector<std::span<Real>> lines(entries.begin(), entries.end());
  jacobian(direction, u, lines);
  std::vector<Real> m(count * count);
  for (std::size_t i = 0; i < out.size(); ++i) {
    for (std::size_t e = 0; e < m.size(); ++e) m[e] = entries[e][i];
    out[i] = count == 1   ? std::abs(m[0])
             : count == 2 ? largest_of_two(m[0], m[1], m[2], m[3])
             : count == 3 ? largest_of_three({m[0], m[1], m[2], m[3], m[4], m[5], m[6], m[7], m[8]})
                          : norm_of(m, count);
  }
}

namespace {

class SelfAdvecting final : public SystemFlux {
 public:
  explicit SelfAdvecting(int components) : components_(components) {}
  std::size_t components() const override { return static_cast<std::size_t>(components_); }
  void flux(int direction, UnknownLines u, std::span<std::span<Real>> out) const override {
    const auto along = u[static_cast<std::size_t>(std::min(direction, components_ - 1))];
    for (std::size_t c = 0; c < u.size(); ++c)
      for (std::size_t i = 0; i < along.size(); ++i) out[c][i] = u[c][i] * along[i];
  }
  // The eigenvalues are u_a and 2·u_a.
  void speed(int direction, UnknownLines u, std::span<Real> out) const override {
    const auto along = u[static_cast<std::size_t>(std::min(direction, components_ - 1))];
    for (std::size_t i = 0; i < out.size(); ++i) out[i] = 2 * std::abs(along[i]);
  }

 private:
  int components_;
};

class ByUnknowns final : public SystemFlux {
 public:
  ByUnknowns(std::array<int, 3> velocity, bool advective, std::size_t unknowns)
      : velocity_(velocity), advective_(advective), unknowns_(unknowns) {}
  std::size_t components() const override { return unknowns_; }
  void flux(int direction, UnknownLines u, std::span<std::span<Real>> out) const override {
    const int number = velocity(direction);
    for (std::size_t c = 0; c < u.size(); ++c)
      for (std::size_t i = 0; i < out[c].size(); ++i)
        out[c][i] = number < 0 ? 0 : u[c][i] * u[static_cast<std::size_t>(number)][i];
  }
  // In conservative form the velocity's own flux is quadratic, and twice as fast.
  void speed(int direction, UnknownLines u, std::span<Real> out) const override {
    const int number = velocity(direction);
    const Real factor = advective_ ? 1 : 2;
    for (std::size_t i = 0; i < out.size(); ++i)
      out[i] = number < 0 ? 0 : factor * std::abs(u[static_cast<std::size_t>(number)][i]);
  }
  int velocity(int direction) const override { return velocity_[static_cast<std::size_t>(direction)]; }
  bool advective() const override { return advective_; }

 private:
  std::array<int, 3> velocity_;
  bool advective_;
  std::size_t unknowns_;
};

}  // namespace

std::shared_ptr<const SystemFlux> self_advecting_flux(int components) {
  if (components < 1) throw InputError("a flux needs one component at least");
  return std::make_shared<SelfAdvecting>(components);
}

std::shared_ptr<const SystemFlux> advection_by_unknowns(std::array<int, 3> velocity, bool advective,
                                                        std::size_t unknowns) {
  for (const int number : velocity)
    if (number < -1 || number >= static_cast<int>(unknowns))
      throw InputError(Subject::velocity, "there is no unknown " + std::to_string(number) + " among " +
                                              std::to_string(unknowns));
  return std::make_shared<ByUnknowns>(velocity, advective, unknowns);
}

}  // namespace williwaw
