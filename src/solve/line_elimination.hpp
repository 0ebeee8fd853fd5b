// Elimination along one line in pieces that do not wait for each other.
#pragma once

#include <functional>
#include <memory>
#include <span>
#include <vector>

#include "williwaw/balance/linear_system.hpp"

namespace williwaw {

/// Solves M·v = C·u + added along a line and takes u to u + (v − u)/theta: a step of the theta scheme, in one
/// pass over memory. What a cell hears of another falls with the product of the multipliers in between;
/// beyond its reach, where that is below 1e-17, nothing of it is left in double precision. So the line is cut
/// into chunks whose eliminations begin and end a reach outside, eight of them side by side in the lanes of a
/// vector. Chunks follow from the line and the matrix alone: threads do not show in the result.
class LineElimination {
 public:
  LineElimination();
  ~LineElimination();
  /// True for a tridiagonal matrix without a seam and without prescribed unknowns.
  static bool takes(const FaceSystem& matrix);
  /// Throws SolverError for a singular matrix.
  void factor(const FaceSystem& matrix, std::vector<Real> capacities, int threads);
  /// What is added to C·u: a value for each cell, or none, and one for each end.
  struct Added {
    std::span<const Real> each;
    Real first = 0, last = 0;
    bool at_ends() const { return first != 0 || last != 0; }
  };
  /// Told what is done of `out`, whole segments of sums at a time, by several threads at once.
  using Finished = std::function<void(Index first, Index end)>;
  /// `out` may not be `u`.
  void step(std::span<const Real> u, const Added& added, Real theta, std::span<Real> out,
            const Finished& finished = {});

 private:
  struct Chunks;
  struct Group;
  void step_alone(std::span<const Real> u, const Added& added, Real theta, std::span<Real> out);
  static void eliminate_group(const Group& group);
  void place(Index number, std::span<const Real> u, const Added& added, std::span<Real> out, Chunks& own,
             Group& group) const;

  void choose_chunk();
  void cut(const std::vector<Real>& below, const std::vector<Real>& pivots, const std::vector<Real>& above);

  Index cells_ = 0, reach_ = 0, chunk_ = 1;
  int threads_ = 1;
  bool symmetric_ = true, even_ = true;
  std::vector<Real> capacities_;
  /// Multipliers of eight chunks side by side, from a reach before them to one after; groups with the same
  /// numbers share theirs.
  struct Multipliers {
    std::vector<Real> below, pivots, above;
  };
  std::vector<Multipliers> multipliers_;
  std::vector<std::size_t> of_group_;
  std::vector<std::unique_ptr<Chunks>> of_threads_;
  Multipliers alone_;  // of a line that is not cut
};

}  // namespace williwaw
