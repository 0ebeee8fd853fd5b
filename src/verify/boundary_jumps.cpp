#include "williwaw/verify/boundary_jumps.hpp"

#include <algorithm>
#include <cmath>
#include <functional>
#include <map>

namespace williwaw::verify {

namespace {

constexpr int halvings = 40;
// Of a difference between two places, what 40 halvings must leave of it for a jump: 2^-40 to the power 1/20
// is 1/4, so that data as steep as the 20th root of the distance still count as continuous.
constexpr Real left_of_a_jump = 0.25;
// Of the pairs of faces within a section, those with the largest differences are looked at: a jump that is
// not among them is smaller than what the grid resolves of continuous data.
constexpr std::size_t candidates = 64;

struct PrescribedFace {
  std::size_t section;
  Index face;
};

Point between(const Point& a, const Point& b, Real fraction) {
  return {a.x + fraction * (b.x - a.x), a.y + fraction * (b.y - a.y), a.z + fraction * (b.z - a.z)};
}

Real& coordinate(Point& p, int direction) {
  return direction == 0 ? p.x : direction == 1 ? p.y : p.z;
}

class Search {
 public:
  explicit Search(const Discretization& balance) : balance_(balance), values_(balance.closures().size()) {
    for (std::size_t s = 0; s < values_.size(); ++s) {
      const BoundaryClosure& closure = balance.closures()[s];
      if (closure.prescribed_at(closure.places(), 0).empty()) continue;
      for (Index f = 0; f < closure.faces(); ++f) beside_[closure.unknown(f)].push_back({s, f});
    }
  }

  void look_at(Real time) {
    time_ = time;
    scale_ = 0;
    for (std::size_t s = 0; s < values_.size(); ++s) {
      values_[s] = balance_.closures()[s].prescribed_at(balance_.closures()[s].places(), time);
      for (const Real v : values_[s]) scale_ = std::max(scale_, std::abs(v));
    }
    std::vector<std::vector<Pair>> within(values_.size());
    each_pair([&](const PrescribedFace& a, const PrescribedFace& b) {
      if (a.section != b.section)
        keep(across(a, b));
      else if (const Real d = std::abs(at_face(a) - at_face(b)); d > 1e-9 * scale_)
        within[a.section].push_back({d, a, b});
    });
    for (auto& pairs : within) {
      const auto middle = pairs.begin() + static_cast<std::ptrdiff_t>(std::min(candidates, pairs.size()));
      std::ranges::nth_element(pairs, middle, std::greater(), &Pair::difference);
      for (auto p = pairs.begin(); p != middle; ++p)
        keep(between_places(p->first.section, place(p->first), place(p->second)));
    }
  }

  std::vector<BoundaryJump> jumps() const {
    std::vector<BoundaryJump> all;
    for (const auto& [pair, jump] : largest_) all.push_back(jump);
    return all;
  }

 private:
  struct Pair {
    Real difference;
    PrescribedFace first, second;
  };

  template <class Visit>
  void each_pair(const Visit& visit) const {
    for (const auto& [unknown, faces] : beside_)
      for (std::size_t n = 0; n < faces.size(); ++n) {
        for (std::size_t m = n + 1; m < faces.size(); ++m) visit(faces[n], faces[m]);
        for (const Index other : neighbours_above(unknown))
          if (const auto found = beside_.find(other); found != beside_.end())
            for (const PrescribedFace& f : found->second) visit(faces[n], f);
      }
  }

  Real at_face(const PrescribedFace& f) const { return values_[f.section][static_cast<std::size_t>(f.face)]; }
  const BoundaryFace& face(const PrescribedFace& f) const {
    return balance_.closures()[f.section].face(f.face);
  }
  const Point& place(const PrescribedFace& f) const { return face(f).place; }

  Real value(std::size_t section, const Point& at) const {
    Points here(1);
    here.set(0, at);
    return balance_.closures()[section].prescribed_at(here, time_).front();
  }

  // Faces that share a corner belong to unknowns that differ by one at most along every axis. Each pair is
  // met once, from its lower number.
  std::vector<Index> neighbours_above(Index unknown) const {
    const Grid& g = balance_.grid();
    const auto at = g.position(unknown);
    std::vector<Index> result;
    for (Index k = -1; k <= 1; ++k)
      for (Index j = -1; j <= 1; ++j)
        for (Index i = -1; i <= 1; ++i) {
          const std::array<Index, 3> to{at[0] + i, at[1] + j, at[2] + k};
          bool there = true;
          for (int a = 0; a < 3; ++a) there = there && to[a] >= 0 && to[a] < g.size(a);
          if (!there) continue;
          const Index n = g.number(to[0], to[1], to[2]);
          if (n > unknown) result.push_back(n);
        }
    return result;
  }

  // Where two faces meet: of faces across different axes the corner itself.
  Point meeting(const BoundaryFace& a, const BoundaryFace& b) const {
    const Grid& g = balance_.grid();
    Point p = between(a.place, b.place, 0.5);
    if (a.axis == b.axis) return p;
    Point pa = a.place, pb = b.place;
    coordinate(p, g.direction(a.axis)) = coordinate(pa, g.direction(a.axis));
    coordinate(p, g.direction(b.axis)) = coordinate(pb, g.direction(b.axis));
    return p;
  }

  // Both ends of the jump of one section's data between two places, by halving; nothing for data that are
  // continuous.
  std::optional<BoundaryJump> between_places(std::size_t section, Point a, Point b) const {
    Real va = value(section, a), vb = value(section, b);
    const Real whole = std::abs(vb - va);
    for (int n = 0; n < halvings; ++n) {
      const Point middle = between(a, b, 0.5);
      const Real vm = value(section, middle);
      const bool lower = std::abs(vm - va) > std::abs(vb - vm);
      (lower ? b : a) = middle;
      (lower ? vb : va) = vm;
    }
    if (!(std::abs(vb - va) > left_of_a_jump * whole)) return std::nullopt;
    return BoundaryJump{section, section, between(a, b, 0.5), va, vb};
  }

  std::optional<BoundaryJump> across(const PrescribedFace& a, const PrescribedFace& b) const {
    const Point p = meeting(face(a), face(b));
    const Real va = value(a.section, p), vb = value(b.section, p);
    // On slanting pieces of an outline the meeting point is not exact: what the data do nearby is no jump.
    Real slack = 1e-9 * scale_;
    if (!face(a).on_side || !face(b).on_side)
      slack += 4 * (std::abs(va - at_face(a)) + std::abs(vb - at_face(b)));
    if (!(std::abs(vb - va) > slack)) return std::nullopt;
    return BoundaryJump{a.section, b.section, p, va, vb};
  }

  void keep(const std::optional<BoundaryJump>& jump) {
    if (!jump || !conducts(jump->place)) return;
    auto& kept = largest_[std::minmax(jump->first, jump->second)];
    if (std::abs(jump->second_value - jump->first_value) > std::abs(kept.second_value - kept.first_value))
      kept = *jump;
  }

  bool conducts(const Point& at) const {
    const Grid& g = balance_.grid();
    for (int a = 0; a < g.dimension(); ++a)
      if (balance_.problem().equation().diffusion.coefficient[g.direction(a)](at, time_) > 0) return true;
    return false;
  }

  const Discretization& balance_;
  std::map<Index, std::vector<PrescribedFace>> beside_;
  std::vector<std::vector<Real>> values_;  ///< of each section's faces, now
  std::map<std::pair<std::size_t, std::size_t>, BoundaryJump> largest_;
  Real time_ = 0, scale_ = 0;
};

}  // namespace

std::vector<BoundaryJump> boundary_jumps(const Discretization& balance, Real start, Real end) {
  if (balance.grid().dimension() < 2 || balance.capabilities().second_order) return {};
  Search search(balance);
  search.look_at(start);
  // Places in time that are no simple parts of a period.
  if (end > start && std::ranges::any_of(balance.closures(), &BoundaryClosure::depends_on_time))
    for (const Real fraction : {0.137, 0.291, 0.382, 0.618, 0.871, 1.0})
      search.look_at(start + fraction * (end - start));
  return search.jumps();
}

}  // namespace williwaw::verify
