#include "wave_motion.hpp"

#include <algorithm>
#include <cmath>

#include "diffusion_sweep.hpp"
#include "wide_differences.hpp"

namespace williwaw {

/// What one leap works with.
struct WaveMotion::Work {
  const DiffusionBalance::Sweep& sweep;
  const State& now;
  State& other;
  Real step;
  const State* correction;
  const State* data;
  bool quiet_walls;                     ///< nothing acts on any of them
  std::span<Real> pair, force, source;  ///< of one line
  std::span<const Real> layer_forces;
  std::size_t next_place = 0;
  Totals* of_segments;  ///< of one line: energies twice, the kinetic one times the square of the step
  LedgerBlock booked;   ///< what damping, sources, layers and given forces do
};

namespace {
// From sums of which energies are twice the potential one, and the kinetic one over `kinetic`.
Totals energies(Totals t, Real kinetic) {
  t.kinetic *= kinetic;
  t.potential *= 0.5;
  t.content = t.kinetic + t.potential;
  t.gross = t.kinetic + std::abs(t.potential);
  return t;
}
}  // namespace

WaveMotion::WaveMotion(DiffusionBalance& balance) : balance_(balance) {
  damping_line_ = balance_.lines_.declare({"damping", LedgerLine::Kind::source, ""});
  scheme_line_ = balance_.lines_.declare({"scheme", LedgerLine::Kind::source, ""});
  layer_ = std::make_unique<WaveLayer>(balance_);
  if (!layer_->any()) layer_.reset();
  // Nodes on walls that follow the motion are held from the start.
  for (Closure& wall : balance_.closures_) {
    if (!wall.moves()) continue;
    std::vector<Real> values(static_cast<std::size_t>(wall.faces()));
    balance_.problem_.initial.evaluate(wall.places(), 0, values);
    wall.stand_at(values);
  }
}

void WaveMotion::find_drag() {
  if (ready_) return;
  ready_ = true;
  balance_.prepare(0);
  const auto count = static_cast<std::size_t>(balance_.grid().count());
  const Function& damping = balance_.problem().equation().damping;
  if (!damping.is_constant() || damping(Point{}) != 0) {
    damping_.assign(count, 0.0);
    for (Index n = 0; n < balance_.grid().count(); ++n) {
      if (!balance_.outline_.active(n)) continue;
      const Real d = damping(balance_.grid().point_of(n));
      if (!(d >= 0)) throw InputError("damping must not be below zero: it would feed the wave");
      damping_[n] = d * capacity(n);
    }
  }
  even_ = balance_.grid().axis(0).is_uniform() && balance_.outline_.whole() &&
          !balance_.problem().equation().storage.depends_on_place();
  if (!balance_.wide_)
    for (std::size_t c = 0; c < balance_.closures_.size(); ++c)
      for (Index f = 0; f < balance_.closures_[c].faces(); ++f) {
        const Closure& wall = balance_.closures_[c];
        const auto found = std::ranges::lower_bound(balance_.held_, wall.unknown(f));
        if (wall.pins(f) || found == balance_.held_.end() || *found != wall.unknown(f)) continue;
        pushes_.push_back({static_cast<std::size_t>(found - balance_.held_.begin()), c, f});
      }
  std::ranges::stable_sort(pushes_, {}, &Push::held);
  for (std::size_t h = 0; h <= balance_.held_.size(); ++h)
    first_push_.push_back(
        static_cast<std::size_t>(std::ranges::lower_bound(pushes_, h, {}, &Push::held) - pushes_.begin()));
  free_line_.assign(static_cast<std::size_t>(balance_.grid().lines()), 1);
  const Index nx = balance_.grid().size(0);
  drag_ = damping_;
  for (const Closure& wall : balance_.closures_)
    for (Index f = 0; f < wall.faces(); ++f)
      if (const Real d = wall.drag(f); d != 0) {
        drag_.resize(count, 0.0);
        drag_[wall.unknown(f)] += d;
      }
  if (layer_)
    for (const auto& place : layer_->places()) {
      drag_.resize(count, 0.0);
      // What walls hold is theirs, in a layer too.
      if (!std::ranges::binary_search(balance_.held_, place.unknown)) drag_[place.unknown] += place.drag;
      free_line_[place.unknown / nx] = 0;
    }
  if (!damping_.empty() || balance_.wide_ || nx <= 2 || !balance_.outline_.whole())
    std::ranges::fill(free_line_, char{0});
  for (Index line = 0; line < balance_.grid().lines(); ++line)
    if (balance_.held_start_[line] != balance_.held_start_[line + 1]) {
      // Held ends are left to what follows the sweep; anything else that is held is not.
      for (std::size_t h = balance_.held_start_[line]; h < balance_.held_start_[line + 1]; ++h)
        if (const Index i = balance_.held_[h] - nx * line; i != 0 && i != nx - 1) free_line_[line] = 0;
    }
}

bool WaveMotion::simple(Index line) const {
  return free_line_[line] && balance_.ends_only_[line] && !balance_.has_source(line);
}

void WaveMotion::initial_rate(State& v) {
  const Grid& g = balance_.grid();
  v.assign(static_cast<std::size_t>(g.count()), 0.0);
  const Index nx = g.size(0);
  Points line(nx);
  for (Index l = 0; l < g.lines(); ++l) {
    for (Index i = 0; i < nx; ++i) line.set(i, g.point(i, l % g.size(1), l / g.size(1)));
    balance_.problem().initial_rate.evaluate(line, 0, {v.data() + nx * l, static_cast<std::size_t>(nx)});
  }
  for (Index n = 0; n < g.count(); ++n)
    if (!std::isfinite(v[n]))
      throw InputError("the initial rate is not a finite number at " + g.place_text(g.point_of(n)));
  for (const Index n : balance_.absent_) v[n] = 0;
}

std::span<const Real> WaveMotion::drag(Real) {
  find_drag();
  return drag_;
}

bool WaveMotion::needs_leap() const {
  return layer_ || std::ranges::any_of(balance_.closures_, &Closure::moves);
}

Real WaveMotion::capacity(Index n) const {
  return balance_.couplings_.capacity(n);
}

// What flows into the control volumes of a line from their neighbours.
void WaveMotion::pair_line(const DiffusionBalance::Sweep& sweep, Index j, Index k, Real* out) const {
  const Grid& g = balance_.grid();
  if (balance_.wide_)
    std::copy_n(wide_.begin() + g.number(0, j, k), g.size(0), out);
  else if (balance_.couplings_.separable())
    kernels::rate_separable(sweep.separable(j, k), g.rank(), balance_.across_line(j, k),
                            g.axis(0).measures().data(), out);
  else
    kernels::rate_general(sweep.general(j, k), g.rank(), out);
}

void WaveMotion::pair_forces(const State& u) {
  pair_.resize(u.size());
  if (balance_.wide_) balance_.wide_->force(u, wide_);
  const DiffusionBalance::Sweep sweep(balance_, u, Parts::all());
  balance_.each_line([&](Index, Index line, Index j, Index k) {
    pair_line(sweep, j, k, pair_.data() + balance_.grid().size(0) * line);
  });
}

Real WaveMotion::pair_force(const DiffusionBalance::Sweep& sweep, Index n) const {
  if (balance_.wide_) return wide_[n];
  const Grid& g = balance_.grid();
  const auto at = g.position(n);
  if (!balance_.couplings_.separable())
    return kernels::inflow_general(sweep.general(at[1], at[2]), g.rank(), at[0]);
  return kernels::inflow_separable(sweep.separable(at[1], at[2]), g.rank(), at[0]) *
         balance_.across_line(at[1], at[2]) * g.axis(0).measures()[at[0]];
}

// Moves unknown n on; `pair` is what its neighbours exert, force all that does besides given forces.
void WaveMotion::move_one(Index n, Real c, Real volume, Real pair, Real force, Work& work) const {
  const Real u = work.now[n], old = work.other[n], step = work.step;
  const Real drag = drag_.empty() ? 0 : 0.5 * step * drag_[n];
  const Real correction = work.correction ? (*work.correction)[n] : 0, data = work.data ? (*work.data)[n] : 0;
  const Real next = (2 * c * u - (c - drag) * old + step * step * (force + correction + data)) / (c + drag);
  work.other[n] = next;
  const Real moved = 0.5 * (next - old);
  Totals& s = work.of_segments[n % balance_.grid().size(0) / segment_cells];
  s.kinetic += c * (next - u) * (next - u);
  s.potential -= next * (pair + correction);
  s.see(next, volume);
  if (data != 0) work.booked[balance_.source_line_].leaf(leaf(n)) += data * moved;
  if (!damping_.empty()) work.booked[damping_line_].leaf(leaf(n)) -= damping_[n] * moved * moved / step;
}

void WaveMotion::move_simple_line(Index line, Index j, Index k, Work& work) const {
  const Grid& g = balance_.grid();
  const Index nx = g.size(0), start = nx * line;
  const Real* widths = g.axis(0).measures().data();
  const Real across = balance_.across_line(j, k), storage = balance_.couplings_.storage();
  const bool separable = balance_.couplings_.separable();
  const Real* capacities = separable ? nullptr : balance_.couplings_.capacities().data() + start;
  Real* out = work.other.data() + start;
  std::array<Real, 2> pairs{};
  kernels::Leap leap{work.step * work.step, widths, across, 1, 1};
  if (separable) {
    leap.scale /= storage;
    leap.kinetic = storage * across;
    leap.potential = across;
    const auto of_line = work.sweep.separable(j, k);
    kernels::leap_separable(of_line, g.rank(), leap, out, work.of_segments);
    for (const int end : {0, 1}) {
      const Index i = end * (nx - 1);
      pairs[end] = kernels::inflow_separable(of_line, g.rank(), i) * across * widths[i];
    }
  } else {
    const auto of_line = work.sweep.general(j, k);
    if (even_)
      kernels::leap_general_even(of_line, g.rank(), leap, capacities[1], out, work.of_segments);
    else
      kernels::leap_general(of_line, g.rank(), leap, capacities, out, work.of_segments);
    for (const int end : {0, 1}) pairs[end] = kernels::inflow_general(of_line, g.rank(), end * (nx - 1));
  }
  if (g.axis(0).periodic()) return;
  work.force[0] = work.force[nx - 1] = 0;
  if (!work.quiet_walls)
    balance_.flow_through_walls(
        j, k, Parts::all(), work.now.data() + start, [&](Index i, Real flow) { work.force[i] += flow; },
        LedgerBlock());
  const auto first = balance_.held_start_[line], last = balance_.held_start_[line + 1];
  for (const int end : {0, 1}) {
    const Index i = end * (nx - 1);
    bool held = false;
    for (auto h = first; h < last; ++h) held = held || balance_.held_[h] == start + i;
    if (held) continue;
    const Real c = separable ? storage * across * widths[i] : capacities[i];
    move_one(start + i, c, across * widths[i], pairs[end], pairs[end] + work.force[i], work);
  }
}

void WaveMotion::move_line(Index line, Index j, Index k, Work& work) const {
  const Grid& g = balance_.grid();
  const Index nx = g.size(0), start = nx * line;
  pair_line(work.sweep, j, k, work.pair.data());
  std::ranges::copy(work.pair, work.force.begin());
  // Differences of order 4 know their walls themselves.
  if (!balance_.wide_)
    balance_.flow_through_walls(
        j, k, Parts::all(), work.now.data() + start, [&](Index i, Real flow) { work.force[i] += flow; },
        LedgerBlock());
  const bool driven = balance_.has_source(line);
  std::ranges::fill(work.source, 0.0);
  if (driven) balance_.add_source(j, k, [&](Index i, Real s) { work.source[i] += s; });
  auto h = balance_.held_start_[line];
  const auto last = balance_.held_start_[line + 1];
  const Couplings& couplings = balance_.couplings_;
  const Real* widths = g.axis(0).measures().data();
  const Real across = balance_.across_line(j, k);
  const Real* capacities = couplings.separable() ? nullptr : couplings.capacities().data() + start;
  const Real* volumes = couplings.volumes().empty() ? nullptr : couplings.volumes().data() + start;
  if (drag_.empty() && !driven && !work.correction && !work.data && h == last && balance_.outline_.whole()) {
    // Nothing but neighbours and walls acts: the kernel for that.
    kernels::leap_with(nx, work.now.data() + start, work.pair.data(), work.force.data(),
                       {work.step * work.step, widths, across, 1, 1}, couplings.storage() * across,
                       capacities, work.other.data() + start, work.of_segments);
    return;
  }
  const auto* places = layer_ ? &layer_->places() : nullptr;
  if (places)
    work.next_place = static_cast<std::size_t>(
        std::ranges::lower_bound(*places, start, {}, &WaveLayer::Place::unknown) - places->begin());
  balance_.each_run(line, [&](Index begin, Index count) {
    for (Index i = begin; i < begin + count; ++i) {
      const Index n = start + i;
      while (places && work.next_place < places->size() && (*places)[work.next_place].unknown < n)
        ++work.next_place;
      if (h < last && balance_.held_[h] == n) {
        ++h;
        continue;
      }
      const Real old = work.other[n];
      Real force = work.force[i] + work.source[i];
      const bool in_layer =
          places && work.next_place < places->size() && (*places)[work.next_place].unknown == n;
      if (in_layer) force += work.layer_forces[work.next_place];
      const Real volume = volumes ? volumes[i] : across * widths[i];
      move_one(n, capacities ? capacities[i] : couplings.storage() * volume, volume, work.pair[i], force,
               work);
      const Real moved = 0.5 * (work.other[n] - old);
      if (driven) work.booked[balance_.source_line_].leaf(leaf(n)) += work.source[i] * moved;
      if (in_layer)
        work.booked[balance_.closures_[(*places)[work.next_place].closure].line()].leaf(leaf(n)) +=
            moved *
            (work.layer_forces[work.next_place] - (*places)[work.next_place].drag * moved / work.step);
    }
  });
}

Totals WaveMotion::prepare_leap(const State& now, const State& v, Real at, Real step, const State* correction,
                                const State* data, State& before) {
  find_drag();
  balance_.prepare(at, now);
  if (balance_.wide_) balance_.wide_->force(now, wide_);
  const bool first = !placed_;
  before.assign(now.size(), 0.0);
  place_walls(now, v, at, step);
  if (layer_) {
    if (first) layer_->start();
    layer_->forces(now, layer_forces_);
  }
  std::vector<Real> layer(layer_ ? now.size() : 0, 0.0);
  for (std::size_t p = 0; p < layer_forces_.size(); ++p)
    layer[layer_->places()[p].unknown] = layer_forces_[p];
  Ledger ignored(balance_.lines_.size());
  State force(now.size());
  balance_.rate(now, at, Parts::all(), force, ignored);
  TreeSum<Totals> all;
  const auto each = [&](Index n, Real value, Real pair) {
    before[n] = value;
    const Real c = capacity(n);
    Totals& sums = all.leaf(leaf(n));
    sums.kinetic += c * (now[n] - value) * (now[n] - value);
    sums.potential -= value * (pair + (correction ? (*correction)[n] : 0));
    sums.see(now[n], balance_.couplings_.volume(n));
  };
  State ahead = now;
  if (!balance_.held_.empty()) balance_.pin(at + step, ahead);
  pair_forces(now);
  std::size_t h = 0;
  for (Index n = 0; n < balance_.grid().count(); ++n) {
    if (!balance_.outline_.active(n)) continue;
    const Real pair = pair_[n];
    if (h < balance_.held_.size() && balance_.held_[h] == n) {
      ++h;
      // Walls that follow the motion stand still a step ahead; they move as the state does.
      const bool moving = ahead[n] == now[n];
      each(n, moving ? now[n] - step * v[n] : 2 * now[n] - ahead[n], pair);
      continue;
    }
    const Real drag = drag_.empty() ? 0 : drag_[n];
    const Real whole = force[n] - drag * v[n] + (layer.empty() ? 0 : layer[n]) +
                       (correction ? (*correction)[n] : 0) + (data ? (*data)[n] : 0);
    each(n, now[n] - step * v[n] + 0.5 * step * step * whole / capacity(n), pair);
  }
  balance_.prepare(at, now);
  Totals t = all.sum();
  for (std::size_t c = 0; c < walls_.size(); ++c) {
    const Closure& wall = balance_.closures_[c];
    TreeSum<Real> springs;
    for (Index f = 0; f < wall.faces(); ++f) {
      const Index n = wall.unknown(f);
      springs.leaf(leaf(n)) += wall.imposes() ? spring(wall, f) * (before[n] - walls_[c].anchor_before[f]) *
                                                    (now[n] - anchor_of(wall, f))
                                              : spring(wall, f) * before[n] * now[n];
    }
    t.potential += springs.sum();
  }
  return energies(t, 0.5 / (step * step));
}

Totals WaveMotion::leap(const State& now, Real at, Real step, State& before, Ledger& amounts,
                        const State* correction, const State* data) {
  find_drag();
  balance_.prepare(at, now);
  if (balance_.wide_) balance_.wide_->force(now, wide_);
  amounts.clear();
  keep_walls(now, before);
  if (layer_) layer_->forces(now, layer_forces_);
  const Grid& g = balance_.grid();
  const Index nx = g.size(0), blocks = blocks_of(g.lines());
  DiffusionBalance::Sweep sweep(balance_, now, Parts::all());
  const auto width = static_cast<std::size_t>(nx);
  scratch_.resize(static_cast<std::size_t>(blocks) * 3 * width);
  const bool given = correction || data;
  const bool quiet_walls = std::ranges::all_of(walls_, &WallMemory::quiet);
  balance_.each_line([&](Index block, Index line, Index j, Index k) {
    Real* room = scratch_.data() + static_cast<std::size_t>(block) * 3 * width;
    Work work{sweep,
              now,
              before,
              step,
              correction,
              data,
              quiet_walls,
              {room, width},
              {room + width, width},
              {room + 2 * width, width},
              layer_forces_,
              0,
              sweep.of_segments(),
              sweep.booked(block)};
    if (!given && simple(line))
      move_simple_line(line, j, k, work);
    else
      move_line(line, j, k, work);
    sweep.count(block, line, work.of_segments);
  });
  follow_walls(now, before, at, step);
  Totals t = sweep.sum();
  t += book_held(now, before, step, correction, data, amounts);
  sweep.collect_booked(amounts, 1);
  if (layer_) layer_->go_on(now, before, step);
  t.potential += book_walls(now, before, step, amounts);
  return energies(t, 0.5 / (step * step));
}

std::vector<Real> WaveMotion::remember() const {
  std::vector<Real> result;
  for (std::size_t c = 0; c < walls_.size(); ++c) {
    const auto moving = balance_.closures_[c].remember();
    result.insert(result.end(), moving.begin(), moving.end());
    result.insert(result.end(), walls_[c].anchor_before.begin(), walls_[c].anchor_before.end());
  }
  if (layer_) {
    const auto more = layer_->remember();
    result.insert(result.end(), more.begin(), more.end());
  }
  return result;
}

void WaveMotion::recall(std::span<const Real> numbers) {
  find_drag();
  placed_ = true;
  walls_.resize(balance_.closures_.size());
  for (std::size_t c = 0; c < walls_.size(); ++c) {
    Closure& wall = balance_.closures_[c];
    const std::size_t own = wall.remember().size(), faces = static_cast<std::size_t>(wall.faces());
    if (numbers.size() < own + faces) throw InputError("what is remembered belongs to other boundaries");
    wall.recall(numbers.first(own));
    walls_[c].anchor_before.assign(numbers.begin() + static_cast<std::ptrdiff_t>(own),
                                   numbers.begin() + static_cast<std::ptrdiff_t>(own + faces));
    numbers = numbers.subspan(own + faces);
  }
  if (layer_) layer_->recall(numbers);
}

}  // namespace williwaw
