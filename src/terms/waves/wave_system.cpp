#include "williwaw/terms/wave_system.hpp"

#include <algorithm>
#include <cmath>

namespace williwaw {

namespace {
std::size_t stress_of(int axis) {
  return WaveFields::stress + static_cast<std::size_t>(axis);
}
}  // namespace

const std::vector<std::string>& WaveSystem::flux_names() {
  static const std::vector<std::string> names{"upwind", "central", "lax-friedrichs", "lax-wendroff"};
  return names;
}

WaveSystem::WaveSystem(ProblemBalance& balance) : balance_(balance) {
  const Problem& problem = balance.problem();
  const Grid& g = problem.grid();
  const Equation& e = problem.equation();
  if (g.unknowns() != Unknowns::cells)
    throw InputError("form 'first-order' needs unknowns at cells, whose means it follows");
  for (int a = 0; a < g.rank(); ++a)
    if (!g.axis(a).is_uniform())
      throw InputError("form 'first-order' needs uniform spacing, which axis " + g.axis(a).name() +
                       " has not");
  if (!problem.parts().empty() || problem.space_order != 2)
    throw InputError("form 'first-order' takes whole sides and differences of order 2");
  const auto& names = flux_names();
  const auto found = std::ranges::find(names, problem.numerical_flux);
  if (found == names.end())
    throw InputError("there is no numerical flux called '" + problem.numerical_flux + "'");
  flux_ = static_cast<Flux>(found - names.begin());
  if (flux_ == Flux::lax_wendroff && g.rank() > 1)
    throw InputError(
        "numerical flux 'lax-wendroff' is there on a line only; on a plan use upwind with a limiter");
  slope_ = limiter_kind(problem.reconstruction).slope;
  const auto count = static_cast<std::size_t>(g.count());
  storage_.resize(count);
  damping_.resize(count);
  for (Index n = 0; n < g.count(); ++n) {
    const Point at = g.point_of(n);
    storage_[n] = e.storage(at);
    damping_[n] = e.damping(at);
  }
  for (int a = 0; a < g.rank(); ++a) {
    conductivity_[a].resize(count);
    for (Index n = 0; n < g.count(); ++n)
      conductivity_[a][n] = e.diffusion.coefficient[g.slot(a)](g.point_of(n));
  }
  const auto line_of = [&](const std::string& name) {
    return LineId(static_cast<std::size_t>(std::ranges::find(balance.lines(), name, &LedgerLine::name) -
                                           balance.lines().begin()));
  };
  source_line_ = line_of("source");
  damping_line_ = line_of("damping");
  for (const auto& point : e.points) line_of_point_.push_back(line_of("point " + point.name));
  place_of_.assign(count, -1);
  for (std::size_t c = 0; c < balance.closures().size(); ++c) {
    const Closure& wall = balance.closures()[c];
    for (const auto& condition : wall.section().wall.conditions())
      if (const Outgoing* out = condition->outgoing(); out && (out->order > 1 || out->layer > 0))
        throw InputError("'" + wall.section().name +
                         "': absorbing ends of a higher order and layers belong to form 'second-order'; "
                         "characteristics let waves out by order 1");
    for (Index f = 0; f < wall.faces(); ++f) {
      const WallFace& face = wall.face(f);
      if (std::abs(std::abs(face.normal[g.slot(face.axis)]) - 1) > 1e-9)
        throw InputError("'" + wall.section().name +
                         "': form 'first-order' takes outlines along grid faces only");
      if (place_of_[face.unknown] < 0) {
        place_of_[face.unknown] = static_cast<Index>(ends_.size());
        ends_.emplace_back();
      }
      ends_[place_of_[face.unknown]][2 * face.axis + (face.upper ? 1 : 0)] = {static_cast<std::ptrdiff_t>(c),
                                                                              f};
    }
  }
}

WaveSystem::Fields WaveSystem::initial(Real at) const {
  const Problem& problem = balance_.problem();
  const Grid& g = problem.grid();
  Fields y(WaveFields::stress + static_cast<std::size_t>(g.rank()));
  y[WaveFields::u] = balance_.initial_state();
  y[WaveFields::p].assign(y[WaveFields::u].size(), 0.0);
  for (Index n = 0; n < g.count(); ++n) {
    if (!balance_.outline().active(n)) continue;
    y[WaveFields::p][n] = problem.initial_rate(g.point_of(n), at);
  }
  for (int a = 0; a < g.rank(); ++a) {
    y[stress_of(a)].assign(y[WaveFields::u].size(), 0.0);
    const Real h = g.axis(a).widths()[0];
    for (Index n = 0; n < g.count(); ++n) {
      if (!balance_.outline().active(n)) continue;
      Point low = g.point_of(n), high = low;
      low[g.slot(a)] -= 0.5 * h;
      high[g.slot(a)] += 0.5 * h;
      y[stress_of(a)][n] = conductivity_[a][n] * (problem.initial(high, at) - problem.initial(low, at)) / h;
    }
  }
  return y;
}

// Rate and stress on the face between two cells.
std::pair<Real, Real> WaveSystem::between(Real p_low, Real s_low, Index low, Real p_high, Real s_high,
                                          Index high, int axis, Real step, Real spacing) const {
  const Real p = 0.5 * (p_low + p_high), s = 0.5 * (s_low + s_high);
  const Real dp = p_high - p_low, ds = s_high - s_low;
  switch (flux_) {
    case Flux::central:
      return {p, s};
    case Flux::lax_friedrichs: {
      // Storage times p and stress over conductivity are what is kept: both are spread by spacing/(2·step).
      const Real spread = 0.5 * spacing / step;
      return {p + spread * ds / (0.5 * (conductivity_[axis][low] + conductivity_[axis][high])),
              s + spread * dp * 0.5 * (storage_[low] + storage_[high])};
    }
    case Flux::lax_wendroff: {
      const Real half = 0.5 * step / spacing;
      return {p + half * ds / (0.5 * (storage_[low] + storage_[high])),
              s + half * dp * 0.5 * (conductivity_[axis][low] + conductivity_[axis][high])};
    }
    case Flux::upwind:
      break;
  }
  const Real z_low = std::sqrt(conductivity_[axis][low] * storage_[low]),
             z_high = std::sqrt(conductivity_[axis][high] * storage_[high]);
  const Real from_low = s_low - z_low * p_low, from_high = s_high + z_high * p_high;
  return {(from_high - from_low) / (z_low + z_high),
          (z_high * from_low + z_low * from_high) / (z_low + z_high)};
}

// The wall's law meets the characteristic from inside, q − Z·p* = what comes, with q the force into the
// domain.
std::pair<Real, Real> WaveSystem::at_wall(const Fields& y, Index cell, Real p, Real stress, int axis,
                                          bool upper, Real at, Real spacing, Ledger& powers) {
  const Ends& end = ends_[place_of_[cell]][2 * axis + (upper ? 1 : 0)];
  const Closure& wall = balance_.closures()[static_cast<std::size_t>(end.closure)];
  const Real z = std::sqrt(conductivity_[axis][cell] * storage_[cell]);
  const Real comes = (upper ? stress : -stress) - z * p;
  Points place(1);
  place.set(0, wall.face(end.face).place);
  const std::array<Real, 1> k{conductivity_[axis][cell]}, s{storage_[cell]};
  const auto law_at = [&](Real time) {
    LawLine sum(1);
    for (const auto& condition : wall.section().wall.conditions()) {
      LawLine one(1);
      condition->law({place, time, k, s, {}}, one);
      sum.value[0] += one.value[0];
      sum.rate[0] += one.rate[0];
      sum.data[0] += one.data[0];
      sum.flux[0] = one.flux[0];
    }
    return sum;
  };
  const LawLine law = law_at(at);
  Real moves = 0, force = 0;
  if (law.flux[0] == 0) {
    // A prescribed place is a prescribed rate; its change in time over a short while.
    const Real beat = 1e-4 * spacing * std::sqrt(s[0] / k[0]);
    if (wall.depends_on_time())
      moves = (law_at(at + beat).data[0] - law_at(at - beat).data[0]) / (2 * beat * law.value[0]);
    force = comes + z * moves;
  } else {
    const Real pushed = law.data[0] - law.value[0] * y[WaveFields::u][cell];
    moves = (pushed - comes) / (law.rate[0] + z);
    force = pushed - law.rate[0] * moves;
  }
  powers[wall.line()] += wall.area(end.face) * force * moves;
  return {moves, upper ? force : -force};
}

void WaveSystem::run_along(const Fields& y, Real at, Real step, int axis, const std::vector<Index>& cells,
                           bool closed, Fields& out, Ledger& powers) {
  const auto n = static_cast<std::ptrdiff_t>(cells.size());
  const Real h = balance_.grid().axis(axis).widths()[0];
  const auto cell = [&](std::ptrdiff_t i) { return cells[static_cast<std::size_t>((i + n) % n)]; };
  const bool centred = flux_ == Flux::central || flux_ == Flux::lax_wendroff;
  const auto wall_slope = [&](const State& f, bool upper) {
    if (n == 1) return 0.0;
    const Real d = upper ? f[cell(n - 1)] - f[cell(n - 2)] : f[cell(1)] - f[cell(0)];
    if (flux_ == Flux::lax_wendroff) {
      // What meets the wall half a step later is still on its way.
      const Index end = upper ? cell(n - 1) : cell(0);
      return d * (1 - step / h * std::sqrt(conductivity_[axis][end] / storage_[end]));
    }
    if (centred || n == 2) return centred ? d : 0.0;
    // What overshoots at a wall comes back from it: the slope there is no steeper than the one inside.
    const Real e = upper ? f[cell(n - 2)] - f[cell(n - 3)] : f[cell(2)] - f[cell(1)];
    return d * e <= 0 ? 0.0 : std::abs(d) < std::abs(e) ? d : e;
  };
  const State &p = y[WaveFields::p], &s = y[stress_of(axis)];
  // Slopes of rate and stress across a cell. What runs up and what runs down are limited each by itself: of
  // limited rates and stresses that are not, both together can grow whatever the step (LeVeque, 2002).
  const auto slopes = [&](std::ptrdiff_t i) -> std::pair<Real, Real> {
    if (n == 1) return {0, 0};
    if (!closed && (i == 0 || i == n - 1)) {
      // Beside a wall the one difference there is stands for both.
      if (centred) return {0, 0};
      return {wall_slope(p, i != 0), wall_slope(s, i != 0)};
    }
    const Index low = cell(i - 1), here = cell(i), high = cell(i + 1);
    const Real z = std::sqrt(conductivity_[axis][here] * storage_[here]);
    const Real p_before = p[here] - p[low], p_after = p[high] - p[here];
    const Real s_before = s[here] - s[low], s_after = s[high] - s[here];
    const Real up = slope_(s_before - z * p_before, s_after - z * p_after),
               down = slope_(s_before + z * p_before, s_after + z * p_after);
    return {0.5 * (down - up) / z, 0.5 * (down + up)};
  };
  std::pair<Real, Real> below;
  auto here_slope = slopes(0);
  if (closed) {
    const auto low = cell(-1), high = cell(0);
    const auto low_slope = slopes(n - 1);
    below = between(p[low] + 0.5 * low_slope.first, s[low] + 0.5 * low_slope.second, low,
                    p[high] - 0.5 * here_slope.first, s[high] - 0.5 * here_slope.second, high, axis, step, h);
  } else {
    below = at_wall(y, cell(0), p[cell(0)] - 0.5 * wall_slope(p, false),
                    s[cell(0)] - 0.5 * wall_slope(s, false), axis, false, at, h, powers);
  }
  const auto first = below;
  for (std::ptrdiff_t i = 0; i < n; ++i) {
    const Index here = cell(i);
    std::pair<Real, Real> above;
    if (i + 1 < n) {
      const Index next = cell(i + 1);
      const auto next_slope = slopes(i + 1);
      above =
          between(p[here] + 0.5 * here_slope.first, s[here] + 0.5 * here_slope.second, here,
                  p[next] - 0.5 * next_slope.first, s[next] - 0.5 * next_slope.second, next, axis, step, h);
      here_slope = next_slope;
    } else {
      above = closed ? first
                     : at_wall(y, here, p[here] + 0.5 * wall_slope(p, true),
                               s[here] + 0.5 * wall_slope(s, true), axis, true, at, h, powers);
    }
    out[WaveFields::p][here] += (above.second - below.second) / (h * storage_[here]);
    out[stress_of(axis)][here] = conductivity_[axis][here] * (above.first - below.first) / h;
    below = above;
  }
}

// Runs of cells between walls, line by line.
void WaveSystem::sweep(const Fields& y, Real at, Real step, int axis, Fields& out, Ledger& powers) {
  const Grid& g = balance_.grid();
  Index stride = 1;
  for (int b = 0; b < axis; ++b) stride *= g.size(b);
  const Index length = g.size(axis), block = stride * length;
  const bool periodic = g.axis(axis).periodic();
  std::vector<Index> cells;
  for (Index outer = 0; outer < g.count(); outer += block)
    for (Index inner = 0; inner < stride; ++inner) {
      cells.clear();
      for (Index i = 0; i <= length; ++i) {
        const Index n = outer + inner + i * stride;
        if (i < length && balance_.outline().active(n)) {
          cells.push_back(n);
          continue;
        }
        if (cells.empty()) continue;
        run_along(y, at, step, axis, cells, periodic && static_cast<Index>(cells.size()) == length, out,
                  powers);
        cells.clear();
      }
    }
}

void WaveSystem::rate(const Fields& y, Real at, Real step, Fields& out, Ledger& powers) {
  const Grid& g = balance_.grid();
  powers.clear();
  out.resize(y.size());
  out[WaveFields::u] = y[WaveFields::p];
  // What appears inside, as amounts for each control volume.
  out[WaveFields::p].assign(y[WaveFields::p].size(), 0.0);
  Ledger ignored(powers.size());
  balance_.rate(y[WaveFields::u], at, Parts::source(), out[WaveFields::p], ignored);
  const Segments segments(g.size(0));
  TreeSum<Real> all, damped;
  Real points = 0;
  const auto& given = balance_.problem().equation().points;
  for (std::size_t p = 0; p < given.size(); ++p) {
    const Real power = given[p].rate(given[p].at, at) * y[WaveFields::p][g.containing(given[p].at)];
    powers[line_of_point_[p]] += power;
    points += power;
  }
  const LinearStorage& stored = balance_.conductances(at)->storage();
  for (Index n = 0; n < g.count(); ++n) {
    if (!balance_.outline().active(n)) continue;
    const Real volume = stored.volume(n);
    all.leaf(segments.of_cell(n)) += out[WaveFields::p][n] * y[WaveFields::p][n];
    damped.leaf(segments.of_cell(n)) +=
        volume * storage_[n] * damping_[n] * y[WaveFields::p][n] * y[WaveFields::p][n];
    out[WaveFields::p][n] =
        out[WaveFields::p][n] / (volume * storage_[n]) - damping_[n] * y[WaveFields::p][n];
  }
  powers[source_line_] += all.sum() - points;
  powers[damping_line_] -= damped.sum();
  for (int a = 0; a < g.rank(); ++a) {
    out[stress_of(a)].assign(y[WaveFields::p].size(), 0.0);
    sweep(y, at, step, a, out, powers);
  }
}

Totals WaveSystem::totals(const Fields& y) const {
  const Grid& g = balance_.grid();
  const Segments segments(g.size(0));
  TreeSum<Totals> all;
  for (Index n = 0; n < g.count(); ++n) {
    if (!balance_.outline().active(n)) continue;
    const Real volume = g.volume_of(n);
    Totals& sums = all.leaf(segments.of_cell(n));
    sums.kinetic += 0.5 * volume * storage_[n] * y[WaveFields::p][n] * y[WaveFields::p][n];
    for (int a = 0; a < g.rank(); ++a)
      sums.potential += 0.5 * volume * y[stress_of(a)][n] * y[stress_of(a)][n] / conductivity_[a][n];
    sums.see(y[WaveFields::u][n], volume);
  }
  Totals t = all.sum();
  t.content = t.kinetic + t.potential;
  t.gross = t.content;
  return t;
}

std::pair<Real, Index> WaveSystem::fastest() const {
  const Grid& g = balance_.grid();
  std::pair<Real, Index> worst{0, 0};
  for (Index n = 0; n < g.count(); ++n) {
    if (!balance_.outline().active(n)) continue;
    Real sum = 0;
    for (int a = 0; a < g.rank(); ++a)
      sum += std::sqrt(conductivity_[a][n] / storage_[n]) / g.axis(a).widths()[0];
    if (sum > worst.first) worst = {sum, n};
  }
  return worst;
}

}  // namespace williwaw
