// The flux along a boundary as a curve, at the end of a run.
#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <fstream>
#include <sstream>

#include "plot/kinds.hpp"

namespace williwaw::plot {

namespace {

struct Face {
  Point place;
  Real area, flux;
};

struct Boundaries {
  std::vector<std::string> names;  ///< of all boundaries
  std::vector<Face> faces;         ///< of the one asked for
  std::string flux_unit;
};

// A boundary of one unknown: "west" is that of the first one, "salt west" that of another.
struct OfUnknownThere {
  std::string unknown;  ///< empty: the first
  std::string boundary;
};
OfUnknownThere taken_apart(const RunFolder& run, const std::string& of) {
  for (const std::string& name : run.fields().unknowns())
    if (of.starts_with(name + " ")) return {name, of.substr(name.size() + 1)};
  return {"", of};
}

// boundaries.csv, or that of a further unknown: the boundary's name, coordinates, area, flux, value on it.
Boundaries read_boundaries(const RunFolder& run, const OfUnknownThere& of) {
  const std::string& wanted = of.boundary;
  const bool first = of.unknown.empty() || of.unknown == run.fields().unknowns().front();
  const auto file = run.folder() / (first ? "boundaries.csv" : "boundaries-" + of.unknown + ".csv");
  std::ifstream in(file);
  std::string line;
  if (!in || !std::getline(in, line))
    throw PlotError(file.string() + ": cannot be read; the run has no table of boundaries");
  const int dimension = run.fields().grid().dimension();
  Boundaries boundaries;
  if (const auto at = line.find("flux ["); at != std::string::npos)
    boundaries.flux_unit = line.substr(at + 6, line.find(']', at) - at - 6);
  while (std::getline(in, line)) {
    std::stringstream cells(line);
    std::string cell;
    std::getline(cells, cell, ',');
    if (boundaries.names.empty() || boundaries.names.back() != cell) boundaries.names.push_back(cell);
    if (cell != wanted) continue;
    Face face;
    for (int a = 0; a < dimension; ++a) {
      std::getline(cells, cell, ',');
      face.place[run.fields().grid().direction(a)] = std::stod(cell);
    }
    std::getline(cells, cell, ',');
    face.area = std::stod(cell);
    std::getline(cells, cell, ',');
    face.flux = std::stod(cell);
    boundaries.faces.push_back(face);
  }
  return boundaries;
}

// Straight boundaries by position; others in order around their middle, by the way from face to face.
std::string sort_along(const Grid& g, std::vector<Face>& faces, std::vector<Real>& position) {
  std::array<std::pair<Real, Real>, 3> reach;
  reach.fill({INFINITY, -INFINITY});
  Point middle;
  for (const Face& f : faces)
    for (int a = 0; a < g.dimension(); ++a) {
      const Real p = f.place[g.direction(a)];
      reach[a] = {std::min(reach[a].first, p), std::max(reach[a].second, p)};
      middle[g.direction(a)] += p / static_cast<Real>(faces.size());
    }
  int straight = -1, extended = 0;
  for (int a = 0; a < g.dimension(); ++a)
    if (reach[a].second - reach[a].first > 1e-9 * g.axis(a).length()) {
      ++extended;
      straight = a;
    }
  if (extended <= 1) {
    const int direction = g.direction(std::max(straight, 0));
    std::ranges::sort(faces, {}, [direction](const Face& f) { return f.place[direction]; });
    for (const Face& f : faces) position.push_back(f.place[direction]);
    return g.axis(std::max(straight, 0)).name();
  }
  const int sx = g.direction(0), sy = g.direction(1);
  std::ranges::sort(faces, {}, [&](const Face& f) {
    return std::atan2(f.place[sy] - middle[sy], f.place[sx] - middle[sx]);
  });
  // Start where the widest gap is, so that an open boundary is not cut in two.
  const auto step = [&](std::size_t n) {
    const Point &a = faces[n].place, &b = faces[(n + 1) % faces.size()].place;
    return std::hypot(b[sx] - a[sx], b[sy] - a[sy]);
  };
  std::size_t widest = 0;
  for (std::size_t n = 0; n < faces.size(); ++n)
    if (step(n) > step(widest)) widest = n;
  std::rotate(faces.begin(), faces.begin() + static_cast<Index>((widest + 1) % faces.size()), faces.end());
  Real way = 0;
  for (std::size_t n = 0; n < faces.size(); ++n) {
    position.push_back(way);
    if (n + 1 < faces.size()) way += step(n);
  }
  return "distance along the boundary";
}

std::string boundary_lacks(const FigureSource& source, const FigureRequest& request) {
  if (source.dimension != 2)
    return "the flux along a boundary is a curve in 2-D only; boundaries.csv has the numbers";
  return request.of.empty() ? "the boundary is not named: of = \"top\", or --of top" : "";
}

void draw_boundary_of_run(const RunFolder& run, const FigureRequest& request, const Output& out) {
  const Grid& g = run.fields().grid();
  const OfUnknownThere of = taken_apart(run, request.of);
  Boundaries boundaries = read_boundaries(run, of);
  if (boundaries.faces.empty()) {
    std::string known;
    for (const auto& n : boundaries.names) known += (known.empty() ? "" : ", ") + n;
    throw PlotError("there is no boundary called '" + request.of + "'; there are " + known);
  }
  std::vector<Real> position, numbers;
  const std::string along = sort_along(g, boundaries.faces, position);
  std::pair<Real, Real> range{0, 0};
  Real flow = 0;
  for (std::size_t n = 0; n < position.size(); ++n) {
    numbers.insert(numbers.end(), {position[n], boundaries.faces[n].flux});
    range = {std::min(range.first, boundaries.faces[n].flux),
             std::max(range.second, boundaries.faces[n].flux)};
    flow += boundaries.faces[n].flux * boundaries.faces[n].area;
  }
  const Real length = run.fields().description().length.factor;
  const auto& lines = run.series().lines();
  const auto line = std::ranges::find_if(
      lines, [&](const auto& l) { return of.unknown.empty() || l.name.starts_with(of.unknown + " "); });
  const std::string unit = line == lines.end() ? "" : run.series().column(line->flow).unit;
  Gnuplot plot(out);
  plot.line("set title " +
            quoted(title_at(run, request, static_cast<Index>(run.fields().times().size()) - 1) +
                   fmt::format(": {} lets {} {:.4g}{}", request.of, flow < 0 ? "out" : "in",
                               std::abs(flow) / std::pow(length, g.volume_dimension() - 1),
                               unit.empty() ? "" : " " + pretty_unit(unit))));
  plot.line("set xlabel " + quoted(label(along, run.fields().description().length.unit)));
  plot.line("set ylabel " + quoted(label("flux into the domain", boundaries.flux_unit)));
  range = padded(request.range ? *request.range : range);
  plot.line(fmt::format("set xrange [{}:{}]; set yrange [{}:{}]; set key off", position.front(),
                        position.back() > position.front() ? position.back() : position.front() + 1,
                        range.first, range.second));
  plot.line(
      fmt::format("set arrow from graph 0, first 0 to graph 1, first 0 nohead lc rgb '{}' lw 1", faint));
  plot.line(
      fmt::format("plot '-' binary record=({}) format='%double%double' using 1:2 with {} lw 2.5 pt 7 "
                  "ps 0.5 lc rgb '{}'",
                  position.size(), position.size() <= 60 ? "linespoints" : "lines", accent().hex()));
  plot.data(numbers);
  plot.finish();
}

}  // namespace

FigureKind figures::boundary() {
  return {.name = "boundary", .draw = draw_boundary_of_run, .lacks = boundary_lacks, .of = Shown::boundary};
}

}  // namespace williwaw::plot
