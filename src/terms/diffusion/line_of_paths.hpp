// The paths along one line of unknowns where coefficients vary in place and time alone.
#pragma once

#include <cmath>

#include "terms/diffusion/path.hpp"

namespace williwaw {

/// Nothing needs to diffuse where something is advected.
inline bool may_be_still(const Equation& equation) {
  return equation.may_be_still || equation.advection.has_value();
}

/// All paths along one line of unknowns: conductivities at their Gauss points and, where materials differ by
// region, labels at their ends and at those points.
class LineOfPaths {
 public:
  LineOfPaths(const Grid& grid, int axis, const Function& k, const Equation& equation, const Regions& regions)
      : grid_(grid),
        axis_(axis),
        direction_(grid.direction(axis)),
        k_(k),
        equation_(equation),
        regions_(regions),
        halves_(half_paths(grid.axis(axis))) {
    for (const auto& face : halves_)
      for (const HalfPath& h : face) gauss_.insert(gauss_.end(), h.gauss.begin(), h.gauss.end());
    gauss_places_.resize(static_cast<Index>(gauss_.size()));
    gauss_places_.coordinate(direction_) = gauss_;
    values_.resize(gauss_.size());
    by_region_ = k.regions() != nullptr || !equation.contacts.empty();
    for (int label = 0; k.regions() && label <= regions.size(); ++label)
      if (k.part(label).is_constant()) table_.push_back(k.part(label)(Point{}));
    // Labels alone tell the conductivity where every material has one.
    by_table_ = k.regions() && static_cast<Index>(table_.size()) == regions.size() + 1;
    if (by_region_) gauss_labels_.resize(gauss_.size());
  }

  void move_to(const Point& across, Real time) {
    time_ = time;
    across_ = across;
    for (int a = 0; a < grid_.dimension(); ++a)
      if (const int direction = grid_.direction(a); direction != direction_)
        gauss_places_.coordinate(direction).assign(gauss_.size(), across[direction]);
    if (by_region_) regions_.labels(gauss_places_, gauss_labels_);
    if (by_table_)
      for (std::size_t s = 0; s < values_.size(); ++s)
        values_[s] = table_[static_cast<std::size_t>(gauss_labels_[s])];
    else
      k_.evaluate(gauss_places_, time, values_);
    for (std::size_t s = 0; s < values_.size(); ++s)
      if (!(values_[s] > 0) && !(may_be_still(equation_) && values_[s] == 0))
        throw DataError(Subject::diffusion, "",
                        "the conductivity or diffusivity must be above zero everywhere, but is " +
                            to_text(values_[s]) + " at " +
                            grid_.place_text(gauss_places_[static_cast<Index>(s)]));
    start();
  }

  void start() {
    next_ = 0;
    last_label_ = -1;
  }

  // ∫ ds/(k·area) through face f; faces must be asked for in order.
  Real resistance(Index f, Real area) {
    Real sum = 0;
    for (const HalfPath& h : halves_[f]) {
      const std::size_t s = 2 * next_++;
      if (!by_region_) {
        sum += h.weight[0] / values_[s] + h.weight[1] / values_[s + 1];
        continue;
      }
      // Where the points on both sides lie in the same material, so does what is between them.
      const int label = gauss_labels_[s];
      const bool plain = s > 0 && s + 2 < gauss_labels_.size() && gauss_labels_[s - 1] == label &&
                         gauss_labels_[s + 1] == label && gauss_labels_[s + 2] == label;
      const int first = plain ? label : label_at(h, 1e-7), last = plain ? label : label_at(h, 1 - 1e-7);
      if (last_label_ >= 0 && last_label_ != first)
        sum += contact_between(equation_, last_label_, first) / area;
      last_label_ = last;
      if (first == last && label == first && gauss_labels_[s + 1] == first)
        sum += h.weight[0] / values_[s] + h.weight[1] / values_[s + 1];
      else
        sum += through_materials(h, area);
    }
    return sum;
  }

 private:
  int label_at(const HalfPath& h, Real fraction) const {
    Point p = across_;
    p[direction_] = grid_.axis(axis_).wrap(h.from + fraction * (h.to - h.from));
    return regions_.label(p);
  }

  // A half path that crosses from one material to another, stretch by stretch.
  Real through_materials(const HalfPath& h, Real area) const {
    Point from = across_, to = across_;
    from[direction_] = h.from;
    to[direction_] = h.to;
    const Real whole = h.weight[0] + h.weight[1], length = h.to - h.from;
    Real sum = 0;
    int last = -1;
    each_material(&regions_, from, to, [&](Real begin, Real end, int label) {
      if (last >= 0) sum += contact_between(equation_, last, label) / area;
      last = label;
      const Real middle = 0.5 * (begin + end), reach = 0.5 * (end - begin) / std::sqrt(3.0);
      for (const Real fraction : {middle - reach, middle + reach}) {
        Point p = across_;
        p[direction_] = h.from + fraction * length;
        sum += 0.5 * (end - begin) * whole / k_.part(label)(p, time_);
      }
    });
    return sum;
  }

  const Grid& grid_;
  int axis_, direction_;
  const Function& k_;
  const Equation& equation_;
  const Regions& regions_;
  std::vector<std::vector<HalfPath>> halves_;
  std::vector<Real> gauss_, values_;
  Points gauss_places_;
  std::vector<int> gauss_labels_;
  bool by_region_ = false, by_table_ = false;
  std::vector<Real> table_;
  Point across_;
  Real time_ = 0;
  std::size_t next_ = 0;
  int last_label_ = -1;
};

}  // namespace williwaw
