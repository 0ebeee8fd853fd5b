#include "williwaw/space/diffusion_balance.hpp"

#include <omp.h>

#include <algorithm>
#include <cmath>

#include "../domain/summing.hpp"
#include "carrier.hpp"
#include "diffusion_sweep.hpp"
#include "wave_motion.hpp"
#include "wide_differences.hpp"
#include "williwaw/space/transport.hpp"

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
      segments_(problem_.grid().size(0)),
      outline_(problem_.grid(), problem_.regions()),
      sections_(wall_sections(problem_, outline_)),
      couplings_(problem_, outline_) {
  const Grid& g = grid();
  const Placement placement = g.unknowns() == Unknowns::cells ? Placement::cells : Placement::nodes;
  layout_ = Layout({Block{problem_.equation().unknown, placement, {g.size(0), g.size(1), g.size(2)}, 1, 0}});
  for (auto& section : sections_) closures_.emplace_back(g, std::move(section), couplings_).declare(lines_);
  sections_.clear();
  const auto inside = [&](const std::string& name) {
    return lines_.declare({name, LedgerLine::Kind::source, ""});
  };
  source_line_ = inside("source");
  if (problem_.equation().reaction) reaction_line_ = inside("reaction");
  const auto& stream = problem_.equation().stream;
  if (stream) transport_ = std::make_unique<Transport>(problem_, outline_, couplings_, closures_, threads_);
  if (transport_ && transport_->stretches()) stretching_line_ = inside("stretching");
  const LineId carried_line = problem_.carried_back ? inside("carried") : LineId{};
  points_of_line_.resize(problem_.equation().points.empty() ? 0 : static_cast<std::size_t>(g.lines()));
  for (const auto& point : problem_.equation().points) {
    Index n = g.containing(point.at);
    // The control volume may have gone to a neighbour on the way to a wall.
    if (!outline_.active(n)) n = nearest_present(point.at);
    points_of_line_[n / g.size(0)].push_back(points_.size());
    points_.push_back({n, inside("point " + point.name), 0});
  }
  find_present();
  find_held();
  if (transport_ && transport_->flux().needs_step && !held_.empty())
    throw InputError("numerical flux '" + transport_->flux().name +
                     "' takes no nodes that walls hold: put the unknowns at cells");
  if (problem_.is_nonlinear()) initial_ = initial_state();
  if (problem_.space_order == 4)
    wide_ = std::make_unique<WideDifferences>(problem_);
  else if (problem_.space_order != 2)
    throw InputError("the order of differences in space must be 2 or 4");
  if (problem_.carried_back) {
    if (!transport_) throw InputError("scheme 'semi-lagrangian' needs something that is carried along");
    carrier_ = std::make_unique<BackwardCarrier>(*this, carried_line, threads_);
  }
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
      if (const Index i = wall.unknown(f) % nx; grid().axis(0).periodic() || (i != 0 && i != nx - 1))
        ends_only_[wall.unknown(f) / nx] = 0;
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
  result.stream = transport_ != nullptr;
  result.approximate = transport_ && !transport_->linear();
  // What limits slopes is left to the correction; the matrix knows nothing of it.
  result.same_matrix = !(transport_ && transport_->law()) &&
                       !(problem_.equation().reaction && !problem_.equation().reaction->linear) &&
                       std::ranges::all_of(closures_, &Closure::is_linear);
  result.stages = transport_ && held_.empty();
  const auto& reaction = problem_.equation().reaction;
  result.steady_matrix = !couplings_.depends_on_time() && !(transport_ && transport_->depends_on_time()) &&
                         !(reaction && reaction->on_time) &&
                         std::ranges::none_of(closures_, &Closure::left_side_depends_on_time);
  return result;
}

const Transport* DiffusionBalance::transport(Real at, const State& y) {
  prepare(at, y);
  return transport_.get();
}

const Transport* DiffusionBalance::transport(Real at, const State& y, const Range& range) {
  prepare(at, y);
  if (transport_) transport_->update(at, y, &range, 0);
  return transport_.get();
}

void DiffusionBalance::prepare(Real at, const State& y, const Totals* of_y, Real step) {
  const bool changed = couplings_.update(at);
  for (auto& closure : closures_) closure.update(couplings_, at, changed, y);
  evaluate_source(at);
  evaluate_points(at);
  if (problem_.equation().reaction) evaluate_reaction(y, at);
  if (!transport_) return;
  const Range range = of_y ? Range{of_y->lowest, of_y->highest} : Range{};
  transport_->update(at, y, of_y ? &range : nullptr, step);
  still_ = couplings_.separable();
  for (int a = 0; still_ && a < grid().rank(); ++a) still_ = couplings_.conductivity(a) == 0;
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
    source_total_ = sum_over(grid().size(0), grid().lines(), threads_, [&](Index n) { return source_[n]; });
    for (Index n = 0; n < grid().count(); ++n) count_source(source_[n], n);
  }
  if (std::isfinite(source_total_)) return;
  std::string where;
  for (Index n = 0; n < static_cast<Index>(source_.size()) && where.empty(); ++n)
    if (!std::isfinite(source_[n])) where = grid().place_text(grid().point_of(n)) + ", ";
  throw DataError("source", "the source is not a finite number at " + where + "time " + to_text(at));
}

void DiffusionBalance::evaluate_points(Real at) {
  const auto& given = problem_.equation().points;
  for (std::size_t p = 0; p < points_.size(); ++p) {
    points_[p].rate = given[p].rate(given[p].at, at);
    if (!std::isfinite(points_[p].rate))
      throw DataError("points", "the rate of point '" + given[p].name + "' is not a finite number at time " +
                                    to_text(at));
    count_source(points_[p].rate, points_[p].unknown);
  }
}

// The reaction's rate for each unit of volume at every unknown, line by line.
void DiffusionBalance::react(const Reaction::ByLine& by_line, const State& y, Real at,
                             std::span<Real> out) const {
  const Index nx = grid().size(0);
  Points line(nx);
  for (Index l = 0; l < grid().lines(); ++l) {
    const Index j = l % grid().size(1), k = l / grid().size(1);
    for (Index i = 0; i < nx; ++i) line.set(i, grid().point(i, j, k));
    const auto count = static_cast<std::size_t>(nx);
    by_line(line, at, {y.data() + nx * l, count}, {out.data() + nx * l, count});
  }
}

void DiffusionBalance::evaluate_reaction(const State& y, Real at) {
  const auto count = static_cast<std::size_t>(grid().count());
  reaction_.assign(count, 0.0);
  const State zero(y.empty() ? count : 0, 0.0);
  react(problem_.equation().reaction->rate, y.empty() ? zero : y, at, reaction_);
  for (Index n = 0; n < grid().count(); ++n) {
    reaction_[n] *= couplings_.volume(n);
    if (!outline_.active(n)) reaction_[n] = 0;
  }
  reaction_total_ = sum_over(grid().size(0), grid().lines(), threads_, [&](Index n) { return reaction_[n]; });
  if (std::isfinite(reaction_total_)) return;
  // Of values that are no numbers any more the reaction is not to blame.
  for (Index n = 0; n < grid().count(); ++n)
    if (!std::isfinite(reaction_[n]) && (y.empty() || std::isfinite(y[n])))
      throw DataError("reaction", "the reaction is not a finite number at " +
                                      grid().place_text(grid().point_of(n)) + ", time " + to_text(at) +
                                      (y.empty() ? "" : ", for the value " + to_text(y[n])));
}

// d rate/du for each unit of volume: as the reaction states it; exact by a difference where it is affine,
// else by a central difference whose step is the cube root of the round-off in the size of the state (of the
// initial values where the state is zero).
void DiffusionBalance::reaction_slope(const State& y, Real at, std::vector<Real>& slope) const {
  const auto count = static_cast<std::size_t>(grid().count());
  const Reaction& reaction = *problem_.equation().reaction;
  State moved = y.empty() ? State(count, 0.0) : y;
  slope.resize(count);
  if (reaction.slope) {
    react(reaction.slope, moved, at, slope);
    return;
  }
  const auto size_of = [](const State& values) {
    Real size = 0;
    for (const Real u : values) size = std::max(size, std::abs(u));
    return size;
  };
  Real size = size_of(moved);
  if (size == 0) size = size_of(initial_);
  if (size == 0) size = 1;
  const Real step = reaction.linear ? size : 6e-6 * size;
  std::vector<Real> above(count), below(count);
  for (Real& u : moved) u += step;
  react(reaction.rate, moved, at, above);
  for (Real& u : moved) u -= 2 * step;
  react(reaction.rate, moved, at, below);
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

// Adds the unknowns from `first` to `end` - 1 of a line to the sums of its segments.
void DiffusionBalance::count_line(const Real* u, Index line, Index j, Index k, Index first, Index end,
                                  Totals* of_segments) const {
  const Index start = grid().size(0) * line;
  const bool cut = !couplings_.volumes().empty();
  kernels::total(first, end, u, cut ? couplings_.volumes().data() + start : grid().axis(0).measures().data(),
                 cut ? 1 : across_line(j, k), couplings_.storage(),
                 couplings_.separable() ? nullptr : couplings_.capacities().data() + start, of_segments);
}

Totals DiffusionBalance::totals(const State& y, Real) {
  Sweep sweep(*this, y, Parts::all());
  const Index nx = grid().size(0);
  each_line([&](Index block, Index line, Index j, Index k) {
    Totals* const of_segments = sweep.of_segments();
    each_run(line, [&](Index first, Index count) {
      count_line(y.data() + nx * line, line, j, k, first, first + count, of_segments);
    });
    sweep.count(block, line, of_segments);
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
  if (transport_) {
    // Where a velocity compresses, what it carries piles up.
    result.known = result.known && (transport_->stretches() || !transport_->velocities().compresses());
    result.steady = result.steady && !transport_->depends_on_time();
    // What a law brings to a closed boundary piles up there.
    for (const auto& wall : closures_)
      if (transport_->law() && !wall.section().wall.stream_end()) result.known = false;
    for (const auto& wall : closures_)
      if (const StreamEnd* end = wall.section().wall.stream_end();
          end && end->returning == StreamEnd::Returning::value) {
        for (Index f = 0; f < wall.faces(); ++f) {
          const Real value = end->value(wall.face(f).place, at);
          result.lowest = std::min(result.lowest, value);
          result.highest = std::max(result.highest, value);
        }
        result.steady = result.steady && !end->value.depends_on_time();
      }
  }
  // What a reaction can do is not bounded by data.
  if (problem_.equation().reaction) result.known = false;
  result.raising += fastest_rise_;
  result.lowering += fastest_fall_;
  return result;
}

}  // namespace williwaw
