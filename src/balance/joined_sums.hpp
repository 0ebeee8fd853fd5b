// What sweeps have counted and booked in the boxes of all ranks, brought together in one go.
#pragma once

#include <optional>
#include <vector>

#include "williwaw/balance/balance.hpp"
#include "williwaw/domain/box.hpp"

namespace williwaw {

/// What came out of one sweep over the whole grid.
struct SweepSums {
  Totals totals;
  std::vector<Real> booked;  ///< by line of the ledger
};

/// Of so many sweeps over a box, from what each has counted and booked in the box's subtrees:
/// `of_totals(sweep)` and `of_line(sweep, line of the ledger)` tell a sum for each of them, or none. All
/// ranks call it together.
template <class OfTotals, class OfLine>
std::vector<SweepSums> joined_sums(const Box& box, std::size_t sweeps, std::size_t ledger_lines,
                                   const OfTotals& of_totals, const OfLine& of_line) {
  // One row with everything: of each sweep totals, then each line of the ledger.
  constexpr std::size_t of_one = 1 + sizeof(Totals) / sizeof(Real);
  const std::size_t each = of_one + 2 * ledger_lines, width = sweeps * each;
  std::vector<Real> rows(box.subtrees().size() * width);
  for (std::size_t n = 0; n < sweeps; ++n) {
    const auto put = [&](std::size_t at, const auto& sums) {
      for (std::size_t s = 0; s < sums.size(); ++s)
        Box::put(sums[s], rows.data() + s * width + n * each + at);
    };
    put(0, of_totals(n));
    for (std::size_t l = 0; l < ledger_lines; ++l) put(of_one + 2 * l, of_line(n, l));
  }
  const auto join = [&](Real* left, const Real* right) {
    for (std::size_t n = 0; n < sweeps; ++n, left += each, right += each) {
      Box::join<Totals>(left, right);
      for (std::size_t l = 0; l < ledger_lines; ++l)
        Box::join<Real>(left + of_one + 2 * l, right + of_one + 2 * l);
    }
  };
  std::vector<TreeSum<Totals>> totals(sweeps);
  std::vector<TreeSum<Real>> booked(sweeps * ledger_lines);
  box.merge(std::move(rows), width, join, [&](const Box::Node& node, const Real* row) {
    for (std::size_t n = 0; n < sweeps; ++n, row += each) {
      if (const auto one = Box::taken<Totals>(row)) totals[n].add(node.leaf, *one, node.level);
      for (std::size_t l = 0; l < ledger_lines; ++l)
        if (const auto one = Box::taken<Real>(row + of_one + 2 * l))
          booked[n * ledger_lines + l].add(node.leaf, *one, node.level);
    }
  });
  std::vector<Real> sums(width);
  for (std::size_t n = 0; n < sweeps; ++n) {
    Box::put(std::optional(totals[n].sum()), sums.data() + n * each);
    for (std::size_t l = 0; l < ledger_lines; ++l)
      Box::put(std::optional(booked[n * ledger_lines + l].sum()), sums.data() + n * each + of_one + 2 * l);
  }
  box.communicator().broadcast(sums);
  std::vector<SweepSums> result(sweeps);
  for (std::size_t n = 0; n < sweeps; ++n) {
    result[n].totals = *Box::taken<Totals>(sums.data() + n * each);
    for (std::size_t l = 0; l < ledger_lines; ++l)
      result[n].booked.push_back(*Box::taken<Real>(sums.data() + n * each + of_one + 2 * l));
  }
  return result;
}

}  // namespace williwaw
