// The eigenvectors of a diffusion balance's operator, axis by axis where it is separable.
#pragma once

#include <optional>

#include "williwaw/solve/dense.hpp"
#include "williwaw/terms/discretization.hpp"

namespace williwaw::verify {

/// An orthonormal basis of modes in the storage inner product. Coefficients stand in the order of
/// eigenvalues().
class Modes {
 public:
  /// Nothing for problems that are neither separable nor small.
  static std::optional<Modes> of(Discretization& balance, Real at);

  /// Rates at which the modes decay.
  const std::vector<Real>& eigenvalues() const { return eigenvalues_; }
  /// For each mode, whether it is the same everywhere along an axis.
  std::vector<char> constant_along(const Grid& grid, int axis) const;
  /// Coefficients of a state; what boundaries hold or is cut out has no say.
  std::vector<Real> analyse(const State& y) const;
  /// The state with these coefficients.
  State compose(const std::vector<Real>& coefficients) const;

 private:
  using Factor = SymmetricModes;
  static Factor of_axis(const AxisOperator& op);
  void transform(std::vector<Real>& data, bool back) const;
  void sum_eigenvalues();

  std::vector<Factor> factors_;  ///< one for each axis, or one for all unknowns
  std::vector<Index> unknowns_;  ///< those that take part, in the order of coefficients
  std::vector<Real> root_;       ///< of the capacity of each of them
  std::vector<Real> eigenvalues_;
  Index all_ = 0;
};

}  // namespace williwaw::verify
