// Means over control volumes, piece by piece.
#include "williwaw/terms/control_volumes.hpp"

#include <algorithm>

#include "grid/line_points.hpp"
#include "grid/threads.hpp"
#include "terms/diffusion/path.hpp"

namespace williwaw {

void evaluate_at_unknowns(const Grid& grid, const Function& function, Real time, std::span<Real> out) {
  const Index nx = grid.size(0);
  LinePoints places(grid);
  for (Index l = 0; l < grid.lines(); ++l)
    function.evaluate(places.at(l % grid.size(1), l / grid.size(1)), time,
                      out.subspan(static_cast<std::size_t>(nx * l), static_cast<std::size_t>(nx)));
}

namespace {

// All pieces along a line of x, and the unknown to which each belongs.
struct PiecesAlong {
  std::vector<Real> centres, widths;
  std::vector<Index> owner;

  explicit PiecesAlong(const Grid& grid) {
    for (Index i = 0; i < grid.size(0); ++i)
      for (const auto& piece : grid.axis(0).pieces(i)) {
        centres.push_back(piece.centre);
        widths.push_back(measure_across(grid, 0, piece));
        owner.push_back(i);
      }
  }
};

}  // namespace

void integrate_over_volumes(const Grid& grid, const Function& function, Real time, std::span<Real> out) {
  const Index nx = grid.size(0);
  const PiecesAlong along(grid);
  const std::size_t count = along.centres.size();
  const bool one_each = count == static_cast<std::size_t>(nx);
  struct Line {
    Points places;
    std::vector<Real> values;
  };
  const auto make = [&] {
    Line line{Points(static_cast<Index>(count)), std::vector<Real>(count)};
    line.places.coordinate(grid.direction(0)) = along.centres;
    // Wherever they are.
    if (function.is_constant()) function.evaluate(line.places, time, line.values);
    return line;
  };
  const auto integrate = [&](Line& line, Index l) {
    Real* row = out.data() + nx * l;
    std::fill(row, row + nx, 0.0);
    for (const auto& p : pieces_across(grid, 1, l % grid.size(1)))
      for (const auto& q : pieces_across(grid, 2, l / grid.size(1))) {
        if (grid.dimension() > 1) line.places.coordinate(grid.direction(1)).assign(count, p.centre);
        if (grid.dimension() > 2) line.places.coordinate(grid.direction(2)).assign(count, q.centre);
        if (!function.is_constant()) function.evaluate(line.places, time, line.values);
        const Real first = measure_across(grid, 1, p), second = measure_across(grid, 2, q);
        if (one_each)
          for (std::size_t s = 0; s < count; ++s) row[s] += line.values[s] * along.widths[s] * first * second;
        else
          for (std::size_t s = 0; s < count; ++s)
            row[along.owner[s]] += line.values[s] * along.widths[s] * first * second;
      }
  };
  on_all_threads(grid.lines(), threads_for(grid.count(), 0), make, integrate);
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
    if (const Real fraction = domain_->outline().untouched(n) ? 1 : domain_->outline().volume_fraction(n);
        fraction != 1) {
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
