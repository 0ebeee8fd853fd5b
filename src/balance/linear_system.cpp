#include "williwaw/balance/linear_system.hpp"

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
  return std::get<SparseSystem>(system).rows;
}

std::vector<Triplet> triplets_of(const LinearSystem& system) {
  if (const auto* faces = std::get_if<FaceSystem>(&system)) return faces->triplets();
  return std::get<SparseSystem>(system).entries;
}

}  // namespace williwaw
