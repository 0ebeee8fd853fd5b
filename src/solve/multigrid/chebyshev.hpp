// Acceleration of cycles whose errors shrink by factors between two bounds.
#pragma once

#include <cmath>

#include "williwaw/grid/types.hpp"

namespace williwaw {

/// Chebyshev's semi-iteration (Golub and Varga, 1961) with an upper bound found on the way (Hageman and
/// Young, 1981, chapter 5). Of iterates u and G(u), a cycle of one, the next is weight·(share·G(u) + (1 −
/// share)·u) + (1 − weight)·(the one before u).
class Chebyshev {
 public:
  bool on() const { return on_; }
  /// Begins, or begins anew, from an iterate with this residual.
  void start(Real factor, Real residual) {
    on_ = true;
    high_ = std::min(factor, 0.9999);
    first_residual_ = residual;
    steps_ = 0;
    sigma_ = (high_ - low) / (2 - high_ - low);
    share_ = 2 / (2 - high_ - low);
    weight_ = 1;
  }
  /// Weights of the next iterate.
  void advance() {
    weight_ = steps_ < 2    ? 1
              : steps_ == 2 ? 1 / (1 - 0.5 * sigma_ * sigma_)
                            : 1 / (1 - 0.25 * sigma_ * sigma_ * weight_);
    ++steps_;
  }
  Real weight() const { return weight_; }
  /// What it begins from is taken as it is.
  Real share() const { return steps_ < 2 ? 1 : share_; }
  /// By how much a step shrinks errors in the end, if the bound holds.
  Real rate() const {
    const Real root = std::sqrt(1 - sigma_ * sigma_);
    return std::sqrt((1 - root) / (1 + root));
  }
  /// Begins anew where residuals fall too slowly for the bound: the factor that explains them takes its
  /// place. True if so.
  bool adapt(Real residual) {
    if (steps_ < 6) return false;
    const Real n = steps_ - 1, fallen = residual / first_residual_,
               at_one = std::cosh(n * std::acosh(1 / sigma_));
    if (!(fallen > std::pow(1 / at_one, 0.75))) return false;
    const Real there = fallen * at_one;
    const Real w = there > 1 ? std::cosh(std::acosh(there) / n) : 1;
    // Rounded, so that the last digit of these functions, which differs among processors, does not count.
    const Real factor = std::ceil(4096 * 0.5 * ((high_ - low) * w + high_ + low)) / 4096;
    if (!(factor > high_ * (1 + 1e-6))) return false;
    start(factor, residual);
    return true;
  }

 private:
  // Corrections a little too long turn smooth errors round.
  static constexpr Real low = -0.1;
  bool on_ = false;
  Real high_ = 0, sigma_ = 0, share_ = 1, weight_ = 1, first_residual_ = 1;
  int steps_ = 0;
};

}  // namespace williwaw
