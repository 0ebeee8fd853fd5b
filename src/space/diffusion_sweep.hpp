// One sweep over all lines of a diffusion balance: everything a kernel needs for a line, and one set of sums
// for each block of lines; what flows through the walls and appears inside of one line.
#pragma once

#include <omp.h>

#include <algorithm>

#include "kernels.hpp"
#include "williwaw/space/diffusion_balance.hpp"
#include "williwaw/space/transport.hpp"

namespace williwaw {

struct DiffusionBalance::Sweep {
  const DiffusionBalance& balance;
  Workspace& work;
  const Real* u;
  Parts parts;

  // The workspace is the balance's own, so that stepping allocates nothing.
  Sweep(DiffusionBalance& b, const State& y, Parts p)
      : balance(b), work(b.workspace_), u(y.data()), parts(p) {
    const auto blocks = static_cast<std::size_t>(blocks_of(b.grid().lines()));
    work.booked.resize(blocks * b.lines_.size());
    for (auto& sum : work.booked) sum.clear();
    work.totals.resize(blocks);
    for (auto& sum : work.totals) sum.clear();
    work.of_segments.resize(static_cast<std::size_t>(std::max(1, b.threads_)));
    for (auto& totals : work.of_segments) totals.resize(static_cast<std::size_t>(b.segments_.of_line()));
    if (!b.couplings_.separable()) work.no_flux.assign(static_cast<std::size_t>(b.grid().size(0)) + 1, 0.0);
  }

  /// What the lines of a block book.
  LedgerBlock booked(Index block) const {
    return LedgerBlock(work.booked.data() + block * static_cast<Index>(balance.lines_.size()));
  }
  /// Nothing yet for every segment of a line, to be added up by this thread.
  Totals* of_segments() const {
    auto& totals = work.of_segments[static_cast<std::size_t>(omp_get_thread_num())];
    std::ranges::fill(totals, Totals());
    return totals.data();
  }
  void count(Index block, Index line, const Totals* of_segments) const {
    const Segments& segments = balance.segments_;
    for (Index s = 0; s < segments.of_line(); ++s)
      work.totals[block].add(segments.number(line, s * segment_cells), of_segments[s]);
  }

  Index line_beside(Index j, Index k, int axis, bool up) const {
    const Grid& g = balance.grid();
    if (axis >= g.rank()) return j + g.size(1) * k;
    Index& along = axis == 1 ? j : k;
    const Index size = g.size(axis), next = along + (up ? 1 : -1);
    if (next >= 0 && next < size)
      along = next;
    else if (g.axis(axis).periodic())
      along = up ? 0 : size - 1;
    return j + g.size(1) * k;
  }

  kernels::Neighbours neighbours(Index j, Index k) const {
    const Index nx = balance.grid().size(0);
    return {u + nx * line_beside(j, k, 1, false), u + nx * line_beside(j, k, 1, true),
            u + nx * line_beside(j, k, 2, false), u + nx * line_beside(j, k, 2, true)};
  }

  kernels::SeparableLine separable(Index j, Index k) const {
    const Grid& g = balance.grid();
    const Couplings& c = balance.couplings_;
    const auto strength = [&](int a) { return parts.has(Parts::flux(a)) ? c.conductivity(a) : 0.0; };
    kernels::SeparableLine line{g.size(0),
                                u + g.number(0, j, k),
                                neighbours(j, k),
                                c.before(0).data(),
                                c.after(0).data(),
                                strength(0),
                                0,
                                0,
                                0,
                                0,
                                g.axis(0).periodic(),
                                g.axis(0).is_uniform() && g.size(0) > 2};
    if (g.rank() > 1) {
      line.south = strength(1) * c.before(1)[j];
      line.north = strength(1) * c.after(1)[j];
    }
    if (g.rank() > 2) {
      line.bottom = strength(2) * c.before(2)[k];
      line.top = strength(2) * c.after(2)[k];
    }
    return line;
  }

  kernels::GeneralLine general(Index j, Index k) const {
    const Grid& g = balance.grid();
    const Couplings& c = balance.couplings_;
    const auto faces = [&](int a, Index up_j, Index up_k) -> const Real* {
      if (a >= g.rank() || !parts.has(Parts::flux(a))) return work.no_flux.data();
      return c.faces(a).data() + c.face(a, 0, j + up_j, k + up_k);
    };
    return {g.size(0),      u + g.number(0, j, k), neighbours(j, k), faces(0, 0, 0),      faces(1, 0, 0),
            faces(1, 1, 0), faces(2, 0, 0),        faces(2, 0, 1),   g.axis(0).periodic()};
  }

  /// What was booked line by line.
  void collect_booked(Ledger& ledger, Real weight) const {
    const std::size_t lines = balance.lines_.size();
    for (std::size_t l = 0; l < lines; ++l) {
      TreeSum<Real> all;
      for (std::size_t n = l; n < work.booked.size(); n += lines)
        if (!work.booked[n].empty()) all.add(static_cast<Index>(n / lines), work.booked[n].sum());
      ledger[LineId(l)] += weight * all.sum();
    }
  }
  /// That and what appears inside.
  void collect(Ledger& ledger, Real weight) const {
    collect_booked(ledger, weight);
    if (!parts.has(Parts::source())) return;
    ledger[balance.source_line_] += weight * balance.source_total_;
    if (!balance.reaction_.empty()) ledger[balance.reaction_line_] += weight * balance.reaction_total_;
    for (std::size_t p = 0; p < balance.points_.size(); ++p)
      ledger[balance.points_[p].line] += weight * balance.points_[p].rate;
  }

  Totals sum() const {
    TreeSum<Totals> all;
    for (std::size_t b = 0; b < work.totals.size(); ++b)
      if (!work.totals[b].empty()) all.add(static_cast<Index>(b), work.totals[b].sum());
    return all.sum();
  }
};

template <class Work>
void DiffusionBalance::each_line(const Work& work) const {
  const Index lines = grid().lines(), blocks = blocks_of(lines), each = in_block(lines),
              rows = grid().size(1);
#pragma omp parallel for schedule(static) num_threads(threads_) if (threads_ > 1)
  for (Index b = 0; b < blocks; ++b)
    for (Index line = b * each; line < std::min((b + 1) * each, lines); ++line)
      work(b, line, line % rows, line / rows);
}

// Calls visit(number, capacity) for every unknown, line by line.
template <class Visit>
void DiffusionBalance::each_capacity(const Visit& visit) const {
  const Index nx = grid().size(0);
  const Real* widths = grid().axis(0).measures().data();
  each_line([&](Index, Index line, Index j, Index k) {
    const Real of_line = couplings_.storage() * across_line(j, k);
    for (Index i = 0; i < nx; ++i)
      visit(nx * line + i,
            couplings_.separable() ? of_line * widths[i] : couplings_.capacities()[nx * line + i]);
  });
}

// Calls visit(first, count) for every run of unknowns that are there.
template <class Visit>
void DiffusionBalance::each_run(Index line, const Visit& visit) const {
  if (first_run_.empty()) {
    visit(Index{0}, grid().size(0));
    return;
  }
  for (std::size_t r = first_run_[line]; r < first_run_[line + 1]; ++r) visit(runs_[r].first, runs_[r].count);
}

template <class Apply>
void DiffusionBalance::flow_through_walls(Index j, Index k, Parts parts, const Real* u, const Apply& apply,
                                          LedgerBlock booked) const {
  const Index line = j + grid().size(1) * k, start = grid().size(0) * line;
  for (std::size_t c = 0; c < closures_.size(); ++c) {
    const Closure& wall = closures_[c];
    const Index first = wall.first_of_line(line), end = wall.first_of_line(line + 1);
    const bool passed = transport_ && transport_->open(c) && parts.has(Parts::stream());
    if (first == end || (wall.idle() && !passed)) continue;
    for (Index f = first; f < end; ++f) {
      const Index i = wall.unknown(f) - start, leaf = segments_.number(line, i);
      if (passed) {
        apply(i, transport_->through(c, f));
        booked[wall.line(wall.carrying())].leaf(leaf) += transport_->through(c, f);
      }
      if (!parts.has(Parts::flux(wall.face(f).axis))) continue;
      apply(i, wall.inflow(f) - wall.pull(f) * u[i]);
      if (!booked) continue;
      // Booked condition by condition and face by face: the ledger never learns of the content.
      for (std::size_t s = 0; s < wall.conditions(); ++s)
        booked[wall.line(s)].leaf(leaf) += wall.flow_of(s, f, u[i]);
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
    const Real* measures = grid().axis(0).measures().data();
    for (Index i = 0; i < nx; ++i) add(i, density * measures[i]);
  }
  if (!reaction_.empty()) {
    const Real* r = reaction_.data() + grid().number(0, j, k);
    for (Index i = 0; i < nx; ++i) add(i, r[i]);
  }
  if (!points_of_line_.empty())
    for (const std::size_t p : points_of_line_[j + grid().size(1) * k])
      add(points_[p].unknown % nx, points_[p].rate);
}

}  // namespace williwaw
