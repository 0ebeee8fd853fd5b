#include <algorithm>
#include <cmath>

#include "balance/sweep.hpp"
#include "terms/diffusion/kernel_lines.hpp"
#include "terms/waves/wave_work.hpp"

namespace williwaw {

// From sums of which energies are twice the potential one, and the kinetic one over `kinetic`.
Totals WaveDynamics::energies(Totals t, Real kinetic) {
  t.kinetic *= kinetic;
  t.potential *= 0.5;
  t.content = t.kinetic + t.potential;
  t.gross = t.kinetic + std::abs(t.potential);
  return t;
}

WaveDynamics::WaveDynamics(TermBalance& balance, const ProblemTerms& parts, SweepWorkspace& workspace)
    : balance_(balance), parts_(parts), workspace_(workspace) {
  const auto now = balance_.at({});
  layer_ = std::make_unique<WaveLayer>(parts_, now->of(parts_.diffusion).conductances());
  if (!layer_->any()) layer_.reset();
  // Nodes on boundaries that follow the motion are prescribed from the start.
  for (const BoundaryClosure& boundary : parts_.boundary->all()) {
    BoundaryMemory& memory = boundaries_.emplace_back();
    if (!boundary.moves()) continue;
    std::vector<Real> values(static_cast<std::size_t>(boundary.faces()));
    parts_.problem->initial.evaluate(boundary.places(), 0, values);
    memory.moving.emplace(grid(), boundary).stand_at(values);
  }
  stand();
}

// Evaluations to come see boundaries where they stand now.
void WaveDynamics::stand() {
  for (std::size_t c = 0; c < boundaries_.size(); ++c)
    if (boundaries_[c].moving) parts_.boundary->stand_at(c, boundaries_[c].moving->values());
}

void WaveDynamics::find_damping(Fixed& out) const {
  const Function& damping = parts_.problem->equation().damping;
  if (damping.is_constant() && damping(Point{}) == 0) return;
  out.damping.assign(static_cast<std::size_t>(grid().count()), 0.0);
  for (Index n = 0; n < grid().count(); ++n) {
    if (!parts_.outline().active(n)) continue;
    const Real d = damping(grid().point_of(n));
    if (!(d >= 0))
      throw InputError(Subject::damping, "damping must not be below zero: it would feed the wave");
    out.damping[n] = d * capacity(n);
  }
}

void WaveDynamics::find_pushes(Fixed& out) const {
  const auto& all = parts_.boundary->all();
  for (std::size_t c = 0; !parts_.wide && c < all.size(); ++c)
    for (Index f = 0; f < all[c].faces(); ++f) {
      const auto found = std::ranges::lower_bound(prescribed(), all[c].unknown(f));
      if (all[c].prescribes(f) || found == prescribed().end() || *found != all[c].unknown(f)) continue;
      out.pushes.push_back({static_cast<std::size_t>(found - prescribed().begin()), c, f});
    }
  std::ranges::stable_sort(out.pushes, {}, &Push::prescribed);
  for (std::size_t h = 0; h <= prescribed().size(); ++h)
    out.first_push.push_back(static_cast<std::size_t>(
        std::ranges::lower_bound(out.pushes, h, {}, &Push::prescribed) - out.pushes.begin()));
}

const WaveDynamics::Fixed& WaveDynamics::fixed() {
  if (fixed_) return *fixed_;
  const auto now = balance_.at({});
  Fixed out;
  const auto count = static_cast<std::size_t>(grid().count());
  const Index nx = grid().size(0);
  find_damping(out);
  find_pushes(out);
  out.inner = parts_.inner();
  out.moves_prescribed = parts_.of.domain->box().communicator().any(std::ranges::any_of(
      parts_.boundary->all(), [](const BoundaryClosure& c) { return c.moves() && c.prescribes(); }));
  out.even = grid().axis(0).is_uniform() && nx > 2 && parts_.outline().whole() &&
             !parts_.problem->equation().storage.depends_on_place();
  out.free_line.assign(static_cast<std::size_t>(grid().lines()), 1);
  out.total_damping = out.damping;
  for (const EvaluatedBoundaryClosure& boundary : closures(*now))
    for (Index f = 0; f < boundary.faces(); ++f)
      if (const Real d = boundary.damping(f); d != 0) {
        out.total_damping.resize(count, 0.0);
        out.total_damping[boundary.unknown(f)] += d;
      }
  if (layer_)
    for (const auto& place : layer_->places()) {
      out.total_damping.resize(count, 0.0);
      // What boundaries hold is theirs, in a layer too.
      if (!std::ranges::binary_search(prescribed(), place.unknown))
        out.total_damping[place.unknown] += place.damping;
      out.free_line[place.unknown / nx] = 0;
    }
  // By the same formulas on all ranks.
  if (parts_.of.domain->box().communicator().any(!out.total_damping.empty()))
    out.total_damping.resize(count, 0.0);
  if (!out.damping.empty() || parts_.wide || nx <= 2 || !parts_.outline().whole())
    std::ranges::fill(out.free_line, char{0});
  for (Index line = 0; line <= grid().lines(); ++line)
    out.prescribed_start.push_back(
        static_cast<std::size_t>(std::ranges::lower_bound(prescribed(), line * nx) - prescribed().begin()));
  // Prescribed ends are left to what follows the sweep; anything else that is prescribed is not.
  for (const Index n : prescribed())
    if (const Index i = n % nx; i != 0 && i != nx - 1) out.free_line[n / nx] = 0;
  fixed_ = std::move(out);
  return *fixed_;
}

bool WaveDynamics::has_source(const Evaluation& now, Index line) const {
  return std::ranges::any_of(fixed_->inner,
                             [&](std::size_t t) { return now[t].acts(line) != Acts::nowhere; });
}

bool WaveDynamics::simple(const Evaluation& now, Index line) const {
  return fixed_->free_line[line] && parts_.flows->at_ends(line) && !has_source(now, line);
}

void WaveDynamics::initial_rate(State& v) {
  const Grid& g = grid();
  v.assign(static_cast<std::size_t>(g.count()), 0.0);
  evaluate_at_unknowns(g, parts_.problem->initial_rate, 0, v);
  for (Index n = 0; n < g.count(); ++n)
    if (!std::isfinite(v[n]))
      throw InputError("the initial rate is not a finite number at " + g.place_text(g.point_of(n)));
  for (const Index n : parts_.of.domain->inactive()) v[n] = 0;
}

std::span<const Real> WaveDynamics::damping(Real) {
  return fixed().total_damping;
}

bool WaveDynamics::needs_leapfrog() const {
  return parts_.of.domain->box().communicator().any(layer_ || any_moves());
}

// What flows into the control volumes of a line from their neighbours.
void WaveDynamics::pair_line(const Evaluation& now, const Real* u, Index line, Index j, Index k,
                             Real* out) const {
  if (parts_.wide)
    std::copy_n(now.of(*parts_.wide).forces().begin() + grid().size(0) * line, grid().size(0), out);
  else
    now.of(parts_.diffusion).flows(j, k, u, Parts::all(), out);
}

// The same of all lines of a state that may be another than the one evaluated.
void WaveDynamics::pair_forces(const Evaluation& now, const State& u, State& out) const {
  out.resize(u.size());
  if (parts_.wide) {
    parts_.wide_term->differences().force(u, out);
    return;
  }
  each_line(*parts_.of.domain, [&](std::size_t, Index line, Index j, Index k) {
    now.of(parts_.diffusion).flows(j, k, u.data(), Parts::all(), out.data() + grid().size(0) * line);
  });
}

Real WaveDynamics::pair_force(const Evaluation& now, const Real* u, Index n) const {
  if (parts_.wide) return now.of(*parts_.wide).forces()[n];
  const Grid& g = grid();
  const auto at = g.position(n);
  const EvaluatedDiffusion& diffusion = now.of(parts_.diffusion);
  const KernelLines lines{diffusion, u, Parts::all()};
  if (!diffusion.conductances().separable())
    return kernels::inflow_general(lines.general(at[1], at[2]), g.dimension(), at[0]);
  return kernels::inflow_separable(lines.separable(at[1], at[2]), g.dimension(), at[0]) *
         parts_.of.domain->across(at[1] + g.size(1) * at[2]) * g.axis(0).measures()[at[0]];
}

Totals WaveDynamics::prepare_leapfrog(const State& now, const State& v, Real at, Real step,
                                      const State* correction, const State* data, State& before) {
  expect(&now != &before && now.size() == v.size(),
         "prepare_leapfrog: states of one size, `before` distinct");
  const std::vector<Real>& damps = fixed().total_damping;
  const bool first = !placed_;
  before.assign(now.size(), 0.0);
  const auto evaluated = place_boundaries(now, v, at, step);
  if (layer_) {
    if (first) layer_->start();
    layer_->forces(now, layer_forces_);
  }
  std::vector<Real> layer(layer_ ? now.size() : 0, 0.0);
  for (std::size_t p = 0; p < layer_forces_.size(); ++p)
    layer[layer_->places()[p].unknown] = layer_forces_[p];
  Ledger ignored(balance_.lines().size());
  State force(now.size());
  balance_.rate(now, at, Parts::all(), force, ignored);
  BoxSum<Totals> all(*parts_.of.domain);
  const auto each = [&](Index n, Real value, Real pair) {
    before[n] = value;
    const Real c = capacity(n);
    Totals& sums = all.leaf(n);
    sums.kinetic += c * (now[n] - value) * (now[n] - value);
    sums.potential -= value * (pair + (correction ? (*correction)[n] : 0));
    sums.see(now[n], parts_.storage->volume(n));
  };
  State ahead = now;
  balance_.prescribe(at + step, ahead);
  pair_forces(*evaluated, now, pairs_);
  std::size_t h = 0;
  for (Index n = 0; n < grid().count(); ++n) {
    if (!parts_.outline().active(n)) continue;
    const Real pair = pairs_[n];
    if (h < prescribed().size() && prescribed()[h] == n) {
      ++h;
      // Boundaries that follow the motion stand still a step ahead; they move as the state does.
      const bool moving = ahead[n] == now[n];
      each(n, moving ? now[n] - step * v[n] : 2 * now[n] - ahead[n], pair);
      continue;
    }
    const Real damping = damps.empty() ? 0 : damps[n];
    const Real whole = force[n] - damping * v[n] + (layer.empty() ? 0 : layer[n]) +
                       (correction ? (*correction)[n] : 0) + (data ? (*data)[n] : 0);
    each(n, now[n] - step * v[n] + 0.5 * step * step * whole / capacity(n), pair);
  }
  parts_.of.domain->exchange(before);
  Totals t = all.sum();
  for (std::size_t c = 0; c < boundaries_.size(); ++c) {
    const EvaluatedBoundaryClosure& boundary = closures(*evaluated)[c];
    BoxSum<Real> springs(*parts_.of.domain);
    for (Index f = 0; f < boundary.faces(); ++f) {
      const Index n = boundary.unknown(f);
      springs.leaf(n) += boundary.imposes()
                             ? spring(boundary, f) * (before[n] - boundaries_[c].anchor_before[f]) *
                                   (now[n] - anchor_of(boundary, f))
                             : spring(boundary, f) * before[n] * now[n];
    }
    t.potential += springs.sum();
  }
  return energies(t, 0.5 / (step * step));
}

Totals WaveDynamics::leapfrog_step(const State& now, Real at, Real step, State& before, Ledger& amounts,
                                   const State* correction, const State* data) {
  expect(placed_, "leapfrog_step: after prepare_leapfrog or recall");
  expect(&now != &before && now.size() == before.size(), "leapfrog_step: two states of one size");
  fixed();
  const auto evaluated = balance_.at({at, 0, now});
  amounts.clear();
  find_quiet(*evaluated);
  keep_boundaries(*evaluated);
  see(*evaluated, before, before_);
  prescribed_.resize(prescribed().size());
  for (std::size_t h = 0; h < prescribed_.size(); ++h)
    prescribed_[h] = on_prescribed(*evaluated, h, now.data());
  if (layer_) layer_->forces(now, layer_forces_);
  const Domain& domain = *parts_.of.domain;
  const Sweep sweep(domain, balance_.lines().size(), workspace_);
  make_scratch();
  const Moving moving{
      *evaluated, now.data(), before.data(), step, std::ranges::all_of(boundaries_, &BoundaryMemory::quiet),
      correction, data};
  sweep.each_line([&](Index line, Index j, Index k, LineSums& sums) { move(moving, line, j, k, sums); });
  follow_boundaries(*evaluated, now, before, at, step);
  see(*evaluated, now, now_);
  see(*evaluated, before, after_);
  const StepSeen seen{before_, now_, after_};
  Totals t = sweep.finish(amounts, 1);
  t += book_prescribed(*evaluated, seen, prescribed_, step, correction, data, amounts);
  if (layer_) layer_->go_on(now, before, step);
  t.potential += book_boundaries(closures_later(*evaluated, at + step), seen, step, amounts);
  book_points(*evaluated, seen, amounts);
  return energies(t, 0.5 / (step * step));
}

// Three lines of numbers for each thread.
void WaveDynamics::make_scratch() {
  scratch_.resize(static_cast<std::size_t>(std::max(1, parts_.of.domain->threads())) * 3 *
                  static_cast<std::size_t>(grid().size(0)));
}

void WaveDynamics::move(const Moving& moving, Index line, Index j, Index k, LineSums& sums) {
  const auto width = static_cast<std::size_t>(grid().size(0));
  Real* const scratch = scratch_.data() + Sweep::thread() * 3 * width;
  Work work{moving,
            *fixed_,
            {scratch, width},
            {scratch + width, width},
            {scratch + 2 * width, width},
            layer_forces_,
            0,
            sums.of_segments(),
            LedgerBlock(sums.booked.data())};
  const bool given = moving.correction || moving.data;
  if (!given && simple(moving.evaluated, line))
    move_simple_line(line, j, k, work);
  else
    move_line(line, j, k, work);
  sums.count(parts_.of.domain->segments(), line);
}

std::vector<Real> WaveDynamics::remember() const {
  std::vector<Real> result;
  for (const BoundaryMemory& boundary : boundaries_) {
    if (!placed_) break;
    if (boundary.moving) {
      const auto moving = boundary.moving->remember();
      result.insert(result.end(), moving.begin(), moving.end());
    }
    result.insert(result.end(), boundary.anchor_before.begin(), boundary.anchor_before.end());
  }
  if (layer_) {
    const auto more = layer_->remember();
    result.insert(result.end(), more.begin(), more.end());
  }
  return result;
}

// A row for each kind of number of a boundary or layer, in the order in which they are remembered.
std::vector<NumberPlace> WaveDynamics::memory_places() const {
  std::vector<NumberPlace> result;
  const auto add = [&](std::size_t row, std::span<const Index> unknowns, std::size_t each) {
    for (const Index n : unknowns) result.insert(result.end(), each, NumberPlace{static_cast<int>(row), n});
  };
  for (std::size_t c = 0; c < boundaries_.size(); ++c) {
    const BoundaryClosure& closure = parts_.boundary->all()[c];
    std::vector<Index> unknowns;
    for (Index f = 0; f < closure.faces(); ++f) unknowns.push_back(closure.unknown(f));
    if (closure.moves()) {
      // The value of each face, its Courant number, and values of the past.
      const auto order = static_cast<std::size_t>(closure.absorbing_order());
      add(4 * c, unknowns, 1);
      if (order > 1) {
        add(4 * c + 1, unknowns, 1);
        add(4 * c + 2, unknowns, order * (order + 1));
      }
    }
    add(4 * c + 3, unknowns, 1);
  }
  if (!layer_) return result;
  const auto [places, faces] = layer_->unknowns();
  add(4 * boundaries_.size(), places, 1);
  add(4 * boundaries_.size() + 1, faces, 1);
  return result;
}

void WaveDynamics::recall(std::span<const Real> numbers) {
  placed_ = true;
  for (std::size_t c = 0; c < boundaries_.size(); ++c) {
    BoundaryMemory& boundary = boundaries_[c];
    const std::size_t own = boundary.moving ? boundary.moving->remember().size() : 0,
                      faces = static_cast<std::size_t>(parts_.boundary->all()[c].faces());
    if (numbers.size() < own + faces) throw InputError("the saved state belongs to other boundaries");
    if (boundary.moving) boundary.moving->recall(numbers.first(own));
    boundary.anchor_before.assign(numbers.begin() + static_cast<std::ptrdiff_t>(own),
                                  numbers.begin() + static_cast<std::ptrdiff_t>(own + faces));
    numbers = numbers.subspan(own + faces);
  }
  stand();
  if (layer_) layer_->recall(numbers);
}

}  // namespace williwaw
