// What flows in, and explicit steps by it: one sweep over all lines.
#include <omp.h>

#include <algorithm>
#include <cmath>

#include "diffusion_sweep.hpp"
#include "wide_differences.hpp"

namespace williwaw {

// Everything that flows into the control volumes of one line.
void DiffusionBalance::flow_into_line(const Sweep& sweep, Index block, Index line, Index j, Index k,
                                      Parts parts, const State& y, Real* out) {
  const Index nx = grid().size(0);
  const int rank = grid().rank();
  const Real* u = y.data() + nx * line;
  if (still_)
    std::fill_n(out, nx, 0.0);
  else if (couplings_.separable())
    kernels::rate_separable(sweep.separable(j, k), rank, across_line(j, k), grid().axis(0).measures().data(),
                            out);
  else
    kernels::rate_general(sweep.general(j, k), rank, out);
  if (transport_ && parts.has(Parts::stream())) {
    transport_->add_line(j, k, y, out);
    if (transport_->stretches()) {
      auto& booked = sweep.booked(block)[stretching_line_];
      for (Index i = 0; i < nx; ++i) {
        const Real flow = transport_->stretching(nx * line + i, u[i]);
        out[i] += flow;
        booked.leaf(segments_.number(line, i)) += flow;
      }
    }
  }
  flow_through_walls(
      j, k, parts, u, [out](Index i, Real flow) { out[i] += flow; }, sweep.booked(block));
  if (parts.has(Parts::source())) add_source(j, k, [out](Index i, Real s) { out[i] += s; });
}

Totals DiffusionBalance::stage(const State& start, const State& y, Real share, Real step, Real at, State& out,
                               Ledger& rates, const Totals* of_y) {
  prepare(at, y, of_y, step);
  rates.clear();
  Sweep sweep(*this, y, Parts::all());
  const Index nx = grid().size(0);
  workspace_.lines.resize(static_cast<std::size_t>(std::max(1, threads_)));
  for (auto& line : workspace_.lines) line.resize(static_cast<std::size_t>(nx));
  const bool separable = couplings_.separable();
  each_line([&](Index block, Index line, Index j, Index k) {
    Real* flow = workspace_.lines[static_cast<std::size_t>(omp_get_thread_num())].data();
    flow_into_line(sweep, block, line, j, k, Parts::all(), y, flow);
    Real* next = out.data() + nx * line;
    kernels::combine(
        nx, start.data() + nx * line, y.data() + nx * line, share, flow,
        step / (separable ? couplings_.storage() * across_line(j, k) : 1),
        separable ? grid().axis(0).measures().data() : couplings_.capacities().data() + nx * line, next);
    Totals* const of_segments = sweep.of_segments();
    each_run(line, [&](Index first, Index count) {
      count_line(next, line, j, k, first, first + count, of_segments);
    });
    sweep.count(block, line, of_segments);
  });
  sweep.collect(rates, 1);
  return sweep.sum();
}

void DiffusionBalance::rate(const State& y, Real at, Parts parts, State& f, Ledger& ledger) {
  if (transport_ && transport_->flux().needs_step && parts.has(Parts::stream()))
    throw InputError("numerical flux '" + transport_->flux().name +
                     "' knows the length of the step: it goes with scheme explicit-euler");
  prepare(at, y);
  ledger.clear();
  if (wide_) {
    wide_->force(y, f);
    if (parts.has(Parts::source()))
      each_line([&](Index, Index line, Index j, Index k) {
        Real* out = f.data() + grid().size(0) * line;
        add_source(j, k, [out](Index i, Real s) { out[i] += s; });
      });
    return;
  }
  Sweep sweep(*this, y, parts);
  each_line([&](Index block, Index line, Index j, Index k) {
    flow_into_line(sweep, block, line, j, k, parts, y, f.data() + grid().size(0) * line);
  });
  sweep.collect(ledger, 1);
  book_shared(y, parts, 1, ledger);
}

Totals DiffusionBalance::advance(const State& y, Real at, Real step, State& out, Ledger& amounts) {
  if (transport_) {
    if (!offers().stages) return Balance::advance(y, at, step, out, amounts);
    const Totals totals = stage(y, y, 1, step, at, out, amounts, nullptr);
    amounts.scale(step);
    return totals;
  }
  prepare(at, y);
  amounts.clear();
  const std::vector<Real>& held_next = held_values(at + step);
  // Their walls have the data of the end of the step now; what flows through other faces is that of its
  // start.
  for (auto& closure : closures_)
    if (closure.pins_in_part()) closure.update(couplings_, at, false, initial_);
  auto& missing = workspace_.missing;
  missing.resize(held_.size());
  Sweep sweep(*this, y, Parts::all());
  const Index nx = grid().size(0);
  const int rank = grid().rank();
  const bool separable = couplings_.separable(), whole = outline_.whole();
  const Real* measures = grid().axis(0).measures().data();
  each_line([&](Index block, Index line, Index j, Index k) {
    const Real* u = y.data() + nx * line;
    Real* next = out.data() + nx * line;
    const Real across = across_line(j, k), storage = couplings_.storage();
    const Real* capacity = separable ? nullptr : couplings_.capacities().data() + nx * line;
    const auto capacity_at = [&](Index i) { return capacity ? capacity[i] : storage * across * measures[i]; };
    // Where nothing but the ends of the line is touched again, its sums are taken while it is computed.
    const bool once = nx > 2 && whole && !has_source(line) && held_start_[line] == held_start_[line + 1] &&
                      ends_only_[line];
    Totals* const of_segments = sweep.of_segments();
    if (once && separable)
      kernels::step_separable_counted(sweep.separable(j, k), rank, step / storage, measures, across, storage,
                                      next, of_segments);
    else if (once)
      kernels::step_general_counted(sweep.general(j, k), rank, step, capacity, measures, across, next,
                                    of_segments);
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
      for (const Index i : {Index{0}, nx - 1}) {
        Totals& totals = of_segments[i / segment_cells];
        const Real stored = capacity_at(i) * next[i];
        totals.content += stored;
        totals.gross += std::abs(stored);
        totals.see(next[i], across * measures[i]);
      }
    } else {
      each_run(line, [&](Index first, Index count) {
        count_line(next, line, j, k, first, first + count, of_segments);
      });
    }
    sweep.count(block, line, of_segments);
  });
  sweep.collect(amounts, step);
  book_shared(y, Parts::all(), step, amounts);
  book_each_held([&](std::size_t h) { return missing[h]; }, amounts);
  return sweep.sum();
}

}  // namespace williwaw
