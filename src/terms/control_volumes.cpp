// Means over control volumes, piece by piece.
#include "williwaw/terms/control_volumes.hpp"

#include <algorithm>

namespace williwaw {

void evaluate_at_unknowns(const Grid& grid, const Function& function, Real time, std::span<Real> out) {
  const Index nx = grid.size(0);
  Points line(nx);
  for (Index k = 0; k < grid.size(2); ++k)
    for (Index j = 0; j < grid.size(1); ++j) {
      for (Index i = 0; i < nx; ++i) line.set(i, grid.point(i, j, k));
      function.evaluate(
          line, time,
          out.subspan(static_cast<std::size_t>(grid.number(0, j, k)), static_cast<std::size_t>(nx)));
    }
}

void integrate_over_volumes(const Grid& grid, const Function& function, Real time, std::span<Real> out) {
  const Index nx = grid.size(0);
  // All pieces along a line of x, and the unknown to which each belongs.
  std::vector<Real> centres, widths;
  std::vector<Index> owner;
  for (Index i = 0; i < nx; ++i)
    for (const auto& piece : grid.axis(0).pieces(i)) {
      centres.push_back(piece.centre);
      widths.push_back(
          grid.axis(0).measure(piece.centre - 0.5 * piece.width, piece.centre + 0.5 * piece.width));
      owner.push_back(i);
    }
  const auto across = [&](int a, Index i) {
    return a < grid.dimension() ? grid.axis(a).pieces(i) : std::vector<Axis::Piece>{{0, 1}};
  };
  const auto measure = [&](int a, const Axis::Piece& p) {
    return a < grid.dimension() ? grid.axis(a).measure(p.centre - 0.5 * p.width, p.centre + 0.5 * p.width)
                                : 1.0;
  };
  Points places(static_cast<Index>(centres.size()));
  places.coordinate(grid.direction(0)) = centres;
  std::vector<Real> values(centres.size());
  for (Index k = 0; k < grid.size(2); ++k)
    for (Index j = 0; j < grid.size(1); ++j) {
      Real* row = out.data() + grid.number(0, j, k);
      std::fill(row, row + nx, 0.0);
      for (const auto& p : across(1, j))
        for (const auto& q : across(2, k)) {
          if (grid.dimension() > 1) places.coordinate(grid.direction(1)).assign(centres.size(), p.centre);
          if (grid.dimension() > 2) places.coordinate(grid.direction(2)).assign(centres.size(), q.centre);
          function.evaluate(places, time, values);
          for (std::size_t s = 0; s < centres.size(); ++s)
            row[owner[s]] += values[s] * widths[s] * measure(1, p) * measure(2, q);
        }
    }
}

ControlVolumes::ControlVolumes(const Problem& problem, std::shared_ptr<const Domain> domain)
    : domain_(std::move(domain)), regions_(problem.shared_regions()), storage_(problem.equation().storage) {}

std::vector<Real> ControlVolumes::volumes() const {
  if (domain_->outline().whole()) return {};
  std::vector<Real> result(static_cast<std::size_t>(domain_->grid().count()));
  integrate(Function(1.0), 0, result);
  return result;
}

const RegionFractions& ControlVolumes::region_fractions() const {
  // Only a density that differs by region asks for them.
  std::call_once(asked_,
                 [this] { fractions_ = std::make_unique<RegionFractions>(domain_->grid(), *regions_); });
  return *fractions_;
}

void ControlVolumes::integrate(const Function& density, Real time, std::span<Real> out) const {
  integrate_over_volumes(domain_->grid(), density, time, out);
  if (density.regions()) {
    const auto& mixed = region_fractions().mixed();
    for (const auto& part : mixed) out[part.unknown] = 0;
    for (const auto& part : mixed)
      out[part.unknown] +=
          part.volume * density.part(part.label)(domain_->grid().point_of(part.unknown), time);
  }
  if (domain_->outline().whole()) return;
  for (Index n = 0; n < domain_->grid().count(); ++n)
    if (const Real fraction = domain_->outline().volume_fraction(n); fraction != 1) {
      // Regions' parts count only what is kept already.
      const bool counted = density.regions() && std::ranges::binary_search(region_fractions().mixed(), n, {},
                                                                           &RegionFractions::Part::unknown);
      out[n] *= fraction == 0 ? 0 : counted ? 1 : fraction;
    }
}

void ControlVolumes::average_by_region(const Function& function, Real time, std::span<Real> out) const {
  if (!function.regions() || !regions_ || regions_->empty()) return;
  Real stored = 0, prescribed = 0;
  const auto& mixed = region_fractions().mixed();
  for (std::size_t m = 0; m < mixed.size(); ++m) {
    const auto& part = mixed[m];
    const Point place = domain_->grid().point_of(part.unknown);
    const Function& stored_there = storage_.part(part.label);
    const Real storage = part.volume * (stored_there.depends_on_unknown() ? 1.0 : stored_there(place, time));
    prescribed += storage;
    stored += storage * function.part(part.label)(place, time);
    if (m + 1 < mixed.size() && mixed[m + 1].unknown == part.unknown) continue;
    if (prescribed > 0) out[part.unknown] = stored / prescribed;
    stored = prescribed = 0;
  }
}

}  // namespace williwaw
