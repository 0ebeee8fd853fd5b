#include "williwaw/grid/outline.hpp"

#include <algorithm>
#include <cmath>

#include "grid/threads.hpp"
#include "volume_samples.hpp"
#include "williwaw/grid/expect.hpp"

namespace williwaw {

namespace {

using looking::each_box;
using looking::Span;
using looking::Vector;

// A face is exposed, or open, if more than this fraction of it is.
constexpr Real least_fraction = 1e-6;
// Control volumes smaller than this fraction of their box go to a neighbour: their boundaries are kept, and
// the system does not get worse than the grid is.
constexpr Real least_volume = 1e-3;

}  // namespace

struct Outline::Builder {
  Outline& out;
  const Grid& grid;
  const Regions& regions;
  const int dimension;
  clip::Keep keep;
  clip::Weight weight;
  looking::Labels label;
  std::vector<int> of_volumes;  // one label each, -1 where it holds several

  Builder(Outline& o, const Grid& g, const Regions& r)
      : out(o), grid(g), regions(r), dimension(g.dimension()), label(g, r) {
    keep = [this](const Vector& p) { return regions.keeps(label(p)); };
    weight = [this](const Vector& p) { return grid.axis(0).area(p[0]); };
  }

  Point point(const Vector& p) const {
    Point result;
    for (int a = 0; a < dimension; ++a) result[grid.direction(a)] = p[a];
    return result;
  }

  void classify() {
    out.state_.assign(static_cast<std::size_t>(grid.count()), full);
    of_volumes = looking::labels_of_volumes(grid, regions);
    std::vector<int> labels;
    for (Index n = 0; n < grid.count(); ++n) {
      const int label_of_all = of_volumes[static_cast<std::size_t>(n)];
      if (label_of_all >= 0) {
        if (!regions.keeps(label_of_all)) out.state_[n] = empty;
        continue;
      }
      looking::labels_within(grid, regions, n, labels);
      const auto kept = std::ranges::count_if(labels, [&](int l) { return regions.keeps(l); });
      if (kept < static_cast<Index>(labels.size())) out.state_[n] = kept == 0 ? empty : cut;
    }
  }

  // Lines of x that are full, as are the lines beside them.
  std::vector<char> plain_lines() const {
    const Index nx = grid.size(0);
    std::vector<char> own(static_cast<std::size_t>(grid.lines())), result(own.size());
    for (Index l = 0; l < grid.lines(); ++l)
      own[static_cast<std::size_t>(l)] = std::all_of(
          out.state_.begin() + nx * l, out.state_.begin() + nx * (l + 1), [](State s) { return s == full; });
    for (Index l = 0; l < grid.lines(); ++l) {
      char all = own[static_cast<std::size_t>(l)];
      for (int a = 1; a < dimension; ++a)
        for (const bool up : {false, true})
          if (const Index beside = out.neighbour(nx * l, a, up); beside >= 0)
            all = static_cast<char>(all & own[static_cast<std::size_t>(beside / nx)]);
      result[static_cast<std::size_t>(l)] = all;
    }
    return result;
  }

  // Nothing is cut where a control volume and all its neighbours are full.
  bool plain(Index n, const std::array<Index, 3>& at) const {
    if (out.state_[n] != full) return false;
    Index stride = 1;
    for (int a = 0; a < dimension; ++a) {
      const Index size = grid.size(a);
      if (at[a] > 0 ? out.state_[n - stride] != full
                    : grid.axis(a).periodic() && out.state_[n + (size - 1) * stride] != full)
        return false;
      if (at[a] + 1 < size ? out.state_[n + stride] != full
                           : grid.axis(a).periodic() && out.state_[n - at[a] * stride] != full)
        return false;
      stride *= size;
    }
    return true;
  }

  void add_facet(Index n, Real area, const Vector& centre, const Vector& normal, bool straight) {
    Facet f;
    f.unknown = n;
    f.area = area;
    f.straight = straight;
    f.centre = point(centre);
    const auto at = grid.position(n);
    Real longest = -1, size = 0;
    Vector beyond = centre;
    for (int a = 0; a < dimension; ++a) {
      const auto spans = grid.axis(a).widths()[at[a]];
      size = std::max(size, spans);
      f.normal[grid.direction(a)] = normal[a];
      f.distance += (centre[a] - grid.axis(a).points()[at[a]]) * normal[a];
      if (std::abs(normal[a]) > longest) {
        longest = std::abs(normal[a]);
        f.axis = a;
      }
    }
    // Which region lies there is seen a little beyond the facet.
    for (const Real step : {1e-5, 8e-5, 6.4e-4, 5.12e-3, 4.096e-2, 0.32768}) {
      for (int a = 0; a < dimension; ++a) beyond[a] = centre[a] + step * size * normal[a];
      const int found = label(beyond);
      if (!regions.keeps(found)) {
        f.region = found - 1;
        break;
      }
    }
    if (std::abs(f.distance) < 1e-5 * size) f.distance = 0;
    out.facets_.push_back(f);
  }

  // What is left of a control volume that the outline crosses, and the cut surface within it.
  clip::Rest clipped(Index n) const {
    clip::Rest sum;
    each_box(looking::halves(grid, n), [&](const Vector& low, const Vector& high) {
      const clip::Rest rest = looking::clip_box(grid, low, high, keep);
      sum.measure += rest.measure;
      sum.cut += rest.cut;
      for (int a = 0; a < 3; ++a) {
        sum.normal[a] += rest.normal[a];
        sum.first_moment[a] += rest.first_moment[a];
      }
    });
    return sum;
  }

  void clip_volumes() {
    std::vector<Index> crossed;
    for (Index n = 0; n < grid.count(); ++n)
      if (out.state_[n] == cut) crossed.push_back(n);
    std::vector<clip::Rest> rests(crossed.size());
    const Index count = static_cast<Index>(crossed.size());
    // Each looks for itself: looks are not shared between threads. Clipping one takes as long as hundreds of
    // values.
    on_all_threads(
        count, threads_for(200 * count, 0), [&] { return std::make_unique<Builder>(out, grid, regions); },
        [&](std::unique_ptr<Builder>& own, Index c) {
          rests[static_cast<std::size_t>(c)] = own->clipped(crossed[static_cast<std::size_t>(c)]);
        });
    for (std::size_t c = 0; c < crossed.size(); ++c) keep_rest(crossed[c], rests[c]);
  }

  void keep_rest(Index n, clip::Rest sum) {
    const Real box = grid.volume_of(n), fraction = sum.measure / box;
    if (fraction < least_fraction) {
      out.state_[n] = empty;
      return;
    }
    out.fractions_[n] = std::min(fraction, 1.0);
    const Real size = std::sqrt(sum.normal[0] * sum.normal[0] + sum.normal[1] * sum.normal[1] +
                                sum.normal[2] * sum.normal[2]);
    if (!(sum.cut > least_fraction * box / shortest(n)) || !(size > 1e-3 * sum.cut)) return;
    for (int a = 0; a < 3; ++a) {
      sum.first_moment[a] /= sum.cut;
      sum.normal[a] /= size;
    }
    add_facet(n, sum.cut, sum.first_moment, sum.normal, false);
  }

  Real shortest(Index n) const {
    const auto at = grid.position(n);
    Real result = INFINITY;
    for (int a = 0; a < dimension; ++a) result = std::min(result, grid.axis(a).widths()[at[a]]);
    return result;
  }

  // Tiles of a face inside a box, seen from both of its sides: open where both are kept, exposed where one
  // is. `lower` and `upper` are the unknowns on either side, -1 for none.
  void split_face(int axis, Real position, const std::array<std::vector<Span>, 3>& spans, Span below,
                  Span above, Index lower, Index upper, Real& open, Real& whole) {
    std::array<std::vector<Span>, 3> tiles = spans;
    tiles[axis] = {{position, position}};
    Real exposed_low = 0, exposed_high = 0;
    Vector moment_low{}, moment_high{};
    each_box(tiles, [&](const Vector& low, const Vector& high) {
      const auto seen = [&](Span side, bool up) {
        Vector a = low, b = high;
        a[axis] = side.low;
        b[axis] = side.high;
        return clip::face(dimension, a, b, axis, up, keep, weight);
      };
      Real all = weight({position, 0, 0});
      if (axis != 0) all = grid.axis(0).measure(low[0], high[0]);
      for (int a = 0; a < dimension; ++a)
        if (a != axis && !(axis != 0 && a == 0)) all *= high[a] - low[a];
      Real one_side = lower >= 0 ? seen(below, true) : 0, other = upper >= 0 ? seen(above, false) : 0;
      if (lower < 0) one_side = other;
      if (upper < 0) other = one_side;
      const Real common = std::min(one_side, other);
      whole += all;
      open += common;
      for (int a = 0; a < 3; ++a) {
        const Real middle = 0.5 * (low[a] + high[a]);
        moment_low[a] += (one_side - common) * middle;
        moment_high[a] += (other - common) * middle;
      }
      exposed_low += one_side - common;
      exposed_high += other - common;
    });
    const auto expose = [&](Index n, Real area, Vector first_moment, Real direction) {
      if (n < 0 || !(area > least_fraction * whole)) return;
      Vector normal{};
      normal[axis] = direction;
      for (Real& m : first_moment) m /= area;
      add_facet(n, area, first_moment, normal, true);
    };
    expose(lower, exposed_low, moment_low, 1);
    expose(upper, exposed_high, moment_high, -1);
  }

  // Faces between the halves of one control volume: only outlines that run along them expose something there.
  void split_inside(Index n) {
    const auto spans = looking::halves(grid, n);
    for (int a = 0; a < dimension; ++a)
      for (std::size_t s = 0; s + 1 < spans[a].size(); ++s) {
        Real open = 0, whole = 0;
        split_face(a, spans[a][s].high, spans, spans[a][s], spans[a][s + 1], n, n, open, whole);
      }
  }

  // The face between n and the next unknown along an axis, or the side of the domain.
  void split_outside(Index n, int a, bool upper_side) {
    const Index other = out.neighbour(n, a, upper_side);
    const auto state = [&](Index m) { return m < 0 ? full : out.state_[m]; };
    if (state(n) == full && state(other) == full) return;
    if (state(n) == empty && (other < 0 || state(other) == empty)) return;
    if (!upper_side && other >= 0) return;  // it is the upper face of the other
    const auto at = grid.position(n);
    const auto spans = looking::halves(grid, n);
    const Real position = grid.axis(a).bounds()[at[a] + (upper_side ? 1 : 0)];
    Span below = spans[a].back(), above = below;
    if (upper_side && other >= 0) {
      const Real width = grid.axis(a).widths()[grid.position(other)[a]];
      above = {position, position + 0.5 * width};
    }
    if (!upper_side) above = spans[a].front();
    Real open = 0, whole = 0;
    const Index lower = upper_side ? (state(n) == empty ? -1 : n) : -1;
    const Index upper = upper_side ? (other >= 0 && state(other) == empty ? -1 : other) : n;
    // A neighbour that is gone leaves all that this side shows exposed.
    const bool gone = upper_side && other >= 0 && (lower < 0 || upper < 0);
    if (gone) {
      expose_all(a, position, spans, lower >= 0 ? below : above, lower >= 0 ? lower : upper, lower >= 0);
      return;
    }
    split_face(a, position, spans, below, above, lower, upper, open, whole);
    const Real fraction = open / whole;
    Fractions& fractions = (upper_side ? out.upper_ : out.low_)[a];
    if (fraction < 1 - least_fraction) fractions[n] = fraction > least_fraction ? fraction : 0;
  }

  void expose_all(int axis, Real position, const std::array<std::vector<Span>, 3>& spans, Span side, Index n,
                  bool upwards) {
    std::array<std::vector<Span>, 3> tiles = spans;
    tiles[axis] = {side};
    Real area = 0, whole = 0;
    Vector first_moment{}, normal{};
    each_box(tiles, [&](const Vector& low, const Vector& high) {
      const Real seen = clip::face(dimension, low, high, axis, upwards, keep, weight);
      Real all = axis == 0 ? weight({position, 0, 0}) : grid.axis(0).measure(low[0], high[0]);
      for (int a = 0; a < dimension; ++a)
        if (a != axis && !(axis != 0 && a == 0)) all *= high[a] - low[a];
      whole += all;
      area += seen;
      for (int a = 0; a < 3; ++a) first_moment[a] += seen * (a == axis ? position : 0.5 * (low[a] + high[a]));
    });
    if (!(area > least_fraction * whole)) return;
    for (Real& m : first_moment) m /= area;
    normal[axis] = upwards ? 1 : -1;
    add_facet(n, area, first_moment, normal, true);
  }
};

Outline::Outline(const Grid& grid, const Regions& regions) {
  if (!regions.cuts()) return;
  for (int a = 0; a < grid.dimension(); ++a) axes_.push_back(grid.axis(a));
  regions_ = std::make_shared<const Regions>(regions);
  Builder builder(*this, grid, regions);
  builder.classify();
  builder.clip_volumes();
  const std::vector<char> plain = builder.plain_lines();
  for (Index k = 0, n = 0; k < grid.size(2); ++k)
    for (Index j = 0; j < grid.size(1); ++j)
      for (Index i = 0; i < grid.size(0); ++i, ++n) {
        if (plain[static_cast<std::size_t>(j + grid.size(1) * k)]) {
          n += grid.size(0);
          break;
        }
        if (builder.plain(n, {i, j, k})) continue;
        if (state_[n] == cut) builder.split_inside(n);
        for (int a = 0; a < grid.dimension(); ++a) {
          builder.split_outside(n, a, true);
          builder.split_outside(n, a, false);
        }
      }
  drop_slivers();
  active_count_ = std::ranges::count_if(state_, [](State s) { return s != empty; });
  if (active_count_ == 0) throw InputError("inactive regions cover the whole domain");
  auto& cut_away = measured_.cut;
  cut_away.assign(static_cast<std::size_t>(regions.size()), 0.0);
  for (Index n = 0; n < grid.count(); ++n)
    if (state_[n] == empty) {
      const int of_all = builder.of_volumes[static_cast<std::size_t>(n)];
      const int label = of_all >= 0 ? of_all : regions.label(grid.point_of(n));
      if (!regions.keeps(label)) cut_away[label - 1] += grid.volume_of(n);
    }
  // Cut control volumes lose to the region that their first facet looks at.
  measured_.exposed.assign(cut_away.size(), 0.0);
  std::vector<char> counted(state_.size(), 0);
  for (const Facet& f : facets_) {
    measured_.exposed[f.region] += f.area;
    if (state_[f.unknown] != cut || counted[f.unknown]) continue;
    counted[f.unknown] = 1;
    cut_away[f.region] += (1 - volume_fraction(f.unknown)) * grid.volume_of(f.unknown);
  }
  measured_.domain = grid.volume();
  for (const Real c : cut_away) measured_.domain -= c;
}

Index Outline::neighbour(Index n, int axis, bool upper) const {
  Index stride = 1;
  for (int a = 0; a < axis; ++a) stride *= axes_[a].size();
  const Index size = axes_[axis].size(), along = n / stride % size;
  if (upper) {
    if (along + 1 < size) return n + stride;
    return axes_[axis].periodic() ? n - along * stride : -1;
  }
  if (along > 0) return n - stride;
  return axes_[axis].periodic() ? n + (size - 1) * stride : -1;
}

Real Outline::volume_fraction(Index n) const {
  expect(whole() || (n >= 0 && n < static_cast<Index>(state_.size())),
         "Outline::volume_fraction: a control volume of the grid");
  if (whole() || state_[n] == full) return 1;
  if (state_[n] == empty) return 0;
  const auto found = fractions_.find(n);
  return found == fractions_.end() ? 1 : found->second;
}

Real Outline::open(Index n, int axis, bool upper) const {
  expect(whole() || (n >= 0 && n < static_cast<Index>(state_.size())),
         "Outline::open: a control volume of the grid");
  if (whole()) return 1;
  const Index other = neighbour(n, axis, upper);
  if (!active(n) || (other >= 0 && !active(other))) return 0;
  const auto& map = upper || other >= 0 ? upper_[axis] : low_[axis];
  const auto found = map.find(upper || other < 0 ? n : other);
  return found == map.end() ? 1 : found->second;
}

Index Outline::largest_opening(Index n) const {
  Index best = -1;
  Real most = 0;
  for (int a = 0; a < static_cast<int>(axes_.size()); ++a)
    for (const bool up : {false, true})
      if (const Index other = neighbour(n, a, up); other >= 0 && open(n, a, up) > most) {
        most = open(n, a, up);
        best = other;
      }
  return best;
}

void Outline::close(Index n) {
  state_[n] = empty;
  fractions_.erase(n);
}

// What is left of `from` is counted in `to`. Shares are of boxes, which need not be alike.
void Outline::give(Index from, Index to) {
  const auto volume = [&](Index n) {
    Real product = 1;
    Index rest = n;
    for (const Axis& axis : axes_) {
      product *= axis.measures()[rest % axis.size()];
      rest /= axis.size();
    }
    return product;
  };
  const Real sum = volume_fraction(to) + volume_fraction(from) * volume(from) / volume(to);
  fractions_[to] = sum;
  state_[to] = cut;
}

void Outline::drop_slivers() {
  std::vector<Index> gone;
  std::unordered_map<Index, Index> heir;
  for (const auto& [n, fraction] : fractions_) {
    const Index other = largest_opening(n);
    if (other < 0 || (fraction < least_volume && volume_fraction(other) >= least_volume)) gone.push_back(n);
    heir[n] = other;
  }
  std::ranges::sort(gone);
  for (const Index n : gone)
    if (heir[n] >= 0) give(n, heir[n]);
  for (const Index n : gone) close(n);
  for (Facet& f : facets_)
    if (!active(f.unknown) && heir[f.unknown] >= 0) {
      const Index to = heir[f.unknown];
      Index rest = to;
      f.unknown = to;
      f.distance = 0;
      for (const Axis& axis : axes_) {
        const int direction = axis.name() == "r" ? 0 : axis.name()[0] - 'x';
        f.distance += (f.centre[direction] - axis.points()[rest % axis.size()]) * f.normal[direction];
        rest /= axis.size();
      }
    }
  std::erase_if(facets_, [&](const Facet& f) { return !active(f.unknown); });
}

void Outline::shift_to_boundaries(const std::vector<char>& prescribed) {
  expect(prescribed.size() == facets_.size(), "Outline::shift_to_boundaries: an entry for each facet");
  if (whole()) return;
  std::unordered_map<Index, std::pair<bool, std::size_t>>
      behind;  // all prescribed so far, and one of its facets
  for (std::size_t f = 0; f < facets_.size(); ++f) {
    const auto [entry, first] = behind.try_emplace(facets_[f].unknown, true, f);
    entry->second.first = entry->second.first && prescribed[f];
  }
  const auto direction = [&](int a) { return axes_[a].name() == "r" ? 0 : axes_[a].name()[0] - 'x'; };
  const auto point = [&](Index n) {
    Point p;
    for (int a = 0; a < static_cast<int>(axes_.size()); ++a) {
      p[direction(a)] = axes_[a].points()[n % axes_[a].size()];
      n /= axes_[a].size();
    }
    return p;
  };
  std::vector<Index> gone;
  for (const auto& [n, entry] : behind)
    if (entry.first && !regions_->keeps(regions_->label(point(n)))) gone.push_back(n);
  std::ranges::sort(gone);
  std::vector<Facet> added;
  for (const Index n : gone) {
    const Facet like = facets_[behind[n].second];
    if (const Index heir = largest_opening(n); heir >= 0) give(n, heir);
    for (int a = 0; a < static_cast<int>(axes_.size()); ++a)
      for (const bool up : {false, true}) {
        const Index other = neighbour(n, a, up);
        if (other < 0 || !(open(n, a, up) > least_fraction)) continue;
        if (std::ranges::binary_search(gone, other)) continue;
        Facet f = like;
        f.unknown = other;
        f.axis = a;
        f.straight = false;
        f.normal = {};
        f.normal[direction(a)] = up ? -1 : 1;
        const Index i = [&] {
          Index rest = n;
          for (int b = 0; b < a; ++b) rest /= axes_[b].size();
          return rest % axes_[a].size();
        }();
        Real area = axes_[a].area(axes_[a].bounds()[i + (up ? 1 : 0)]);
        for (int b = 0; b < static_cast<int>(axes_.size()); ++b) {
          Index rest = n;
          for (int c = 0; c < b; ++c) rest /= axes_[c].size();
          if (b != a) area *= axes_[b].measures()[rest % axes_[b].size()];
        }
        f.area = area * open(n, a, up);
        Point low = point(other), high = point(n);
        for (int halving = 0; halving < 40; ++halving) {
          const Real middle = 0.5 * (low[direction(a)] + high[direction(a)]);
          Point p = low;
          p[direction(a)] = middle;
          (regions_->keeps(regions_->label(p)) ? low : high)[direction(a)] = middle;
        }
        f.centre = low;
        f.distance = std::abs(low[direction(a)] - point(other)[direction(a)]);
        added.push_back(f);
      }
  }
  for (const Index n : gone) close(n);
  std::erase_if(facets_, [&](const Facet& f) { return !active(f.unknown); });
  facets_.insert(facets_.end(), added.begin(), added.end());
  active_count_ -= static_cast<Index>(gone.size());
}

int Outline::pieces(std::vector<int>& piece) const {
  piece.assign(state_.size(), -1);
  int count = 0;
  std::vector<Index> todo;
  for (Index start = 0; start < static_cast<Index>(state_.size()); ++start) {
    if (!active(start) || piece[start] >= 0) continue;
    todo = {start};
    piece[start] = count;
    while (!todo.empty()) {
      const Index n = todo.back();
      todo.pop_back();
      for (int a = 0; a < static_cast<int>(axes_.size()); ++a)
        for (const bool up : {false, true})
          if (const Index other = neighbour(n, a, up); other >= 0 && open(n, a, up) > 0 && piece[other] < 0) {
            piece[other] = count;
            todo.push_back(other);
          }
    }
    ++count;
  }
  return count;
}

}  // namespace williwaw
