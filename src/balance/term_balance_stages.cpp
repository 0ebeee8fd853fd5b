// Steps of explicit schemes of several stages: stage after stage, or many in one pass over memory.
#include <algorithm>

#include "balance/pass_workspace.hpp"
#include "balance/sweep.hpp"

namespace williwaw {

bool TermBalance::steps_in_stages() {
  return steps_fused() && arranged_.grids.size() == 1 && !capabilities().second_order &&
         std::ranges::none_of(terms_, [](const auto& term) { return term->needs().about_state; });
}

AtOnce TermBalance::stages_at_once(const ExplicitStages& scheme) {
  if (!passes_) passes_ = std::make_shared<PassWorkspace>();
  std::string& why = passes_->why_stage_by_stage;
  const auto stages = static_cast<int>(scheme.stages.size());
  if (!passes_->stage_tiles && why.empty()) {
    why = !domain().box().whole() ? "several ranks share the grid"
          : !steps_in_stages()    ? AtOnce().why_one_by_one
                                  : why_not_line_by_line();
    if (why.empty()) {
      // Two states between stages and the ends of two steps, besides the one at the start.
      SweepLoad load = load_of_sweep();
      load.states *= 2;
      passes_->stage_tiles = tiles_for(domain(), load);
      if (!passes_->stage_tiles || passes_->stage_tiles->levels < stages) {
        passes_->stage_tiles.reset();
        why = no_tiles;
      }
    }
  }
  return {passes_->stage_tiles ? passes_->stage_tiles->levels / stages : 0, 1, why};
}

void TermBalance::evaluate_stage(const State& y, Real from, Real step, StageLevel& level) {
  level.now = at({from + level.stage->at * step, step, y});
  level.ahead = prescribed_at(from + level.stage->next_at * step);
  find_acting(0, *level.now, true, level.acting);
  // Densities are added as by any other term.
  if (const auto taken = level.acting.taken)
    level.acting.active.insert(std::ranges::lower_bound(level.acting.active, *taken), *taken);
}

void TermBalance::stage_line(const StageLevel& level, Real step, Index number, Index j, Index k,
                             LineSums& sums) {
  std::vector<LineRates>& rates = workspace_.rates[Sweep::thread()];
  const ExplicitStages::Stage& stage = *level.stage;
  Line line{*level.now, number, j, k, level.y, Parts::all(), LedgerBlock(sums.booked.data())};
  const auto of_unknown = [](auto* state, Index first) { return state ? state + first : nullptr; };
  for (std::size_t u = 0; u < unknowns_.size(); ++u) {
    const Index first = first_of(u, number);
    const StageOfLine of_line{of_unknown(level.next, first),
                              level.start + first,
                              stage.fraction,
                              step * stage.weight,
                              of_unknown(level.sum, first),
                              of_unknown(level.first ? level.start : level.sum, first),
                              step * stage.of_step};
    fused_[u]->stage(line, of_line);
    const LineCapacity capacity = unknowns_[u].storage->linear()->of_line(number);
    rates[u] = !of_line.next ? LineRates(of_line.sum, of_line.of_step, capacity)
               : !of_line.sum
                   ? LineRates(of_line.next, of_line.weight, capacity)
                   : LineRates(of_line.next, of_line.weight, of_line.sum, of_line.of_step, capacity);
  }
  add_terms_of(level.acting, line, rates);
  Totals* const of_segments = sums.of_segments();
  for (std::size_t u = 0; u < unknowns_.size(); ++u) {
    const Index first = first_of(u, number);
    prescribe_stage(level, number, level.y + first, of_unknown(level.next, first),
                    of_unknown(level.sum, first));
    if (!level.last) continue;
    const Real* const end = (level.sum ? level.sum : level.next) + first;
    for (const auto& run : domain(u).runs(number))
      unknowns_[u].storage->count(number, end, run.first, run.first + run.count, of_segments);
  }
  if (level.last) sums.count(domain().segments().number(number, 0));
}

// Of one unknown alone. What a node would be without its boundary is told by the sum over the step;
// where no sum is kept, what each stage made of it tells.
void TermBalance::prescribe_stage(const StageLevel& level, Index number, const Real* u, Real* next,
                                  Real* sum) const {
  const auto [first, end] = prescribed_on(number);
  if (first == end) return;
  const ExplicitStages::Stage& stage = *level.stage;
  const Index start_of_line = grid().size(0) * number;
  const Real* const start = level.start + start_of_line;
  const LineCapacity capacity = unknowns_.front().storage->linear()->of_line(number);
  for (std::size_t h = first; h < end; ++h) {
    const Index i = arranged_.prescribed[h] - start_of_line;
    Real& alone = (*level.alone)[h];
    if (sum)
      alone = sum[i];
    else
      alone =
          (level.first ? start[i] : alone) +
          stage.of_step / stage.weight * (next[i] - (1 - stage.fraction) * start[i] - stage.fraction * u[i]);
    if (level.last) (*level.missing)[h] = capacity(i) * (level.ahead[h] - alone);
    (level.last && sum ? sum : next)[i] = level.ahead[h];
  }
}

// `rates` are those that the sweep has booked, y the state of the stage; empty where it is gone and nothing
// went wrong that would have to be looked for in it.
void TermBalance::finish_stage(const StageLevel& level, std::span<const Real> y, Real step, Ledger& rates,
                               Ledger& amounts) {
  if (level.first) amounts.clear();
  for (std::size_t t = 0; t < level.now->size(); ++t)
    (*level.now)[t].book(*level.now, y, Parts::all(), 1, rates);
  amounts.add(rates, step * level.stage->of_step);
  if (level.last) book_missing(*level.missing, amounts);
}

bool TermBalance::advance_in_stages(const State& y, const Pass& pass, const ExplicitStages& scheme,
                                    bool in_one_pass, State& before, State& last) {
  const std::size_t steps = pass.times.size(), each = scheme.stages.size();
  expect(&y != &before && &y != &last && &before != &last && y.size() == before.size() &&
             y.size() == last.size() && static_cast<Index>(y.size()) == arranged_.layout.size(),
         "advance_in_stages: three states of the balance's size");
  expect(steps > 0 && pass.amounts.size() == steps && pass.totals.size() == steps && each > 0,
         "advance_in_stages: stages, and ledger and totals of each step");
  expect(!in_one_pass || static_cast<int>(steps) <= stages_at_once(scheme).steps,
         "advance_in_stages: steps for one pass");
  if (!passes_) passes_ = std::make_shared<PassWorkspace>();
  PassWorkspace& room = *passes_;
  for (std::size_t b = 0; b < std::min<std::size_t>(each - 1, 2); ++b) room.between[b].resize(y.size());
  room.stages.resize(steps * each);
  room.alone.resize(steps);
  room.missing.resize(steps);
  const auto end_of = [&](std::size_t step) {
    return (steps - 1 - step) % 2 == 0 ? last.data() : before.data();
  };
  for (std::size_t n = 0; n < room.stages.size(); ++n) {
    const std::size_t step = n / each, s = n % each;
    StageLevel& level = room.stages[n];
    level.stage = &scheme.stages[s];
    level.first = s == 0;
    level.last = s + 1 == each;
    room.alone[step].resize(arranged_.prescribed.size());
    room.missing[step].resize(arranged_.prescribed.size());
    level.alone = &room.alone[step];
    level.missing = &room.missing[step];
    level.start = step == 0 ? y.data() : end_of(step - 1);
    level.y = level.first ? level.start : room.between[(s - 1) % 2].data();
    level.sum = scheme.ends_with_sum ? end_of(step) : nullptr;
    level.next = !level.last ? room.between[s % 2].data() : scheme.ends_with_sum ? nullptr : end_of(step);
  }
  make_workspace(0, 0);
  Ledger rates(lines_.size());
  if (!in_one_pass) {
    const Sweep sweep(domain(), lines_.size(), workspace_);
    for (std::size_t n = 0; n < room.stages.size(); ++n) {
      const std::size_t step = n / each, s = n % each;
      StageLevel& level = room.stages[n];
      evaluate_stage(y, pass.times[step], pass.step, level);
      sweep.each_line([&](Index number, Index j, Index k, LineSums& sums) {
        stage_line(level, pass.step, number, j, k, sums);
      });
      rates.clear();
      const Totals totals = sweep.finish(rates, 1);
      if (level.last) pass.totals[step] = totals;
      finish_stage(level, {level.y, y.size()}, pass.step, rates, pass.amounts[step]);
      level.now.reset();
      exchange(level.last ? ((steps - 1 - step) % 2 == 0 ? last : before) : room.between[s % 2]);
    }
    return true;
  }
  try {
    for (std::size_t n = 0; n < room.stages.size(); ++n)
      evaluate_stage(y, pass.times[n / each], pass.step, room.stages[n]);
  } catch (const DataError&) {
    room.stages.clear();
    return false;
  }
  TileShape shape = *room.stage_tiles;
  shape.levels = static_cast<int>(room.stages.size());
  if (!room.sweep || room.sweep->shape() != shape) room.sweep.emplace(domain(), lines_.size(), shape);
  room.sweep->each_line([&](int n, Index number, Index j, Index k, LineSums& sums) {
    stage_line(room.stages[static_cast<std::size_t>(n)], pass.step, number, j, k, sums);
  });
  for (std::size_t step = 0; step < steps; ++step) {
    pass.totals[step] = room.sweep->finish(static_cast<int>((step + 1) * each - 1), rates, 1);
    if (!pass.totals[step].finite()) return false;
  }
  for (std::size_t n = 0; n < room.stages.size(); ++n) {
    StageLevel& level = room.stages[n];
    rates.clear();
    room.sweep->finish(static_cast<int>(n), rates, 1);
    finish_stage(level, {}, pass.step, rates, pass.amounts[n / each]);
    level.now.reset();
  }
  return true;
}

}  // namespace williwaw
