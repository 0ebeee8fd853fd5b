// A hierarchy of ever coarser systems for preconditioning, in single precision: it steers the iteration, and
// only the residual decides what is reached.
#pragma once

#include <vector>

#include "balance/face_kernels.hpp"
#include "solve/multigrid/level_share.hpp"
#include "williwaw/balance/linear_system.hpp"

namespace williwaw {

class Hierarchy {
 public:
  /// Throws SolverError for a matrix that is not symmetric, or has positive entries beside the diagonal. Of a
  /// matrix that several ranks share all of them build it, and apply it, together.
  void build(const FaceSystem& system, int threads);
  /// z = approximate inverse of A times r, by one V-cycle with red-black relaxation before and after.
  /// Afterwards `r` holds anything, in as many values. Of several ranks own rows alone count.
  void apply(std::vector<float>& r, std::vector<float>& z);
  /// No boundary, source or storage fixes the mean.
  bool singular() const { return singular_; }
  std::size_t levels() const { return levels_.size(); }

 private:
  struct Level {
    std::array<Index, 3> extent{1, 1, 1};
    std::array<bool, 3> periodic{false, false, false};
    std::array<bool, 3> paired{false, false, false};  ///< axes along which the next level joins pairs
    int dimension = 1, threads = 1;
    LevelShare share;
    /// From the number of a pair here to that of its place in the next level.
    std::array<Index, 3> shift{0, 0, 0};
    std::vector<float> diagonal, inverse, excess;
    std::array<std::vector<float>, 3> low;
    std::array<std::vector<float>, 3> lean;  ///< weight of the neighbouring pair when values come back
    std::vector<float> x, b, r;

    Index size() const { return extent[0] * extent[1] * extent[2]; }
    Index stride(int a) const { return a == 0 ? 1 : a == 1 ? extent[0] : extent[0] * extent[1]; }
    faces::View<float> view() const;
    float conductance(Index n, Index at, int a, bool upper) const;
    float half_inside(Index n, Index at, int a) const;
    float excess_of_pair(Index n, const std::array<Index, 3>& at) const;
    void complete_coefficients();
    void finish();
  };

  static Level coarser(Level& fine);
  static void choose_pairs(Level& level);
  static void restrict_residual(const Level& fine, Level& coarse);
  static void add_correction(Level& fine, const Level& coarse);
  void cycle(std::size_t level);
  void factor_coarsest();
  void solve_coarsest(Level& level) const;

  template <class Visit>
  void each_own_line(const Visit& visit) const;

  std::vector<Level> levels_;
  std::shared_ptr<const Box> box_;  ///< of one rank among several
  std::vector<double> factor_;
  double scale_ = 1;
  bool singular_ = false;
};

}  // namespace williwaw
