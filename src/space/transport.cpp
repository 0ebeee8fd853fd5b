#include "williwaw/space/transport.hpp"

#include <omp.h>

#include <algorithm>
#include <cmath>

#include "transport_room.hpp"

namespace williwaw {

Transport::Transport(const Problem& problem, const Outline& outline, const Couplings& couplings,
                     const std::vector<Closure>& closures, int threads)
    : problem_(problem),
      grid_(problem.grid()),
      outline_(outline),
      couplings_(couplings),
      closures_(closures),
      velocities_(problem, outline, closures),
      reconstruction_(&reconstruction_kind(problem.reconstruction)),
      flux_(&numerical_flux(problem.numerical_flux)),
      law_(problem.equation().stream->law.get()),
      stretches_(!problem.equation().stream->conservative) {
  split_ = !reconstruction_->slope && grid_.rank() > 1;
  check();
  for (int a = 0; a < grid_.rank(); ++a) {
    if (!grid_.axis(a).periodic())
      for (const int side : {2 * a, 2 * a + 1})
        halo_[side].assign(static_cast<std::size_t>(3 * grid_.count() / grid_.size(a)), 0.0);
    if (!grid_.axis(a).is_uniform() && reconstruction_->slope) lay_out_spacing(a);
  }
  if (!outline_.whole()) find_incomplete();
  through_.resize(closures_.size());
  for (std::size_t c = 0; c < closures_.size(); ++c)
    through_[c].assign(static_cast<std::size_t>(closures_[c].faces()), 0.0);
  for (int t = 0; t < std::max(1, threads); ++t) rooms_.push_back(std::make_unique<Room>(grid_.size(0)));
}

Transport::~Transport() = default;

// Beyond walls values are mirrored, and so are distances.
void Transport::lay_out_spacing(int a) {
  const Axis& axis = grid_.axis(a);
  const Index size = axis.size();
  const auto gap = [&](Index f) {
    return axis.gaps()[axis.periodic() ? (f % size + size) % size : std::clamp<Index>(f, 0, size)];
  };
  for (Index f = 0; f <= size; ++f) {
    const Real before = f > 0             ? axis.bounds()[f] - axis.points()[f - 1]
                        : axis.periodic() ? axis.bounds()[size] - axis.points()[size - 1]
                                          : axis.gaps()[0];
    const Real after = f < size          ? axis.points()[f] - axis.bounds()[f]
                       : axis.periodic() ? axis.points()[0] - axis.bounds()[0]
                                         : axis.gaps()[size];
    const Real one = std::max(before + after, 1e-300);
    const std::array<Real, 5> numbers{std::max(gap(f - 1), 0.5 * one), one, std::max(gap(f + 1), 0.5 * one),
                                      before, after};
    for (std::size_t k = 0; k < 5; ++k) spacing_[a][k].push_back(numbers[k]);
  }
}

void Transport::check() const {
  const std::string name = "reconstruction '" + reconstruction_->name + "'";
  for (int a = 0; a < grid_.rank(); ++a)
    if (!reconstruction_->slope && !grid_.axis(a).is_uniform())
      throw InputError(name + " needs uniform axes; take a limited one, van-leer for example");
  if (!reconstruction_->slope && !outline_.whole())
    throw InputError(name + " needs a whole rectangle; where something is cut out take van-leer for example");
  if (split_ && !flux_->splits)
    throw InputError(
        name + " on a plan or in a block splits the flux by its largest speed (lax-friedrichs); flux '" +
        flux_->name + "' goes with it in one dimension only");
  if (split_ && grid_.unknowns() == Unknowns::nodes && !law_ && velocities_.velocity().stream_function)
    throw InputError(name + " on nodes takes no stream function");
  const std::string flux = "numerical flux '" + flux_->name + "'";
  if (law_ && flux_->linear_only)
    throw InputError(flux +
                     " is for velocities; a flux that depends on the unknown takes upwind for example");
  if (flux_->needs_step && grid_.rank() > 1)
    throw InputError(flux + " is for one dimension: without terms across axes it is unstable in more");
  if (flux_->needs_step && !grid_.axis(0).is_uniform()) throw InputError(flux + " needs a uniform axis");
  if ((flux_->needs_step || flux_->blends) && reconstruction_->name != "none")
    throw InputError(flux + " takes reconstruction \"none\"");
  if (law_ && stretches_) throw InputError("form \"advective\" needs a velocity; a flux law is conservative");
  if (law_)
    for (const Closure& c : closures_)
      for (Index f = 0; c.section().wall.stream_end() && f < c.faces(); ++f)
        if (std::abs(c.face(f).normal[grid_.slot(c.face(f).axis)]) < 1 - 1e-9)
          throw InputError("'" + c.section().name +
                           "' is slanted, and a flux that depends on the unknown passes straight walls only: "
                           "close it (\"insulated\") or cut along faces of the grid");
}

bool Transport::linear() const {
  return !law_ && reconstruction_->name == "none";
}

// Where a neighbour that the slopes look at is gone, the face does without it.
void Transport::find_incomplete() {
  for (int a = 0; a < grid_.rank(); ++a) {
    const Axis& axis = grid_.axis(a);
    const std::array<Index, 3> end{grid_.size(0) + (a == 0), grid_.size(1) + (a == 1),
                                   grid_.size(2) + (a == 2)};
    const auto gone = [&](std::array<Index, 3> at, Index shift) {
      at[a] += shift;
      const Index size = axis.size();
      if (axis.periodic()) at[a] = (at[a] % size + size) % size;
      if (at[a] < 0 || at[a] >= size) return false;  // the halo knows
      return !outline_.active(grid_.number(at[0], at[1], at[2]));
    };
    for (Index k = 0; k < end[2]; ++k)
      for (Index j = 0; j < end[1]; ++j) {
        first_incomplete_[a].push_back(incomplete_[a].size());
        for (Index i = 0; i < end[0]; ++i) {
          const std::array<Index, 3> at{i, j, k};
          const bool low = gone(at, -2) || gone(at, -1), high = gone(at, 0) || gone(at, 1);
          if (low || high) incomplete_[a].push_back({i, low, high});
        }
      }
    first_incomplete_[a].push_back(incomplete_[a].size());
  }
}

void Transport::see_range(const State& y, const Range* range) {
  if (range) {
    range_ = *range;
  } else {
    Real low = std::numeric_limits<Real>::infinity(), high = -low;
    const Index count = grid_.count();
    const bool whole = outline_.whole();
#pragma omp parallel for schedule(static) reduction(min                      \
                                                    : low) reduction(max     \
                                                                     : high) \
    num_threads(static_cast <int>(rooms_.size())) if (rooms_.size() > 1)
    for (Index n = 0; n < count; ++n)
      if (whole || outline_.active(n)) {
        low = y[n] < low ? y[n] : low;
        high = y[n] > high ? y[n] : high;
      }
    range_ = {low, high};
  }
  for (const Closure& c : closures_) {
    if (!c.section().wall.stream_end()) continue;
    range_.lowest = std::min(range_.lowest, c.drive().lowest);
    range_.highest = std::max(range_.highest, c.drive().highest);
  }
  const Real width = range_.highest - range_.lowest;
  if (!std::isfinite(width)) return;  // the guard will tell
  const bool inside = scanned_.lowest <= range_.lowest && range_.highest <= scanned_.highest;
  if (!inside || scanned_.highest - scanned_.lowest > 1.5 * width + 1e-300) {
    const Real margin = 0.1 * width + 1e-12 * std::max(std::abs(range_.lowest), std::abs(range_.highest));
    scanned_ = {range_.lowest - margin, range_.highest + margin};
    for (int a = 0; a < grid_.rank(); ++a)
      turning_[a] = TurningPoints(*law_, grid_.slot(a), scanned_.lowest, scanned_.highest);
  }
  for (int a = 0; a < grid_.rank(); ++a)
    largest_[a] = turning_[a].largest_speed(*law_, grid_.slot(a), range_.lowest, range_.highest);
}

void Transport::update(Real at, const State& y, const Range* range, Real step) {
  const bool changed = velocities_.update(at);
  step_ = step;
  now_ = at;
  for (auto& room : rooms_) room->line_above = -1;
  if (y.empty()) return;
  if (law_) see_range(y, range);
  if (split_ && !law_ && (changed || centre_velocity_[0].empty())) find_centre_velocities(at);
  fill_halo(y);
  meet_walls(y);
}

Real Transport::largest_speed(int axis) const {
  return law_ ? largest_[axis] : velocities_.largest(axis);
}

std::array<Real, 3> Transport::largest_speeds(const Range& values) const {
  std::array<Real, 3> result{0, 0, 0};
  for (int a = 0; law_ && a < grid_.rank(); ++a) {
    const int slot = grid_.slot(a);
    result[a] = TurningPoints(*law_, slot, values.lowest, values.highest)
                    .largest_speed(*law_, slot, values.lowest, values.highest);
  }
  return result;
}

std::array<Real, 3> Transport::speeds(const State& y, Index n) const {
  if (!law_) return velocities_.at(n);
  std::array<Real, 3> result{0, 0, 0};
  for (int a = 0; a < grid_.rank(); ++a) {
    law_->speed(grid_.slot(a), {y.data() + n, 1}, {&result[a], 1});
    result[a] = std::abs(result[a]);
  }
  return result;
}

// At centres a velocity is its formula where there is one, and the mean of both faces elsewhere.
void Transport::find_centre_velocities(Real at) {
  const Velocity& v = velocities_.velocity();
  const Index nx = grid_.size(0);
  Points line(nx);
  for (int a = 0; a < grid_.rank(); ++a) {
    centre_velocity_[a].resize(static_cast<std::size_t>(grid_.count()));
    for (Index k = 0; k < grid_.size(2); ++k)
      for (Index j = 0; j < grid_.size(1); ++j) {
        Real* out = centre_velocity_[a].data() + grid_.number(0, j, k);
        if (!v.stream_function && v.instants.empty() && !v.divergence_free) {
          for (Index i = 0; i < nx; ++i) line.set(i, grid_.point(i, j, k));
          v.along[grid_.slot(a)].evaluate(line, at, {out, static_cast<std::size_t>(nx)});
          continue;
        }
        const Real* low = velocities_.row(a, j, k);
        const Real* high = a == 0 ? low + 1 : velocities_.row(a, j + (a == 1), k + (a == 2));
        for (Index i = 0; i < nx; ++i) out[i] = 0.5 * (low[i] + high[i]);
      }
  }
}

}  // namespace williwaw
