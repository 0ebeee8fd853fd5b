#include "williwaw/domain/reductions.hpp"

#include <cmath>

#include "domain/summing.hpp"
#include "williwaw/grid/expect.hpp"

namespace williwaw {

Real Reductions::sum(std::span<const Real> a) const {
  expect(static_cast<Index>(a.size()) == layout_->size(), "Reductions::sum: size of the state");
  return sum_over(*this, [&](Index n) { return a[static_cast<std::size_t>(n)]; });
}

Real Reductions::dot(std::span<const Real> a, std::span<const Real> b) const {
  expect(static_cast<Index>(a.size()) == layout_->size() && a.size() == b.size(),
         "Reductions::dot: sizes of the states");
  return sum_over(*this,
                  [&](Index n) { return a[static_cast<std::size_t>(n)] * b[static_cast<std::size_t>(n)]; });
}

Real Reductions::norm(std::span<const Real> a) const {
  return std::sqrt(dot(a, a));
}

Real Reductions::largest(std::span<const Real> a) const {
  expect(static_cast<Index>(a.size()) == layout_->size(), "Reductions::largest: size of the state");
  Real most = 0;
  for (const Real value : a) most = std::max(most, std::abs(value));
  return most;
}

Real Reductions::largest_difference(std::span<const Real> a, std::span<const Real> b) const {
  expect(static_cast<Index>(a.size()) == layout_->size() && a.size() == b.size(),
         "Reductions::largest_difference: sizes of the states");
  Real most = 0;
  for (std::size_t n = 0; n < a.size(); ++n) most = std::max(most, std::abs(a[n] - b[n]));
  return most;
}

}  // namespace williwaw
