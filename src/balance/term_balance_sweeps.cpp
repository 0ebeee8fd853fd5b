// The sweeps of a balance over its lines: rates, stages and steps.
#include <algorithm>
#include <cmath>

#include "balance/sweep.hpp"

namespace williwaw {

void TermBalance::find_acting(std::size_t grid, const Evaluation& now, bool fused,
                              ActingTerms& acting) const {
  acting.active.clear();
  for (std::size_t t = 0; t < now.size(); ++t)
    if (arranged_.grid_of_term[t] == grid && !now[t].idle() &&
        !(fused && std::ranges::any_of(fused_, [t](const auto& f) { return f->term() == t; })))
      acting.active.push_back(t);
  acting.taken.reset();
  const auto& unknowns = arranged_.grids[grid].unknowns;
  if (!fused ||
      !std::ranges::all_of(unknowns, [&](std::size_t u) { return fused_[u]->takes_densities(now); }))
    return;
  for (std::size_t n = 0; n < acting.active.size() && !acting.taken; ++n)
    if (now[acting.active[n]].makes_densities()) {
      acting.taken = acting.active[n];
      acting.active.erase(acting.active.begin() + static_cast<std::ptrdiff_t>(n));
    }
}

// Room for every thread: rates of each unknown, lines of those of a grid, and what terms ask for.
void TermBalance::make_workspace(std::size_t grid, std::size_t lines) {
  SweepWorkspace& room = workspace_;
  const Domain& domain = this->domain(arranged_.grids[grid].unknowns.front());
  const auto threads = static_cast<std::size_t>(std::max(1, domain.threads()));
  room.rates.resize(threads);
  for (auto& rates : room.rates) rates.resize(unknowns_.size());
  room.densities.resize(threads);
  for (auto& densities : room.densities) densities.assign(unknowns_.size(), {});
  room.made.resize(threads);
  for (auto& made : room.made) made.resize(static_cast<std::size_t>(domain.segments().of_line()));
  room.lines.resize(threads);
  for (auto& line : room.lines) line.resize(lines * static_cast<std::size_t>(domain.grid().size(0)));
  room.scratch.resize(threads);
  for (auto& of_thread : room.scratch) {
    if (of_thread.size() != terms_.size()) {
      of_thread.clear();
      for (const auto& term : terms_) of_thread.push_back(term->scratch());
    }
    for (const auto& scratch : of_thread)
      if (scratch) scratch->begin();
  }
}

void TermBalance::rate(const State& y, Real at, Parts parts, State& f, Ledger& ledger) {
  expect(&y != &f && static_cast<Index>(y.size()) == arranged_.layout.size() && f.size() == y.size(),
         "rate: two states of the balance's size");
  if (!arranged_.on_step.empty() && parts.has(Parts::advection()))
    throw InputError(Subject::scheme,
                     arranged_.on_step + " depends on the step: it needs scheme explicit-euler");
  rate({at, 0, y}, parts, f, ledger);
}

void TermBalance::rate(const Instant& instant, Parts parts, State& f, Ledger& ledger) {
  expect(static_cast<Index>(instant.y.size()) == arranged_.layout.size() && f.size() == instant.y.size(),
         "rate: two states of the balance's size");
  expect(ledger.size() == lines_.size(), "rate: a ledger with the balance's lines");
  const auto now = at(instant);
  ledger.clear();
  for (std::size_t grid = 0; grid < arranged_.grids.size(); ++grid)
    sweep_rates(grid, *now, instant.y.data(), parts, f, ledger);
  for (std::size_t t = 0; t < now->size(); ++t) (*now)[t].book(*now, instant.y, parts, 1, ledger);
}

// What goes through the faces between two lines may be booked with the later one, so that an empty line
// beside one that is not is gone through as well.
bool TermBalance::is_idle(std::span<const std::size_t> unknowns, Index line) const {
  const Grid& g = domain(unknowns.front()).grid();
  const auto empty = [&](Index other) {
    return std::ranges::all_of(unknowns, [&](std::size_t u) { return domain(u).runs(other).empty(); });
  };
  if (!empty(line)) return false;
  for (int a = 1; a < g.dimension(); ++a) {
    const Index size = g.size(a), stride = a == 1 ? 1 : g.size(1), at = line / stride % size;
    for (const Index step : {Index{-1}, Index{1}}) {
      Index beside = at + step;
      if (g.axis(a).periodic()) beside = (beside + size) % size;
      if (beside >= 0 && beside < size && !empty(line + stride * (beside - at))) return false;
    }
  }
  return true;
}

void TermBalance::add_terms_of(const ActingTerms& acting, Line& line,
                               std::span<const LineRates> rates) const {
  auto& of_thread = workspace_.scratch[Sweep::thread()];
  for (const std::size_t t : acting.active) {
    line.scratch = of_thread[t].get();
    line.now[t].add(line, rates);
  }
}

void TermBalance::sweep_rates(std::size_t grid, const Evaluation& now, const Real* y, Parts parts, State& f,
                              Ledger& ledger) {
  const std::vector<std::size_t>& unknowns = arranged_.grids[grid].unknowns;
  const Domain& domain = this->domain(unknowns.front());
  const Sweep sweep(domain, lines_.size(), workspace_);
  make_workspace(grid, 0);
  find_acting(grid, now, false, acting_);
  sweep.each_line([&](Index number, Index j, Index k, LineSums& sums) {
    auto& rates = workspace_.rates[Sweep::thread()];
    const bool idle = is_idle(unknowns, number);
    for (const std::size_t u : unknowns) {
      Real* flows = f.data() + first_of(u, number);
      if (idle || !arranged_.written_first[u]) std::fill_n(flows, domain.grid().size(0), 0.0);
      rates[u] = LineRates(flows);
    }
    if (idle) return;
    Line line{now, number, j, k, y, parts, LedgerBlock(sums.booked.data())};
    add_terms_of(acting_, line, rates);
  });
  sweep.finish(ledger, 1);
}

Totals TermBalance::stage(const State& start, const State& y, Real fraction, Real step, Real at, State& out,
                          Ledger& rates, const Totals* of_y) {
  if (!steps_linearly()) return Balance::stage(start, y, fraction, step, at, out, rates, of_y);
  expect(&y != &out && start.size() == y.size() && out.size() == y.size(), "stage: states of one size");
  const auto now = this->at({at, step, y, of_y});
  rates.clear();
  Totals all;
  for (std::size_t grid = 0; grid < arranged_.grids.size(); ++grid)
    all += sweep_stage(grid, *now, start, y, fraction, step, out, rates);
  exchange(out);
  for (std::size_t t = 0; t < now->size(); ++t) (*now)[t].book(*now, y, Parts::all(), 1, rates);
  return all;
}

Totals TermBalance::sweep_stage(std::size_t grid, const Evaluation& now, const State& start, const State& y,
                                Real fraction, Real step, State& out, Ledger& rates) {
  const std::vector<std::size_t>& unknowns = arranged_.grids[grid].unknowns;
  const Domain& domain = this->domain(unknowns.front());
  const Sweep sweep(domain, lines_.size(), workspace_);
  make_workspace(grid, unknowns.size());
  find_acting(grid, now, false, acting_);
  const Index nx = domain.grid().size(0);
  sweep.each_line([&](Index number, Index j, Index k, LineSums& sums) {
    if (is_idle(unknowns, number)) {
      for (const std::size_t u : unknowns) clear_line(out.data() + first_of(u, number), nx);
      return;
    }
    const std::size_t thread = Sweep::thread();
    std::vector<LineRates>& into = workspace_.rates[thread];
    Real* const flows = workspace_.lines[thread].data();
    for (std::size_t n = 0; n < unknowns.size(); ++n) {
      Real* flow = flows + nx * static_cast<Index>(n);
      if (!arranged_.written_first[unknowns[n]]) std::fill_n(flow, nx, 0.0);
      into[unknowns[n]] = LineRates(flow);
    }
    Line line{now, number, j, k, y.data(), Parts::all(), LedgerBlock(sums.booked.data())};
    add_terms_of(acting_, line, into);
    Totals* const of_segments = sums.of_segments();
    for (std::size_t n = 0; n < unknowns.size(); ++n) {
      const std::size_t u = unknowns[n];
      const LinearStorage& storage = *unknowns_[u].storage->linear();
      const Index first = first_of(u, number);
      storage.combine(number, start.data() + first, y.data() + first, fraction, step,
                      flows + nx * static_cast<Index>(n), out.data() + first);
      for (const auto& run : this->domain(u).runs(number))
        storage.count(number, out.data() + first, run.first, run.first + run.count, of_segments);
    }
    sums.count(domain.segments(), number);
  });
  return sweep.finish(rates, 1);
}

std::pair<std::size_t, std::size_t> TermBalance::prescribed_on(Index line) const {
  if (arranged_.prescribed.empty()) return {0, 0};
  return {arranged_.first_prescribed[static_cast<std::size_t>(line)],
          arranged_.first_prescribed[static_cast<std::size_t>(line) + 1]};
}

bool TermBalance::steps_fused() const {
  // Where boundaries prescribe several unknowns their steps are put together by the general way.
  return !fused_.empty() && steps_linearly() && (unknowns_.size() == 1 || arranged_.prescribed.empty());
}

Totals TermBalance::advance(const State& y, Real at, Real step, State& out, Ledger& amounts) {
  expect(&y != &out && static_cast<Index>(y.size()) == arranged_.layout.size() && out.size() == y.size(),
         "advance: two states of the balance's size");
  expect(amounts.size() == lines_.size(), "advance: a ledger with the balance's lines");
  if (!steps_fused()) {
    if (!arranged_.capabilities.stages) return Balance::advance(y, at, step, out, amounts);
    const Totals totals = stage(y, y, 1, step, at, out, amounts, nullptr);
    amounts.scale(step);
    return totals;
  }
  const auto now = this->at({at, step, y});
  amounts.clear();
  const std::vector<Real>& ahead = prescribed_at(at + step);
  missing_.resize(arranged_.prescribed.size());
  Totals all;
  for (std::size_t grid = 0; grid < arranged_.grids.size(); ++grid) {
    find_acting(grid, *now, true, acting_);
    all += sweep_step(grid, {*now, acting_, y.data(), out.data(), step, ahead, missing_}, amounts);
  }
  exchange(out);
  for (std::size_t t = 0; t < now->size(); ++t) (*now)[t].book(*now, y, Parts::all(), step, amounts);
  book_missing(missing_, amounts);
  return all;
}

namespace {

// `made` is Σ widths·densities by segment, if it was counted.
void book_densities(const Line& line, const LineDensities& densities, const Domain& domain, bool counted,
                    std::span<const Real> made) {
  const Index nx = domain.grid().size(0);
  const Real* const widths = domain.grid().axis(0).measures().data();
  const Real across = domain.across(line.number);
  for (Index s = 0; s < domain.segments().of_line(); ++s) {
    const Index begin = s * segment_cells, end = std::min(nx, begin + segment_cells);
    line.booked[densities.line].leaf(domain.segments().number(line.number, begin)) +=
        across * (counted ? made[static_cast<std::size_t>(s)]
                          : LineRates::amount_of(begin, end, densities.values, widths));
  }
}

}  // namespace

Totals TermBalance::sweep_step(std::size_t grid, const EulerStep& one, Ledger& amounts) {
  const Sweep sweep(domain(arranged_.grids[grid].unknowns.front()), lines_.size(), workspace_);
  make_workspace(grid, 0);
  sweep.each_line(
      [&](Index number, Index j, Index k, LineSums& sums) { step_line(grid, one, number, j, k, sums); });
  return sweep.finish(amounts, one.step);
}

void TermBalance::step_line(std::size_t grid, const EulerStep& one, Index number, Index j, Index k,
                            LineSums& sums) {
  const std::vector<std::size_t>& unknowns = arranged_.grids[grid].unknowns;
  const Domain& domain = this->domain(unknowns.front());
  const Evaluation& now = one.now;
  const Index nx = domain.grid().size(0);
  if (is_idle(unknowns, number)) {
    for (const std::size_t u : unknowns) clear_line(one.out + first_of(u, number), nx);
    return;
  }
  std::vector<LineRates>& rates = workspace_.rates[Sweep::thread()];
  Line line{now, number, j, k, one.y, Parts::all(), LedgerBlock(sums.booked.data())};
  // Where nothing but the ends of a line is touched again, its sums are taken while it is computed.
  const auto [first_prescribed, end_prescribed] = prescribed_on(number);
  bool once = nx > 2 && domain.outline().whole() && first_prescribed == end_prescribed;
  for (const std::size_t t : one.acting.active) once = once && now[t].acts(number) != Acts::anywhere;
  std::vector<LineDensities>& densities = workspace_.densities[Sweep::thread()];
  if (one.acting.taken) {
    line.scratch = workspace_.scratch[Sweep::thread()][*one.acting.taken].get();
    now[*one.acting.taken].densities(line, densities);
  }
  Totals* const of_segments = sums.of_segments();
  for (const std::size_t u : unknowns) {
    Real* const next = one.out + first_of(u, number);
    rates[u] = LineRates(next, one.step, unknowns_[u].storage->linear()->of_line(number));
    std::vector<Real>& made = workspace_.made[Sweep::thread()];
    std::ranges::fill(made, 0.0);
    fused_[u]->step(line, one.step, next, once ? of_segments : nullptr, densities[u].values, made.data());
    if (densities[u].values) book_densities(line, densities[u], domain, once, made);
  }
  add_terms_of(one.acting, line, rates);
  for (const std::size_t u : unknowns) {
    const LinearStorage& storage = *unknowns_[u].storage->linear();
    Real* const next = one.out + first_of(u, number);
    const LineCapacity capacity = storage.of_line(number);
    // Of one unknown alone.
    for (std::size_t h = first_prescribed; h < end_prescribed; ++h) {
      const Index i = arranged_.prescribed[h] - nx * number;
      one.missing[h] = capacity(i) * (one.ahead[h] - next[i]);
      next[i] = one.ahead[h];
    }
    if (once) {
      const Real across = domain.across(number);
      for (const Index i : {Index{0}, nx - 1}) {
        Totals& totals = of_segments[i / segment_cells];
        const Real stored = capacity(i) * next[i];
        totals.content += stored;
        totals.gross += std::abs(stored);
        totals.see(next[i], across * domain.grid().axis(0).measures()[i]);
      }
    } else {
      for (const auto& run : this->domain(u).runs(number))
        storage.count(number, next, run.first, run.first + run.count, of_segments);
    }
  }
  sums.count(domain.segments(), number);
}

}  // namespace williwaw
