#include "williwaw/space/closure.hpp"

#include <algorithm>
#include <cmath>

namespace williwaw {

namespace {
// Newton steps for the unknown on a wall with a nonlinear law; radiation needs three or four.
constexpr int wall_iterations = 30;
// Unknowns this near to a wall that follows them, in widths, feel it themselves: between both a spring would
// be as stiff as the gap is short.
constexpr Real close_to_wall = 0.3;
}  // namespace

Closure::Closure(const Grid& grid, WallSection section, const Couplings& couplings)
    : section_(std::move(section)), places_(static_cast<Index>(section_.faces.size())) {
  const std::size_t count = section_.faces.size();
  const Wall& wall = section_.wall;
  for (std::size_t f = 0; f < count; ++f) {
    const WallFace& face = section_.faces[f];
    places_.set(static_cast<Index>(f), face.place);
    capacities_.push_back(couplings.capacity(face.unknown));
    pinned_.push_back(wall.holds() && face.distance == 0 ? 1 : 0);
    pins_ = pins_ || pinned_.back();
  }
  for (Index line = 0, f = 0; line <= grid.lines(); ++line) {
    while (f < faces() && unknown(f) < line * grid.size(0)) ++f;
    first_of_line_.push_back(f);
  }
  on_time_ = wall.depends_on_time();
  linear_ = wall.is_linear();
  left_on_time_ =
      std::ranges::any_of(wall.conditions(), [](const auto& c) { return c->left_side_depends_on_time(); });
  for (const auto& condition : wall.conditions())
    lines_.push_back({section_.name + ": " + condition->kind(), LedgerLine::Kind::wall, section_.name});
  shares_.resize(lines_.size());
  while (wall.stream_end() && !wall.conditions()[carrying_]->stream_end()) ++carrying_;
  for (auto* values : {&inflow_, &pull_, &target_}) values->assign(count, 0.0);
  const bool rates = std::ranges::any_of(wall.conditions(), [](const auto& c) { return c->has_rate(); });
  if (!rates) return;
  drag_.assign(count, 0.0);
  for (const auto& condition : wall.conditions())
    if (const Outgoing* out = condition->outgoing(); out && out->order > 1)
      outflow_ = std::make_unique<Outflow>(grid, section_, out->order);
  // Beside the wall, or where more than the unknown on it is looked at, the wall has values of its own.
  const bool beside = std::ranges::any_of(section_.faces, [](const WallFace& f) { return f.distance != 0; });
  if (!beside && !outflow_) return;
  if (section_.wall.conditions().size() > 1)
    throw InputError("'" + section_.name + "': a condition on the motion takes no other beside it");
  moving_.assign(count, 0.0);
  close_.assign(count, 0);
  for (std::size_t f = 0; f < count; ++f) {
    const WallFace& face = section_.faces[f];
    const Real width = grid.axis(face.axis).widths()[grid.position(face.unknown)[face.axis]];
    close_[f] = face.distance != 0 && face.distance < close_to_wall * width ? 1 : 0;
  }
  for (std::size_t f = 0; f < count; ++f)
    if (section_.faces[f].distance == 0) pinned_[f] = 1;
  pins_ = std::ranges::any_of(pinned_, [](char p) { return p != 0; });
}

// A law times a number is the same law: the flux coefficient becomes 1, or the value's where the flux takes
// no part. Conditions on one wall then add up: value, rate and data are sums.
LawLine Closure::state_laws(Real time, std::span<const Real> about, std::vector<LawLine>& laws) const {
  const std::size_t count = section_.faces.size();
  laws.clear();
  LawLine sum(count);
  for (const auto& condition : section_.wall.conditions()) {
    LawLine& law = laws.emplace_back(count);
    condition->law({places_, time, at_wall_.conductivity, at_wall_.storage, about}, law);
    for (std::size_t f = 0; f < count; ++f) {
      if (const Real unit = law.flux[f] != 0 ? law.flux[f] : law.value[f]; unit != 0 && unit != 1)
        for (auto* coefficient : {&law.value, &law.flux, &law.rate, &law.data}) (*coefficient)[f] /= unit;
      sum.rate[f] += law.rate[f];
      if (!std::isfinite(law.value[f]) || !std::isfinite(law.data[f]))
        throw DataError("boundary." + section_.name,
                        "condition '" + condition->kind() + "' of '" + section_.name +
                            "' is not a finite number at (" + to_text(places_[static_cast<Index>(f)].x) +
                            ", " + to_text(places_[static_cast<Index>(f)].y) + ", " +
                            to_text(places_[static_cast<Index>(f)].z) + "), time " + to_text(time));
      sum.value[f] += law.value[f];
      sum.data[f] += law.data[f];
      sum.flux[f] = law.flux[f];
    }
  }
  return sum;
}

std::vector<Real> Closure::prescribed_at(const Points& places, Real time) const {
  if (!section_.wall.holds()) return {};
  const auto count = static_cast<std::size_t>(places.size());
  const std::vector<Real> none(count, 0.0);
  LawLine law(count);
  section_.wall.conditions().front()->law({places, time, none, none, {}}, law);
  for (std::size_t n = 0; n < count; ++n) {
    if (law.flux[n] != 0 || law.rate[n] != 0 || law.value[n] == 0) return {};
    law.data[n] /= law.value[n];
  }
  return law.data;
}

void Closure::update(const Couplings& couplings, Real time, bool changed, const State& y) {
  if (ready_ && !changed && linear_ && (!on_time_ || time == time_)) return;
  if (!ready_ || changed) couplings.wall_coefficients(section_, at_wall_);
  ready_ = true;
  time_ = time;
  std::vector<LawLine> laws;
  if (linear_) {
    const LawLine sum = state_laws(time, {}, laws);
    if (moves()) {
      law_ = sum;
      for (std::size_t f = 0; f < close_.size(); ++f)
        drag_[f] = close_[f] ? section_.faces[f].area * sum.rate[f] : 0;
      move_to(moving_);
      return;
    }
    close(laws, sum);
    for (std::size_t f = 0; f < drag_.size(); ++f) drag_[f] = section_.faces[f].area * sum.rate[f];
    sum_up(sum);
    return;
  }
  // u_wall = u + resistance·q(u_wall), by Newton's method from the last wall value.
  if (y.empty()) {
    about_.clear();
  } else if (about_.size() != section_.faces.size()) {
    about_.resize(section_.faces.size());
    for (Index f = 0; f < faces(); ++f) about_[f] = y[unknown(f)];
  }
  LawLine sum(0);
  for (int n = 0; n < (y.empty() ? 1 : wall_iterations); ++n) {
    sum = state_laws(time, about_, laws);
    close(laws, sum);
    Real change = 0, size = 0;
    for (Index f = 0; !y.empty() && f < faces(); ++f) {
      const Real next = wall_value(f, y[unknown(f)]);
      change = std::max(change, std::abs(next - about_[f]));
      size = std::max(size, std::abs(next));
      about_[f] = next;
    }
    if (change <= 1e-14 * size) break;
  }
  sum_up(sum);
}

// u_wall = u + resistance·q, put into the law, gives q·(flux + value·resistance) = data − value·u.
void Closure::close(const std::vector<LawLine>& laws, const LawLine& sum) {
  const std::size_t count = section_.faces.size();
  for (auto& share : shares_) {
    share.inflow.assign(count, 0.0);
    share.pull.assign(count, 0.0);
  }
  for (std::size_t f = 0; f < count; ++f) {
    if (pinned_[f]) continue;
    const Real resistance = at_wall_.resistance[f], area = section_.faces[f].area;
    // An unknown beyond the wall that it belongs to must not turn the law around.
    const Real along = std::max(sum.flux[f] + sum.value[f] * resistance, 0.1 * sum.flux[f]);
    if (!(along > 0))
      throw InputError("an unknown lies beyond the wall '" + section_.name +
                       "' that holds it: refine the grid");
    const bool conducts = resistance < no_conduction;
    const Real alpha = conducts || sum.value[f] == 0 ? sum.data[f] / along : 0,
               beta = conducts ? sum.value[f] / along : 0;
    inflow_[f] = area * alpha;
    pull_[f] = area * beta;
    for (std::size_t c = 0; c < laws.size(); ++c) {
      if (sum.flux[f] == 0) {  // held: the only condition there is
        shares_[c].inflow[f] = inflow_[f];
        shares_[c].pull[f] = pull_[f];
      } else {
        shares_[c].inflow[f] = area * (laws[c].data[f] - laws[c].value[f] * alpha * resistance);
        shares_[c].pull[f] = area * laws[c].value[f] * (1 - beta * resistance);
      }
    }
  }
}

void Closure::sum_up(const LawLine& sum) {
  drive_ = {};
  drive_.known = true;
  drive_.steady = !on_time_;
  idle_ = true;
  for (std::size_t f = 0; f < section_.faces.size(); ++f) {
    idle_ = idle_ && inflow_[f] == 0 && pull_[f] == 0;
    // A wall that drives the unknown away from its target bounds nothing.
    drive_.known = drive_.known && pull_[f] >= 0;
    if (sum.value[f] != 0) {
      target_[f] = sum.data[f] / sum.value[f];
      // The target of a tangent moves with the state: it is no bound.
      drive_.known = drive_.known && linear_;
      drive_.lowest = std::min(drive_.lowest, target_[f]);
      drive_.highest = std::max(drive_.highest, target_[f]);
    } else {
      const Real change = section_.faces[f].area * sum.data[f] / capacities_[f];
      drive_.raising = std::max(drive_.raising, change);
      drive_.lowering = std::max(drive_.lowering, -change);
    }
  }
}

Real Closure::wall_value(Index face, Real u) const {
  if (pins(face)) return target_[face];
  // Without diffusion the wall takes nothing from beside it, and gives nothing to it but what a stream
  // carries.
  if (at_wall_.resistance[face] >= no_conduction) return section_.wall.holds() ? target_[face] : u;
  return u + at_wall_.resistance[face] * (inflow_[face] - pull_[face] * u) / section_.faces[face].area;
}

void Closure::declare(LedgerLines& lines) {
  for (const LedgerLine& line : lines_) ids_.push_back(lines.declare(line));
}

// A wall that imposes these values for the time being.
void Closure::move_to(std::span<const Real> values) {
  const std::size_t count = section_.faces.size();
  for (auto& share : shares_) {
    share.inflow.assign(count, 0.0);
    share.pull.assign(count, 0.0);
  }
  idle_ = false;
  drive_ = {};
  for (std::size_t f = 0; f < count; ++f) {
    target_[f] = values[f];
    if (pinned_[f] || close_[f]) continue;
    pull_[f] = section_.faces[f].area / at_wall_.resistance[f];
    inflow_[f] = pull_[f] * values[f];
    shares_[0].pull[f] = pull_[f];
    shares_[0].inflow[f] = inflow_[f];
  }
}

void Closure::place(std::span<const Real> values, std::span<const Real> rates, Real step,
                    const Outflow::Motion& now) {
  if (!moves()) return;
  moving_.assign(values.begin(), values.end());
  if (outflow_) {
    std::vector<Real> speed(moving_.size());
    for (std::size_t f = 0; f < speed.size(); ++f)
      speed[f] = std::sqrt(at_wall_.conductivity[f] / at_wall_.storage[f]);
    outflow_->start(speed, step, now, moving_, rates);
  }
  move_to(moving_);
}

// q + value·w + rate·dw/dt = data with q = (w − u)/resistance, all taken at the middle of the step.
void Closure::follow(Real at, Real step, const State& before, const State& after, int corners) {
  if (!moves()) return;
  if (outflow_) {
    outflow_->go_on(after, corners, moving_);
    move_to(moving_);
    return;
  }
  if (corners > 0) return;
  if (on_time_) {
    std::vector<LawLine> laws;
    law_ = state_laws(at + 0.5 * step, {}, laws);
  }
  for (Index f = 0; f < faces(); ++f) {
    if (close_[f]) {
      moving_[f] = after[unknown(f)];
      continue;
    }
    const Real spring = 1 / at_wall_.resistance[f];
    const Real u = 0.5 * (before[unknown(f)] + after[unknown(f)]), half = 0.5 * (spring + law_.value[f]);
    const Real inertia = law_.rate[f] / step;
    moving_[f] = ((inertia - half) * moving_[f] + law_.data[f] + spring * u) / (inertia + half);
  }
  move_to(moving_);
}

std::vector<Real> Closure::remember() const {
  std::vector<Real> result = moving_;
  if (outflow_) {
    const auto more = outflow_->remember();
    result.insert(result.end(), more.begin(), more.end());
  }
  return result;
}

void Closure::recall(std::span<const Real> numbers) {
  moving_.assign(numbers.begin(), numbers.begin() + static_cast<std::ptrdiff_t>(moving_.size()));
  if (outflow_) outflow_->recall(numbers.subspan(moving_.size()));
  if (ready_ && moves()) move_to(moving_);
}

}  // namespace williwaw
