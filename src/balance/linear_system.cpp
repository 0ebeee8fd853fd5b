#include "williwaw/balance/linear_system.hpp"

#include <algorithm>

namespace williwaw {

void FaceSystem::apply_mask() {
  if (prescribed.empty()) return;
  for (Index n = 0; n < size(); ++n) {
    if (!prescribed[n]) continue;
    diagonal[n] = 1;
    for (int a = 0; a < dimension(); ++a)
      for (const bool up : {false, true}) {
        (up ? upper : lower)[a][n] = 0;
        // And what the neighbour sees of it.
        if (const Index other = neighbour(n, a, up); other >= 0) (up ? lower : upper)[a][other] = 0;
      }
  }
}

std::vector<Triplet> FaceSystem::triplets() const {
  std::vector<Triplet> result;
  result.reserve(static_cast<std::size_t>(size() * (1 + 2 * dimension())));
  for (Index n = 0; n < size(); ++n) {
    result.push_back({n, n, diagonal[n]});
    for (int a = 0; a < dimension(); ++a)
      for (const bool up : {false, true}) {
        const Index other = neighbour(n, a, up);
        const Real value = (up ? upper : lower)[a][n];
        if (other >= 0 && value != 0) result.push_back({n, other, value});
      }
  }
  return result;
}

Index rows_of(const LinearSystem& system) {
  if (const auto* faces = std::get_if<FaceSystem>(&system)) return faces->size();
  if (const auto* sparse = std::get_if<SparseSystem>(&system)) return sparse->rows;
  Index rows = 0;
  for (const FaceSystem& block : std::get<BlockSystem>(system).blocks) rows += block.size();
  return rows;
}

std::vector<Triplet> triplets_of(const LinearSystem& system) {
  if (const auto* faces = std::get_if<FaceSystem>(&system)) return faces->triplets();
  if (const auto* sparse = std::get_if<SparseSystem>(&system)) return sparse->entries;
  const auto& several = std::get<BlockSystem>(system);
  std::vector<Triplet> result;
  Index first = 0;
  for (const FaceSystem& block : several.blocks) {
    for (const Triplet& t : block.triplets()) result.push_back({t.row + first, t.column + first, t.value});
    first += block.size();
  }
  result.insert(result.end(), several.local.begin(), several.local.end());
  return result;
}

std::vector<Real> diagonal_of(const LinearSystem& system) {
  if (const auto* faces = std::get_if<FaceSystem>(&system)) return faces->diagonal;
  std::vector<Real> result(static_cast<std::size_t>(rows_of(system)), 0.0);
  const auto add = [&](const std::vector<Triplet>& entries) {
    for (const Triplet& t : entries)
      if (t.row == t.column) result[static_cast<std::size_t>(t.row)] += t.value;
  };
  if (const auto* sparse = std::get_if<SparseSystem>(&system)) {
    add(sparse->entries);
    return result;
  }
  const auto& several = std::get<BlockSystem>(system);
  auto next = result.begin();
  for (const FaceSystem& block : several.blocks) next = std::ranges::copy(block.diagonal, next).out;
  add(several.local);
  return result;
}

}  // namespace williwaw
