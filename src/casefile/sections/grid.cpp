#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <numeric>

#include "casefile/sections/sections.hpp"
#include "williwaw/casefile/readable.hpp"

namespace williwaw::casefile {

namespace {

const Expected a_length() {
  return {Unit::of("m"), false, "a length"};
}

// Intervals along an axis: said outright, as a number of nodes, or by their length.
Index intervals_of(const Context& context, const Section& axis, Real length) {
  const int given = axis.has("cells") + axis.has("nodes") + axis.has("spacing");
  if (given != 1)
    throw CaseError(axis.node().place.text(), axis.path(), "give one of cells, nodes or spacing");
  if (axis.has("cells")) return axis.whole("cells", 1);
  if (axis.has("nodes")) return axis.whole("nodes", 2) - 1;
  const Real spacing = read_number(context, *axis.find("spacing"), axis.key_path("spacing"), a_length());
  if (!(spacing > 0)) axis.fail("spacing", "must be above zero");
  const Real exact = length / spacing;
  const Index count = std::llround(exact);
  if (count < 1 || std::abs(exact - static_cast<Real>(count)) > 1e-6 * exact)
    axis.fail(
        "spacing",
        fmt::format("does not divide the length: {:.6g} intervals; {} intervals would be {:.6g}{} long",
                    exact, std::max<Index>(1, count), length / static_cast<Real>(std::max<Index>(1, count)),
                    context.dimensional ? " m" : ""));
  return count;
}

// Marks of an axis whose intervals each are `growth` times the one before.
std::vector<Real> growing(Real from, Real to, Index intervals, Real growth) {
  std::vector<Real> faces{from};
  Real size = 1, whole = 0;
  for (Index i = 0; i < intervals; ++i, size *= growth) whole += size;
  size = (to - from) / whole;
  for (Index i = 0; i < intervals; ++i, size *= growth) faces.push_back(faces.back() + size);
  faces.back() = to;
  return faces;
}

std::vector<Real> given_faces(const Context& context, const Section& axis) {
  for (const char* other : {"from", "to", "cells", "nodes", "spacing", "growth"})
    if (axis.has(other)) axis.fail(other, "not with faces; remove one of them");
  const Node& list = *axis.find("faces");
  if (!list.is_array() || list.array().size() < 2)
    axis.fail("faces", "a list of two positions or more is needed here, [..]");
  std::vector<Real> faces;
  for (const auto& item : list.array())
    faces.push_back(read_number(context, item, axis.key_path("faces"), a_length()));
  return faces;
}

constexpr Index most_intervals = 1'000'000'000;

// From where to where an axis reaches, and into how many intervals.
struct Extent {
  Real from, to;
  Index intervals;
  Real growth;
};

Extent read_extent(const Context& context, const Section& axis) {
  const Real from =
      read_number(context, axis.need("from", "where the axis starts"), axis.key_path("from"), a_length());
  const Real to =
      read_number(context, axis.need("to", "where the axis ends"), axis.key_path("to"), a_length());
  if (!(to > from)) axis.fail("to", "must lie above 'from'");
  const Refinement& r = context.refinement;
  Index intervals = intervals_of(context, axis, to - from);
  if (intervals > most_intervals)
    axis.fail(axis.has("nodes")   ? "nodes"
              : axis.has("cells") ? "cells"
                                  : "spacing",
              fmt::format("{} intervals along one axis are more than this program takes ({})", intervals,
                          most_intervals));
  // Odd numbers lose a little more than the half.
  intervals = std::max<Index>(1, intervals * r.grid / r.coarsen);
  if (!axis.has("growth")) return {from, to, intervals, 1};
  if (axis.has("spacing")) axis.fail("growth", "needs cells or nodes, not spacing");
  const Real growth =
      read_number(context, *axis.find("growth"), axis.key_path("growth"), {Unit(), false, "a plain number"});
  if (!(growth >= 0.5 && growth <= 2)) axis.fail("growth", "must lie between 0.5 and 2");
  // The same growth over the same length, by more or fewer intervals.
  return {from, to, intervals, std::pow(growth, static_cast<Real>(r.coarsen) / static_cast<Real>(r.grid))};
}

// Every interval in `refinement.grid` equal parts, or so many joined.
std::vector<Real> refined(const std::vector<Real>& faces, const Refinement& refinement, const Section& axis) {
  std::vector<Real> finer{faces.front()};
  const auto parts = static_cast<std::size_t>(refinement.grid),
             join = static_cast<std::size_t>(refinement.coarsen);
  if ((faces.size() - 1) % join != 0)
    axis.fail("faces", fmt::format("{} intervals cannot be joined by {}", faces.size() - 1, join));
  for (std::size_t i = join; i < faces.size(); i += join)
    for (std::size_t p = 1; p <= parts; ++p)
      finer.push_back(p == parts ? faces[i]
                                 : faces[i - join] + (faces[i] - faces[i - join]) * static_cast<Real>(p) /
                                                         static_cast<Real>(parts));
  return finer;
}

std::vector<Real> faces_along(const Context& context, const Section& axis) {
  if (axis.has("faces")) return refined(given_faces(context, axis), context.refinement, axis);
  const Extent e = read_extent(context, axis);
  if (e.growth != 1) return growing(e.from, e.to, e.intervals, e.growth);
  const Axis even = Axis::uniform("x", e.from, e.to, e.intervals, Unknowns::cells);
  return {even.faces().begin(), even.faces().end()};
}

Axis read_axis(const Context& context, const Section& axis, const std::string& name, Unknowns unknowns,
               bool periodic, Coordinates coordinates) {
  if (name == "r") return Axis::radial(coordinates, faces_along(context, axis), unknowns);
  if (axis.has("faces")) return {name, faces_along(context, axis), unknowns, periodic};
  const Extent e = read_extent(context, axis);
  if (e.growth == 1) return Axis::uniform(name, e.from, e.to, e.intervals, unknowns, periodic);
  return {name, growing(e.from, e.to, e.intervals, e.growth), unknowns, periodic};
}

// A side is periodic when [boundary] says so; the grid must know before boundaries are read.
bool says_periodic(const Node* boundary, const std::string& side) {
  if (!boundary) return false;
  const Node* given = boundary->find(side);
  if (!given) given = boundary->find("default");
  return given && given->is_text() && given->text() == "periodic";
}

}  // namespace

std::vector<Real> sizes_of_grid(const Tree& tree) try {
  std::vector<Real> sizes;
  const Node* node = tree.root.find("grid");
  if (!node) return {};
  Context context = tree.context;
  read_constants(tree.root, context);
  const Section grid(context, *node, "grid");
  const bool nodes = grid.word("unknowns", "cells") == "nodes";
  for (const char* name : {"x", "y", "z", "r"})
    if (const Node* given = grid.find(name)) {
      const Section axis(context, *given, "grid." + std::string(name));
      const Refinement& r = context.refinement;
      const Index intervals =
          axis.has("faces") ? (static_cast<Index>(given_faces(context, axis).size()) - 1) * r.grid / r.coarsen
                            : read_extent(context, axis).intervals;
      sizes.push_back(static_cast<Real>(intervals + (nodes ? 1 : 0)));
    }
  return sizes;
} catch (const InputError&) {
  return {};
}

Real unknowns_of(std::span<const Real> sizes) {
  return sizes.empty() ? 0 : std::accumulate(sizes.begin(), sizes.end(), 1.0, std::multiplies<>());
}

bool has_unknowns_at_faces(const Node& root) {
  const Node* grid = root.find("grid");
  const Node* where = grid && grid->is_table() ? grid->find("unknowns") : nullptr;
  return where && where->is_text() && where->text() == "faces";
}

Grid read_grid(const Context& context, const Node& root) {
  const Node* node = root.find("grid");
  if (!node) throw CaseError(context.file, "grid", "missing; a case needs a [grid]");
  const Section grid(context, *node, "grid");
  grid.allow({"coordinates", "unknowns", "x", "y", "z", "r"}, {});
  const std::string form =
      grid.choice("coordinates", "cartesian", {"cartesian", "cylindrical", "spherical"}, {});
  const Coordinates coordinates = form == "cylindrical" ? Coordinates::cylindrical
                                  : form == "spherical" ? Coordinates::spherical
                                                        : Coordinates::cartesian;
  const bool round = coordinates != Coordinates::cartesian;
  for (const char* name : {"x", "y", "z", "r"})
    if (grid.has(name) &&
        (round ? std::string(name) != "r" && !(form == "cylindrical" && std::string(name) == "z")
               : std::string(name) == "r"))
      grid.fail(name, form + " coordinates have no such axis; they have " +
                          (form == "cylindrical" ? "r and z"
                           : round               ? "r"
                                                 : "x, y and z"));
  const auto where = grid.choice("unknowns", "cells", {"cells", "nodes", "faces"}, {});
  if (where == "faces" && round) grid.fail("unknowns", "at faces they go with axes x, y and z");
  const Unknowns unknowns = where == "nodes" ? Unknowns::nodes : Unknowns::cells;
  const std::map<std::string, std::pair<std::string, std::string>> ends{{"x", {"west", "east"}},
                                                                        {"y", {"south", "north"}},
                                                                        {"z", {"bottom", "top"}},
                                                                        {"r", {"inner", "outer"}}};
  // r stands before z, as x does.
  const Words order = round ? Words{"r", "z"} : Words{"x", "y", "z"};
  const Node* boundary = root.find("boundary");
  std::vector<Axis> axes;
  for (const auto& name : order) {
    const auto& sides = ends.at(name);
    const Node* given = grid.find(name);
    if (!given) continue;
    const Section axis(context, *given, "grid." + name);
    axis.allow({"from", "to", "cells", "nodes", "spacing", "faces", "growth"}, {});
    if (name == "r" && (says_periodic(boundary, "inner") || says_periodic(boundary, "outer")))
      throw CaseError(boundary->place.text(), "boundary", "the distance from a centre cannot be periodic");
    const bool low = says_periodic(boundary, sides.first), high = says_periodic(boundary, sides.second);
    if (low != high) {
      const std::string &is = low ? sides.first : sides.second, &is_not = low ? sides.second : sides.first;
      const Node* own = boundary->find(is);
      throw CaseError(
          (own ? own : boundary->find("default"))->place.text(), own ? "boundary." + is : "boundary.default",
          own ? "is periodic, but '" + is_not + "', the other end of " + name + ", is not; say so of both"
              : "makes '" + is + "' periodic, but '" + is_not + "', the other end of " + name +
                    ", has a condition of its own; give one to '" + is +
                    "' too, or leave both to the default");
    }
    try {
      axes.push_back(read_axis(context, axis, name, unknowns, low, coordinates));
    } catch (const CaseError&) {
      throw;
    } catch (const InputError& e) {
      throw CaseError(given->place.text(), axis.path(), e.what());
    }
  }
  if (axes.empty())
    throw CaseError(node->place.text(), "grid", "at least one of " + listed(order, "and") + " is needed");
  return Grid(std::move(axes));
}

}  // namespace williwaw::casefile
