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
  PassTiles& tiles = passes().tiles_of_stages;
  // Two states between stages and the ends of two steps, besides the one at the start.
  SweepLoad load = load_of_sweep();
  load.states *= 2;
  if (scheme.looks_back()) load.states += static_cast<int>(unknowns_.size());
  tiles.choose(domain(), steps_in_stages() ? why_not_line_by_line() : AtOnce().why_one_by_one, load);
  if (tiles.levels() == 0) return {0, 1, tiles.why_none()};
  return {std::max(1, tiles.levels() / static_cast<int>(scheme.stages.size())), 1, ""};
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
  if (is_idle(arranged_.grids.front().unknowns, number)) {
    for (Real* const made : {level.next, level.sum, level.first ? level.first_rate : nullptr})
      for (std::size_t u = 0; made && u < unknowns_.size(); ++u)
        clear_line(made + first_of(u, number), grid().size(0));
    return;
  }
  std::vector<LineRates>& rates = workspace_.rates[Sweep::thread()];
  const ExplicitStages::Stage& stage = *level.stage;
  Line line{*level.now, number, j, k, level.y, Parts::all(), LedgerBlock(sums.booked.data())};
  const auto of_unknown = [](auto* state, Index first) { return state ? state + first : nullptr; };
  for (std::size_t u = 0; u < unknowns_.size(); ++u) {
    const Index first = first_of(u, number);
    StageOfLine of_line{.next = of_unknown(level.next, first),
                        .start = level.start + first,
                        .fraction = stage.fraction,
                        .weight = step * stage.weight};
    if (level.sum) {
      of_line.sum = level.sum + first;
      of_line.from = (level.first ? level.start : level.sum) + first;
      of_line.of_step = step * stage.of_step;
    } else if (level.first_rate && level.first) {
      of_line.sum = level.first_rate + first;
      of_line.of_step = 1;
    } else if (level.first_rate) {
      of_line.before = level.before + first;
      of_line.first_rate = level.first_rate + first;
      of_line.of_before = stage.before;
      of_line.of_first = step * stage.first;
    }
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
    prescribe_stage(level, step, number, of_unknown(level.next, first), of_unknown(level.sum, first));
    if (!level.last) continue;
    const Real* const end = (level.sum ? level.sum : level.next) + first;
    for (const auto& run : domain(u).runs(number))
      unknowns_[u].storage->count(number, end, run.first, run.first + run.count, of_segments);
  }
  if (level.last) sums.count(domain().segments(), number);
}

// Of one unknown alone. What a node would be without its boundary is told by the sum over the step;
// where no sum is kept, what each stage made of it tells.
void TermBalance::prescribe_stage(const StageLevel& level, Real step, Index number, Real* next,
                                  Real* sum) const {
  const auto [first, end] = prescribed_on(number);
  if (first == end) return;
  const ExplicitStages::Stage& stage = *level.stage;
  const Index start_of_line = grid().size(0) * number;
  const Real *const start = level.start + start_of_line, *const u = level.y + start_of_line;
  const LineCapacity capacity = unknowns_.front().storage->linear()->of_line(number);
  for (std::size_t h = first; h < end; ++h) {
    const Index i = arranged_.prescribed[h] - start_of_line;
    Real& alone = (*level.alone)[h];
    if (sum) {
      alone = sum[i];
    } else {
      Real without = (1 - stage.fraction) * start[i] + stage.fraction * u[i];
      if (level.first_rate && !level.first)
        without += stage.before * ((level.ahead_before ? (*level.ahead_before)[h] : start[i]) - start[i]) +
                   step * stage.first * level.first_rate[start_of_line + i];
      alone = (level.first ? start[i] : alone) + stage.of_step / stage.weight * (next[i] - without);
    }
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

bool TermBalance::advance_in_stages(State& y, const Pass& pass, const ExplicitStages& scheme,
                                    bool in_one_pass, State& before, State& last) {
  const std::size_t steps = pass.times.size();
  expect(&y != &before && &y != &last && &before != &last && y.size() == before.size() &&
             y.size() == last.size() && static_cast<Index>(y.size()) == arranged_.layout.size(),
         "advance_in_stages: three states of the balance's size");
  expect(steps > 0 && pass.amounts.size() == steps && pass.totals.size() == steps && !scheme.stages.empty(),
         "advance_in_stages: stages, and ledger and totals of each step");
  lay_out_stages(y, steps, scheme, before, last);
  make_workspace(0, 0);
  if (in_one_pass) return take_stages_in_one_pass(y, pass, before, last);
  take_stages(y, pass);
  return true;
}

// What every stage of all steps starts from and makes.
void TermBalance::lay_out_stages(const State& y, std::size_t steps, const ExplicitStages& scheme,
                                 State& before, State& last) {
  const std::size_t each = scheme.stages.size();
  PassWorkspace& room = passes();
  for (std::size_t b = 0; b < std::min<std::size_t>(each - 1, 2); ++b) room.between[b].resize(y.size());
  room.stages.resize(steps * each);
  const bool looks_back = scheme.looks_back();
  if (looks_back) room.first_rate.resize(y.size());
  room.alone.resize(steps);
  room.missing.resize(steps);
  if (room.rates.size() != lines_.size()) room.rates = Ledger(lines_.size());
  const State* start = &y;
  for (std::size_t step = 0; step < steps; ++step) {
    State& end = (steps - 1 - step) % 2 == 0 ? last : before;
    room.alone[step].resize(arranged_.prescribed.size());
    room.missing[step].resize(arranged_.prescribed.size());
    for (std::size_t s = 0; s < each; ++s) {
      StageLevel& level = room.stages[step * each + s];
      level.stage = &scheme.stages[s];
      level.first = s == 0;
      level.last = s + 1 == each;
      level.alone = &room.alone[step];
      level.missing = &room.missing[step];
      level.start = start->data();
      level.y = level.first ? level.start : room.between[(s - 1) % 2].data();
      level.made = level.last ? &end : &room.between[s % 2];
      level.before = !looks_back || s == 0 ? nullptr : s == 1 ? level.start : room.between[s % 2].data();
      level.ahead_before = s < 2 ? nullptr : &room.stages[step * each + s - 2].ahead;
      level.first_rate = looks_back ? room.first_rate.data() : nullptr;
      level.sum = scheme.ends_with_sum ? end.data() : nullptr;
      level.next = level.last && scheme.ends_with_sum ? nullptr : level.made->data();
    }
    start = &end;
  }
}

void TermBalance::take_stages(const State& y, const Pass& pass) {
  std::vector<StageLevel>& stages = passes().stages;
  const std::size_t each = stages.size() / pass.times.size();
  const Sweep sweep(domain(), lines_.size(), workspace_);
  Ledger& rates = passes().rates;
  for (std::size_t n = 0; n < stages.size(); ++n) {
    const std::size_t step = n / each;
    StageLevel& level = stages[n];
    evaluate_stage(y, pass.times[step], pass.step, level);
    sweep.each_line([&](Index number, Index j, Index k, LineSums& sums) {
      stage_line(level, pass.step, number, j, k, sums);
    });
    rates.clear();
    const Totals totals = sweep.finish(rates, 1);
    if (level.last) pass.totals[step] = totals;
    finish_stage(level, {level.y, y.size()}, pass.step, rates, pass.amounts[step]);
    level.now.reset();
    exchange(*level.made);
  }
}

bool TermBalance::take_stages_in_one_pass(State& y, const Pass& pass, State& before, State& last) {
  std::vector<StageLevel>& stages = passes().stages;
  const std::size_t each = stages.size() / pass.times.size();
  const bool known = data_are_numbers([&] {
    for (std::size_t n = 0; n < stages.size(); ++n)
      evaluate_stage(y, pass.times[n / each], pass.step, stages[n]);
  });
  if (!known) {
    stages.clear();
    return false;
  }
  exchange_all(y);
  // Stages that one pass over memory cannot take are shared out among a few.
  PassTiles& tiles = passes().tiles_of_stages;
  const auto most = static_cast<std::size_t>(tiles.levels());
  const std::size_t count = (stages.size() + most - 1) / most, levels = (stages.size() + count - 1) / count;
  Ledger& rates = passes().rates;
  for (std::size_t begin = 0; begin < stages.size(); begin += levels) {
    const std::size_t end = std::min(stages.size(), begin + levels);
    TiledSweep& sweep = tiles.sweep(domain(), lines_.size(), end - begin);
    sweep.each_line([&](int n, Index number, Index j, Index k, LineSums& sums) {
      stage_line(stages[begin + static_cast<std::size_t>(n)], pass.step, number, j, k, sums);
    });
    for (std::size_t n = begin; n < end; ++n) {
      const int level = static_cast<int>(n - begin);
      if (stages[n].last) {
        Totals& totals = pass.totals[n / each];
        totals = sweep.totals(level);
        if (!totals.finite()) return false;
      }
      rates.clear();
      sweep.book(level, 1, rates);
      finish_stage(stages[n], {}, pass.step, rates, pass.amounts[n / each]);
      stages[n].now.reset();
    }
    // What the next ones look at.
    if (end == stages.size()) break;
    for (State* const state :
         {&before, &last, &passes().between[0], &passes().between[1], &passes().first_rate})
      if (state->size() == y.size()) exchange_all(*state);
  }
  exchange(last);
  return true;
}

}  // namespace williwaw
