// Regions: named parts of the domain, for materials and cut-outs.
#pragma once

#include <functional>
#include <memory>

#include "williwaw/grid/grid.hpp"

namespace williwaw {

/// Tells for many places at once which of them lie inside: nonzero for those.
using Where = std::function<void(const Points&, std::span<char>)>;

/// The same from a test of one place.
template <class Test>
Where inside(Test test) {
  return [test](const Points& places, std::span<char> in) {
    for (Index i = 0; i < places.size(); ++i) in[i] = test(places[i]) ? 1 : 0;
  };
}

/// A named part of the domain.
struct Region {
  std::string name;
  Where where;
  /// False cuts the region out of the domain: the faces this exposes form the side called by its name.
  bool active = true;
  /// Name of a region that this one lies over; without it overlapping regions are an error.
  std::string over = {};
  /// Stated by control volumes, not by a line: its outline is a staircase.
  bool staircase = false;
};

/// All regions of a problem. Every place has one label: 0 for none, n + 1 for region n.
class Regions {
 public:
  Regions() = default;
  /// Throws InputError for names that are used twice, taken by a side, or not there (`over`).
  explicit Regions(std::vector<Region> regions);

  bool empty() const { return regions_.empty(); }
  Index size() const { return static_cast<Index>(regions_.size()); }
  const Region& operator[](Index n) const { return regions_[static_cast<std::size_t>(n)]; }
  /// Number of the region called `name`, -1 if there is none.
  Index find(const std::string& name) const;
  bool cuts() const;

  /// Labels of many places. Where several regions lie the one that is over the others counts.
  void labels(const Points& places, std::span<int> out) const;
  int label(const Point& place) const;
  /// True for a label that is part of the domain.
  bool keeps(int label) const { return label == 0 || regions_[static_cast<std::size_t>(label - 1)].active; }
  /// "cable", or "the rest of the domain" for label 0.
  std::string name_of(int label) const;

  /// Looks at the middle of every piece of every control volume. Throws InputError that names two regions
  /// which overlap though neither is over the other, or one that lies nowhere.
  void check(const Grid& grid) const;

 private:
  bool is_over(std::size_t a, std::size_t b) const;

  std::vector<Region> regions_;
};

}  // namespace williwaw
