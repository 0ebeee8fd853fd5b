#include "williwaw/space/closure.hpp"

#include <algorithm>
#include <cmath>

namespace williwaw {

namespace {
// Newton steps for the unknown on a wall with a nonlinear law; radiation needs three or four.
constexpr int wall_iterations = 30;
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
  for (auto* values : {&inflow_, &pull_, &target_}) values->assign(count, 0.0);
}

// Conditions on one wall add up: value and data are sums, the flux coefficient stays 1 (or 0 when held).
LawLine Closure::state_laws(Real time, std::span<const Real> about, std::vector<LawLine>& laws) const {
  const std::size_t count = section_.faces.size();
  laws.clear();
  LawLine sum(count);
  for (const auto& condition : section_.wall.conditions()) {
    LawLine& law = laws.emplace_back(count);
    condition->law({places_, time, conductivity_, about}, law);
    for (std::size_t f = 0; f < count; ++f) {
      if (law.rate[f] != 0)
        throw InputError("condition '" + condition->kind() +
                         "' needs an unknown of its own on the wall, "
                         "which diffusion does not have");
      if (!std::isfinite(law.value[f]) || !std::isfinite(law.data[f]))
        throw InputError("condition '" + condition->kind() + "' is not a finite number at time " +
                         to_text(time));
      sum.value[f] += law.value[f];
      sum.data[f] += law.data[f];
      sum.flux[f] = law.flux[f];
    }
  }
  return sum;
}

void Closure::update(const Couplings& couplings, Real time, bool changed, const State& y) {
  if (ready_ && !changed && linear_ && (!on_time_ || time == time_)) return;
  if (!ready_ || changed) couplings.wall_coefficients(section_, conductivity_, resistance_);
  ready_ = true;
  time_ = time;
  std::vector<LawLine> laws;
  if (linear_) {
    const LawLine sum = state_laws(time, {}, laws);
    close(laws, sum);
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
    const Real resistance = resistance_[f], area = section_.faces[f].area;
    // An unknown beyond the wall that it belongs to must not turn the law around.
    const Real along = std::max(sum.flux[f] + sum.value[f] * resistance, 0.1 * sum.flux[f]);
    if (!(along > 0))
      throw InputError("an unknown lies beyond the wall '" + section_.name +
                       "' that holds it: refine the grid");
    const Real alpha = sum.data[f] / along, beta = sum.value[f] / along;
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
  return u + resistance_[face] * (inflow_[face] - pull_[face] * u) / section_.faces[face].area;
}

}  // namespace williwaw
