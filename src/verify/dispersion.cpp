#include "williwaw/verify/dispersion.hpp"

#include <fftw3.h>

#include <algorithm>
#include <cmath>
#include <complex>
#include <memory>

#include "complex.hpp"

namespace williwaw::verify {

DispersionRelation::DispersionRelation(Scheme scheme, Real step, std::vector<Real> spacing,
                                       std::vector<Real> speed, int order)
    : scheme_(std::move(scheme)),
      step_(step),
      spacing_(std::move(spacing)),
      speed_(std::move(speed)),
      order_(order) {}

Real DispersionRelation::true_frequency(const std::array<Real, 3>& k) const {
  Real sum = 0;
  for (int a = 0; a < dimension(); ++a) sum += speed_[a] * speed_[a] * k[a] * k[a];
  return std::sqrt(sum);
}

Real DispersionRelation::frequency(const std::array<Real, 3>& k) const {
  Real symbol = 0;
  for (int a = 0; a < dimension(); ++a) {
    const Real sine = std::sin(0.5 * k[a] * spacing_[a]);
    const Real slope = 2 / spacing_[a] * (order_ == 4 ? sine + sine * sine * sine / 6 : sine);
    symbol += speed_[a] * speed_[a] * slope * slope;
  }
  const auto roots = wave_amplification(scheme_, symbol * step_ * step_);
  return std::abs(std::arg(roots[0])) / step_;
}

Real DispersionRelation::phase_ratio(Real wavenumber, const std::array<Real, 3>& direction) const {
  const std::array<Real, 3> k{wavenumber * direction[0], wavenumber * direction[1],
                              wavenumber * direction[2]};
  return frequency(k) / true_frequency(k);
}

Real DispersionRelation::group_ratio(Real wavenumber, const std::array<Real, 3>& direction) const {
  const Real change = 1e-4 * wavenumber;
  const auto at = [&](Real k, bool truly) {
    const std::array<Real, 3> vector{k * direction[0], k * direction[1], k * direction[2]};
    return truly ? true_frequency(vector) : frequency(vector);
  };
  return (at(wavenumber + change, false) - at(wavenumber - change, false)) /
         (at(wavenumber + change, true) - at(wavenumber - change, true));
}

namespace {

// Larger grids are judged by what drives them alone: their spectrum would take longer than many steps.
constexpr Index most_transformed = 2000000;

// Amplitudes of a real array of up to three dimensions, x fastest.
std::vector<Complex> transformed(const std::vector<Real>& values, const std::array<Index, 3>& extent) {
  std::vector<Complex> out(values.begin(), values.end());
  std::vector<int> sizes;
  for (int a = 2; a >= 0; --a)
    if (extent[a] > 1) sizes.push_back(static_cast<int>(extent[a]));
  if (sizes.empty()) return out;
  auto* data = reinterpret_cast<fftw_complex*>(out.data());
  const fftw_plan plan =
      fftw_plan_dft(static_cast<int>(sizes.size()), sizes.data(), data, data, FFTW_FORWARD, FFTW_ESTIMATE);
  fftw_execute(plan);
  fftw_destroy_plan(plan);
  return out;
}

// Averages over the energy that waves hold.
struct Averages {
  Real energy = 0, wavenumber = 0, late = 0;
  std::vector<std::pair<Real, Real>> by_points;  ///< points per wavelength, energy
  void add(Real fraction, Real k, Real lateness, Real points) {
    energy += fraction;
    wavenumber += fraction * k;
    late += fraction * lateness;
    by_points.push_back({points, fraction});
  }
  Real fewest() {
    std::ranges::sort(by_points);
    Real sum = 0;
    for (const auto& [points, fraction] : by_points)
      if ((sum += fraction) >= 0.1 * energy) return points;
    return by_points.empty() ? 0 : by_points.back().first;
  }
};

Real coarsest(const DispersionRelation& relation) {
  return *std::ranges::max_element(relation.spacing());
}

// The energy of every plane wave in the initial data, and how late it comes.
Averages of_initial_data(Discretization& balance, const DispersionRelation& relation, Real lasts) {
  const Grid& g = balance.grid();
  if (g.count() > most_transformed) return {};
  State rate;
  balance.dynamics().initial_rate(rate);
  State value = balance.initial_state();
  // A level common to all is no wave.
  Real mean = 0, count = 0;
  for (Index n = 0; n < g.count(); ++n)
    if (balance.outline().active(n)) {
      mean += value[n];
      ++count;
    }
  for (Index n = 0; n < g.count(); ++n) value[n] = balance.outline().active(n) ? value[n] - mean / count : 0;
  const std::array<Index, 3> extent{g.size(0), g.size(1), g.size(2)};
  const auto u = transformed(value, extent), v = transformed(rate, extent);
  Averages result;
  for (Index n = 1; n < g.count(); ++n) {
    const auto at = g.position(n);
    std::array<Real, 3> k{};
    Real size = 0, points = std::numeric_limits<Real>::infinity();
    for (int a = 0; a < g.dimension(); ++a) {
      const Index wave = at[a] > extent[a] / 2 ? at[a] - extent[a] : at[a];
      const Real spacing = relation.spacing()[a];
      k[a] = 2 * M_PI * static_cast<Real>(wave) / (static_cast<Real>(extent[a]) * spacing);
      size += k[a] * k[a];
      if (wave != 0) points = std::min(points, 2 * M_PI / (std::abs(k[a]) * spacing));
    }
    size = std::sqrt(size);
    const Real frequency = relation.true_frequency(k);
    const Real fraction = std::norm(v[n]) + frequency * frequency * std::norm(u[n]);
    if (!(fraction > 0) || size == 0) continue;
    const std::array<Real, 3> direction{k[0] / size, k[1] / size, k[2] / size};
    result.add(fraction, size, lasts * (1 - relation.group_ratio(size, direction)), points);
  }
  return result;
}

// The same of what drives the wave from one place, by its spectrum in time, along the coarsest axis.
Averages of_signal(const std::vector<Real>& signal, const DispersionRelation& relation, Real lasts) {
  Averages result;
  const auto amplitudes = transformed(signal, {static_cast<Index>(signal.size()), 1, 1});
  const Real spacing = coarsest(relation);
  int axis = 0;
  while (relation.spacing()[axis] != spacing) ++axis;
  std::array<Real, 3> direction{};
  direction[axis] = 1;
  const Real speed = relation.true_frequency(direction);
  for (std::size_t n = 1; n < amplitudes.size() / 2; ++n) {
    const Real frequency =
        2 * M_PI * static_cast<Real>(n) / (static_cast<Real>(amplitudes.size()) * relation.step());
    const Real k = frequency / speed;
    if (k * spacing > M_PI) break;
    const Real fraction = std::norm(amplitudes[n]);
    if (!(fraction > 0)) continue;
    const Real group = relation.group_ratio(k, direction);
    if (group <= 0) continue;
    result.add(fraction, k, lasts * (1 - group), 2 * M_PI / (k * spacing));
  }
  return result;
}

// The liveliest of everything that drives the wave: its name and its values at the steps.
std::pair<std::string, std::vector<Real>> loudest(const Discretization& balance, Real step, Real from,
                                                  Real until) {
  constexpr Index most = 20000;
  const auto count = std::min<Index>(most, static_cast<Index>((until - from) / step));
  std::pair<std::string, std::vector<Real>> best;
  Real most_change = 0;
  const auto listen = [&](const std::string& name, const Function& f, const Point& at) {
    if (!f.depends_on_time()) return;
    std::vector<Real> signal;
    Real change = 0;
    for (Index n = 0; n < count; ++n) {
      signal.push_back(f(at, from + static_cast<Real>(n) * step));
      if (n > 0) change = std::max(change, std::abs(signal.back() - signal[signal.size() - 2]));
    }
    if (change <= most_change) return;
    most_change = change;
    best = {name, std::move(signal)};
  };
  const Problem& problem = balance.problem();
  for (const auto& point : problem.equation().points) listen("point " + point.name, point.rate, point.at);
  for (const BoundaryClosure& boundary : balance.closures())
    for (const auto& condition : boundary.section().boundary.conditions())
      for (const Function& f : condition->arguments())
        if (boundary.faces() > 0)
          listen(boundary.section().name, f, boundary.face(boundary.faces() / 2).place);
  if (best.second.empty() && problem.equation().source.depends_on_time()) {
    // A source that moves is heard where it is loudest at some time.
    const Grid& g = balance.grid();
    Point where{};
    Real most_now = 0;
    for (const Real part : {0.0, 0.1, 0.3, 0.5, 0.8})
      for (Index n = 0; n < g.count(); n += std::max<Index>(1, g.count() / 4000)) {
        const Real now = std::abs(problem.equation().source(g.point_of(n), from + part * (until - from)));
        if (now > most_now) {
          most_now = now;
          where = g.point_of(n);
        }
      }
    listen("source", problem.equation().source, where);
  }
  return best;
}

}  // namespace

DispersionRelation dispersion_relation(Discretization& balance, const Scheme& scheme, Real step,
                                       Index* where) {
  const Grid& g = balance.grid();
  const Equation& e = balance.problem().equation();
  const auto speed = [&](int a, const Point& at) {
    return std::sqrt(e.diffusion.coefficient[g.direction(a)](at) / e.storage(at));
  };
  Index slowest = 0;
  const bool varies = e.storage.depends_on_place() || e.diffusion.coefficient[0].depends_on_place() ||
                      e.diffusion.coefficient[1].depends_on_place() ||
                      e.diffusion.coefficient[2].depends_on_place();
  Real least = std::numeric_limits<Real>::infinity();
  for (Index n = 0; n < (varies ? g.count() : 1); ++n) {
    if (!balance.outline().active(n)) continue;
    if (const Real c = speed(0, g.point_of(n)); c < least) {
      least = c;
      slowest = n;
    }
  }
  if (where) *where = slowest;
  std::vector<Real> spacing, speeds;
  for (int a = 0; a < g.dimension(); ++a) {
    const auto gaps = g.axis(a).gaps();
    spacing.push_back(*std::ranges::max_element(gaps.subspan(1, gaps.size() - 2)));
    speeds.push_back(speed(a, g.point_of(slowest)));
  }
  return DispersionRelation(scheme, step, spacing, speeds, balance.capabilities().space_order);
}

std::optional<Dispersion> dispersion(Discretization& balance, const Scheme& scheme, Real step, Real from,
                                     Real until) {
  if (balance.capabilities().first_order_form && !is_second_order(scheme)) return std::nullopt;
  if (!balance.capabilities().second_order || !(step > 0) || !(until > from)) return std::nullopt;
  Dispersion result;
  const DispersionRelation relation = dispersion_relation(balance, scheme, step, &result.where);
  const Real lasts = until - from;
  Averages averages = of_initial_data(balance, relation, lasts);
  result.basis = "the initial data";
  if (!(averages.energy > 0)) {
    const auto [name, signal] = loudest(balance, step, from, until);
    if (signal.empty()) return std::nullopt;
    averages = of_signal(signal, relation, lasts);
    result.basis = name;
  }
  if (!(averages.energy > 0)) return std::nullopt;
  result.wavenumber = averages.wavenumber / averages.energy;
  result.points = 2 * M_PI / (result.wavenumber * coarsest(relation));
  result.fewest_points = averages.fewest();
  result.phase_lag = averages.late / averages.energy;
  std::array<Real, 3> along{};
  int axis = 0;
  while (relation.spacing()[axis] != coarsest(relation)) ++axis;
  along[axis] = 1;
  result.phase_error = relation.phase_ratio(result.wavenumber, along) - 1;
  result.group_error = relation.group_ratio(result.wavenumber, along) - 1;
  return result;
}

}  // namespace williwaw::verify
