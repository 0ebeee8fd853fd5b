// The last level of a plane, solved by elimination.
#pragma once

#include "solve/multigrid/nine_point.hpp"

namespace williwaw {

/// Cholesky's factor of a nine-point level within its band, in double precision; the band runs along the
/// shorter side.
class Coarsest {
 public:
  /// A singular level gets a little on its diagonal, and no mean, neither given nor found.
  void factor(const NinePoint& level, bool singular);
  /// level.x and its natural lines from level.b.
  void solve(NinePoint& level);

 private:
  Index number(Index i, Index j) const { return turned_ ? j + lines_ * i : i + width_ * j; }
  void remove_mean(double* values) const;
  double& entry(Index row, Index column) {
    return factor_[static_cast<std::size_t>(row * (band_ + 1) + column - row + band_)];
  }

  Index width_ = 0, lines_ = 0, band_ = 0;
  bool turned_ = false, singular_ = false;
  std::vector<double> factor_, values_;
  std::vector<char> joined_;
};

}  // namespace williwaw
