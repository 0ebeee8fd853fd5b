#include "williwaw/balance/term_balance.hpp"

#include <algorithm>
#include <cmath>
#include <exception>

#include "balance/sweep.hpp"

namespace williwaw {

namespace {

bool all_linear(const std::vector<Unknown>& unknowns) {
  return std::ranges::all_of(unknowns, [](const Unknown& u) { return u.storage->linear(); });
}

}  // namespace

TermBalance::TermBalance(std::vector<Unknown> unknowns, std::vector<std::unique_ptr<Term>> terms,
                         LedgerLines lines, std::vector<std::unique_ptr<FusedStep>> fused)
    : unknowns_(std::move(unknowns)),
      terms_(std::move(terms)),
      fused_(std::move(fused)),
      lines_(std::move(lines)),
      now_(std::make_shared<Evaluation>()),
      ahead_(terms_.size()) {
  if (unknowns_.empty()) throw InputError("a balance needs one unknown at least");
  for (const Unknown& u : unknowns_)
    if (!u.storage) throw InputError("unknown '" + u.name + "' of a balance has no storage");
  if (std::ranges::any_of(terms_, [](const auto& term) { return term == nullptr; }))
    throw InputError("a term of a balance is not there");
  if (!fused_.empty() && fused_.size() != unknowns_.size())
    throw InputError("a balance has a fused step for each of its unknowns, or none");
  arrange_unknowns();
  arrange_terms(lines_.size() > 0);
}

void TermBalance::arrange_unknowns() {
  std::vector<Block> blocks;
  for (const Unknown& u : unknowns_) {
    const Grid& g = u.storage->domain().grid();
    if (!(g == grid())) throw InputError("the unknowns of a balance live on one grid");
    const Placement placement = g.unknowns() == Unknowns::cells ? Placement::cells : Placement::nodes;
    blocks.push_back({u.name, placement, {g.size(0), g.size(1), g.size(2)}, 1, 0});
  }
  arranged_.layout = Layout(std::move(blocks));
  arranged_.written_first.assign(unknowns_.size(), 0);
  for (std::size_t u = 0; u < unknowns_.size(); ++u)
    for (const Index n : domain(u).inactive()) arranged_.inactive.push_back(start_of(u) + n);
}

void TermBalance::arrange_terms(bool declared) {
  Capabilities& capabilities = arranged_.capabilities;
  auto& prescribed = arranged_.prescribed;
  const bool linear_storage = all_linear(unknowns_);
  capabilities = capabilities_of(Parts::all());
  std::vector<char> added(unknowns_.size(), 0);
  for (std::size_t t = 0; t < terms_.size(); ++t) {
    const Needs needs = terms_[t]->needs();
    for (const int unknown : needs.unknowns) {
      const auto u = static_cast<std::size_t>(unknown);
      if (u >= unknowns_.size()) throw InputError("a term reads an unknown that the balance does not have");
      if (!needs.adds) continue;
      if (needs.writes_first && added[u])
        throw InputError("unknown '" + unknowns_[u].name + "': a term that writes first comes first");
      if (needs.writes_first) arranged_.written_first[u] = 1;
      added[u] = 1;
    }
    if (!needs.on_step.empty()) arranged_.on_step = needs.on_step;
    capabilities.advection = capabilities.advection || needs.parts == Parts::advection();
    capabilities.reacts = capabilities.reacts || (needs.parts == Parts::source() && needs.of_state);
    capabilities.space_order = std::max(capabilities.space_order, needs.space_order);
    if (!declared) terms_[t]->declare(lines_);
    if (const auto own = terms_[t]->prescribed(); !own.empty()) {
      arranged_.prescribing.push_back({t, prescribed.size()});
      prescribed.insert(prescribed.end(), own.begin(), own.end());
    }
  }
  expect(std::ranges::is_sorted(prescribed), "TermBalance: prescribed unknowns in increasing order");
  capabilities.stages =
      (capabilities.advection || unknowns_.size() > 1) && prescribed.empty() && linear_storage;
  for (Index line = 0; unknowns_.size() == 1 && line <= grid().lines(); ++line)
    arranged_.first_prescribed.push_back(static_cast<std::size_t>(
        std::ranges::lower_bound(prescribed, line * grid().size(0)) - prescribed.begin()));
}

Capabilities TermBalance::capabilities_of(Parts parts) const {
  Capabilities result = arranged_.capabilities;
  result.linear = result.same_matrix = all_linear(unknowns_);
  result.matrix = result.steady_matrix = true;
  result.approximate = false;
  for (const auto& term : terms_) {
    const Needs needs = term->needs();
    if (!needs.parts.has(parts)) continue;
    result.linear = result.linear && needs.linear;
    result.matrix = result.matrix && needs.matrix;
    result.approximate = result.approximate || !needs.exact_matrix;
    result.same_matrix = result.same_matrix && needs.same_matrix;
    result.steady_matrix = result.steady_matrix && needs.steady_matrix;
  }
  return result;
}

std::shared_ptr<const Evaluation> TermBalance::at(const Instant& instant) {
  if (now_.use_count() != 1) now_ = std::make_shared<Evaluation>(*now_);
  // What was prescribed for the end of a step holds at the start of the next one. Laws that are not linear
  // start from the state before, and are left to it.
  if (ahead_time_ && *ahead_time_ == instant.time && now_->time() != instant.time &&
      arranged_.capabilities.linear) {
    for (const auto& [term, first] : arranged_.prescribing) now_->swap(term, ahead_[term]);
    ahead_time_.reset();
  }
  now_->update(terms_, instant);
  return now_;
}

void TermBalance::storage(const State& y, Real, State& q) {
  expect(y.size() == q.size() && static_cast<Index>(y.size()) == arranged_.layout.size(),
         "storage: sizes of states");
  const Index nx = grid().size(0);
  for (std::size_t u = 0; u < unknowns_.size(); ++u)
    each_line(domain(u), [&](Index, Index line, Index, Index) {
      const Index first = start_of(u) + nx * line;
      unknowns_[u].storage->amount(line, y.data() + first, q.data() + first);
    });
}

void TermBalance::recover(const State& q, Real, State& y) {
  expect(&q != &y && y.size() == q.size() && static_cast<Index>(y.size()) == arranged_.layout.size(),
         "recover: two states of the balance's size");
  const Index nx = grid().size(0);
  // Threads cannot let an error out; that of the first line is told when all are done.
  std::exception_ptr trouble;
  Index of_line = -1;
  for (std::size_t u = 0; u < unknowns_.size(); ++u)
    each_line(domain(u), [&](Index, Index line, Index, Index) {
      const Index first = start_of(u) + nx * line;
      try {
        unknowns_[u].storage->recover(line, q.data() + first, y.data() + first);
      } catch (...) {
#pragma omp critical(recover_trouble)
        if (of_line < 0 || line < of_line) {
          trouble = std::current_exception();
          of_line = line;
        }
      }
    });
  if (trouble) std::rethrow_exception(trouble);
  exchange(y);
}

void TermBalance::limit_change(const State& y, State& change) {
  const Index nx = grid().size(0);
  for (std::size_t u = 0; u < unknowns_.size(); ++u) {
    if (unknowns_[u].storage->linear()) continue;
    each_line(domain(u), [&](Index, Index line, Index, Index) {
      const Index first = start_of(u) + nx * line;
      unknowns_[u].storage->limit_change(line, y.data() + first, change.data() + first);
    });
  }
}

// Every state that is made here is complete when others look at it.
void TermBalance::exchange(State& y) const {
  for (std::size_t u = 0; u < unknowns_.size(); ++u)
    domain(u).exchange({y.data() + start_of(u), static_cast<std::size_t>(domain(u).grid().count())});
}

Totals TermBalance::totals(const State& y, Real at) {
  Totals all;
  for (const Totals& of_unknown : totals_by_unknown(y, at)) all += of_unknown;
  return all;
}

std::vector<Totals> TermBalance::totals_by_unknown(const State& y, Real) {
  expect(static_cast<Index>(y.size()) == arranged_.layout.size(), "totals: size of the state");
  std::vector<Totals> result;
  const Index nx = grid().size(0);
  for (std::size_t u = 0; u < unknowns_.size(); ++u) {
    const Sweep sweep(domain(u), lines_.size(), workspace_);
    each_line(domain(u), [&](Index block, Index line, Index, Index) {
      Totals* const of_segments = sweep.of_segments();
      const Real* values = y.data() + start_of(u) + nx * line;
      for (const auto& run : domain(u).runs(line))
        unknowns_[u].storage->count(line, values, run.first, run.first + run.count, of_segments);
      sweep.count(block, line, of_segments);
    });
    result.push_back(sweep.sum());
  }
  return result;
}

namespace {

// Room for every thread: rates of each unknown, and what terms ask for.
void make_workspace(SweepWorkspace& workspace, const Domain& domain, std::size_t unknowns,
                    const std::vector<std::unique_ptr<Term>>& terms, const Evaluation& now,
                    const std::vector<std::unique_ptr<FusedStep>>& fused, std::size_t lines) {
  workspace.active.clear();
  for (std::size_t t = 0; t < now.size(); ++t)
    if (!now[t].idle() && std::ranges::none_of(fused, [t](const auto& f) { return f->term() == t; }))
      workspace.active.push_back(t);
  const auto threads = static_cast<std::size_t>(std::max(1, domain.threads()));
  workspace.rates.resize(threads);
  for (auto& rates : workspace.rates) rates.resize(unknowns);
  workspace.lines.resize(threads);
  for (auto& line : workspace.lines) line.resize(lines * static_cast<std::size_t>(domain.grid().size(0)));
  workspace.scratch.resize(threads);
  for (auto& of_thread : workspace.scratch) {
    if (of_thread.size() != terms.size()) {
      of_thread.clear();
      for (const auto& term : terms) of_thread.push_back(term->scratch());
    }
    for (const auto& scratch : of_thread)
      if (scratch) scratch->begin();
  }
}

}  // namespace

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
  const Real* const y = instant.y.data();
  ledger.clear();
  const Sweep sweep(domain(), lines_.size(), workspace_);
  make_workspace(workspace_, domain(), unknowns_.size(), terms_, *now, {}, 0);
  const Index nx = grid().size(0);
  each_line(domain(), [&](Index block, Index number, Index j, Index k) {
    const std::size_t thread = Sweep::thread();
    auto& rates = workspace_.rates[thread];
    for (std::size_t u = 0; u < unknowns_.size(); ++u) {
      Real* flows = f.data() + start_of(u) + nx * number;
      if (!arranged_.written_first[u]) std::fill_n(flows, nx, 0.0);
      rates[u] = LineRates(flows);
    }
    Line line{*now, number, j, k, y, parts, sweep.booked(block)};
    for (const std::size_t t : workspace_.active) {
      line.scratch = workspace_.scratch[thread][t].get();
      (*now)[t].add(line, rates);
    }
  });
  sweep.collect(ledger, 1);
  for (std::size_t t = 0; t < now->size(); ++t) (*now)[t].book(*now, instant.y, parts, 1, ledger);
}

void TermBalance::linearise(const State& y, Real at, Real a, Real b, Parts parts, LinearSystem& system) {
  expect(y.empty() || static_cast<Index>(y.size()) == arranged_.layout.size(),
         "linearise: no state, or one of the size");
  const State zero(y.empty() && reference_.empty() ? static_cast<std::size_t>(arranged_.layout.size()) : 0,
                   0.0);
  const State& about = !y.empty() ? y : reference_.empty() ? zero : reference_;
  const auto now = this->at({at, 0, about});
  const Grid& g = grid();
  const auto count = static_cast<std::size_t>(g.count());
  std::vector<FaceSystem> matrices(unknowns_.size());
  for (std::size_t u = 0; u < unknowns_.size(); ++u) {
    FaceSystem& matrix = matrices[u];
    matrix.extent = {g.size(0), g.size(1), g.size(2)};
    matrix.diagonal.resize(count);
    each_line(domain(u), [&](Index, Index line, Index, Index) {
      Real* diagonal = matrix.diagonal.data() + g.size(0) * line;
      unknowns_[u].storage->slope(line, about.data() + start_of(u) + g.size(0) * line, diagonal);
      for (Index i = 0; i < g.size(0); ++i) diagonal[i] *= a;
    });
    for (int axis = 0; axis < g.dimension(); ++axis) {
      matrix.periodic[axis] = g.axis(axis).periodic();
      for (auto* side : {&matrix.lower[axis], &matrix.upper[axis]}) side->assign(count, 0.0);
    }
  }
  for (std::size_t t = 0; t < now->size(); ++t) (*now)[t].linearise(*now, about, b, parts, matrices);
  for (std::size_t u = 0; u < unknowns_.size(); ++u) {
    FaceSystem& matrix = matrices[u];
    const Index first = start_of(u), end = first + g.count();
    const auto mask = [&](Index n) {
      if (n < first || n >= end) return;
      if (matrix.prescribed.empty()) matrix.prescribed.assign(count, 0);
      matrix.prescribed[n - first] = 1;
    };
    std::ranges::for_each(arranged_.prescribed, mask);
    std::ranges::for_each(arranged_.inactive, mask);
    if (!matrix.prescribed.empty()) matrix.apply_mask();
  }
  // And what the unknowns of each place do to each other.
  LocalEntries local(matrices.size(), count);
  for (std::size_t t = 0; t < now->size(); ++t) (*now)[t].linearise_locally(*now, about, b, parts, local);
  const auto fixed = [&](std::size_t u, std::size_t n) {
    return !matrices[u].prescribed.empty() && matrices[u].prescribed[n];
  };
  if (matrices.size() == 1) {
    const std::span<const Real> entries = local.seen(0, 0);
    for (std::size_t n = 0; n < entries.size(); ++n)
      if (!fixed(0, n)) matrices.front().diagonal[n] += entries[n];
    system = std::move(matrices.front());
    return;
  }
  BlockSystem all;
  for (std::size_t row = 0; row < matrices.size(); ++row)
    for (std::size_t column = 0; column < matrices.size(); ++column) {
      const std::span<const Real> entries = local.seen(row, column);
      for (std::size_t n = 0; n < entries.size(); ++n)
        if (entries[n] != 0 && !fixed(row, n) && !fixed(column, n)) {
          const auto place = static_cast<Index>(n);
          all.local.push_back({place + start_of(row), place + start_of(column), entries[n]});
        }
    }
  std::vector<Triplet> between;
  for (std::size_t t = 0; t < now->size(); ++t) (*now)[t].linearise_between(*now, about, b, parts, between);
  const auto free = [&](Index number) {
    const auto place = static_cast<std::size_t>(number % g.count());
    return !fixed(static_cast<std::size_t>(number / g.count()), place);
  };
  for (const Triplet& entry : between)
    if (free(entry.row) && free(entry.column)) all.local.push_back(entry);
  all.blocks = std::move(matrices);
  system = std::move(all);
}

const std::vector<Real>& TermBalance::prescribed_at(Real time) {
  values_.resize(arranged_.prescribed.size());
  ahead_time_ = time;
  for (const auto& [term, first] : arranged_.prescribing) {
    terms_[term]->evaluate_prescribed({time, 0, reference_}, *now_, ahead_[term]);
    std::ranges::copy(ahead_[term]->prescribed_values(),
                      values_.begin() + static_cast<std::ptrdiff_t>(first));
  }
  return values_;
}

void TermBalance::prescribe(Real at, State& y) {
  if (arranged_.prescribed.empty()) return;
  // What the first evaluation makes is what this one begins with.
  if (now_->size() == 0) this->at({at, 0, reference_});
  const auto& values = prescribed_at(at);
  for (std::size_t h = 0; h < arranged_.prescribed.size(); ++h) y[arranged_.prescribed[h]] = values[h];
  exchange(y);
}

void TermBalance::book_missing(std::span<const Real> missing, Ledger& amounts) {
  for (std::size_t p = 0; p < arranged_.prescribing.size(); ++p) {
    const std::size_t first = arranged_.prescribing[p].first, end = p + 1 < arranged_.prescribing.size()
                                                                        ? arranged_.prescribing[p + 1].first
                                                                        : arranged_.prescribed.size();
    terms_[arranged_.prescribing[p].term]->book_prescribed(missing.subspan(first, end - first), amounts);
  }
}

void TermBalance::book_prescribed(const State& missing, Ledger& amounts) {
  missing_.resize(arranged_.prescribed.size());
  for (std::size_t h = 0; h < arranged_.prescribed.size(); ++h)
    missing_[h] = missing[arranged_.prescribed[h]];
  book_missing(missing_, amounts);
}

DataBounds TermBalance::data_bounds(Real at) {
  const auto now = this->at({at, 0, reference_});
  DataBounds result;
  result.known = true;
  result.steady = arranged_.capabilities.steady_matrix;
  for (std::size_t t = 0; t < now->size(); ++t) (*now)[t].bound(result);
  return result;
}

Totals TermBalance::stage(const State& start, const State& y, Real fraction, Real step, Real at, State& out,
                          Ledger& rates, const Totals* of_y) {
  if (!all_linear(unknowns_)) return Balance::stage(start, y, fraction, step, at, out, rates, of_y);
  expect(&y != &out && start.size() == y.size() && out.size() == y.size(), "stage: states of one size");
  const auto now = this->at({at, step, y, of_y});
  rates.clear();
  const Sweep sweep(domain(), lines_.size(), workspace_);
  make_workspace(workspace_, domain(), unknowns_.size(), terms_, *now, {}, unknowns_.size());
  const Index nx = grid().size(0);
  each_line(domain(), [&](Index block, Index number, Index j, Index k) {
    const std::size_t thread = Sweep::thread();
    std::vector<LineRates>& into = workspace_.rates[thread];
    Real* const flows = workspace_.lines[thread].data();
    for (std::size_t u = 0; u < unknowns_.size(); ++u) {
      Real* flow = flows + nx * static_cast<Index>(u);
      if (!arranged_.written_first[u]) std::fill_n(flow, nx, 0.0);
      into[u] = LineRates(flow);
    }
    Line line{*now, number, j, k, y.data(), Parts::all(), sweep.booked(block)};
    for (const std::size_t t : workspace_.active) {
      line.scratch = workspace_.scratch[thread][t].get();
      (*now)[t].add(line, into);
    }
    Totals* const of_segments = sweep.of_segments();
    for (std::size_t u = 0; u < unknowns_.size(); ++u) {
      const LinearStorage& storage = *unknowns_[u].storage->linear();
      const Index first = start_of(u) + nx * number;
      storage.combine(number, start.data() + first, y.data() + first, fraction, step,
                      flows + nx * static_cast<Index>(u), out.data() + first);
      for (const auto& run : domain(u).runs(number))
        storage.count(number, out.data() + first, run.first, run.first + run.count, of_segments);
    }
    sweep.count(block, number, of_segments);
  });
  exchange(out);
  sweep.collect(rates, 1);
  for (std::size_t t = 0; t < now->size(); ++t) (*now)[t].book(*now, y, Parts::all(), 1, rates);
  return sweep.sum();
}

std::pair<std::size_t, std::size_t> TermBalance::prescribed_on(Index line) const {
  if (arranged_.prescribed.empty()) return {0, 0};
  return {arranged_.first_prescribed[static_cast<std::size_t>(line)],
          arranged_.first_prescribed[static_cast<std::size_t>(line) + 1]};
}

bool TermBalance::steps_fused() const {
  // Where boundaries prescribe several unknowns their steps are put together by the general way.
  return !fused_.empty() && all_linear(unknowns_) && (unknowns_.size() == 1 || arranged_.prescribed.empty());
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
  const Sweep sweep(domain(), lines_.size(), workspace_);
  make_workspace(workspace_, domain(), unknowns_.size(), terms_, *now, fused_, 0);
  const Index nx = grid().size(0);
  const bool whole = domain().outline().whole();
  each_line(domain(), [&](Index block, Index number, Index j, Index k) {
    const std::size_t thread = Sweep::thread();
    std::vector<LineRates>& rates = workspace_.rates[thread];
    Line line{*now, number, j, k, y.data(), Parts::all(), sweep.booked(block)};
    // Where nothing but the ends of a line is touched again, its sums are taken while it is computed.
    const auto [first_prescribed, end_prescribed] = prescribed_on(number);
    bool once = nx > 2 && whole && first_prescribed == end_prescribed;
    for (const std::size_t t : workspace_.active) once = once && (*now)[t].acts(number) != Acts::anywhere;
    Totals* const of_segments = sweep.of_segments();
    for (std::size_t u = 0; u < unknowns_.size(); ++u) {
      Real* const next = out.data() + start_of(u) + nx * number;
      rates[u] = LineRates(next, step, unknowns_[u].storage->linear()->of_line(number));
      fused_[u]->step(line, step, next, once ? of_segments : nullptr);
    }
    for (const std::size_t t : workspace_.active) {
      line.scratch = workspace_.scratch[thread][t].get();
      (*now)[t].add(line, rates);
    }
    for (std::size_t u = 0; u < unknowns_.size(); ++u) {
      const LinearStorage& storage = *unknowns_[u].storage->linear();
      Real* const next = out.data() + start_of(u) + nx * number;
      const LineCapacity capacity = storage.of_line(number);
      // Of one unknown alone.
      for (std::size_t h = first_prescribed; h < end_prescribed; ++h) {
        const Index i = arranged_.prescribed[h] - nx * number;
        missing_[h] = capacity(i) * (ahead[h] - next[i]);
        next[i] = ahead[h];
      }
      if (once) {
        const Real across = domain().across(number);
        for (const Index i : {Index{0}, nx - 1}) {
          Totals& totals = of_segments[i / segment_cells];
          const Real stored = capacity(i) * next[i];
          totals.content += stored;
          totals.gross += std::abs(stored);
          totals.see(next[i], across * grid().axis(0).measures()[i]);
        }
      } else {
        for (const auto& run : domain(u).runs(number))
          storage.count(number, next, run.first, run.first + run.count, of_segments);
      }
    }
    sweep.count(block, number, of_segments);
  });
  exchange(out);
  sweep.collect(amounts, step);
  for (std::size_t t = 0; t < now->size(); ++t) (*now)[t].book(*now, y, Parts::all(), step, amounts);
  book_missing(missing_, amounts);
  return sweep.sum();
}

}  // namespace williwaw
