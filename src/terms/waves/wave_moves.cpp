// Leapfrog steps of a wave: the next value of every unknown of a line.
#include <algorithm>
#include <cmath>

#include "terms/diffusion/kernel_lines.hpp"
#include "terms/waves/wave_work.hpp"

namespace williwaw {

// Moves unknown n on; `pair` is what its neighbours exert, force all that does besides given forces.
void WaveDynamics::move_one(Index n, Real c, Real volume, Real pair, Real force, Work& work) const {
  const Fixed& fixed = work.fixed;
  const Real u = work.now[n], old = work.other[n], step = work.step;
  const Real damping = fixed.total_damping.empty() ? 0 : 0.5 * step * fixed.total_damping[n];
  const Real correction = work.correction ? (*work.correction)[n] : 0, data = work.data ? (*work.data)[n] : 0;
  const Real next =
      (2 * c * u - (c - damping) * old + step * step * (force + correction + data)) / (c + damping);
  work.other[n] = next;
  const Real moved = 0.5 * (next - old);
  Totals& s = work.of_segments[n % grid().size(0) / segment_cells];
  s.kinetic += c * (next - u) * (next - u);
  s.potential -= next * (pair + correction);
  s.see(next, volume);
  if (data != 0) work.booked[parts_.source_term->line()].leaf(leaf(n)) += data * moved;
  if (!fixed.damping.empty())
    work.booked[parts_.wave_lines.damping].leaf(leaf(n)) -= fixed.damping[n] * moved * moved / step;
}

void WaveDynamics::move_simple_line(Index line, Index j, Index k, Work& work) const {
  const Grid& g = grid();
  const Index nx = g.size(0), start = nx * line;
  const Real* widths = g.axis(0).measures().data();
  const Real across = parts_.of.domain->across(line), storage = parts_.storage->per_volume();
  const EvaluatedDiffusion& diffusion = work.evaluated.of(parts_.diffusion);
  const KernelLines lines{diffusion, work.now, Parts::all()};
  const bool separable = diffusion.conductances().separable();
  const LineCapacity capacities = parts_.storage->of_line(line);
  Real* out = work.other + start;
  std::array<Real, 2> pairs{};
  kernels::Leap leapfrog_step{work.step * work.step, widths, across, 1, 1};
  if (separable) {
    leapfrog_step.scale /= storage;
    leapfrog_step.kinetic = storage * across;
    leapfrog_step.potential = across;
    const auto of_line = lines.separable(j, k);
    kernels::leapfrog_separable(of_line, g.dimension(), leapfrog_step, out, work.of_segments);
    for (const int end : {0, 1}) {
      const Index i = end * (nx - 1);
      pairs[end] = kernels::inflow_separable(of_line, g.dimension(), i) * across * widths[i];
    }
  } else {
    const auto of_line = lines.general(j, k);
    kernels::leapfrog_general(of_line, g.dimension(), leapfrog_step,
                              {capacities.values, capacities.factor, work.fixed.even}, out, work.of_segments);

    for (const int end : {0, 1}) pairs[end] = kernels::inflow_general(of_line, g.dimension(), end * (nx - 1));
  }
  if (g.axis(0).periodic()) return;
  work.force[0] = work.force[nx - 1] = 0;
  if (!work.quiet_boundaries)
    parts_.flows->through(
        work.evaluated, line, Parts::all(), work.now + start,
        [&](Index i, Real flow) { work.force[i] += flow; }, LedgerBlock());
  const auto first = work.fixed.prescribed_start[line], last = work.fixed.prescribed_start[line + 1];
  for (const int end : {0, 1}) {
    const Index i = end * (nx - 1);
    bool holds = false;
    for (auto h = first; h < last; ++h) holds = holds || prescribed()[h] == start + i;
    if (holds) continue;
    const Real c = separable ? storage * across * widths[i] : capacities(i);
    move_one(start + i, c, across * widths[i], pairs[end], pairs[end] + work.force[i], work);
  }
}

void WaveDynamics::move_line(Index line, Index j, Index k, Work& work) const {
  const Grid& g = grid();
  const Index nx = g.size(0), start = nx * line;
  const Evaluation& now = work.evaluated;
  pair_line(now, work.now, line, j, k, work.pair.data());
  std::ranges::copy(work.pair, work.force.begin());
  // Differences of order 4 know their boundaries themselves.
  if (!parts_.wide)
    parts_.flows->through(
        now, line, Parts::all(), work.now + start, [&](Index i, Real flow) { work.force[i] += flow; },
        LedgerBlock());
  const bool driven = has_source(now, line);
  std::ranges::fill(work.source, 0.0);
  if (driven) {
    const LineRates into(work.source.data());
    const Line one{now, line, j, k, work.now, Parts::all(), LedgerBlock()};
    for (const std::size_t t : work.fixed.inner) now[t].add(one, {&into, 1});
  }
  auto h = work.fixed.prescribed_start[line];
  const auto last = work.fixed.prescribed_start[line + 1];
  const LinearStorage& storage = *parts_.storage;
  const Real* widths = g.axis(0).measures().data();
  const Real across = parts_.of.domain->across(line);
  const LineCapacity capacities = storage.of_line(line);
  const Real* volumes = storage.volumes().empty() ? nullptr : storage.volumes().data() + start;
  if (work.fixed.total_damping.empty() && !driven && !work.correction && !work.data && h == last &&
      parts_.outline().whole()) {
    // Nothing but neighbours and boundaries acts: the kernel for that.
    kernels::leapfrog_with(nx, work.now + start, work.pair.data(), work.force.data(),
                           {work.step * work.step, widths, across, 1, 1}, storage.per_volume() * across,
                           capacities.each(), work.other + start, work.of_segments);
    return;
  }
  const auto* places = layer_ ? &layer_->places() : nullptr;
  if (places)
    work.next_place = static_cast<std::size_t>(
        std::ranges::lower_bound(*places, start, {}, &WaveLayer::Place::unknown) - places->begin());
  for (const auto& run : parts_.of.domain->runs(line))
    for (Index i = run.first; i < run.first + run.count; ++i) {
      const Index n = start + i;
      while (places && work.next_place < places->size() && (*places)[work.next_place].unknown < n)
        ++work.next_place;
      if (h < last && prescribed()[h] == n) {
        ++h;
        continue;
      }
      const Real old = work.other[n];
      Real force = work.force[i] + work.source[i];
      const bool in_layer =
          places && work.next_place < places->size() && (*places)[work.next_place].unknown == n;
      if (in_layer) force += work.layer_forces[work.next_place];
      const Real volume = volumes ? volumes[i] : across * widths[i];
      move_one(n, capacities.of_each ? capacities.values[i] : storage.per_volume() * volume, volume,
               work.pair[i], force, work);
      const Real moved = 0.5 * (work.other[n] - old);
      if (driven) work.booked[parts_.source_term->line()].leaf(leaf(n)) += work.source[i] * moved;
      if (in_layer)
        work.booked[parts_.boundary->all()[(*places)[work.next_place].closure].line()].leaf(leaf(n)) +=
            moved *
            (work.layer_forces[work.next_place] - (*places)[work.next_place].damping * moved / work.step);
    }
}

}  // namespace williwaw
