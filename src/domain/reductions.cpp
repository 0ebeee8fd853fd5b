#include "williwaw/domain/reductions.hpp"

#include <cmath>
#include <limits>

#include "domain/summing.hpp"
#include "williwaw/grid/expect.hpp"

namespace williwaw {

Index Reductions::count() const {
  Index count = 0;
  for (std::size_t b = 0; b < layout_->blocks().size(); ++b) {
    const Box* const box = layout_->blocks()[b].box.get();
    count += box ? box->whole_count() : layout_->start(b + 1) - layout_->start(b);
  }
  return count;
}

bool Reductions::shared() const {
  return !layout_->blocks().empty() && layout_->blocks().front().box;
}

Real Reductions::highest(Real own) const {
  for (const Block& block : layout_->blocks())
    if (block.box) return block.box->communicator().highest(own);
  return own;
}

Real Reductions::of_first(Real own) const {
  if (shared()) layout_->blocks().front().box->communicator().broadcast({&own, 1});
  return own;
}

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

namespace {

// Largest size(n) of all own values of this rank.
template <class Size>
Real largest_of(const Layout& layout, const Size& size) {
  Real most = 0;
  for (std::size_t b = 0; b < layout.blocks().size(); ++b) {
    const Box* const box = layout.blocks()[b].box.get();
    for (Index n = layout.start(b); n < layout.start(b + 1); ++n)
      if (!box || box->owns(n - layout.start(b)))
        if (const Real one = size(static_cast<std::size_t>(n)); !(one <= most))
          most = std::isnan(one) ? std::numeric_limits<Real>::infinity() : one;
  }
  return most;
}

}  // namespace

Real Reductions::largest(std::span<const Real> a) const {
  expect(static_cast<Index>(a.size()) == layout_->size(), "Reductions::largest: size of the state");
  return highest(largest_of(*layout_, [&](std::size_t n) { return std::abs(a[n]); }));
}

Real Reductions::largest_difference(std::span<const Real> a, std::span<const Real> b) const {
  expect(static_cast<Index>(a.size()) == layout_->size() && a.size() == b.size(),
         "Reductions::largest_difference: sizes of the states");
  return highest(largest_of(*layout_, [&](std::size_t n) { return std::abs(a[n] - b[n]); }));
}

}  // namespace williwaw
