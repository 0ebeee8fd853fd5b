// Several steps of explicit Euler in one pass over memory.
#include <algorithm>

#include "balance/pass_workspace.hpp"
#include "balance/sweep.hpp"

namespace williwaw {

std::string TermBalance::why_not_line_by_line() const {
  if (!domain().box().whole() && domain().box().further() == 0)
    return "halos of boxes are for one step, since the boxes are narrow or nothing else was asked for";
  const auto any = [&](bool Needs::*need) {
    return std::ranges::any_of(terms_, [need](const auto& term) { return term->needs().*need; });
  };
  if (arranged_.grids.size() > 1 || any(&Needs::about_state))
    return "coefficients, advection or boundaries look at the whole state";
  if (any(&Needs::laid_out_anew)) return "a source or a coefficient changes everywhere from step to step";
  return "";
}

SweepLoad TermBalance::load_of_sweep() const {
  SweepLoad load{1, 2 * static_cast<int>(unknowns_.size()), 0};
  for (const auto& term : terms_) {
    const Needs needs = term->needs();
    load.reach = std::max(load.reach, Index{needs.halo});
    load.coefficients += needs.coefficients;
  }
  return load;
}

TermBalance::PassWorkspace& TermBalance::passes() {
  if (!passes_) passes_ = std::make_shared<PassWorkspace>();
  return *passes_;
}

AtOnce TermBalance::at_once() {
  PassTiles& tiles = passes().tiles;
  if (!tiles.chosen())
    tiles.choose(domain(), steps_fused() ? why_not_line_by_line() : AtOnce().why_one_by_one, load_of_sweep());
  return {tiles.levels(), 2, tiles.why_none()};
}

bool TermBalance::advance_several(State& y, const Pass& pass, State& before, State& last) {
  const std::size_t steps = pass.times.size();
  expect(&y != &before && &y != &last && &before != &last && y.size() == before.size() &&
             y.size() == last.size() && static_cast<Index>(y.size()) == arranged_.layout.size(),
         "advance_several: three states of the balance's size");
  expect(pass.amounts.size() == steps && pass.totals.size() == steps,
         "advance_several: ledger and totals of each step");
  expect(steps > 0 && static_cast<int>(steps) <= at_once().steps, "advance_several: steps for one pass");
  PassWorkspace& room = passes();
  room.levels.resize(steps);
  const bool known = data_are_numbers([&] {
    for (std::size_t s = 0; s < steps; ++s) {
      PassWorkspace::Level& level = room.levels[s];
      level.now = at({pass.times[s], pass.step, y});
      level.ahead = prescribed_at(pass.times[s] + pass.step);
      level.missing.resize(arranged_.prescribed.size());
      find_acting(0, *level.now, true, level.acting);
    }
  });
  if (!known) {
    room.levels.clear();
    return false;
  }
  exchange_all(y);
  make_workspace(0, 0);
  TiledSweep& sweep = room.tiles.sweep(domain(), lines_.size(), steps);
  sweep.each_line([&](int n, Index number, Index j, Index k, LineSums& sums) {
    PassWorkspace::Level& level = room.levels[static_cast<std::size_t>(n)];
    const auto made_by = [&](int of) {
      return (static_cast<int>(steps) - 1 - of) % 2 == 0 ? last.data() : before.data();
    };
    step_line(0,
              {*level.now, level.acting, n == 0 ? y.data() : made_by(n - 1), made_by(n), pass.step,
               level.ahead, level.missing},
              number, j, k, sums);
  });
  for (std::size_t s = 0; s < steps; ++s) {
    PassWorkspace::Level& level = room.levels[s];
    Ledger& amounts = pass.amounts[s];
    pass.totals[s] = sweep.totals(static_cast<int>(s));
    // Whatever went wrong is found by single steps, which know the state before.
    if (!pass.totals[s].finite()) return false;
    amounts.clear();
    sweep.book(static_cast<int>(s), pass.step, amounts);
    // Nothing that is known as a whole depends on the state.
    for (std::size_t t = 0; t < level.now->size(); ++t)
      (*level.now)[t].book(*level.now, {}, Parts::all(), pass.step, amounts);
    book_missing(level.missing, amounts);
    level.now.reset();
  }
  exchange(last);
  return true;
}

}  // namespace williwaw
