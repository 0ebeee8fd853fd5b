#include "williwaw/space/diffusion_balance.hpp"

#include <omp.h>

#include <algorithm>
#include <cmath>

#include "diffusion_sweep.hpp"
#include "wave_motion.hpp"
#include "wide_differences.hpp"

namespace williwaw {

namespace {

int threads_for(const Execution& execution, Index count) {
  // Waking a second thread costs more than a small grid takes.
  if (count < 20000) return 1;
  return execution.threads > 0 ? execution.threads : omp_get_max_threads();
}

const Problem& validated(const Problem& problem) {
  problem.validate();
  return problem;
}

}  // namespace

DiffusionBalance::DiffusionBalance(const Problem& problem, Execution execution)
    : problem_(validated(problem)),
      threads_(threads_for(execution, problem.grid().count())),
      outline_(problem_.grid(), problem_.regions()),
      sections_(wall_sections(problem_, outline_)),
      couplings_(problem_, outline_) {
  const Grid& g = grid();
  const Placement placement = g.unknowns() == Unknowns::cells ? Placement::cells : Placement::nodes;
  layout_ = Layout({Block{problem_.equation().unknown, placement, {g.size(0), g.size(1), g.size(2)}, 1, 0}});
  for (auto& section : sections_) {
    const Closure& closure = closures_.emplace_back(g, std::move(section), couplings_);
    first_line_.push_back(lines_.size());
    lines_.insert(lines_.end(), closure.lines().begin(), closure.lines().end());
  }
  sections_.clear();
  source_line_ = lines_.size();
  lines_.push_back({"source", LedgerLine::Kind::source, ""});
  reaction_line_ = lines_.size();
  if (problem_.equation().reaction) lines_.push_back({"reaction", LedgerLine::Kind::source, ""});
  first_point_line_ = lines_.size();
  points_of_line_.resize(problem_.equation().points.empty() ? 0 : static_cast<std::size_t>(g.lines()));
  for (const auto& point : problem_.equation().points) {
    Index n = g.containing(point.at);
    // The control volume may have gone to a neighbour on the way to a wall.
    if (!outline_.active(n)) n = nearest_present(point.at);
    points_of_line_[n / g.size(0)].push_back(points_.size());
    points_.push_back({n, 0});
    lines_.push_back({"point " + point.name, LedgerLine::Kind::source, ""});
  }
  find_present();
  find_held();
  if (problem_.is_nonlinear()) initial_ = initial_state();
  if (problem_.space_order == 4)
    wide_ = std::make_unique<WideDifferences>(problem_);
  else if (problem_.space_order != 2)
    throw InputError("the order of differences in space must be 2 or 4");
  if (problem_.equation().second_order) motion_ = std::make_unique<WaveMotion>(*this);
}

DiffusionBalance::~DiffusionBalance() = default;

Motion* DiffusionBalance::motion() {
  return motion_.get();
}

Index DiffusionBalance::nearest_present(const Point& place) const {
  Index best = -1;
  Real least = std::numeric_limits<Real>::infinity();
  for (Index n = 0; n < grid().count(); ++n) {
    if (!outline_.active(n)) continue;
    const Point p = grid().point_of(n);
    const Real distance = std::hypot(p.x - place.x, p.y - place.y, p.z - place.z);
    if (distance < least) {
      least = distance;
      best = n;
    }
  }
  return best;
}

void DiffusionBalance::find_present() {
  const Index nx = grid().size(0);
  ends_only_.assign(static_cast<std::size_t>(grid().lines()), 1);
  for (const auto& wall : closures_)
    for (Index f = 0; f < wall.faces(); ++f)
      if (const Index i = wall.unknown(f) % nx; i != 0 && i != nx - 1) ends_only_[wall.unknown(f) / nx] = 0;
  volume_ = grid().volume();
  if (outline_.whole()) return;
  volume_ = 0;
  for (Index line = 0; line < grid().lines(); ++line) {
    first_run_.push_back(runs_.size());
    for (Index i = 0; i < nx; ++i) {
      const Index n = nx * line + i;
      if (!outline_.active(n)) {
        absent_.push_back(n);
        continue;
      }
      volume_ += couplings_.volume(n);
      if (runs_.size() > first_run_.back() && runs_.back().first + runs_.back().count == i)
        ++runs_.back().count;
      else
        runs_.push_back({i, 1});
    }
  }
  first_run_.push_back(runs_.size());
}

Offers DiffusionBalance::offers() const {
  Offers result;
  result.linear = !problem_.is_nonlinear();
  // Differences over four points join more than neighbours.
  result.matrix = !wide_;
  const auto& reaction = problem_.equation().reaction;
  result.steady_matrix = !couplings_.depends_on_time() && !(reaction && reaction->on_time) &&
                         std::ranges::none_of(closures_, &Closure::left_side_depends_on_time);
  return result;
}

void DiffusionBalance::prepare(Real at, const State& y) {
  const bool changed = couplings_.update(at);
  for (auto& closure : closures_) closure.update(couplings_, at, changed, y);
  evaluate_source(at);
  evaluate_points(at);
  if (problem_.equation().reaction) evaluate_reaction(y, at);
}

void DiffusionBalance::prepare(Real at) {
  prepare(at, initial_);
}

void DiffusionBalance::count_source(Real amount, Index n) {
  fastest_rise_ = std::max(fastest_rise_, amount / couplings_.capacity(n));
  fastest_fall_ = std::max(fastest_fall_, -amount / couplings_.capacity(n));
}

void DiffusionBalance::evaluate_source(Real at) {
  const Function& source = problem_.equation().source;
  if (source_ready_ && (!source.depends_on_time() || at == source_at_)) return;
  source_ready_ = true;
  source_at_ = at;
  fastest_rise_ = fastest_fall_ = 0;
  if (!source.depends_on_place() && outline_.whole()) {
    source_density_ = source(Point{}, at);
    source_total_ = source_density_ * grid().volume();
    // Where what is stored is the same everywhere one unknown stands for all.
    for (Index n = 0; n < (couplings_.separable() ? 1 : grid().count()); ++n)
      count_source(source_density_ * grid().volume_of(n), n);
  } else if (!source.is_constant() || source(Point{}) != 0) {
    source_.resize(static_cast<std::size_t>(grid().count()));
    couplings_.integrate(source, at, source_);
    source_total_ = 0;
    for (Index n = 0; n < grid().count(); ++n) {
      source_total_ += source_[n];
      count_source(source_[n], n);
    }
  }
  if (!std::isfinite(source_total_))
    throw InputError("the source is not a finite number at time " + to_text(at));
}

void DiffusionBalance::evaluate_points(Real at) {
  const auto& given = problem_.equation().points;
  for (std::size_t p = 0; p < points_.size(); ++p) {
    points_[p].rate = given[p].rate(given[p].at, at);
    if (!std::isfinite(points_[p].rate))
      throw InputError("the rate of point '" + given[p].name + "' is not a finite number at time " +
                       to_text(at));
    count_source(points_[p].rate, points_[p].unknown);
  }
}

// The reaction's rate for each unit of volume at every unknown, line by line.
void DiffusionBalance::react(const State& y, Real at, std::span<Real> out) const {
  const Index nx = grid().size(0);
  Points line(nx);
  for (Index l = 0; l < grid().lines(); ++l) {
    const Index j = l % grid().size(1), k = l / grid().size(1);
    for (Index i = 0; i < nx; ++i) line.set(i, grid().point(i, j, k));
    const auto count = static_cast<std::size_t>(nx);
    problem_.equation().reaction->rate(line, at, {y.data() + nx * l, count}, {out.data() + nx * l, count});
  }
}

void DiffusionBalance::evaluate_reaction(const State& y, Real at) {
  const auto count = static_cast<std::size_t>(grid().count());
  reaction_.assign(count, 0.0);
  reaction_total_ = 0;
  const State zero(y.empty() ? count : 0, 0.0);
  react(y.empty() ? zero : y, at, reaction_);
  for (Index n = 0; n < grid().count(); ++n) {
    reaction_[n] *= couplings_.volume(n);
    if (!outline_.active(n)) reaction_[n] = 0;
    reaction_total_ += reaction_[n];
  }
}

// d rate/du for each unit of volume: exact for affine reactions, else by a central difference whose step is
// the cube root of the round-off in the size of the state.
void DiffusionBalance::reaction_slope(const State& y, Real at, std::vector<Real>& slope) const {
  const auto count = static_cast<std::size_t>(grid().count());
  State moved = y.empty() ? State(count, 0.0) : y;
  Real size = 0;
  for (const Real u : moved) size = std::max(size, std::abs(u));
  const Real step = problem_.equation().reaction->linear ? std::max(size, 1.0) : 6e-6 * std::max(size, 1e-3);
  std::vector<Real> above(count), below(count);
  for (Real& u : moved) u += step;
  react(moved, at, above);
  for (Real& u : moved) u -= 2 * step;
  react(moved, at, below);
  slope.resize(count);
  for (std::size_t n = 0; n < count; ++n) slope[n] = (above[n] - below[n]) / (2 * step);
}

Real DiffusionBalance::across_line(Index j, Index k) const {
  Real product = 1;
  if (grid().rank() > 1) product *= grid().axis(1).measures()[j];
  if (grid().rank() > 2) product *= grid().axis(2).measures()[k];
  return product;
}

bool DiffusionBalance::has_source(Index line) const {
  return !source_.empty() || source_density_ != 0 || !reaction_.empty() ||
         (!points_of_line_.empty() && !points_of_line_[line].empty());
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
                                          Real* booked) const {
  const Index line = j + grid().size(1) * k, start = grid().size(0) * line;
  for (std::size_t c = 0; c < closures_.size(); ++c) {
    const Closure& wall = closures_[c];
    const Index first = wall.first_of_line(line), end = wall.first_of_line(line + 1);
    if (first == end || wall.idle()) continue;
    for (Index f = first; f < end; ++f) {
      if (!parts.has(Parts::flux(wall.face(f).axis))) continue;
      const Index i = wall.unknown(f) - start;
      apply(i, wall.inflow(f) - wall.pull(f) * u[i]);
      // Booked condition by condition and face by face: the ledger never learns of the content.
      for (std::size_t s = 0; s < wall.conditions(); ++s)
        booked[first_line_[c] + s] += wall.flow_of(s, f, u[i]);
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

Totals DiffusionBalance::line_totals(const Real* u, Index line, Index j, Index k, Index first,
                                     Index count) const {
  const Index start = grid().size(0) * line + first;
  const bool cut = !couplings_.volumes().empty();
  return kernels::total(count, u + first,
                        cut ? couplings_.volumes().data() + start : grid().axis(0).measures().data() + first,
                        cut ? 1 : across_line(j, k), couplings_.storage(),
                        couplings_.separable() ? nullptr : couplings_.capacities().data() + start);
}

void DiffusionBalance::rate(const State& y, Real at, Parts parts, State& f, Ledger& ledger) {
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
  const Index nx = grid().size(0);
  const int rank = grid().rank();
  const Real* widths = grid().axis(0).measures().data();
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
  prepare(at, y);
  amounts.clear();
  const std::vector<Real>& held_next = held_values(at + step);
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
    Totals& totals = sweep.totals(block);
    if (once)
      totals.add(separable ? kernels::step_separable_counted(sweep.separable(j, k), rank, step / storage,
                                                             measures, across, storage, next)
                           : kernels::step_general_counted(sweep.general(j, k), rank, step, capacity,
                                                           measures, across, next));
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
      totals.add(line_totals(next, line, j, k, 0, 1));
      totals.add(line_totals(next, line, j, k, nx - 1, 1));
    } else {
      each_run(line,
               [&](Index first, Index count) { totals.add(line_totals(next, line, j, k, first, count)); });
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
    each_run(line, [&](Index first, Index count) {
      sweep.totals(block).add(line_totals(y.data() + nx * line, line, j, k, first, count));
    });
  });
  return sweep.sum();
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
  // No maximum principle holds for waves; their energy is watched instead.
  if (motion_) return result;
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
  // What a reaction can do is not bounded by data.
  if (problem_.equation().reaction) result.known = false;
  result.raising += fastest_rise_;
  result.lowering += fastest_fall_;
  return result;
}

}  // namespace williwaw
