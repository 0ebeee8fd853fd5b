// Multigrid alone for planes: the system itself in double precision, coarser levels in single precision.
#pragma once

#include <memory>
#include <span>

#include "solve/multigrid/chebyshev.hpp"
#include "solve/multigrid/coarsest.hpp"
#include "williwaw/balance/linear_system.hpp"
#include "williwaw/solve/linear_solver.hpp"

namespace williwaw {

/// Cycles on a symmetric system of two axes without a seam. Interpolation follows the coefficients, coarser
/// operators are A on what it spans (Alcouffe, Brandt, Dendy and Painter, 1981; Dendy, 1982), and all sweeps
/// over the finest level between two corrections are one pass over memory.
class PlaneMultigrid {
 public:
  /// True for what these cycles are made for: two axes, no seam, so many lines that halving them pays.
  static bool takes(const FaceSystem& system);

  /// Throws SolverError for a matrix that is not symmetric, or has positive entries beside the diagonal.
  void build(const FaceSystem& system, int threads);
  /// The matrix that was built from.
  FaceSystem system() const;
  /// No boundary, source or storage fixes the mean.
  bool singular() const { return singular_; }
  /// Cycles from zero, or from a guess in `solution`, until the residual is below `tolerance` times the
  /// right-hand side, or at what rounding leaves of it. False where that would take too many of them.
  bool solve(std::span<const Real> right, std::span<Real> solution, bool guessed, const SolverRules& rules,
             Convergence& convergence);

 private:
  void load(const FaceSystem& system);
  void load_right(std::span<const Real> right);
  void load_guess(std::span<const Real> guess);
  void store(std::span<const Real> right, std::span<Real> solution) const;
  void coarse_cycle();
  /// A pass over the finest level. Returns the norm of the residual after its sweeps.
  Real pass(bool corrects);
  /// Steps to the iterate that acceleration makes of the last ones: of what the next level has gathered at
  /// once, of the unknowns when the next pass meets them.
  void accelerate();
  void remember();
  void combine(Index line);
  Real sum_of_lines() const;
  Real round_off();
  void correct(Index line);
  void relax(Index line, int odd);
  void find_residual(Index line);
  void gather(Index line);

  int threads_ = 1;
  bool singular_ = false;
  Real scale_ = 1;        // of the matrix: a power of two
  Real right_scale_ = 1;  // of the right-hand side: another
  Real right_norm_ = 0;
  std::vector<char> prescribed_;
  SplitLines<double> west_, south_, excess_, b_, x_;
  SplitLines<float> share_;  // of edges: 1 over what joins them to coarse places and to boundaries
  std::vector<std::unique_ptr<NinePoint>> levels_;
  Coarsest coarsest_;
  PassingLines middles_, edges_;  // residuals on their way to the next level
  std::vector<Real> squares_;     // of the residual, by line
  Chebyshev chebyshev_;
  /// Iterates from which the last two cycles started, the later one first, and what was gathered of them.
  struct Started {
    SplitLines<double> x;
    SplitLines<float> gathered;
  };
  std::array<Started, 2> started_;
  bool combines_ = false;
};

}  // namespace williwaw
