// What boundaries do to a wave from one leapfrog step to the next: where they stand, what they prescribe, the
// work they do.
#include <algorithm>
#include <cmath>

#include "domain/lines.hpp"
#include "terms/waves/wave_dynamics.hpp"

namespace williwaw {

// What appears in control volume n, reactions left out.
Real WaveDynamics::source_on(const Evaluation& now, Index n) const {
  Real source = now.of(parts_.source).amount(n, parts_.storage->volume(n));
  if (parts_.points)
    for (const auto& point : now.of(*parts_.points).all())
      if (point.unknown == n) source += point.rate;
  return source;
}

// Everything that acts on a prescribed unknown besides its neighbours and the boundary that holds it.
Real WaveDynamics::force_on_prescribed(const Evaluation& now, std::size_t prescribed, Real u) const {
  const Index n = this->prescribed()[prescribed];
  Real force = now.of(parts_.source).amount(n, parts_.storage->volume(n));
  for (std::size_t p = fixed_->first_push[prescribed]; p < fixed_->first_push[prescribed + 1]; ++p) {
    const Push& push = fixed_->pushes[p];
    const EvaluatedBoundaryClosure& boundary = closures(now)[push.closure];
    force += boundary.inflow(push.face) - boundary.pull(push.face) * u;
  }
  if (parts_.points)
    for (const auto& point : now.of(*parts_.points).all())
      if (point.unknown == n) force += point.rate;
  return force;
}

// Where a boundary that imposes its value holds the unknown beside it.
Real WaveDynamics::anchor_of(const EvaluatedBoundaryClosure& boundary, Index f) {
  return boundary.imposes() && boundary.pull(f) != 0 ? boundary.inflow(f) / boundary.pull(f) : 0;
}

// How stiff a boundary holds the unknown beside it; differences of order 4 have that in their own forces.
Real WaveDynamics::spring(const EvaluatedBoundaryClosure& boundary, Index f) const {
  return parts_.wide ? 0 : boundary.pull(f);
}

// Boundaries at which nothing acts, on any rank: what another rank has to book is booked by all.
void WaveDynamics::find_quiet(const Evaluation& evaluated) {
  std::vector<Real> acts(boundaries_.size());
  for (std::size_t c = 0; c < acts.size(); ++c) {
    const EvaluatedBoundaryClosure& boundary = closures(evaluated)[c];
    const bool quiet = boundary.faces() == 0 || (boundary.idle() && !boundary.damps() && !boundary.imposes());
    acts[c] = quiet ? 0 : 1;
  }
  parts_.of.domain->box().communicator().highest(acts);
  for (std::size_t c = 0; c < acts.size(); ++c) boundaries_[c].quiet = acts[c] == 0;
}

void WaveDynamics::keep_boundaries(const Evaluation& evaluated) {
  for (std::size_t c = 0; c < boundaries_.size(); ++c) {
    const EvaluatedBoundaryClosure& boundary = closures(evaluated)[c];
    BoundaryMemory& m = boundaries_[c];
    const auto faces = static_cast<std::size_t>(boundary.faces());
    if (m.quiet) continue;
    m.pull.resize(faces);
    m.anchor.resize(faces);
    m.inflow.resize(boundary.conditions());
    for (auto& of_condition : m.inflow) of_condition.resize(faces);
    for (Index f = 0; f < boundary.faces(); ++f) {
      m.pull[f] = spring(boundary, f);
      m.anchor[f] = anchor_of(boundary, f);
      for (std::size_t k = 0; k < m.inflow.size(); ++k) m.inflow[k][f] = boundary.flow_of(k, f, 0);
    }
  }
}

WaveDynamics::PrescribedForce WaveDynamics::on_prescribed(const Evaluation& evaluated, std::size_t h,
                                                          const Real* now) const {
  const Index n = prescribed()[h];
  const Real pair = pair_force(evaluated, now, n);
  return {pair, pair + force_on_prescribed(evaluated, h, now[n])};
}

void WaveDynamics::make_room(Seen& seen) const {
  const auto& all = parts_.boundary->all();
  seen.faces.resize(all.size());
  for (std::size_t c = 0; c < all.size(); ++c) seen.faces[c].resize(static_cast<std::size_t>(all[c].faces()));
  seen.prescribed.resize(prescribed().size());
}

void WaveDynamics::see(const Evaluation& evaluated, const State& u, Seen& seen) const {
  make_room(seen);
  for (std::size_t c = 0; c < seen.faces.size(); ++c) {
    if (boundaries_[c].quiet) continue;
    const BoundaryClosure& boundary = parts_.boundary->all()[c];
    for (Index f = 0; f < boundary.faces(); ++f) seen.faces[c][f] = u[boundary.unknown(f)];
  }
  for (std::size_t h = 0; h < prescribed().size(); ++h) seen.prescribed[h] = u[prescribed()[h]];
  seen.points.clear();
  if (parts_.points)
    for (const auto& point : evaluated.of(*parts_.points).all())
      seen.points.push_back(point.unknown < 0 ? 0 : u[point.unknown]);
}

// Boundaries that follow the motion, then what they hold: those on edges and corners after the faces between
// them.
void WaveDynamics::follow_boundaries(const Evaluation& evaluated, const State& now, State& after, Real at,
                                     Real step) {
  parts_.of.domain->exchange(after);
  for (int corners = 0; corners < grid().dimension(); ++corners) {
    for (std::size_t c = 0; c < boundaries_.size(); ++c)
      if (boundaries_[c].moving)
        boundaries_[c].moving->follow(closures(evaluated)[c], at, step, now, after, corners);
    stand();
    balance_.prescribe(at + step, after);
    if (!fixed_->moves_prescribed) break;
  }
}

// Those at the end of a step, beside those at its start.
const EvaluatedBoundaryClosures& WaveDynamics::closures_later(const Evaluation& now, Real time) {
  parts_.boundary->evaluate({time}, now, later_);
  return static_cast<const EvaluatedBoundaryClosures&>(*later_);
}

// Forces are those at `now`, anchors those before, at, and after it. The result is what springs of boundaries
// hold half-way between `now` and `after`, twice.
Real WaveDynamics::book_boundaries(const EvaluatedBoundaryClosures& later, const StepSeen& seen, Real step,
                                   Ledger& amounts) {
  Real springs = 0;
  for (std::size_t c = 0; c < boundaries_.size(); ++c) {
    const EvaluatedBoundaryClosure& boundary = later[c];
    BoundaryMemory& m = boundaries_[c];
    if (m.quiet) continue;
    std::vector<BoxSum<Real>> booked(boundary.conditions(), BoxSum<Real>(*parts_.of.domain));
    BoxSum<Real> stored(*parts_.of.domain);
    for (Index f = 0; f < boundary.faces(); ++f) {
      const Index n = boundary.unknown(f);
      const Real now = seen.now.faces[c][f], after = seen.after.faces[c][f];
      const Real moved = 0.5 * (after - seen.before.faces[c][f]);
      if (m.pull[f] != 0 && boundary.imposes()) {
        const Real next = anchor_of(boundary, f);
        booked[0].leaf(n) += m.pull[f] * (m.anchor[f] - now) * 0.5 * (next - m.anchor_before[f]);
        stored.leaf(n) += m.pull[f] * (now - m.anchor[f]) * (after - next);
        m.anchor_before[f] = m.anchor[f];
      } else {
        for (std::size_t k = 0; k < m.inflow.size(); ++k) booked[k].leaf(n) += m.inflow[k][f] * moved;
        stored.leaf(n) += m.pull[f] * now * after;
      }
      if (const Real d = boundary.damping(f); d != 0) booked[0].leaf(n) -= d * moved * moved / step;
    }
    for (std::size_t k = 0; k < booked.size(); ++k) amounts[boundary.line(k)] += booked[k].sum();
    springs += stored.sum();
  }
  return springs;
}

void WaveDynamics::book_points(const Evaluation& now, const StepSeen& seen, Ledger& amounts) const {
  for (std::size_t p = 0; p < seen.after.points.size(); ++p) {
    const auto& point = now.of(*parts_.points).all()[p];
    BoxSum<Real> by_owner(*parts_.of.domain);
    if (point.unknown >= 0)
      by_owner.leaf(point.unknown) = point.rate * 0.5 * (seen.after.points[p] - seen.before.points[p]);
    const Real work = by_owner.sum();
    amounts[point.line] += work;
    // The sweep has counted points among the sources.
    amounts[parts_.source_term->line()] -= work;
  }
}

// The result are sums as those of a step, over prescribed unknowns.
Totals WaveDynamics::book_prescribed(const Evaluation& evaluated, const StepSeen& seen,
                                     std::span<const PrescribedForce> forces, Real step,
                                     const State* correction, const State* data, Ledger& amounts) const {
  BoxSum<Totals> all(*parts_.of.domain);
  BoxSum<Real> driven(*parts_.of.domain), damped(*parts_.of.domain);
  std::vector<Real> worked(forces.size());
  const Fixed& fixed = *fixed_;
  for (std::size_t h = 0; h < forces.size(); ++h) {
    const Index n = prescribed()[h];
    const Real before = seen.before.prescribed[h], now = seen.now.prescribed[h],
               after = seen.after.prescribed[h];
    const Real c = capacity(n), damping = fixed.total_damping.empty() ? 0 : fixed.total_damping[n],
               moved = 0.5 * (after - before);
    const Real first = correction ? (*correction)[n] : 0, second = data ? (*data)[n] : 0;
    const Real missing = c * (after - 2 * now + before) / (step * step) + damping * moved / step -
                         forces[h].all - first - second;
    worked[h] = missing * moved;
    Totals& sums = all.leaf(n);
    sums.kinetic += c * (after - now) * (after - now);
    sums.potential -= after * (forces[h].pair + first);
    sums.see(after, parts_.storage->volume(n));
    if (!fixed.damping.empty()) damped.leaf(n) -= fixed.damping[n] * moved * moved / step;
    driven.leaf(n) += (source_on(evaluated, n) + second) * moved;
  }
  parts_.boundary->book_prescribed(worked, amounts);
  amounts[parts_.wave_lines.damping] += damped.sum();
  amounts[parts_.source_term->line()] += driven.sum();
  return all.sum();
}

// The result is the evaluation with boundaries where they stand then.
std::shared_ptr<const Evaluation> WaveDynamics::place_boundaries(const State& now, const State& v, Real at,
                                                                 Real step) {
  const Problem& problem = *parts_.problem;
  auto evaluated = balance_.at({at, 0, now});
  const bool again = placed_;
  placed_ = true;
  std::vector<std::vector<Real>> rates(boundaries_.size());
  State acceleration, jerk;
  if (std::ranges::any_of(boundaries_, [](const BoundaryMemory& m) { return m.moving.has_value(); }))
    for (auto [of, to] : {std::pair(&now, &acceleration), std::pair(&v, &jerk)}) {
      pair_forces(*evaluated, *of, *to);
      for (Index n = 0; n < grid().count(); ++n)
        (*to)[n] = parts_.outline().active(n) ? (*to)[n] / capacity(n) : 0;
    }
  for (std::size_t c = 0; c < boundaries_.size(); ++c) {
    if (!boundaries_[c].moving) continue;
    MovingBoundary& moving = *boundaries_[c].moving;
    const EvaluatedBoundaryClosure& boundary = closures(*evaluated)[c];
    const auto faces = static_cast<std::size_t>(boundary.faces());
    std::vector<Real> values(faces);
    rates[c].resize(faces);
    if (again) {
      values.assign(moving.values().begin(), moving.values().end());
      for (std::size_t f = 0; f < faces; ++f) rates[c][f] = v[boundary.unknown(static_cast<Index>(f))];
    } else {
      problem.initial.evaluate(boundary.closure().places(), at, values);
      problem.initial_rate.evaluate(boundary.closure().places(), at, rates[c]);
    }
    moving.place(values, rates[c], step, {now, v, acceleration, jerk}, boundary.medium());
  }
  stand();
  evaluated = balance_.at({at, 0, now});
  // Anchors a step earlier, as far back as they will be ahead.
  const EvaluatedBoundaryClosures& later = closures_later(*evaluated, at + step);
  for (std::size_t c = 0; c < boundaries_.size(); ++c) {
    const EvaluatedBoundaryClosure& boundary = closures(*evaluated)[c];
    auto& earlier = boundaries_[c].anchor_before;
    earlier.assign(static_cast<std::size_t>(boundary.faces()), 0.0);
    for (Index f = 0; f < boundary.faces(); ++f) {
      const auto place = static_cast<std::size_t>(f);
      earlier[place] = boundaries_[c].moving ? boundaries_[c].moving->values()[place] - step * rates[c][place]
                                             : 2 * anchor_of(boundary, f) - anchor_of(later[c], f);
    }
  }
  return evaluated;
}

}  // namespace williwaw
