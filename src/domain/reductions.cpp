#include "williwaw/domain/reductions.hpp"

#include <cmath>

#include "domain/summing.hpp"
#include "williwaw/grid/expect.hpp"

namespace williwaw {

Real Reductions::sum(std::span<const Real> a) const {
  expect(static_cast<Index>(a.size()) == layout_->size(), "Reductions::sum: size of the state");
  return sum_over(*this, [&](Index n) { return a[static_cast<std::size_t>(n)]; });
}

Real Reductions::norm(std::span<const Real> a) const {
  expect(static_cast<Index>(a.size()) == layout_->size(), "Reductions::norm: size of the state");
  return std::sqrt(sum_over(*this, [&](Index n) {
    const Real v = a[static_cast<std::size_t>(n)];
    return v * v;
  }));
}

Real Reductions::largest_difference(std::span<const Real> a, std::span<const Real> b) const {
  expect(static_cast<Index>(a.size()) == layout_->size() && a.size() == b.size(),
         "Reductions::largest_difference: sizes of the states");
  Real most = 0;
  for (std::size_t n = 0; n < a.size(); ++n) most = std::max(most, std::abs(a[n] - b[n]));
  return most;
}

}  // namespace williwaw
