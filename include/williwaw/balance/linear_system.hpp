// Matrices as balances state them: compact where fluxes join two unknowns, general otherwise.
#pragma once

#include <array>
#include <span>
#include <variant>

#include "williwaw/domain/box.hpp"
#include "williwaw/domain/layout.hpp"
#include "williwaw/grid/expect.hpp"

namespace williwaw {

struct Triplet {
  Index row;
  Index column;
  Real value;
};

/// The matrix of a balance whose fluxes join two neighbours: a diagonal, two coefficients for each face, and
/// a mask of unknowns that boundaries hold. Rows of prescribed unknowns are those of the identity, and their
/// columns are left out of all other rows: solvers work on increments, which are zero there.
struct FaceSystem {
  std::array<Index, 3> extent{1, 1, 1};
  std::array<bool, 3> periodic{false, false, false};
  std::vector<Real> diagonal;
  /// lower[a][n] multiplies the neighbour of n that comes before it along axis a, upper[a][n] the one after;
  /// zero where there is none. Empty for axes that are not there.
  std::array<std::vector<Real>, 3> lower, upper;
  /// Nonzero for unknowns that are prescribed; empty when none is.
  std::vector<char> prescribed;
  /// Where several ranks share the grid: which rows are this one's own. Those of its halo are rows of the
  /// identity.
  std::shared_ptr<const Box> box = {};

  Index size() const { return static_cast<Index>(diagonal.size()); }
  int dimension() const { return lower[2].empty() ? (lower[1].empty() ? 1 : 2) : 3; }
  /// Number of the neighbour of `n` along axis `a`, across the seam where periodic; −1 beyond a boundary.
  Index neighbour(Index n, int a, bool upwards) const {
    const Index stride = a == 0 ? 1 : a == 1 ? extent[0] : extent[0] * extent[1];
    const Index along = n / stride % extent[a];
    if (upwards) {
      if (along + 1 < extent[a]) return n + stride;
      return periodic[a] ? n - along * stride : -1;
    }
    if (along > 0) return n - stride;
    return periodic[a] ? n + (extent[a] - 1) * stride : -1;
  }
  /// Makes the rows and columns of prescribed unknowns those of the identity.
  void apply_mask();
  std::vector<Triplet> triplets() const;
};

/// What the unknowns of one control volume do to each other: an entry for each place of each pair of row and
/// column.
class LocalEntries {
 public:
  /// So many places for each unknown; those of unknowns that are joined are the same.
  explicit LocalEntries(std::vector<std::size_t> places)
      : places_(std::move(places)), entries_(places_.size() * places_.size()) {}
  /// Zeros until something is added.
  std::vector<Real>& of(std::size_t row, std::size_t column) {
    expect(places_[row] == places_[column], "LocalEntries: unknowns at the same places");
    std::vector<Real>& entries = entries_[row * places_.size() + column];
    if (entries.empty()) entries.assign(places_[row], 0.0);
    return entries;
  }
  /// Empty where nothing was added.
  std::span<const Real> seen(std::size_t row, std::size_t column) const {
    return entries_[row * places_.size() + column];
  }

 private:
  std::vector<std::size_t> places_;
  std::vector<std::vector<Real>> entries_;
};

/// Any sparse matrix, as entries that add up.
struct SparseSystem {
  Index rows = 0;
  std::vector<Triplet> entries;
};

/// Several unknowns: a matrix over faces for each, one after another, and what joins them.
struct BlockSystem {
  std::vector<FaceSystem> blocks;
  std::vector<Triplet> local;  ///< numbered as in the whole state; they may stand on the diagonal too
};

using LinearSystem = std::variant<FaceSystem, SparseSystem, BlockSystem>;

Index rows_of(const LinearSystem& system);
std::vector<Triplet> triplets_of(const LinearSystem& system);
/// Diagonal entries, one for each row.
std::vector<Real> diagonal_of(const LinearSystem& system);

}  // namespace williwaw
