// The matrix of a balance.
#include <algorithm>

#include "domain/lines.hpp"
#include "williwaw/balance/term_balance.hpp"

namespace williwaw {

void TermBalance::linearise(const State& y, Real at, Real a, Real b, Parts parts, LinearSystem& system) {
  expect(y.empty() || static_cast<Index>(y.size()) == arranged_.layout.size(),
         "linearise: no state, or one of the size");
  const State zero(y.empty() && reference_.empty() ? static_cast<std::size_t>(arranged_.layout.size()) : 0,
                   0.0);
  const State& about = !y.empty() ? y : reference_.empty() ? zero : reference_;
  const auto now = this->at({at, 0, about});
  std::vector<FaceSystem> matrices;
  for (std::size_t u = 0; u < unknowns_.size(); ++u) matrices.push_back(matrix_of_storage(u, a, about));
  for (std::size_t t = 0; t < now->size(); ++t) (*now)[t].linearise(*now, about, b, parts, matrices);
  for (std::size_t u = 0; u < unknowns_.size(); ++u) {
    FaceSystem& matrix = matrices[u];
    const Index first = start_of(u), end = first + matrix.size();
    const auto mask = [&](Index n) {
      if (n < first || n >= end) return;
      if (matrix.prescribed.empty()) matrix.prescribed.assign(matrix.diagonal.size(), 0);
      matrix.prescribed[static_cast<std::size_t>(n - first)] = 1;
    };
    std::ranges::for_each(arranged_.prescribed, mask);
    std::ranges::for_each(arranged_.inactive, mask);
    if (!matrix.prescribed.empty()) matrix.apply_mask();
    if (!domain(u).box().whole()) {
      matrix.box = domain(u).shared_box();
      for (Index n = 0; n < matrix.size(); ++n)
        if (!matrix.box->owns(n)) matrix.diagonal[static_cast<std::size_t>(n)] = 1;
    }
  }
  // And what the unknowns of each place do to each other.
  std::vector<std::size_t> places;
  for (const FaceSystem& matrix : matrices) places.push_back(matrix.diagonal.size());
  LocalEntries local(std::move(places));
  for (std::size_t t = 0; t < now->size(); ++t) (*now)[t].linearise_locally(*now, about, b, parts, local);
  const auto fixed = [&](std::size_t u, std::size_t n) {
    return !matrices[u].prescribed.empty() && matrices[u].prescribed[n];
  };
  if (matrices.size() == 1) {
    const std::span<const Real> entries = local.seen(0, 0);
    for (std::size_t n = 0; n < entries.size(); ++n)
      if (!fixed(0, n)) matrices.front().diagonal[n] += entries[n];
    system = std::move(matrices.front());
    return;
  }
  BlockSystem all;
  for (std::size_t row = 0; row < matrices.size(); ++row)
    for (std::size_t column = 0; column < matrices.size(); ++column) {
      const std::span<const Real> entries = local.seen(row, column);
      for (std::size_t n = 0; n < entries.size(); ++n)
        if (entries[n] != 0 && !fixed(row, n) && !fixed(column, n)) {
          const auto place = static_cast<Index>(n);
          all.local.push_back({place + start_of(row), place + start_of(column), entries[n]});
        }
    }
  std::vector<Triplet> between;
  for (std::size_t t = 0; t < now->size(); ++t) (*now)[t].linearise_between(*now, about, b, parts, between);
  const auto free = [&](Index number) {
    const std::size_t u = arranged_.layout.block_of(number);
    return !fixed(u, static_cast<std::size_t>(number - start_of(u)));
  };
  for (const Triplet& entry : between)
    if (free(entry.row) && free(entry.column)) all.local.push_back(entry);
  all.blocks = std::move(matrices);
  system = std::move(all);
}

// a·Q', and room for what joins neighbours.
FaceSystem TermBalance::matrix_of_storage(std::size_t unknown, Real a, const State& about) const {
  const Grid& g = grid(unknown);
  const auto count = static_cast<std::size_t>(g.count());
  FaceSystem matrix;
  matrix.extent = {g.size(0), g.size(1), g.size(2)};
  matrix.diagonal.resize(count);
  each_line(domain(unknown), [&](std::size_t, Index line, Index, Index) {
    Real* diagonal = matrix.diagonal.data() + g.size(0) * line;
    unknowns_[unknown].storage->slope(line, about.data() + first_of(unknown, line), diagonal);
    for (Index i = 0; i < g.size(0); ++i) diagonal[i] *= a;
  });
  for (int axis = 0; axis < g.dimension(); ++axis) {
    matrix.periodic[axis] = g.axis(axis).periodic();
    for (auto* side : {&matrix.lower[axis], &matrix.upper[axis]}) side->assign(count, 0.0);
  }
  return matrix;
}

}  // namespace williwaw
