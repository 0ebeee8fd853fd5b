// Several leapfrog steps in one pass over memory.
#include <algorithm>
#include <cmath>

#include "balance/tiled_sweep.hpp"
#include "terms/waves/wave_work.hpp"

namespace williwaw {

/// What each step of a pass works with.
struct WaveDynamics::PassLevel {
  std::shared_ptr<const Evaluation> evaluated;
  bool quiet_boundaries = false;
  std::vector<Real> ahead;  ///< what is prescribed at its end
  std::vector<PrescribedForce> prescribed;
  /// Of boundaries that follow the motion: the closures, which stand where the step before leaves them, and
  /// laws of the middle of the step. Null where none does.
  std::shared_ptr<EvaluatedBoundaryClosures> closures;
  std::vector<std::optional<LawLine>> half_way;
};

struct WaveDynamics::PassWorkspace {
  PassTiles tiles;
  std::vector<PassLevel> levels;
  std::vector<Seen> seen;  ///< the state before all steps, the one that they start from, those after each
  /// Where boundaries that follow the motion stand, by closure: at the start, and after each step.
  std::vector<std::vector<std::vector<Real>>> stood;
};

// The same of one line, while it is at hand.
void WaveDynamics::see_line(const Evaluation& evaluated, const Real* u, Index line, Seen& seen) const {
  for (std::size_t c = 0; c < seen.faces.size(); ++c) {
    if (boundaries_[c].quiet) continue;
    const BoundaryClosure& boundary = parts_.boundary->all()[c];
    for (Index f = boundary.first_of_line(line); f < boundary.first_of_line(line + 1); ++f)
      seen.faces[c][f] = u[boundary.unknown(f)];
  }
  for (auto h = fixed_->prescribed_start[line]; h < fixed_->prescribed_start[line + 1]; ++h)
    seen.prescribed[h] = u[prescribed()[h]];
  if (!parts_.points) return;
  const auto points = evaluated.of(*parts_.points).all();
  for (std::size_t p = 0; p < points.size(); ++p)
    if (points[p].unknown / grid().size(0) == line) seen.points[p] = u[points[p].unknown];
}

bool WaveDynamics::any_moves() const {
  return std::ranges::any_of(boundaries_, [](const BoundaryMemory& m) { return m.moving.has_value(); });
}

std::string WaveDynamics::why_one_by_one() const {
  const bool looks_around = std::ranges::any_of(
      boundaries_, [](const BoundaryMemory& m) { return m.moving && !m.moving->by_face(); });
  if (layer_ || looks_around || fixed_->moves_prescribed)
    return "boundaries or layers follow the motion of more than the unknown beside them from step to step";
  // What halos would have to know of them is not exchanged.
  if (any_moves() && !parts_.of.domain->box().whole())
    return "boundaries follow the motion from step to step, and ranks share the grid";
  if (parts_.wide) return "differences of order 4 look at the whole state";
  return balance_.why_not_line_by_line();
}

AtOnce WaveDynamics::at_once() {
  if (!passes_) passes_ = std::make_shared<PassWorkspace>();
  PassTiles& tiles = passes_->tiles;
  if (!tiles.chosen()) {
    SweepLoad load = balance_.load_of_sweep();
    if (!fixed().total_damping.empty()) ++load.coefficients;
    tiles.choose(*parts_.of.domain, why_one_by_one(), load);
  }
  return {tiles.levels(), 2, tiles.why_none()};
}

// Closures of a step by itself, in which boundaries that follow the motion can be put where they stand.
void WaveDynamics::own_closures(PassLevel& level, Real at, Real step) const {
  level.closures.reset();
  level.half_way.clear();
  if (!any_moves()) return;
  level.closures = std::make_shared<EvaluatedBoundaryClosures>(closures(*level.evaluated));
  const auto own = std::make_shared<Evaluation>(*level.evaluated);
  std::shared_ptr<EvaluatedTerm> term = level.closures;
  own->swap(parts_.closures.number, term);
  level.evaluated = own;
  for (std::size_t c = 0; c < boundaries_.size(); ++c)
    level.half_way.push_back(boundaries_[c].moving
                                 ? boundaries_[c].moving->half_way((*level.closures)[c], at, step)
                                 : std::nullopt);
}

// Boundaries beside a line that has just taken step n from `from` to `to`.
void WaveDynamics::follow_line(std::size_t n, Index line, Real step, const Real* from, const Real* to) {
  PassWorkspace& room = *passes_;
  for (std::size_t c = 0; c < boundaries_.size(); ++c) {
    if (!boundaries_[c].moving) continue;
    const PassLevel& level = room.levels[n];
    const EvaluatedBoundaryClosure& evaluated = (*level.closures)[c];
    const LawLine& law = level.half_way[c] ? *level.half_way[c] : evaluated.law();
    const BoundaryClosure& closure = evaluated.closure();
    for (Index f = closure.first_of_line(line); f < closure.first_of_line(line + 1); ++f) {
      const Index u = closure.unknown(f);
      const auto face = static_cast<std::size_t>(f);
      const Real value =
          boundaries_[c].moving->followed(evaluated, law, f, room.stood[n][c][face], step, from[u], to[u]);
      room.stood[n + 1][c][face] = value;
      if (n + 1 < room.levels.size()) room.levels[n + 1].closures->all()[c].stand_at(f, value);
    }
  }
}

bool WaveDynamics::leapfrog_several(State& now, State& before, const Pass& pass, State& second_last,
                                    State& last) {
  const std::size_t steps = pass.times.size();
  expect(placed_, "leapfrog_several: after prepare_leapfrog or recall");
  expect(now.size() == before.size() && now.size() == second_last.size() && now.size() == last.size() &&
             steps > 1 && static_cast<int>(steps) <= at_once().steps,
         "leapfrog_several: four states of one size, and steps for one pass");
  PassWorkspace& room = *passes_;
  const Fixed& fixed = this->fixed();
  const Real step = pass.step;
  room.levels.resize(steps);
  room.seen.resize(steps + 2);
  const bool known = balance_.data_are_numbers([&] {
    for (std::size_t s = 0; s < steps; ++s) {
      PassLevel& level = room.levels[s];
      level.evaluated = balance_.at({pass.times[s], 0, now});
      level.ahead = balance_.prescribed_at(pass.times[s] + step);
      level.prescribed.resize(prescribed().size());
      own_closures(level, pass.times[s], step);
    }
  });
  if (!known) {
    room.levels.clear();
    return false;
  }
  for (PassLevel& level : room.levels) {
    find_quiet(*level.evaluated);
    level.quiet_boundaries = std::ranges::all_of(boundaries_, &BoundaryMemory::quiet);
  }
  balance_.exchange_all(now);
  balance_.exchange_all(before);
  // What is quiet at one step may act at another one.
  for (BoundaryMemory& boundary : boundaries_) boundary.quiet = false;
  const Evaluation& first = *room.levels.front().evaluated;
  see(first, before, room.seen[0]);
  see(first, now, room.seen[1]);
  for (std::size_t s = 2; s < room.seen.size(); ++s) {
    make_room(room.seen[s]);
    room.seen[s].points.resize(room.seen[0].points.size());
  }
  room.stood.assign(any_moves() ? steps + 1 : 0, std::vector<std::vector<Real>>(boundaries_.size()));
  for (auto& values : room.stood)
    for (std::size_t c = 0; c < boundaries_.size(); ++c)
      if (boundaries_[c].moving)
        values[c].assign(boundaries_[c].moving->values().begin(), boundaries_[c].moving->values().end());
  TiledSweep& sweep = room.tiles.sweep(*parts_.of.domain, balance_.lines().size(), steps);
  make_scratch();
  const Index width = grid().size(0);
  sweep.each_line([&](int n, Index line, Index j, Index k, LineSums& sums) {
    PassLevel& level = room.levels[static_cast<std::size_t>(n)];
    const auto made_by = [&](int of) {
      return (static_cast<int>(steps) - 1 - of) % 2 == 0 ? last.data() : second_last.data();
    };
    const Real* const from = n == 0 ? now.data() : made_by(n - 1);
    Real* const to = made_by(n);
    // A step makes the next state of the one before, which the pass has to leave alone.
    if (n < 2) std::copy_n((n == 0 ? before : now).data() + width * line, width, to + width * line);
    move({*level.evaluated, from, to, step, level.quiet_boundaries}, line, j, k, sums);
    for (auto h = fixed.prescribed_start[line]; h < fixed.prescribed_start[line + 1]; ++h) {
      level.prescribed[h] = on_prescribed(*level.evaluated, h, from);
      to[prescribed()[h]] = level.ahead[h];
    }
    follow_line(static_cast<std::size_t>(n), line, step, from, to);
    see_line(*level.evaluated, to, line, room.seen[static_cast<std::size_t>(n) + 2]);
  });
  for (std::size_t s = 0; s < steps; ++s) {
    PassLevel& level = room.levels[s];
    const Evaluation& evaluated = *level.evaluated;
    Ledger& amounts = pass.amounts[s];
    amounts.clear();
    find_quiet(evaluated);
    keep_boundaries(evaluated);
    const StepSeen seen{room.seen[s], room.seen[s + 1], room.seen[s + 2]};
    Totals t = sweep.totals(static_cast<int>(s));
    sweep.book(static_cast<int>(s), 1, amounts);
    t += book_prescribed(evaluated, seen, level.prescribed, step, nullptr, nullptr, amounts);
    for (std::size_t c = 0; c < boundaries_.size(); ++c)
      if (boundaries_[c].moving) boundaries_[c].moving->stand_at(room.stood[s + 1][c]);
    stand();
    t.potential += book_boundaries(closures_later(evaluated, pass.times[s] + step), seen, step, amounts);
    book_points(evaluated, seen, amounts);
    pass.totals[s] = energies(t, 0.5 / (step * step));
    level.evaluated.reset();
    level.closures.reset();
    if (!pass.totals[s].finite()) return false;
  }
  balance_.exchange(last);
  return true;
}

}  // namespace williwaw
