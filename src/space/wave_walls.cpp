// What walls do to a wave from one leap to the next: where they stand, what they hold, the work they do.
#include <algorithm>
#include <cmath>

#include "diffusion_sweep.hpp"
#include "wave_motion.hpp"

namespace williwaw {

// Everything that acts on a held unknown besides its neighbours and the wall that holds it.
Real WaveMotion::push_on_held(std::size_t held, Real u) const {
  const Index n = balance_.held_[held];
  Real force = balance_.source_.empty() ? balance_.source_density_ * balance_.couplings_.volume(n)
                                        : balance_.source_[n];
  for (std::size_t p = first_push_[held]; p < first_push_[held + 1]; ++p) {
    const Closure& wall = balance_.closures_[pushes_[p].closure];
    force += wall.inflow(pushes_[p].face) - wall.pull(pushes_[p].face) * u;
  }
  for (const auto& point : balance_.points_)
    if (point.unknown == n) force += point.rate;
  return force;
}

// Where a wall that imposes its value holds the unknown beside it.
Real WaveMotion::anchor_of(const Closure& wall, Index f) const {
  return wall.imposes() && wall.pull(f) != 0 ? wall.inflow(f) / wall.pull(f) : 0;
}

// How stiff a wall holds the unknown beside it; differences of order 4 have that in their own forces.
Real WaveMotion::spring(const Closure& wall, Index f) const {
  return balance_.wide_ ? 0 : wall.pull(f);
}

void WaveMotion::keep_walls(const State& now, const State& before) {
  for (std::size_t c = 0; c < walls_.size(); ++c) {
    const Closure& wall = balance_.closures_[c];
    WallMemory& m = walls_[c];
    const auto faces = static_cast<std::size_t>(wall.faces());
    m.quiet = wall.faces() == 0 || (wall.idle() && !wall.drags() && !wall.imposes());
    if (m.quiet) continue;
    m.beside.resize(faces);
    m.pull.resize(faces);
    m.anchor.resize(faces);
    m.inflow.resize(wall.conditions());
    for (auto& of_condition : m.inflow) of_condition.resize(faces);
    for (Index f = 0; f < wall.faces(); ++f) {
      m.beside[f] = before[wall.unknown(f)];
      m.pull[f] = spring(wall, f);
      m.anchor[f] = anchor_of(wall, f);
      for (std::size_t k = 0; k < m.inflow.size(); ++k) m.inflow[k][f] = wall.flow_of(k, f, 0);
    }
  }
  held_.resize(balance_.held_.size());
  const DiffusionBalance::Sweep sweep(balance_, now, Parts::all());
  for (std::size_t h = 0; h < held_.size(); ++h) {
    const Index n = balance_.held_[h];
    const Real pair = pair_force(sweep, n);
    held_[h] = {before[n], pair, pair + push_on_held(h, now[n])};
  }
  points_before_.clear();
  for (const auto& point : balance_.points_) points_before_.push_back(before[point.unknown]);
}

// Walls that follow the motion, then what they hold: those on edges and corners after the faces between them.
void WaveMotion::follow_walls(const State& now, State& after, Real at, Real step) {
  for (int corners = 0; corners < balance_.grid().rank(); ++corners) {
    for (auto& wall : balance_.closures_) wall.follow(at, step, now, after, corners);
    if (!balance_.held_.empty()) balance_.pin(at + step, after);
    if (std::ranges::none_of(balance_.closures_, [](const Closure& c) { return c.moves() && c.pins(); }))
      break;
  }
  for (auto& wall : balance_.closures_) wall.update(balance_.couplings_, at + step, false, State());
}

// Forces are those at `now`, anchors those before, at, and after it. The result is what springs of walls
// hold half-way between `now` and `after`, twice.
Real WaveMotion::book_walls(const State& now, const State& after, Real step, Ledger& amounts) {
  Real springs = 0;
  for (std::size_t c = 0; c < walls_.size(); ++c) {
    const Closure& wall = balance_.closures_[c];
    WallMemory& m = walls_[c];
    if (m.quiet) continue;
    std::vector<TreeSum<Real>> booked(wall.conditions());
    TreeSum<Real> stored;
    for (Index f = 0; f < wall.faces(); ++f) {
      const Index n = wall.unknown(f), at = leaf(n);
      const Real moved = 0.5 * (after[n] - m.beside[f]);
      if (m.pull[f] != 0 && wall.imposes()) {
        const Real next = anchor_of(wall, f);
        booked[0].leaf(at) += m.pull[f] * (m.anchor[f] - now[n]) * 0.5 * (next - m.anchor_before[f]);
        stored.leaf(at) += m.pull[f] * (now[n] - m.anchor[f]) * (after[n] - next);
        m.anchor_before[f] = m.anchor[f];
      } else {
        for (std::size_t k = 0; k < m.inflow.size(); ++k) booked[k].leaf(at) += m.inflow[k][f] * moved;
        stored.leaf(at) += m.pull[f] * now[n] * after[n];
      }
      if (const Real d = wall.drag(f); d != 0) booked[0].leaf(at) -= d * moved * moved / step;
    }
    for (std::size_t k = 0; k < booked.size(); ++k) amounts[wall.line(k)] += booked[k].sum();
    springs += stored.sum();
  }
  for (std::size_t p = 0; p < points_before_.size(); ++p) {
    const auto& point = balance_.points_[p];
    const Real work = point.rate * 0.5 * (after[point.unknown] - points_before_[p]);
    amounts[point.line] += work;
    // The sweep has counted points among the sources.
    amounts[balance_.source_line_] -= work;
  }
  return springs;
}

// The result are sums as those of a leap, over held unknowns.
Totals WaveMotion::book_held(const State& now, const State& after, Real step, const State* correction,
                             const State* data, Ledger& amounts) const {
  TreeSum<Totals> all;
  TreeSum<Real> driven, damped;
  std::vector<Real> worked(held_.size());
  for (std::size_t h = 0; h < held_.size(); ++h) {
    const Index n = balance_.held_[h], at = leaf(n);
    const HeldMemory& m = held_[h];
    const Real c = capacity(n), drag = drag_.empty() ? 0 : drag_[n], moved = 0.5 * (after[n] - m.before);
    const Real first = correction ? (*correction)[n] : 0, second = data ? (*data)[n] : 0;
    const Real missing = c * (after[n] - 2 * now[n] + m.before) / (step * step) + drag * moved / step -
                         m.force - first - second;
    worked[h] = missing * moved;
    Totals& sums = all.leaf(at);
    sums.kinetic += c * (after[n] - now[n]) * (after[n] - now[n]);
    sums.potential -= after[n] * (m.pair + first);
    sums.see(after[n], balance_.couplings_.volume(n));
    if (!damping_.empty()) damped.leaf(at) -= damping_[n] * moved * moved / step;
    Real source = balance_.source_.empty() ? balance_.source_density_ * balance_.couplings_.volume(n)
                                           : balance_.source_[n];
    for (const auto& point : balance_.points_)
      if (point.unknown == n) source += point.rate;
    driven.leaf(at) += (source + second) * moved;
  }
  balance_.book_each_held([&](std::size_t h) { return worked[h]; }, amounts);
  amounts[damping_line_] += damped.sum();
  amounts[balance_.source_line_] += driven.sum();
  return all.sum();
}

void WaveMotion::place_walls(const State& now, const State& v, Real at, Real step) {
  const Problem& problem = balance_.problem_;
  const bool again = placed_ && walls_.size() == balance_.closures_.size();
  placed_ = true;
  std::vector<std::vector<Real>> rates(balance_.closures_.size());
  State acceleration, jerk;
  if (std::ranges::any_of(balance_.closures_, &Closure::moves))
    for (auto [of, to] : {std::pair(&now, &acceleration), std::pair(&v, &jerk)}) {
      pair_forces(*of);
      *to = pair_;
      for (Index n = 0; n < balance_.grid().count(); ++n)
        (*to)[n] = balance_.outline_.active(n) ? (*to)[n] / capacity(n) : 0;
    }
  for (std::size_t c = 0; c < balance_.closures_.size(); ++c) {
    Closure& wall = balance_.closures_[c];
    if (!wall.moves()) continue;
    const auto faces = static_cast<std::size_t>(wall.faces());
    std::vector<Real> values(faces);
    rates[c].resize(faces);
    if (again) {
      values.assign(wall.moving().begin(), wall.moving().end());
      for (std::size_t f = 0; f < faces; ++f) rates[c][f] = v[wall.unknown(static_cast<Index>(f))];
    } else {
      problem.initial.evaluate(wall.places(), at, values);
      problem.initial_rate.evaluate(wall.places(), at, rates[c]);
    }
    wall.place(values, rates[c], step, {now, v, acceleration, jerk});
  }
  walls_.resize(balance_.closures_.size());
  // Anchors a step earlier, as far back as they will be ahead.
  for (std::size_t c = 0; c < walls_.size(); ++c) {
    Closure& wall = balance_.closures_[c];
    auto& earlier = walls_[c].anchor_before;
    earlier.assign(static_cast<std::size_t>(wall.faces()), 0.0);
    for (Index f = 0; f < wall.faces(); ++f)
      earlier[f] = wall.moves() ? wall.moving()[f] - step * rates[c][f] : 2 * anchor_of(wall, f);
    if (wall.moves()) continue;
    wall.update(balance_.couplings_, at + step, false, State());
    for (Index f = 0; f < wall.faces(); ++f) earlier[f] -= anchor_of(wall, f);
    wall.update(balance_.couplings_, at, false, State());
  }
}

}  // namespace williwaw
