#include "rows_of_paths.hpp"

#include <algorithm>
#include <cmath>

#include "williwaw/grid/clones.hpp"

namespace williwaw {

namespace {

struct Resistances {
  Index count;
  std::array<const Real*, 4> weights, values;
};

WILLIWAW_CLONES
void add_up(const Resistances& resistances, Real* __restrict sums) {
  const Resistances r = resistances;
#pragma omp simd
  for (Index e = 0; e < r.count; ++e)
    sums[e] = (r.weights[0][e] / r.values[0][e] + r.weights[1][e] / r.values[1][e]) +
              (r.weights[2][e] / r.values[2][e] + r.weights[3][e] / r.values[3][e]);
}

WILLIWAW_CLONES
void from_table(Index count, const Real* table, const int* labels, Real* __restrict values) {
#pragma omp simd
  for (Index e = 0; e < count; ++e) values[e] = table[labels[e]];
}

// Marks entries whose four labels are one.
WILLIWAW_CLONES
void mark_same(Index count, const int* a, const int* b, const int* c, const int* d, char* __restrict same) {
#pragma omp simd
  for (Index e = 0; e < count; ++e) same[e] = static_cast<char>(a[e] == b[e] && b[e] == c[e] && c[e] == d[e]);
}

WILLIWAW_CLONES
bool all_above_zero(Index count, const Real* values) {
  int others = 0;
#pragma omp simd reduction(+ : others)
  for (Index e = 0; e < count; ++e) others += !(values[e] > 0);
  return others == 0;
}

}  // namespace

RowsOfPaths::RowsOfPaths(const Grid& grid, int axis, const Function& k, const Equation& equation,
                         const Regions& regions)
    : grid_(grid),
      axis_(axis),
      direction_(grid.direction(axis)),
      k_(k),
      equation_(equation),
      regions_(regions),
      halves_(half_paths(grid.axis(axis))) {
  if (along_x()) {
    for (Index f = 0; f <= grid.size(0); ++f) owners_.push_back(f);
    measures_.assign(owners_.size(), 1.0);
  } else {
    for (Index i = 0; i < grid.size(0); ++i)
      for (const auto& piece : pieces_across(grid, 0, i)) {
        owners_.push_back(i);
        measures_.push_back(measure_across(grid, 0, piece));
        along_.push_back(piece.centre);
      }
  }
  const std::size_t count = owners_.size();
  places_.resize(entries());
  sums_.resize(count);
  by_region_ = k.regions() != nullptr || !equation.contacts.empty();
  for (int label = 0; k.regions() && label <= regions.size(); ++label)
    if (k.part(label).is_constant()) table_.push_back(k.part(label)(Point{}));
  // Labels alone tell the conductivity where every material has one.
  by_table_ = k.regions() && static_cast<Index>(table_.size()) == regions.size() + 1;
  checked_ = by_table_ && std::ranges::all_of(table_, [](Real v) { return v > 0; });
  for (Row& row : rows_) {
    for (auto& values : row.values) values.assign(count, 1.0);
    if (!by_region_) continue;
    for (auto& labels : row.labels) labels.assign(count, 0);
    for (auto& plain : row.plain) plain.assign(count, 0);
    row.last.assign(count, -1);
  }
  for (std::size_t g = 0; g < 4; ++g) {
    weights_[g].assign(count, 0.0);
    if (!along_x()) continue;
    // A half that is not there has no weight, wherever it is looked at.
    gauss_[g].assign(count, grid.axis(0).points().front());
    for (std::size_t f = 0; f < count; ++f) {
      const auto& halves = halves_[f];
      if (g / 2 < halves.size()) {
        gauss_[g][f] = halves[g / 2].gauss[g % 2];
        weights_[g][f] = halves[g / 2].weight[g % 2];
      } else if (!halves.empty()) {
        gauss_[g][f] = halves[0].gauss[1];
      }
    }
  }
}

Point RowsOfPaths::place_of(Index entry) const {
  Point p = across_;
  if (!along_x()) p[grid_.direction(0)] = along_[static_cast<std::size_t>(entry)];
  return p;
}

void RowsOfPaths::look(Index face, Row& row) {
  for (std::size_t g = 0; g < 4; ++g) {
    const auto& halves = halves_[static_cast<std::size_t>(face)];
    if (along_x()) {
      places_.coordinate(direction_) = gauss_[g];
    } else {
      if (g / 2 >= halves.size()) continue;
      places_.coordinate(direction_).assign(sums_.size(), halves[g / 2].gauss[g % 2]);
    }
    auto& values = row.values[g];
    if (by_region_) regions_.labels(places_, row.labels[g]);
    if (by_table_)
      from_table(entries(), table_.data(), row.labels[g].data(), values.data());
    else
      k_.evaluate(places_, time_, values);
    if (checked_ || all_above_zero(entries(), values.data())) continue;
    for (Index e = 0; e < entries(); ++e)
      if (const Real v = values[static_cast<std::size_t>(e)];
          !(v > 0) && !(may_be_still(equation_) && v == 0))
        throw DataError(Subject::diffusion, "",
                        "the conductivity or diffusivity must be above zero everywhere, but is " +
                            to_text(v) + " at " + grid_.place_text(places_[e]));
  }
}

void RowsOfPaths::start(Index first, const Point& across, Real time) {
  across_ = across;
  time_ = time;
  face_ = first;
  for (int a = 0; a < grid_.dimension(); ++a)
    if (const int direction = grid_.direction(a); direction != direction_) {
      if (a == 0)
        places_.coordinate(direction) = along_;
      else
        places_.coordinate(direction).assign(sums_.size(), across[direction]);
    }
  if (along_x()) return;
  if (first == 0 || !by_region_) {
    look(first, *own_);
    return;
  }
  // The row before tells what paths come from.
  face_ = first - 1;
  look(face_, *own_);
  look(first, *after_);
  find_plain(face_);
  const auto& halves = halves_[static_cast<std::size_t>(face_)];
  const std::size_t h = halves.empty() ? 0 : halves.size() - 1;
  for (Index e = 0; e < entries(); ++e) {
    const auto n = static_cast<std::size_t>(e);
    own_->last[n] = halves.empty()      ? -1
                    : own_->plain[h][n] ? own_->labels[2 * h][n]
                                        : label_at(e, halves[h], 1 - 1e-7);
  }
  step_on();
}

void RowsOfPaths::step_on() {
  Row* free = before_;
  before_ = own_;
  own_ = after_;
  after_ = free;
  ++face_;
}

// A half is plain where its points and those on both sides of it lie in one material: so does what is between
// them. Where nothing is on one side it is not.
void RowsOfPaths::find_plain(Index face) {
  const Index count = entries();
  if (along_x()) {
    const auto& l = own_->labels;
    for (auto& plain : own_->plain) std::ranges::fill(plain, 0);
    // Ends without a path, as of nodes, are no neighbours.
    const Index first = halves_.front().empty() ? 2 : 1,
                most = halves_.back().empty() ? count - 3 : count - 2;
    if (count - 1 <= first) return;
    mark_same(count - 1 - first, l[3].data() + first - 1, l[0].data() + first, l[1].data() + first,
              l[2].data() + first, own_->plain[0].data() + first);
    mark_same(most, l[1].data() + 1, l[2].data() + 1, l[3].data() + 1, l[0].data() + 2,
              own_->plain[1].data() + 1);
    return;
  }
  const Index last = static_cast<Index>(halves_.size()) - 1;
  const std::size_t halves = halves_[static_cast<std::size_t>(face)].size();
  const std::size_t below = face > 0 ? halves_[static_cast<std::size_t>(face - 1)].size() : 0;
  const bool above = face < last && !halves_[static_cast<std::size_t>(face + 1)].empty();
  for (auto& plain : own_->plain) std::ranges::fill(plain, 0);
  if (halves == 0) return;
  const auto& l = own_->labels;
  const int* next = above ? after_->labels[0].data() : nullptr;
  if (below > 0) {
    const int* previous = before_->labels[2 * below - 1].data();
    if (halves == 2)
      mark_same(count, previous, l[0].data(), l[1].data(), l[2].data(), own_->plain[0].data());
    else if (next)
      mark_same(count, previous, l[0].data(), l[1].data(), next, own_->plain[0].data());
  }
  if (halves == 2 && next)
    mark_same(count, l[1].data(), l[2].data(), l[3].data(), next, own_->plain[1].data());
}

std::span<const Real> RowsOfPaths::next(std::span<const Real> areas) {
  const Index face = face_;
  const auto& halves = halves_[static_cast<std::size_t>(face)];
  if (along_x()) {
    look(0, *own_);
  } else {
    if (face + 1 < static_cast<Index>(halves_.size())) look(face + 1, *after_);
    for (std::size_t g = 0; g < 4; ++g) {
      const Real weight = g / 2 < halves.size() ? halves[g / 2].weight[g % 2] : 0;
      if (weights_[g].front() != weight) std::ranges::fill(weights_[g], weight);
      // Of a half that is not there.
      if (g / 2 >= halves.size()) std::ranges::fill(own_->values[g], 1.0);
    }
  }
  std::array<const Real*, 4> weights, values;
  for (std::size_t g = 0; g < 4; ++g) {
    weights[g] = weights_[g].data();
    values[g] = own_->values[g].data();
  }
  add_up({entries(), weights, values}, sums_.data());
  if (by_region_) {
    find_plain(face);
    const auto& plain = own_->plain;
    for (Index e = 0; e < entries(); ++e) {
      const auto n = static_cast<std::size_t>(e);
      const bool before_plain = along_x() ? e > 0 && plain[1][n - 1] : before_->plain[1][n];
      if (plain[0][n] && plain[1][n] && before_plain)
        own_->last[n] = own_->labels[2][n];
      else
        add_slow(e, areas[static_cast<std::size_t>(face_of(e))]);
    }
  }
  if (!along_x()) step_on();
  return sums_;
}

// Half by half, with the contacts and materials on the way.
void RowsOfPaths::add_slow(Index entry, Real area) {
  const auto n = static_cast<std::size_t>(entry);
  const auto& halves = halves_[static_cast<std::size_t>(face_of(entry))];
  const Index face = face_of(entry);
  int last_label = along_x() ? (entry > 0 ? own_->last[n - 1] : -1) : (face > 0 ? before_->last[n] : -1);
  Real sum = 0;
  for (std::size_t h = 0; h < halves.size(); ++h) {
    const HalfPath& half = halves[h];
    const int label = own_->labels[2 * h][n], second = own_->labels[2 * h + 1][n];
    const bool plain = own_->plain[h][n];
    const int first = plain ? label : label_at(entry, half, 1e-7),
              last = plain ? label : label_at(entry, half, 1 - 1e-7);
    if (last_label >= 0 && last_label != first) sum += contact_between(equation_, last_label, first) / area;
    last_label = last;
    if (first == last && label == first && second == first)
      sum += half.weight[0] / own_->values[2 * h][n] + half.weight[1] / own_->values[2 * h + 1][n];
    else
      sum += through_materials(entry, half, area);
  }
  sums_[n] = sum;
  own_->last[n] = last_label;
}

int RowsOfPaths::label_at(Index entry, const HalfPath& h, Real fraction) const {
  Point p = place_of(entry);
  p[direction_] = grid_.axis(axis_).wrap(h.from + fraction * (h.to - h.from));
  return regions_.label(p);
}

// A half path that crosses from one material to another, stretch by stretch.
Real RowsOfPaths::through_materials(Index entry, const HalfPath& h, Real area) const {
  const Point across = place_of(entry);
  Point from = across, to = across;
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
      Point p = across;
      p[direction_] = h.from + fraction * length;
      sum += 0.5 * (end - begin) * whole / k_.part(label)(p, time_);
    }
  });
  return sum;
}

}  // namespace williwaw
