#include "plot/cut_outs.hpp"

#include <algorithm>
#include <cmath>
#include <functional>

namespace williwaw::plot {

namespace {

// A row or a column of pixels, seen from its start.
struct Line {
  bool upright;
  Real across;      ///< where it lies
  Real from, step;  ///< middle of its first pixel, and from one to the next
  Index pixels;
};

Line line_of(const Raster& raster, bool upright, Index number) {
  const Real dx = (raster.to_x - raster.from_x) / static_cast<Real>(raster.columns),
             dy = (raster.to_y - raster.from_y) / static_cast<Real>(raster.rows);
  const auto middle = [](Real from, Real step, Index n) {
    return from + (static_cast<Real>(n) + 0.5) * step;
  };
  if (upright)
    return {true, middle(raster.from_x, dx, number), middle(raster.from_y, dy, 0), dy, raster.rows};
  return {false, middle(raster.from_y, dy, number), middle(raster.from_x, dx, 0), dx, raster.columns};
}

// Which pixels of a line lie in a region, by its outline; empty where that does not cross the line.
std::vector<char> inside_along(const Line& line, const store::RegionOutline& outline) {
  struct Crossing {
    Real at;
    bool into;
  };
  std::vector<Crossing> crossings;
  const std::size_t along = line.upright ? 1 : 0, across = 1 - along;
  for (std::size_t n = 0; n + 3 < outline.pieces.size(); n += 4) {
    const Real c0 = outline.pieces[n + across], c1 = outline.pieces[n + 2 + across];
    if ((c0 <= line.across) == (c1 <= line.across)) continue;
    const Real a0 = outline.pieces[n + along], a1 = outline.pieces[n + 2 + along];
    // The region is to the left of a piece: who goes right meets it behind one that leads down, who goes up
    // behind one that leads to the right.
    crossings.push_back({a0 + (a1 - a0) * (line.across - c0) / (c1 - c0), line.upright ? c1 > c0 : c1 < c0});
  }
  std::vector<char> result;
  if (crossings.empty()) return result;
  std::ranges::sort(crossings, {}, &Crossing::at);
  bool inside = !crossings.front().into;
  auto next = crossings.begin();
  for (Index n = 0; n < line.pixels; ++n) {
    const Real at = line.from + static_cast<Real>(n) * line.step;
    for (; next != crossings.end() && next->at <= at; ++next) inside = next->into;
    result.push_back(inside ? 1 : 0);
  }
  return result;
}

// Which pixels lie in the domain. A row that an outline does not cross lies in or out of its region as a
// whole: columns tell. What neither crosses is not beside the outline.
std::vector<char> domain_of(const Raster& raster, const std::vector<store::RegionOutline>& outlines) {
  std::vector<char> domain(raster.values.size(), 1);
  for (const store::RegionOutline& outline : outlines) {
    std::vector<std::vector<char>> columns;
    for (Index c = 0; c < raster.columns; ++c)
      columns.push_back(inside_along(line_of(raster, true, c), outline));
    for (Index r = 0; r < raster.rows; ++r) {
      const std::vector<char> row = inside_along(line_of(raster, false, r), outline);
      for (Index c = 0; c < raster.columns; ++c) {
        const std::vector<char>& column = columns[static_cast<std::size_t>(c)];
        const bool inside = !row.empty()      ? row[static_cast<std::size_t>(c)] != 0
                            : !column.empty() ? column[static_cast<std::size_t>(r)] != 0
                                              : false;
        if (inside) domain[static_cast<std::size_t>(r * raster.columns + c)] = outline.active ? 1 : 0;
      }
    }
  }
  return domain;
}

}  // namespace

bool has_cut_outs(const RunFolder& run, const Plane& plane) {
  return plane.across < 0 && std::ranges::any_of(run.fields().description().outlines, std::logical_not(),
                                                 &store::RegionOutline::active);
}

void cut_at_outlines(Raster& raster, const RunFolder& run, const Plane& plane) {
  if (!has_cut_outs(run, plane)) return;
  // From a corner of a cell across it and half of the next one.
  const auto pixels = [&](Index along, int axis) {
    const Index size = run.fields().grid().axis(axis).size();
    return (3 * along + size) / (2 * size) + 1;
  };
  const Index reach = pixels(raster.columns, plane.right) + pixels(raster.rows, plane.up);
  const std::vector<char> domain = domain_of(raster, run.fields().description().outlines);
  std::vector<std::size_t> edge;
  for (std::size_t n = 0; n < domain.size(); ++n)
    if (!std::isnan(raster.values[n])) edge.push_back(n);
  const auto row = static_cast<std::size_t>(raster.columns);
  for (Index step = 0; step < reach; ++step) {
    std::vector<std::size_t> reached;
    for (const std::size_t n : edge) {
      const auto fill = [&](bool there, std::size_t other) {
        if (!there || !domain[other] || !std::isnan(raster.values[other])) return;
        raster.values[other] = raster.values[n];
        reached.push_back(other);
      };
      fill(n % row > 0, n - 1);
      fill(n % row + 1 < row, n + 1);
      fill(n >= row, n - row);
      fill(n + row < domain.size(), n + row);
    }
    edge = std::move(reached);
  }
  for (std::size_t n = 0; n < domain.size(); ++n)
    if (!domain[n]) raster.values[n] = std::nan("");
}

}  // namespace williwaw::plot
