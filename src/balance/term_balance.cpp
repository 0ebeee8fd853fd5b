#include "williwaw/balance/term_balance.hpp"

#include <algorithm>
#include <cmath>

#include "balance/sweep.hpp"
#include "grid/threads.hpp"

namespace williwaw {

namespace {

Placement placement_of(const Grid& g) {
  if (g.is_at_one_place()) return g.unknowns() == Unknowns::cells ? Placement::cells : Placement::nodes;
  for (int a = 0; a < g.dimension(); ++a)
    if (g.axis(a).unknowns() == Unknowns::nodes)
      return static_cast<Placement>(static_cast<int>(Placement::face_x) + g.direction(a));
  return Placement::cells;
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
  for (std::size_t u = 0; u < unknowns_.size(); ++u) {
    const Grid& g = grid(u);
    if (!(g.at_cells() == grid().at_cells()))
      throw InputError("the unknowns of a balance share the axes of a grid");
    blocks.push_back({unknowns_[u].name,
                      placement_of(g),
                      {g.size(0), g.size(1), g.size(2)},
                      1,
                      0,
                      domain(u).box().whole() ? nullptr : domain(u).shared_box()});
    const auto same = std::ranges::find_if(arranged_.grids,
                                           [&](const OnGrid& on) { return grid(on.unknowns.front()) == g; });
    if (same == arranged_.grids.end())
      arranged_.grids.push_back({{u}});
    else
      same->unknowns.push_back(u);
  }
  arranged_.layout = Layout(std::move(blocks));
  arranged_.written_first.assign(unknowns_.size(), 0);
  for (std::size_t u = 0; u < unknowns_.size(); ++u)
    for (const Index n : domain(u).inactive()) arranged_.inactive.push_back(start_of(u) + n);
}

void TermBalance::arrange_terms(bool declared) {
  Capabilities& capabilities = arranged_.capabilities;
  auto& prescribed = arranged_.prescribed;
  const bool linear_storage = steps_linearly();
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
    arranged_.grid_of_term.push_back(grid_of(needs));
    if (!needs.on_step.empty()) arranged_.on_step = needs.on_step;
    capabilities.advection = capabilities.advection || needs.parts == Parts::advection();
    capabilities.reacts = capabilities.reacts || (needs.parts == Parts::source() && needs.of_state);
    capabilities.space_order = std::max(capabilities.space_order, needs.space_order);
    if (!declared) terms_[t]->declare(lines_);
    const auto own = terms_[t]->prescribed();
    // Ranks prescribe together, even those to which no such unknown belongs.
    if (domain().box().communicator().any(!own.empty())) {
      arranged_.prescribing.push_back({t, prescribed.size()});
      prescribed.insert(prescribed.end(), own.begin(), own.end());
    }
  }
  arranged_.free = count_free();
  expect(std::ranges::is_sorted(prescribed), "TermBalance: prescribed unknowns in increasing order");
  capabilities.stages = (capabilities.advection || unknowns_.size() > 1) && !prescribes() && linear_storage;
  for (Index line = 0; unknowns_.size() == 1 && line <= grid().lines(); ++line)
    arranged_.first_prescribed.push_back(static_cast<std::size_t>(
        std::ranges::lower_bound(prescribed, line * grid().size(0)) - prescribed.begin()));
}

std::size_t TermBalance::count_free() const {
  std::vector<char> fixed(static_cast<std::size_t>(arranged_.layout.size()), 0);
  for (const Index n : arranged_.prescribed) fixed[static_cast<std::size_t>(n)] = 1;
  for (const Index n : arranged_.inactive) fixed[static_cast<std::size_t>(n)] = 1;
  Real own = 0, all = 0;
  for (std::size_t u = 0; u < unknowns_.size(); ++u)
    for (Index n = 0; n < grid(u).count(); ++n)
      if (domain(u).box().owns(n) && !fixed[static_cast<std::size_t>(start_of(u) + n)]) ++own;
  for (const Real of_rank : domain().box().communicator().gathered({&own, 1})) all += of_rank;
  return static_cast<std::size_t>(all);
}

// Which unknowns a term adds to stand at the same places.
std::size_t TermBalance::grid_of(const Needs& needs) const {
  const auto of = [&](int unknown) {
    return std::ranges::find_if(arranged_.grids, [&](const OnGrid& on) {
      return std::ranges::find(on.unknowns, static_cast<std::size_t>(unknown)) != on.unknowns.end();
    });
  };
  if (needs.unknowns.empty()) return 0;
  const auto found = of(needs.unknowns.front());
  if (std::ranges::any_of(needs.unknowns, [&](int unknown) { return of(unknown) != found; }))
    throw InputError("a term adds to unknowns at one place of the grid");
  return static_cast<std::size_t>(found - arranged_.grids.begin());
}

// All storages are linear.
bool TermBalance::steps_linearly() const {
  return std::ranges::all_of(unknowns_, [](const Unknown& u) { return u.storage->linear(); });
}

Capabilities TermBalance::capabilities_of(Parts parts) const {
  Capabilities result = arranged_.capabilities;
  result.linear = result.same_matrix = steps_linearly();
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
  // Bounds and limits ask for one state at many times.
  Instant told = instant;
  const bool reference = !reference_.empty() && instant.y.data() == reference_.data();
  told.same_state = reference && at_reference_;
  at_reference_ = false;
  now_->update(terms_, told);
  at_reference_ = reference;
  return now_;
}

void TermBalance::storage(const State& y, Real, State& q) {
  expect(y.size() == q.size() && static_cast<Index>(y.size()) == arranged_.layout.size(),
         "storage: sizes of states");
  for (std::size_t u = 0; u < unknowns_.size(); ++u)
    each_line(domain(u), [&](std::size_t, Index line, Index, Index) {
      const Index first = first_of(u, line);
      unknowns_[u].storage->amount(line, y.data() + first, q.data() + first);
    });
}

void TermBalance::recover(const State& q, Real, State& y) {
  expect(&q != &y && y.size() == q.size() && static_cast<Index>(y.size()) == arranged_.layout.size(),
         "recover: two states of the balance's size");
  LeastTrouble trouble;
  for (std::size_t u = 0; u < unknowns_.size(); ++u)
    each_line(domain(u), [&](std::size_t, Index line, Index, Index) {
      const Index first = first_of(u, line);
      try {
        unknowns_[u].storage->recover(line, q.data() + first, y.data() + first);
      } catch (...) {
        trouble.keep(line);
      }
    });
  trouble.tell();
  exchange(y);
}

void TermBalance::limit_change(const State& y, State& change) {
  bool any = false;
  for (std::size_t u = 0; u < unknowns_.size(); ++u) {
    if (unknowns_[u].storage->linear()) continue;
    any = true;
    each_line(domain(u), [&](std::size_t, Index line, Index, Index) {
      const Index first = first_of(u, line);
      unknowns_[u].storage->limit_change(line, y.data() + first, change.data() + first);
    });
  }
  if (any) exchange(change);
}

// Every state that is made here is complete when others look at it.
void TermBalance::exchange(State& y) const {
  for (std::size_t u = 0; u < unknowns_.size(); ++u)
    domain(u).exchange({y.data() + start_of(u), static_cast<std::size_t>(domain(u).grid().count())});
}

void TermBalance::exchange_all(State& y) const {
  for (std::size_t u = 0; u < unknowns_.size(); ++u)
    domain(u).exchange_all({y.data() + start_of(u), static_cast<std::size_t>(domain(u).grid().count())});
}

bool TermBalance::data_are_numbers(const std::function<void()>& evaluations) const {
  bool met = false;
  try {
    evaluations();
  } catch (const DataError&) {
    met = true;
  }
  return !domain().box().communicator().any(met);
}

Totals TermBalance::totals(const State& y, Real at) {
  Totals all;
  for (const Totals& of_unknown : totals_by_unknown(y, at)) all += of_unknown;
  return all;
}

std::vector<Totals> TermBalance::totals_by_unknown(const State& y, Real) {
  expect(static_cast<Index>(y.size()) == arranged_.layout.size(), "totals: size of the state");
  std::vector<Totals> result;
  for (std::size_t u = 0; u < unknowns_.size(); ++u) {
    const Sweep sweep(domain(u), 0, workspace_);
    sweep.each_line([&](Index line, Index, Index, LineSums& sums) {
      Totals* const of_segments = sums.of_segments();
      const Real* values = y.data() + first_of(u, line);
      for (const auto& run : domain(u).runs(line))
        unknowns_[u].storage->count(line, values, run.first, run.first + run.count, of_segments);
      sums.count(domain(u).segments(), line);
    });
    Ledger none;
    result.push_back(sweep.finish(none, 1));
  }
  return result;
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
  if (!prescribes()) return;
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
  std::vector<DataBounds> pieces;
  for (std::size_t t = 0; t < now->size(); ++t) (*now)[t].bound(pieces);
  if (const Box& box = domain().box(); !box.whole()) {
    std::vector<Real> most;
    for (const DataBounds& piece : pieces)
      most.insert(most.end(), {-piece.lowest, piece.highest, piece.raising, piece.lowering,
                               piece.known ? 0.0 : 1.0, piece.steady ? 0.0 : 1.0});
    box.communicator().highest(most);
    const Real* next = most.data();
    for (DataBounds& piece : pieces) {
      piece = {-next[0], next[1], next[2], next[3], next[4] == 0, next[5] == 0};
      next += 6;
    }
  }
  DataBounds result = DataBounds::nothing();
  result.steady = arranged_.capabilities.steady_matrix;
  for (const DataBounds& piece : pieces) {
    result.known = result.known && piece.known;
    result.steady = result.steady && piece.steady;
    result.lowest = std::min(result.lowest, piece.lowest);
    result.highest = std::max(result.highest, piece.highest);
    result.raising += piece.raising;
    result.lowering += piece.lowering;
  }
  return result;
}

}  // namespace williwaw
