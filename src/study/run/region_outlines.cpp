#include "region_outlines.hpp"

#include <algorithm>
#include <cmath>
#include <optional>
#include <utility>

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

struct Corner {
  Index column, row;
};

// A straight part of the outline, with the region to the left.
struct Piece {
  Point from, to;
  std::optional<Point> corner = {};  ///< where it turns, if it does
};

// How far to the left of a piece a place lies, times the length of the piece.
Real left_of(const RasterOfPlan& raster, const Piece& piece, const Point& p) {
  const int x = raster.grid.direction(0), y = raster.grid.direction(1);
  return (piece.to[x] - piece.from[x]) * (p[y] - piece.from[y]) -
         (piece.to[y] - piece.from[y]) * (p[x] - piece.from[x]);
}

// Between an edge along x and an upright one there may be a corner of an outline along the axes.
Piece piece_between(const RasterOfPlan& raster, const Crossing& first, const Crossing& second) {
  const auto end = [&](const Crossing& c) { return c.at(raster, 0.5 * (c.low + c.high)); };
  Piece piece{end(first), end(second)};
  if (first.upright != second.upright) {
    const int x = raster.grid.direction(0);
    Point corner = first.upright ? piece.from : piece.to;
    corner[x] = (first.upright ? piece.to : piece.from)[x];
    piece.corner = corner;
  }
  return piece;
}

// Between the middle of a piece and a corner lies what is on the other side of the piece; beyond a smooth
// outline it does not.
void keep_true_corners(const Region& region, const RasterOfPlan& raster, std::vector<Piece>& pieces) {
  constexpr Real beside = 0.1;  // from the corner towards the middle
  Points places(static_cast<Index>(pieces.size()));
  for (std::size_t n = 0; n < pieces.size(); ++n) {
    const Piece& piece = pieces[n];
    Point at = piece.from;
    for (const int axis : {0, 1}) {
      const int d = raster.grid.direction(axis);
      const Real middle = 0.5 * (piece.from[d] + piece.to[d]);
      at[d] = piece.corner ? (*piece.corner)[d] + beside * (middle - (*piece.corner)[d]) : middle;
    }
    places.set(static_cast<Index>(n), at);
  }
  std::vector<char> in(pieces.size());
  region.where(places, in);
  for (std::size_t n = 0; n < pieces.size(); ++n)
    if (pieces[n].corner && (left_of(raster, pieces[n], *pieces[n].corner) > 0) == (in[n] != 0))
      pieces[n].corner.reset();
}

// x and y of one end and of the other.
std::vector<Real> joined(const RasterOfPlan& raster, const std::vector<Piece>& pieces) {
  std::vector<Real> result;
  const auto add = [&](const Point& p) {
    for (const int axis : {0, 1}) result.push_back(p[raster.grid.direction(axis)]);
  };
  for (const Piece& piece : pieces) {
    add(piece.from);
    if (piece.corner)
      for (int end = 0; end < 2; ++end) add(*piece.corner);
    add(piece.to);
  }
  return result;
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
  std::vector<Piece> pieces;
  for (Index r = 0; r + 1 < raster.rows; ++r)
    for (Index c = 0; c + 1 < raster.columns; ++c) {
      const Index n = r * raster.columns + c;
      std::vector<const Crossing*> met;
      for (const Index edge : {along[n], upwards[n + 1], along[n + raster.columns], upwards[n]})
        if (edge >= 0) met.push_back(&crossings[static_cast<std::size_t>(edge)]);
      for (std::size_t e = 0; e + 1 < met.size(); e += 2) {
        // Of two pieces in one square the first cuts off the lower right corner, the second the upper left
        // one; a single one has the corner that is farthest from it on one side.
        std::vector<Corner> candidates{{c, r}, {c, r + 1}, {c + 1, r + 1}, {c + 1, r}};
        if (met.size() > 2) candidates = {e == 0 ? Corner{c + 1, r} : Corner{c, r + 1}};
        Piece piece = piece_between(raster, *met[e], *met[e + 1]);
        const auto distance = [&](const Corner& at) {
          return left_of(raster, piece,
                         raster.place(static_cast<Real>(at.column), static_cast<Real>(at.row)));
        };
        const Corner farthest = *std::ranges::max_element(
            candidates, {}, [&](const Corner& at) { return std::abs(distance(at)); });
        if ((distance(farthest) > 0) != inside_at(farthest.column, farthest.row))
          std::swap(piece.from, piece.to);
        pieces.push_back(piece);
      }
    }
  keep_true_corners(region, raster, pieces);
  return joined(raster, pieces);
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
