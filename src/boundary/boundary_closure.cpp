#include "williwaw/boundary/boundary_closure.hpp"

#include <algorithm>
#include <cmath>

#include "williwaw/grid/expect.hpp"

namespace williwaw {

namespace {

// Between a node on the boundary and a value that limits its flux stands a layer so thin that the node meets
// the value to as many digits as an answer has.
constexpr Real skin_of_width = 1e-6;

}  // namespace

namespace {
// Newton steps for the unknown on a boundary with a nonlinear law; radiation needs three or four.
constexpr int boundary_iterations = 30, state_iterations = 60;
// Unknowns this near to a boundary that follows them, in widths, feel it themselves: between both a spring
// would be as stiff as the gap is short.
constexpr Real close_to_boundary = 0.3;
}  // namespace

BoundaryClosure::BoundaryClosure(const Grid& grid, BoundarySection section, std::vector<Real> capacities)
    : section_(std::move(section)),
      places_(static_cast<Index>(section_.faces.size())),
      capacities_(std::move(capacities)) {
  const std::size_t count = section_.faces.size();
  expect(capacities_.size() == count, "BoundaryClosure: a capacity for each face");
  const Boundary& boundary = section_.boundary;
  for (std::size_t f = 0; f < count; ++f) {
    const BoundaryFace& face = section_.faces[f];
    places_.set(static_cast<Index>(f), face.place);
    is_prescribed_.push_back(boundary.holds() && face.distance == 0 ? 1 : 0);
    prescribes_ = prescribes_ || is_prescribed_.back();
  }
  for (Index line = 0, f = 0; line <= grid.lines(); ++line) {
    while (f < faces() && unknown(f) < line * grid.size(0)) ++f;
    first_of_line_.push_back(f);
  }
  for (const auto& condition : boundary.conditions())
    lines_.push_back({section_.name + ": " + condition->kind(), LedgerLine::Kind::boundary, section_.name});
  if (const FluxLimit* limit = boundary.limit()) {
    for (const BoundaryFace& face : section_.faces)
      if (face.distance == 0 && !limit->from_above)
        throw InputError(Subject::boundary,
                         "'" + section_.name + "': " + boundary.conditions().front()->kind() +
                             " dries out a node on the surface at once, whatever lies below it: use unknowns "
                             "at cells",
                         section_.name);
    if (std::ranges::any_of(section_.faces, [](const BoundaryFace& f) { return f.distance == 0; }))
      for (const BoundaryFace& face : section_.faces)
        skin_.push_back(face.distance != 0
                            ? 0
                            : skin_of_width * grid.axis(face.axis).widths()[grid.position(
                                                  face.unknown)[static_cast<std::size_t>(face.axis)]]);
    if (!limit->surplus.empty())
      lines_.push_back({section_.name + ": " + limit->surplus, LedgerLine::Kind::boundary, section_.name});
  }
  while (boundary.advective_boundary() && !boundary.conditions()[advective_condition_]->advective_boundary())
    ++advective_condition_;
  has_rate_ = std::ranges::any_of(boundary.conditions(), [](const auto& c) { return c->has_rate(); });
  if (!has_rate_) return;
  for (const auto& condition : boundary.conditions())
    if (const Absorption* out = condition->absorption())
      absorbing_order_ = std::max(absorbing_order_, out->order);
  // Beside the boundary, or where more than the unknown on it is looked at, the boundary has values of its
  // own.
  const bool beside =
      std::ranges::any_of(section_.faces, [](const BoundaryFace& f) { return f.distance != 0; });
  if (!beside && absorbing_order_ == 1) return;
  if (section_.boundary.conditions().size() > 1)
    throw InputError(Subject::boundary,
                     "'" + section_.name + "': a condition with du/dt cannot be combined with another");
  close_.assign(count, 0);
  for (std::size_t f = 0; f < count; ++f) {
    const BoundaryFace& face = section_.faces[f];
    const Real width = grid.axis(face.axis).widths()[grid.position(face.unknown)[face.axis]];
    // On the boundary by itself an unknown follows more than what is beside it; by the condition of order 1
    // it feels the boundary, as do cells whose centres lie on an outline.
    is_prescribed_[f] = absorbing_order_ > 1 && face.distance == 0 ? 1 : 0;
    close_[f] = !is_prescribed_[f] && face.distance < close_to_boundary * width ? 1 : 0;
  }
  prescribes_ = std::ranges::any_of(is_prescribed_, [](char p) { return p != 0; });
}

bool BoundaryClosure::left_side_depends_on_time() const {
  return std::ranges::any_of(section_.boundary.conditions(),
                             [](const auto& c) { return c->left_side_depends_on_time(); });
}

std::vector<Real> BoundaryClosure::prescribed_at(const Points& places, Real time) const {
  if (!section_.boundary.holds()) return {};
  const auto count = static_cast<std::size_t>(places.size());
  const std::vector<Real> none(count, 0.0);
  LawLine law(count);
  section_.boundary.conditions().front()->law({places, time, none, none, {}}, law);
  for (std::size_t n = 0; n < count; ++n) {
    if (law.flux[n] != 0 || law.rate[n] != 0 || law.value[n] == 0) return {};
    law.data[n] /= law.value[n];
  }
  return law.data;
}

void BoundaryClosure::declare(LedgerLines& lines, const std::string& prefix, int unknown) {
  for (const LedgerLine& line : lines_) {
    LedgerLine own = line;
    own.name = prefix + own.name;
    own.unknown = unknown;
    ids_.push_back(lines.declare(std::move(own)));
  }
}

// A law times a number is the same law: the flux coefficient becomes 1, or the value's where the flux takes
// no part. Conditions on one boundary then add up: value, rate and data are sums.
LawLine EvaluatedBoundaryClosure::state_laws(Real time, std::span<const Real> about,
                                             std::vector<LawLine>& laws) const {
  const std::size_t count = section().faces.size();
  const Points& places = closure_->places();
  laws.clear();
  LawLine sum(count);
  for (const auto& condition : section().boundary.conditions()) {
    LawLine& law = laws.emplace_back(count);
    condition->law({places, time, medium_.conductivity, medium_.storage, about, medium_.conductivity_slope,
                    medium_.upward},
                   law);
    for (std::size_t f = 0; f < count; ++f) {
      if (const Real unit = law.flux[f] != 0 ? law.flux[f] : law.value[f]; unit != 0 && unit != 1)
        for (auto* coefficient : {&law.value, &law.flux, &law.rate, &law.data}) (*coefficient)[f] /= unit;
      sum.rate[f] += law.rate[f];
      if (!std::isfinite(law.value[f]) || !std::isfinite(law.data[f]))
        throw DataError(Subject::boundary, section().name,
                        "condition '" + condition->kind() + "' of '" + section().name +
                            "' is not a finite number at (" + to_text(places[static_cast<Index>(f)].x) +
                            ", " + to_text(places[static_cast<Index>(f)].y) + ", " +
                            to_text(places[static_cast<Index>(f)].z) + "), time " + to_text(time));
      sum.value[f] += law.value[f];
      sum.data[f] += law.data[f];
      sum.flux[f] = law.flux[f];
    }
  }
  return sum;
}

LawLine EvaluatedBoundaryClosure::law_at(Real time) const {
  std::vector<LawLine> laws;
  return state_laws(time, {}, laws);
}

void EvaluatedBoundaryClosure::begin() {
  const std::size_t count = section().faces.size();
  condition_flows_.resize(closure_->conditions());
  for (auto* values : {&inflow_, &pull_, &target_}) values->assign(count, 0.0);
  if (closure_->has_rate()) damping_.assign(count, 0.0);
}

void EvaluatedBoundaryClosure::update(const BoundaryMedium& medium, Real time, std::span<const Real> y,
                                      std::span<const Real> position) {
  if (conduction_ || medium.depends_on_state()) {
    ready_ = false;
    if (!conduction_) conduction_ = medium.about_state(section());
    if (condition_flows_.empty()) begin();
    follow_state(time, y);
    time_ = time;
    ready_ = true;
    return;
  }
  const bool linear = closure_->is_linear(), on_time = closure_->depends_on_time();
  const bool changed = !ready_ || stamp_ != medium.stamp();
  if (!changed && linear && (!on_time || time == time_)) {
    if (moves()) move_to(position);
    return;
  }
  if (!ready_) begin();
  // What an error leaves behind is not ready.
  ready_ = false;
  if (changed) medium.at_boundary(section(), medium_);
  std::vector<LawLine> laws;
  if (linear) {
    const LawLine sum = state_laws(time, {}, laws);
    if (moves()) {
      for (std::size_t f = 0; f < damping_.size(); ++f)
        damping_[f] = closure_->close(static_cast<Index>(f)) ? section().faces[f].area * sum.rate[f] : 0;
      move_to(position);
      law_ = sum;
    } else {
      close(laws, sum);
      for (std::size_t f = 0; f < damping_.size(); ++f) damping_[f] = section().faces[f].area * sum.rate[f];
      sum_up(sum);
    }
  } else {
    // u_boundary = u + resistance·q(u_boundary), by Newton's method from the last boundary value.
    if (y.empty()) {
      about_.clear();
    } else if (about_.size() != section().faces.size()) {
      about_.resize(section().faces.size());
      for (Index f = 0; f < faces(); ++f) about_[f] = y[unknown(f)];
    }
    LawLine sum(0);
    for (int n = 0; n < (y.empty() ? 1 : boundary_iterations); ++n) {
      sum = state_laws(time, about_, laws);
      close(laws, sum);
      Real change = 0, size = 0;
      for (Index f = 0; !y.empty() && f < faces(); ++f) {
        const Real next = boundary_value(f, y[unknown(f)]);
        change = std::max(change, std::abs(next - about_[f]));
        size = std::max(size, std::abs(next));
        about_[f] = next;
      }
      if (change <= 1e-14 * size) break;
    }
    sum_up(sum);
  }
  time_ = time;
  stamp_ = medium.stamp();
  ready_ = true;
}

// What conducts depends on the unknown beside the boundary and on it: u_boundary + rise = u +
// resistance(u, u_boundary)·q with q of the law, by Newton's method for u_boundary.
void EvaluatedBoundaryClosure::follow_state(Real time, std::span<const Real> y) {
  const std::size_t count = section().faces.size();
  State inside(count, 0.0);
  for (Index f = 0; !y.empty() && f < faces(); ++f)
    inside[static_cast<std::size_t>(f)] = y[static_cast<std::size_t>(unknown(f))];
  about_ = inside;
  std::vector<LawLine> laws;
  LawLine sum(0);
  for (int n = 0; n < state_iterations; ++n) {
    conduction_->evaluate(time, inside, about_, medium_);
    sum = state_laws(time, about_, laws);
    if (!find_boundary_values(sum, inside)) break;
  }
  close_about_state(laws, sum, inside);
  sum_up(sum);
  // What such a flux makes of the value on the boundary, by the conductivity beside it.
  for (std::size_t f = 0; f < count; ++f)
    if (sum.flux[f] != 0 && sum.value[f] == 0 && about_[f] == inside[f] &&
        medium_.resistance[f] < no_conduction)
      about_[f] = inside[f] + medium_.resistance[f] * sum.data[f] - medium_.rise[f];
  if (section().boundary.limit()) apply_limit(time, sum, inside);
}

// The flux of the law, or what the limiting value lets through: the smaller inflow where the unknown may not
// rise above that value, the larger where it may not fall below. Both are continuous in the unknown beside
// the boundary, and so is the choice.
void EvaluatedBoundaryClosure::apply_limit(Real time, const LawLine& sum, std::span<const Real> inside) {
  const FluxLimit& limit = *section().boundary.limit();
  State held(inside.size());
  limit.value.evaluate(closure_->places(), time, held);
  std::vector<Real> conductivity_inside;
  if (closure_->has_skin()) {
    conduction_->evaluate(time, inside, inside, medium_);
    conductivity_inside = medium_.conductivity;
  }
  conduction_->evaluate(time, inside, held, medium_);
  for (std::size_t f = 0; f < inside.size(); ++f) {
    if (const Real skin = closure_->skin(static_cast<Index>(f)); skin > 0) {
      medium_.resistance[f] += skin / std::max({conductivity_inside[f], medium_.conductivity[f], 1e-300});
      medium_.by_inside[f] = 0;
    }
    const Real resistance = medium_.resistance[f], area = section().faces[f].area;
    const Real offered = sum.data[f];
    Real q = offered, slope = 0;
    const Real through = (held[f] + medium_.rise[f] - inside[f]) / resistance;
    // Where the flux pulls the unknown to in the end.
    data_bounds_.lowest = std::min(data_bounds_.lowest, held[f]);
    data_bounds_.highest = std::max(data_bounds_.highest, held[f]);
    if (limit.from_above ? through < offered : through > offered) {
      q = through;
      slope = -(1 + q * medium_.by_inside[f]) / resistance;
      about_[f] = held[f];
    } else {
      about_[f] = limit.from_above ? std::min(about_[f], held[f]) : std::max(about_[f], held[f]);
    }
    pull_[f] = -area * slope;
    inflow_[f] = area * q + pull_[f] * inside[f];
    idle_ = idle_ && inflow_[f] == 0 && pull_[f] == 0 && offered == 0;
    condition_flows_[0].inflow[f] = inflow_[f];
    condition_flows_[0].pull[f] = pull_[f];
    if (condition_flows_.size() == 1) continue;
    // What falls, and what of it runs off.
    condition_flows_[0].inflow[f] = area * offered;
    condition_flows_[0].pull[f] = 0;
    condition_flows_[1].inflow[f] = inflow_[f] - area * offered;
    condition_flows_[1].pull[f] = pull_[f];
  }
}

// One step of Newton's method for the values on the boundary; false once they stay.
bool EvaluatedBoundaryClosure::find_boundary_values(const LawLine& sum, std::span<const Real> inside) {
  bool moved = false;
  // A flux that does not ask for the value on the boundary need not know it.
  const bool asked = !closure_->is_linear() && !section().boundary.limit();
  for (std::size_t f = 0; f < about_.size(); ++f) {
    Real next = about_[f];
    if (sum.flux[f] != 0 && sum.value[f] == 0 && !asked) continue;
    if (sum.flux[f] == 0) {
      next = sum.data[f] / sum.value[f];
    } else if (medium_.resistance[f] < no_conduction && medium_.resistance[f] > 0) {
      const Real q = sum.data[f] - sum.value[f] * about_[f];
      const Real lacking = about_[f] + medium_.rise[f] - inside[f] - medium_.resistance[f] * q;
      const Real slope = 1 - medium_.by_boundary[f] * q + medium_.resistance[f] * sum.value[f];
      // A flux that no value on the boundary lets through is told of by its value, which then runs away.
      next -= lacking / std::max(slope, 0.1);
    }
    moved = moved || std::abs(next - about_[f]) > 1e-14 * std::max(std::abs(next), std::abs(inside[f]));
    about_[f] = next;
  }
  return moved;
}

// The tangent of the flow to the unknown beside: with the law's own, q' = −value·u_boundary', and
// u_boundary' = 1 + resistance·q' + q·(resistance by u + resistance by u_boundary·u_boundary').
void EvaluatedBoundaryClosure::close_about_state(const std::vector<LawLine>& laws, const LawLine& sum,
                                                 std::span<const Real> inside) {
  for (auto& part : condition_flows_) {
    part.inflow.assign(about_.size(), 0.0);
    part.pull.assign(about_.size(), 0.0);
  }
  const auto put = [&](std::size_t f, Real q, Real slope, Real& inflow, Real& pull) {
    const Real area = section().faces[f].area;
    pull = -area * slope;
    inflow = area * q + pull * inside[f];
  };
  for (std::size_t f = 0; f < about_.size(); ++f) {
    if (closure_->prescribes(static_cast<Index>(f))) continue;
    const Real resistance = medium_.resistance[f];
    const bool conducts = resistance < no_conduction;
    if (sum.flux[f] == 0) {
      if (!conducts) continue;
      const Real q = (about_[f] + medium_.rise[f] - inside[f]) / resistance;
      put(f, q, -(1 + q * medium_.by_inside[f]) / resistance, condition_flows_[0].inflow[f],
          condition_flows_[0].pull[f]);
    } else {
      const Real q = sum.data[f] - sum.value[f] * about_[f];
      const Real below = 1 - q * medium_.by_boundary[f] + resistance * sum.value[f];
      const Real follows = conducts            ? (1 + q * medium_.by_inside[f]) / std::max(below, 0.1)
                           : sum.value[f] == 0 ? 1.0
                                               : 0.0;
      for (std::size_t c = 0; c < laws.size(); ++c)
        put(f, laws[c].data[f] - laws[c].value[f] * about_[f], -laws[c].value[f] * follows,
            condition_flows_[c].inflow[f], condition_flows_[c].pull[f]);
    }
    inflow_[f] = pull_[f] = 0;
    for (const auto& part : condition_flows_) {
      inflow_[f] += part.inflow[f];
      pull_[f] += part.pull[f];
    }
  }
}

// u_boundary = u + resistance·q, put into the law, gives q·(flux + value·resistance) = data − value·u.
void EvaluatedBoundaryClosure::close(const std::vector<LawLine>& laws, const LawLine& sum) {
  const std::size_t count = section().faces.size();
  for (auto& part : condition_flows_) {
    part.inflow.assign(count, 0.0);
    part.pull.assign(count, 0.0);
  }
  for (std::size_t f = 0; f < count; ++f) {
    if (closure_->prescribes(static_cast<Index>(f))) continue;
    const Real resistance = medium_.resistance[f], area = section().faces[f].area;
    // An unknown beyond the boundary that it belongs to must not turn the law around.
    const Real along = std::max(sum.flux[f] + sum.value[f] * resistance, 0.1 * sum.flux[f]);
    if (!(along > 0))
      throw InputError(Subject::boundary, "an unknown lies beyond the boundary '" + section().name +
                                              "' that prescribes it: refine the grid");
    const bool conducts = resistance < no_conduction;
    const Real alpha = conducts || sum.value[f] == 0 ? sum.data[f] / along : 0,
               beta = conducts ? sum.value[f] / along : 0;
    inflow_[f] = area * alpha;
    pull_[f] = area * beta;
    for (std::size_t c = 0; c < laws.size(); ++c) {
      if (sum.flux[f] == 0) {  // prescribed: the only condition there is
        condition_flows_[c].inflow[f] = inflow_[f];
        condition_flows_[c].pull[f] = pull_[f];
      } else {
        condition_flows_[c].inflow[f] = area * (laws[c].data[f] - laws[c].value[f] * alpha * resistance);
        condition_flows_[c].pull[f] = area * laws[c].value[f] * (1 - beta * resistance);
      }
    }
  }
}

void EvaluatedBoundaryClosure::sum_up(const LawLine& sum) {
  data_bounds_ = {};
  data_bounds_.known = true;
  data_bounds_.steady = !closure_->depends_on_time();
  idle_ = true;
  for (std::size_t f = 0; f < section().faces.size(); ++f) {
    idle_ = idle_ && inflow_[f] == 0 && pull_[f] == 0;
    // A limited flux is not known before the state is.
    data_bounds_.known = data_bounds_.known && !section().boundary.limit();
    // A boundary that drives the unknown away from its target bounds nothing.
    data_bounds_.known = data_bounds_.known && pull_[f] >= 0;
    if (sum.value[f] != 0) {
      target_[f] = sum.data[f] / sum.value[f];
      // The target of a tangent moves with the state: it is no bound.
      data_bounds_.known = data_bounds_.known && closure_->is_linear();
      data_bounds_.lowest = std::min(data_bounds_.lowest, target_[f]);
      data_bounds_.highest = std::max(data_bounds_.highest, target_[f]);
    } else {
      const Real change = section().faces[f].area * sum.data[f] / closure_->capacity(static_cast<Index>(f));
      data_bounds_.raising = std::max(data_bounds_.raising, change);
      data_bounds_.lowering = std::max(data_bounds_.lowering, -change);
    }
  }
}

Real EvaluatedBoundaryClosure::boundary_value(Index face, Real u) const {
  if (prescribes(face)) return target_[face];
  // Without diffusion the boundary takes nothing from beside it, and gives nothing to it but what advection
  // carries.
  if (medium_.resistance[face] >= no_conduction) return section().boundary.holds() ? target_[face] : u;
  if (conduction_) return about_[face];
  return u + medium_.resistance[face] * (inflow_[face] - pull_[face] * u) / section().faces[face].area;
}

// A boundary that imposes these values for the time being.
void EvaluatedBoundaryClosure::move_to(std::span<const Real> values) {
  const std::size_t count = section().faces.size();
  for (auto& part : condition_flows_) {
    part.inflow.assign(count, 0.0);
    part.pull.assign(count, 0.0);
  }
  idle_ = false;
  data_bounds_ = {};
  for (std::size_t f = 0; f < count; ++f) {
    stand_at(static_cast<Index>(f), values[f]);
    condition_flows_[0].pull[f] = pull_[f];
  }
}

void EvaluatedBoundaryClosure::stand_at(Index face, Real value) {
  const auto f = static_cast<std::size_t>(face);
  target_[f] = value;
  if (closure_->prescribes(face) || closure_->close(face)) return;
  pull_[f] = section().faces[f].area / medium_.resistance[f];
  inflow_[f] = pull_[f] * value;
  condition_flows_[0].inflow[f] = inflow_[f];
}

}  // namespace williwaw
