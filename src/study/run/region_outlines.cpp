#include "region_outlines.hpp"

#include <cmath>

namespace williwaw::study {

namespace {

constexpr Index squares_along_longest = 400;
constexpr int halvings = 14;

// Corners of squares, row by row from below, and the plane that they lie in.
struct RasterOfPlan {
  const Grid& grid;
  Index columns, rows;  ///< of corners
  Real width, height;   ///< of a square

  explicit RasterOfPlan(const Grid& g) : grid(g) {
    const Real longest = std::max(g.axis(0).length(), g.axis(1).length());
    const auto corners = [&](const Axis& axis) {
      return 1 + std::max<Index>(1, std::llround(squares_along_longest * axis.length() / longest));
    };
    columns = corners(g.axis(0));
    rows = corners(g.axis(1));
    width = g.axis(0).length() / static_cast<Real>(columns - 1);
    height = g.axis(1).length() / static_cast<Real>(rows - 1);
  }
  Point place(Real column, Real row) const {
    Point p;
    p[grid.direction(0)] = grid.axis(0).from() + column * width;
    p[grid.direction(1)] = grid.axis(1).from() + row * height;
    return p;
  }
};

// An edge between two corners of which one is inside, and how far along it the outline lies.
struct Crossing {
  Real column, row;      ///< of the corner that it starts from
  bool upright, inside;  ///< that corner is
  Real low = 0, high = 1;

  Point at(const RasterOfPlan& raster, Real part) const {
    return raster.place(column + (upright ? 0 : part), row + (upright ? part : 0));
  }
};

void find_by_halving(const Region& region, const RasterOfPlan& raster, std::vector<Crossing>& crossings) {
  Points places(static_cast<Index>(crossings.size()));
  std::vector<char> in(crossings.size());
  for (int n = 0; n < halvings; ++n) {
    for (std::size_t c = 0; c < crossings.size(); ++c)
      places.set(static_cast<Index>(c),
                 crossings[c].at(raster, 0.5 * (crossings[c].low + crossings[c].high)));
    region.where(places, in);
    for (std::size_t c = 0; c < crossings.size(); ++c) {
      Crossing& crossing = crossings[c];
      ((in[c] != 0) == crossing.inside ? crossing.low : crossing.high) = 0.5 * (crossing.low + crossing.high);
    }
  }
}

std::vector<Real> pieces_of(const Region& region, const RasterOfPlan& raster) {
  Points corners(raster.columns * raster.rows);
  for (Index r = 0; r < raster.rows; ++r)
    for (Index c = 0; c < raster.columns; ++c)
      corners.set(r * raster.columns + c, raster.place(static_cast<Real>(c), static_cast<Real>(r)));
  std::vector<char> in(static_cast<std::size_t>(corners.size()));
  region.where(corners, in);
  const auto inside_at = [&](Index c, Index r) { return in[r * raster.columns + c] != 0; };
  // Edges that are crossed, by the corner that they start from; -1 where none is.
  std::vector<Crossing> crossings;
  std::vector<Index> along(in.size(), -1), upwards(in.size(), -1);
  for (Index r = 0; r < raster.rows; ++r)
    for (Index c = 0; c < raster.columns; ++c)
      for (const bool upright : {false, true}) {
        const Index c1 = c + (upright ? 0 : 1), r1 = r + (upright ? 1 : 0);
        if (c1 == raster.columns || r1 == raster.rows || inside_at(c, r) == inside_at(c1, r1)) continue;
        (upright ? upwards : along)[r * raster.columns + c] = static_cast<Index>(crossings.size());
        crossings.push_back({static_cast<Real>(c), static_cast<Real>(r), upright, inside_at(c, r)});
      }
  if (crossings.empty()) return {};
  find_by_halving(region, raster, crossings);
  std::vector<Real> pieces;
  for (Index r = 0; r + 1 < raster.rows; ++r)
    for (Index c = 0; c + 1 < raster.columns; ++c) {
      const Index n = r * raster.columns + c;
      std::vector<Point> ends;
      for (const Index edge : {along[n], upwards[n + 1], along[n + raster.columns], upwards[n]})
        if (edge >= 0) {
          const Crossing& crossing = crossings[static_cast<std::size_t>(edge)];
          ends.push_back(crossing.at(raster, 0.5 * (crossing.low + crossing.high)));
        }
      for (std::size_t e = 0; e + 1 < ends.size(); e += 2)
        for (const Point& p : {ends[e], ends[e + 1]})
          for (const int axis : {0, 1}) pieces.push_back(p[raster.grid.direction(axis)]);
    }
  return pieces;
}

}  // namespace

std::vector<store::RegionOutline> region_outlines(const casefile::Case& given) {
  std::vector<store::RegionOutline> result;
  const Grid& grid = given.grid();
  const Regions& regions = given.problem.regions();
  if (grid.dimension() != 2) return result;
  const RasterOfPlan raster(grid);
  for (Index n = 0; n < regions.size(); ++n)
    if (auto pieces = pieces_of(regions[n], raster); !pieces.empty())
      result.push_back({regions[n].name, regions[n].active, std::move(pieces)});
  return result;
}

}  // namespace williwaw::study
