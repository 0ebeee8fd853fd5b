#include "williwaw/boundary/boundary_sections.hpp"

#include <algorithm>

namespace williwaw {

namespace {

// A face and the places that decide to which part it belongs: unknowns at nodes have faces that reach over
// two intervals, and a part may end between them.
struct Piece {
  BoundaryFace face;
  Point middle;
};

class Sorter {
 public:
  explicit Sorter(const Problem& problem) : problem_(problem), grid_(problem.grid()) {
    for (const Side side : grid_.sides())
      if (!problem.periodic(side))
        sections_.push_back({grid_.side_name(side), grid_.side_name(side), problem.boundary(side), {}});
    for (Index r = 0; r < problem.regions().size(); ++r)
      if (const Region& region = problem.regions()[r]; !region.active)
        sections_.push_back({region.name, region.name, problem.cutout_boundary(r), {}});
    first_part_ = sections_.size();
    for (const BoundaryPart& part : problem.parts())
      sections_.push_back({part.name, part.side, part.boundary, {}});
  }

  std::size_t find(const std::string& side) const {
    return static_cast<std::size_t>(std::ranges::find(sections_, side, &BoundarySection::name) -
                                    sections_.begin());
  }

  // The last part that the face belongs to, or its side.
  std::size_t section_of(const std::string& side, const BoundaryFace& face, const Point& middle) const {
    const auto& parts = problem_.parts();
    for (std::size_t p = parts.size(); p-- > 0;) {
      const BoundaryPart& part = parts[p];
      if (!part.side.empty() && part.side != side) continue;
      if (!part.touching.empty()) {
        // Looked at a little inside, where the material is.
        Point within = middle;
        for (int a = 0; a < grid_.dimension(); ++a)
          within[grid_.direction(a)] -= 1e-3 * grid_.axis(a).widths()[grid_.position(face.unknown)[a]] *
                                        face.normal[grid_.direction(a)];
        const int label = problem_.regions().label(within);
        if (label == 0 || problem_.regions()[label - 1].name != part.touching) continue;
      }
      if (part.where) {
        Points one(1);
        one.set(0, middle);
        char in = 0;
        part.where(one, {&in, 1});
        if (!in) continue;
      }
      return first_part_ + p;
    }
    return find(side);
  }

  // Faces of a side of the grid; several for one unknown where parts end between its intervals.
  void add_side(Side side, const Outline& outline) {
    const std::string name = grid_.side_name(side);
    const Points places = grid_.boundary_points(side);
    const auto touching = grid_.unknowns_at(side);
    const Axis& axis = grid_.axis(side.axis);
    for (std::size_t f = 0; f < touching.size(); ++f) {
      const Index n = touching[f];
      const Real open = outline.open(n, side.axis, side.upper);
      if (!outline.active(n) || open == 0) continue;
      BoundaryFace face;
      face.unknown = n;
      face.axis = side.axis;
      face.upper = side.upper;
      face.area = open * grid_.boundary_area(side, n);
      face.place = places[static_cast<Index>(f)];
      face.normal[grid_.direction(side.axis)] = side.upper ? 1 : -1;
      face.distance = side.upper ? axis.gaps().back() : axis.gaps().front();
      add_pieces(name, face);
    }
  }

  void add_pieces(const std::string& side, const BoundaryFace& face) {
    if (problem_.parts().empty()) {
      sections_[find(side)].faces.push_back(face);
      return;
    }
    const auto at = grid_.position(face.unknown);
    std::array<std::vector<Axis::Piece>, 3> across;
    for (int a = 0; a < 3; ++a)
      across[a] = a < grid_.dimension() && a != face.axis ? grid_.axis(a).pieces(at[a])
                                                          : std::vector<Axis::Piece>{{0, 1}};
    std::vector<std::pair<std::size_t, Real>> fractions;  // section and measure
    Real whole = 0;
    for (const auto& x : across[0])
      for (const auto& y : across[1])
        for (const auto& z : across[2]) {
          const std::array<Axis::Piece, 3> piece{x, y, z};
          Point middle = face.place;
          Real measure = 1;
          for (int a = 0; a < grid_.dimension(); ++a) {
            if (a == face.axis) continue;
            middle[grid_.direction(a)] = piece[a].centre;
            measure *= grid_.axis(a).measure(piece[a].centre - 0.5 * piece[a].width,
                                             piece[a].centre + 0.5 * piece[a].width);
          }
          const std::size_t section = section_of(side, face, middle);
          const auto known = std::ranges::find(fractions, section, &std::pair<std::size_t, Real>::first);
          if (known == fractions.end())
            fractions.emplace_back(section, measure);
          else
            known->second += measure;
          whole += measure;
        }
    for (const auto& [section, measure] : fractions) {
      BoundaryFace part = face;
      part.area *= measure / whole;
      sections_[section].faces.push_back(part);
    }
  }

  static BoundaryFace face_of(const Facet& facet) {
    BoundaryFace face;
    face.unknown = facet.unknown;
    face.axis = facet.axis;
    face.area = facet.area;
    face.place = facet.centre;
    face.normal = facet.normal;
    face.distance = facet.distance;
    face.on_side = false;
    return face;
  }

  void add_facets(const Outline& outline) {
    for (const Facet& facet : outline.facets()) {
      BoundaryFace face = face_of(facet);
      face.upper = facet.normal[grid_.direction(facet.axis)] > 0;
      const std::string& side = problem_.regions()[facet.region].name;
      BoundarySection& section = sections_[section_of(side, face, facet.centre)];
      // The flat piece passes an unknown on its wrong side by less than it is off the outline itself: a value
      // that is prescribed there is the unknown's own.
      if (section.boundary.holds()) face.distance = std::max(face.distance, 0.0);
      section.faces.push_back(face);
    }
  }

  std::vector<char> prescribed(const Outline& outline) const {
    std::vector<char> result;
    for (const Facet& facet : outline.facets())
      result.push_back(
          sections_[section_of(problem_.regions()[facet.region].name, face_of(facet), facet.centre)]
              .boundary.holds());
    return result;
  }

  std::vector<BoundarySection> finish() {
    for (std::size_t s = 0; s < sections_.size(); ++s) {
      BoundarySection& section = sections_[s];
      if (section.boundary.empty() && !section.faces.empty())
        throw InputError(Subject::boundary,
                         "no condition for " + std::to_string(section.faces.size()) + " face" +
                             (section.faces.size() == 1 ? "" : "s") + " of side '" + section.name +
                             "': give it a condition, or a default for all sides not named");
      // A part of a grid may have none of them.
      if (s >= first_part_ && section.faces.empty() && !grid_.is_part())
        throw InputError(Subject::boundary,
                         "part '" + section.name + "' has no face on this grid: is its formula right?");
      std::ranges::stable_sort(section.faces, {}, &BoundaryFace::unknown);
    }
    return std::move(sections_);
  }

 private:
  const Problem& problem_;
  const Grid& grid_;
  std::vector<BoundarySection> sections_;
  std::size_t first_part_ = 0;
};

}  // namespace

Real BoundarySection::area() const {
  Real sum = 0;
  for (const BoundaryFace& f : faces) sum += f.area;
  return sum;
}

std::vector<BoundarySection> boundary_sections(const Problem& problem, Outline& outline) {
  Sorter sorter(problem);
  outline.shift_to_boundaries(sorter.prescribed(outline));
  for (const Side side : problem.grid().sides())
    if (!problem.periodic(side)) sorter.add_side(side, outline);
  sorter.add_facets(outline);
  return sorter.finish();
}

}  // namespace williwaw
