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
};

struct WaveDynamics::PassWorkspace {
  PassTiles tiles;
  std::vector<PassLevel> levels;
  std::vector<Seen> seen;  ///< the state before all steps, the one that they start from, those after each
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

std::string WaveDynamics::why_one_by_one() const {
  if (layer_ ||
      std::ranges::any_of(boundaries_, [](const BoundaryMemory& m) { return m.moving.has_value(); }))
    return "boundaries or layers follow the motion from step to step";
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
    t.potential += book_boundaries(closures_later(evaluated, pass.times[s] + step), seen, step, amounts);
    book_points(evaluated, seen, amounts);
    pass.totals[s] = energies(t, 0.5 / (step * step));
    level.evaluated.reset();
    if (!pass.totals[s].finite()) return false;
  }
  balance_.exchange(last);
  return true;
}

}  // namespace williwaw
