#include "williwaw/space/diffusion_balance.hpp"

#include <omp.h>

#include <algorithm>
#include <cmath>

#include "diffusion_sweep.hpp"

namespace williwaw {

namespace {

int threads_for(const Execution& execution, Index count) {
  // Waking a second thread costs more than a small grid takes.
  if (count < 20000) return 1;
  return execution.threads > 0 ? execution.threads : omp_get_max_threads();
}

}  // namespace

DiffusionBalance::DiffusionBalance(const Problem& problem, Execution execution)
    : problem_(problem),
      threads_(threads_for(execution, problem.grid().count())),
      couplings_(problem.grid(), problem.equation()) {
  problem_.validate();
  const Grid& g = grid();
  const Placement placement = g.unknowns() == Unknowns::cells ? Placement::cells : Placement::nodes;
  layout_ = Layout({Block{problem_.equation().unknown, placement, {g.size(0), g.size(1), g.size(2)}, 1, 0}});
  for (const Side side : g.sides()) {
    if (problem_.periodic(side)) continue;
    const Closure& closure = closures_.emplace_back(g, side, problem_.wall(side), couplings_);
    first_line_.push_back(lines_.size());
    lines_.insert(lines_.end(), closure.lines().begin(), closure.lines().end());
  }
  lines_.push_back({"source", LedgerLine::Kind::source, ""});
  find_held();
}

Offers DiffusionBalance::offers() const {
  Offers result;
  result.linear = true;
  result.matrix = true;
  result.steady_matrix =
      !couplings_.depends_on_time() && std::ranges::none_of(closures_, &Closure::left_side_depends_on_time);
  return result;
}

void DiffusionBalance::prepare(Real at) {
  const bool changed = couplings_.update(at);
  for (auto& closure : closures_)
    if (!closure.pins()) closure.update(couplings_, at, changed);
  evaluate_source(at);
}

void DiffusionBalance::evaluate_source(Real at) {
  const Function& source = problem_.equation().source;
  if (source_ready_ && (!source.depends_on_time() || at == source_at_)) return;
  source_ready_ = true;
  source_at_ = at;
  fastest_rise_ = fastest_fall_ = 0;
  const auto count_in = [&](Real amount, Index n) {
    fastest_rise_ = std::max(fastest_rise_, amount / couplings_.capacity(n));
    fastest_fall_ = std::max(fastest_fall_, -amount / couplings_.capacity(n));
  };
  if (!source.depends_on_place()) {
    source_density_ = source(Point{}, at);
    source_total_ = source_density_ * grid().volume();
    // Where what is stored is the same everywhere one unknown stands for all.
    for (Index n = 0; n < (couplings_.separable() ? 1 : grid().count()); ++n)
      count_in(source_density_ * grid().volume_of(n), n);
  } else {
    source_.resize(static_cast<std::size_t>(grid().count()));
    integrate_over_volumes(grid(), source, at, source_);
    source_total_ = 0;
    for (Index n = 0; n < grid().count(); ++n) {
      source_total_ += source_[n];
      count_in(source_[n], n);
    }
  }
  if (!std::isfinite(source_total_))
    throw InputError("the source is not a finite number at time " + to_text(at));
}

Real DiffusionBalance::across_line(Index j, Index k) const {
  Real product = 1;
  if (grid().rank() > 1) product *= grid().axis(1).widths()[j];
  if (grid().rank() > 2) product *= grid().axis(2).widths()[k];
  return product;
}

bool DiffusionBalance::beside_wall(Index j, Index k) const {
  const std::array<Index, 3> at{0, j, k};
  for (int a = 1; a < grid().rank(); ++a)
    if (!grid().axis(a).periodic() && (at[a] == 0 || at[a] == grid().size(a) - 1)) return true;
  return false;
}

template <class Work>
void DiffusionBalance::each_line(const Work& work) const {
  const Index lines = grid().lines(), blocks = std::min(lines, most_blocks), rows = grid().size(1);
#pragma omp parallel for schedule(static) num_threads(threads_) if (threads_ > 1)
  for (Index b = 0; b < blocks; ++b)
    for (Index line = b * lines / blocks; line < (b + 1) * lines / blocks; ++line)
      work(b, line, line % rows, line / rows);
}

template <class Apply>
void DiffusionBalance::flow_through_walls(Index j, Index k, Parts parts, const Real* u, const Apply& apply,
                                          Real* booked) const {
  const std::array<Index, 3> at{0, j, k};
  const Index nx = grid().size(0);
  for (std::size_t c = 0; c < closures_.size(); ++c) {
    const Closure& wall = closures_[c];
    const Side side = wall.side();
    if (wall.pins() || wall.idle() || !parts.has(Parts::flux(side.axis))) continue;
    Index first = 0, count = nx, face = 0;
    if (side.axis == 0) {
      first = side.upper ? nx - 1 : 0;
      count = 1;
      face = j + grid().size(1) * k;
    } else {
      if (at[side.axis] != (side.upper ? grid().size(side.axis) - 1 : 0)) continue;
      face = nx * (side.axis == 1 ? k : j);
    }
    for (Index i = 0; i < count; ++i)
      apply(first + i, wall.inflow(face + i) - wall.pull(face + i) * u[first + i]);
    // Booked condition by condition and face by face: the ledger never learns of the content.
    for (std::size_t s = 0; s < wall.conditions(); ++s) {
      Real sum = 0;
      for (Index i = 0; i < count; ++i) sum += wall.flow_of(s, face + i, u[first + i]);
      booked[first_line_[c] + s] += sum;
    }
  }
}

template <class Add>
void DiffusionBalance::add_source(Index j, Index k, const Add& add) const {
  const Index nx = grid().size(0);
  if (!source_.empty()) {
    const Real* s = source_.data() + grid().number(0, j, k);
    for (Index i = 0; i < nx; ++i) add(i, s[i]);
  } else if (source_density_ != 0) {
    const Real density = source_density_ * across_line(j, k);
    const Real* widths = grid().axis(0).widths().data();
    for (Index i = 0; i < nx; ++i) add(i, density * widths[i]);
  }
}

void DiffusionBalance::rate(const State& y, Real at, Parts parts, State& f, Ledger& ledger) {
  prepare(at);
  ledger.clear();
  Sweep sweep(*this, y, parts);
  const Index nx = grid().size(0);
  const int rank = grid().rank();
  const Real* widths = grid().axis(0).widths().data();
  each_line([&](Index block, Index line, Index j, Index k) {
    Real* out = f.data() + nx * line;
    if (couplings_.separable())
      kernels::rate_separable(sweep.separable(j, k), rank, across_line(j, k), widths, out);
    else
      kernels::rate_general(sweep.general(j, k), rank, out);
    flow_through_walls(
        j, k, parts, y.data() + nx * line, [out](Index i, Real flow) { out[i] += flow; },
        sweep.booked(block));
    if (parts.has(Parts::source())) add_source(j, k, [out](Index i, Real s) { out[i] += s; });
  });
  sweep.collect(ledger, 1);
  book_shared(y, parts, 1, ledger);
}

Totals DiffusionBalance::advance(const State& y, Real at, Real step, State& out, Ledger& amounts) {
  prepare(at);
  amounts.clear();
  const std::vector<Real>& held_next = held_values(at + step);
  auto& missing = workspace_.missing;
  missing.resize(held_.size());
  Sweep sweep(*this, y, Parts::all());
  const Index nx = grid().size(0);
  const int rank = grid().rank();
  const bool separable = couplings_.separable();
  const Real* widths = grid().axis(0).widths().data();
  each_line([&](Index block, Index line, Index j, Index k) {
    const Real* u = y.data() + nx * line;
    Real* next = out.data() + nx * line;
    const Real across = across_line(j, k), storage = couplings_.storage();
    const Real* capacity = separable ? nullptr : couplings_.capacities().data() + nx * line;
    const auto capacity_at = [&](Index i) { return capacity ? capacity[i] : storage * across * widths[i]; };
    const auto total = [&](Index first, Index count) {
      return kernels::total(count, next + first, widths + first, across, storage,
                            capacity ? capacity + first : nullptr);
    };
    // Where nothing but the ends of the line is touched again, its sums are taken while it is computed.
    const bool once =
        nx > 2 && !has_source() && held_start_[line] == held_start_[line + 1] && !beside_wall(j, k);
    Totals& totals = sweep.totals(block);
    if (once)
      totals.add(separable ? kernels::step_separable_counted(sweep.separable(j, k), rank, step / storage,
                                                             widths, across, storage, next)
                           : kernels::step_general_counted(sweep.general(j, k), rank, step, capacity, widths,
                                                           across, next));
    else if (separable)
      kernels::step_separable(sweep.separable(j, k), rank, step / storage, next);
    else
      kernels::step_general(sweep.general(j, k), rank, step, capacity, next);
    const auto add = [&](Index i, Real flow) { next[i] += step * flow / capacity_at(i); };
    flow_through_walls(j, k, Parts::all(), u, add, sweep.booked(block));
    add_source(j, k, add);
    for (std::size_t h = held_start_[line]; h < held_start_[line + 1]; ++h) {
      const Index i = held_[h] - nx * line;
      missing[h] = capacity_at(i) * (held_next[h] - next[i]);
      next[i] = held_next[h];
    }
    if (once) {
      totals.add(total(0, 1));
      totals.add(total(nx - 1, 1));
    } else {
      totals.add(total(0, nx));
    }
  });
  sweep.collect(amounts, step);
  book_shared(y, Parts::all(), step, amounts);
  for (std::size_t h = 0; h < held_.size(); ++h) book_one_held(h, missing[h], amounts);
  return sweep.sum();
}

Totals DiffusionBalance::totals(const State& y, Real) {
  Sweep sweep(*this, y, Parts::all());
  const Index nx = grid().size(0);
  each_line([&](Index block, Index line, Index j, Index k) {
    const Real* capacity = couplings_.separable() ? nullptr : couplings_.capacities().data() + nx * line;
    sweep.totals(block).add(kernels::total(nx, y.data() + nx * line, grid().axis(0).widths().data(),
                                           across_line(j, k), couplings_.storage(), capacity));
  });
  return sweep.sum();
}

// Calls visit(number, capacity) for every unknown, line by line.
template <class Visit>
void DiffusionBalance::each_capacity(const Visit& visit) const {
  const Index nx = grid().size(0);
  const Real* widths = grid().axis(0).widths().data();
  each_line([&](Index, Index line, Index j, Index k) {
    const Real of_line = couplings_.storage() * across_line(j, k);
    for (Index i = 0; i < nx; ++i)
      visit(nx * line + i,
            couplings_.separable() ? of_line * widths[i] : couplings_.capacities()[nx * line + i]);
  });
}

void DiffusionBalance::storage(const State& y, Real, State& q) {
  each_capacity([&](Index n, Real capacity) { q[n] = capacity * y[n]; });
}

void DiffusionBalance::recover(const State& q, Real, State& y) {
  each_capacity([&](Index n, Real capacity) { y[n] = q[n] / capacity; });
}

Drive DiffusionBalance::drive(Real at) {
  prepare(at);
  held_values(at);
  Drive result;
  result.known = true;
  result.steady = !problem_.equation().source.depends_on_time() && offers().steady_matrix;
  for (const auto& wall : closures_) {
    const Drive& one = wall.drive();
    result.known = result.known && one.known;
    result.steady = result.steady && one.steady;
    result.lowest = std::min(result.lowest, one.lowest);
    result.highest = std::max(result.highest, one.highest);
    result.raising += one.raising;
    result.lowering += one.lowering;
  }
  result.raising += fastest_rise_;
  result.lowering += fastest_fall_;
  return result;
}

}  // namespace williwaw
