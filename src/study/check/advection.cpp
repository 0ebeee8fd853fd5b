// What `check` says where something is advected: Courant and cell Peclet numbers, numerical diffusion, what
// the velocity does, and outlets under backflow.
#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "study/wording.hpp"

namespace williwaw::study {

namespace {

std::string unit_of(const Case& given, const char* unit) {
  return given.flow_scale.unit.empty() ? "" : unit;
}

const NumericalFlux& flux_of(const Case& given) {
  return numerical_flux(given.problem.numerical_flux);
}

bool of_first_order(const Case& given) {
  return reconstruction_kind(given.problem.reconstruction).order == 1;
}

// Where neighbours count with the wrong sign.
bool wiggles(const Case& given, const verify::AdvectionNumbers& s) {
  return of_first_order(given) && s.peclet > flux_of(given).largest_peclet;
}

std::string peclet_text(const Case& given, const verify::AdvectionNumbers& s) {
  const NumericalFlux& flux = flux_of(given);
  const std::string most = readable(flux.largest_peclet);
  if (wiggles(given, s))
    return fmt::format("above {}: oscillations of the {} flux at steep fronts", most, flux.name);
  if (!of_first_order(given)) return "limited reconstruction: numerical diffusion at extrema and fronts only";
  if (std::isfinite(flux.largest_peclet))
    return fmt::format("up to {}: no oscillations of the {} flux", most, flux.name);
  if (flux.order > 1) return "flux of order 2: oscillations at steep fronts";
  return s.peclet > 2 ? "above 2: numerical diffusion of the first-order flux exceeds the physical one"
                      : "numerical diffusion below the physical one";
}

void numerical_diffusion_rows(const Case& given, const verify::AdvectionNumbers& s, Report& report) {
  const Grid& g = given.problem.grid();
  const std::string unit = unit_of(given, "m^2/s");
  for (int a = 0; a < g.dimension(); ++a) {
    if (s.speed[a] == 0 || !std::isfinite(s.speed[a])) continue;
    const Real extra = s.numerical_diffusion[a], real = s.diffusivity[a];
    std::string text = readable(extra, unit);
    if (extra == 0)
      text = of_first_order(given) ? "0 to leading order: dispersive error instead"
                                   : "0 to leading order, away from extrema";
    else if (real > 0)
      text += fmt::format(", {} times the physical {}", readable(extra / real), readable(real, unit));
    else
      text += "; physical diffusivity 0";
    if (extra < 0) text += ": antidiffusive, fronts steepen without bound";
    report.row("numerical diffusion, " + g.axis(a).name(), text, number(extra), unit);
  }
}

bool advected_by_unknowns(const SystemFlux& flux) {
  return flux.velocity(0) >= 0 || flux.velocity(1) >= 0 || flux.velocity(2) >= 0;
}

}  // namespace

std::string space_text(const Case& given) {
  const ReconstructionKind& kind = reconstruction_kind(given.problem.reconstruction);
  if (given.flux) {
    const std::string flux = !advected_by_unknowns(*given.flux) ? "numerical flux local Lax-Friedrichs"
                             : given.cells                      ? "upwind with the velocity of each face"
                                           : "upwind with the velocity's mean on each face";
    // Values that are means keep a high order along one axis; across faces of a plane their middles count.
    const Grid& g = given.grid();
    const bool means = g.dimension() == 1 && given.problem.grid() == g.at_cells();
    return fmt::format(
        "flux form, reconstruction {}{}, {}, order {} for smooth solutions; diffusion central, order 2",
        kind.name, given.characteristic ? " of characteristic variables" : "", flux,
        means ? kind.order : std::min(kind.order, 2));
  }
  std::string text =
      fmt::format("flux form, reconstruction {}, numerical flux {}, order {} for smooth solutions", kind.name,
                  given.problem.numerical_flux, std::max(flux_of(given).order, kind.order));
  if (!kind.slope && given.problem.grid().dimension() > 1) text += "; reconstruction of point fluxes";
  if (!kind.slope && given.problem.grid().dimension() == 1) text += "; unknowns are cell means";
  return text + "; diffusion central, order 2";
}

void advection_section(const Case& given, const Prepared& prepared, Report& report) {
  if (!prepared.advection) return;
  const auto& s = *prepared.advection;
  const Grid& g = given.problem.grid();
  const bool law = given.problem.equation().advection->law != nullptr;
  report.section("advection");
  std::string speeds;
  for (int a = 0; a < g.dimension(); ++a)
    speeds += fmt::format("{}{} along {}", a == 0 ? "up to " : ", ",
                          readable(s.speed[a], unit_of(given, "m/s")), g.axis(a).name());
  report.row("speed", speeds + (law ? ", over the data bounds" : ""));
  if (prepared.longest_step > 0)
    report.row("Courant number",
               fmt::format("{}  (Σ speed·step/width over axes; maximum at {})", readable(s.courant),
                           place_text(given, g, s.courant_at)),
               number(s.courant));
  report.row("cell Peclet number",
             std::isinf(s.peclet)
                 ? "unlimited: diffusivity 0"
                 : fmt::format("{}  (speed·width/diffusivity; maximum at {}); {}", readable(s.peclet),
                               place_text(given, g, s.peclet_at), peclet_text(given, s)),
             number(s.peclet));
  numerical_diffusion_rows(given, s, report);
  if (law) return;
  const std::string unit = unit_of(given, "1/s");
  report.row("velocity divergence",
             s.compresses ? fmt::format("-{} to {}", readable(s.compressing), readable(s.expanding, unit))
                          : "0 up to round-off",
             number(std::max(s.compressing, s.expanding)), unit);
  if (given.problem.equation().advection->velocity.divergence_free)
    report.row("divergence correction",
               fmt::format("{:.3g} % (RMS), at most {}; largest divergence before: {:.3g}{}",
                           100 * s.correction.fraction, readable(s.correction.largest, unit_of(given, "m/s")),
                           s.correction.divergence_before, unit.empty() ? "" : " " + unit),
               number(s.correction.fraction));
  for (const auto& back : s.backflow)
    report.row("backflow, " + back.boundary,
               fmt::format("inflow up to {} (t = {}); inflow value {}",
                           readable(back.largest, unit_of(given, "m/s")), given.duration(back.time),
                           back.bounded ? "prescribed or damped" : "extrapolated from inside, unbounded"),
               number(back.largest), unit_of(given, "m/s"));
}

namespace {

// Of every place, along an axis.
std::vector<Real> speeds_along(const Case& given, const State& y, int axis) {
  const Grid& g = given.problem.grid();
  const auto count = static_cast<std::size_t>(g.count());
  std::vector<std::span<const Real>> u;
  for (std::size_t m = 0; m < given.count(); ++m) u.emplace_back(y.data() + m * count, count);
  std::vector<Real> speed(count);
  given.flux->speed(g.direction(axis), u, speed);
  return speed;
}

}  // namespace

std::optional<Index> not_hyperbolic_at(const Case& given, const State& y) {
  if (!given.flux) return std::nullopt;
  for (int a = 0; a < given.problem.grid().dimension(); ++a) {
    const std::vector<Real> speed = speeds_along(given, y, a);
    const auto found = std::ranges::find_if(speed, [](Real v) { return std::isinf(v); });
    if (found != speed.end()) return found - speed.begin();
  }
  return std::nullopt;
}

void speeds_section(const Case& given, const Prepared& prepared, Report& report) {
  if (!given.flux) return;
  const Grid& g = given.problem.grid();
  report.section("speeds");
  Real slowest = INFINITY;
  for (int a = 0; a < g.dimension(); ++a) {
    const std::vector<Real> speed = speeds_along(given, prepared.initial, a);
    const auto largest = std::ranges::max_element(speed);
    slowest = std::min(slowest, *std::ranges::min_element(speed));
    report.row("along " + g.axis(a).name(),
               std::isinf(*largest) ? "not known: the system is not hyperbolic"
                                    : fmt::format("up to {}, at {}, with the values of the start",
                                                  readable(*largest, unit_of(given, "m/s")),
                                                  place_text(given, g, largest - speed.begin())),
               number(*largest), unit_of(given, "m/s"));
  }
  if (advected_by_unknowns(*given.flux)) return;
  const auto lost = not_hyperbolic_at(given, prepared.initial);
  report.row("hyperbolic",
             lost ? "no: the Jacobian of the flux has eigenvalues that are not real at " +
                        place_text(given, g, *lost)
             : given.count() > 3 ? "not known: speeds are bounds of the Jacobian by its norms"
                                 : "at the start: all eigenvalues of the Jacobian of the flux are real",
             Report::Data(std::string(lost ? "no" : "yes")));
}

void advection_warnings(const Case& given, const Prepared& prepared, Report& report) {
  const auto& s = *prepared.advection;
  const auto& stability = prepared.stability;
  const bool first = of_first_order(given);
  Real worst = 0;
  for (int a = 0; a < given.problem.grid().dimension(); ++a)
    if (s.numerical_diffusion[a] > s.diffusivity[a]) worst = std::max(worst, s.numerical_diffusion[a]);
  if (worst > 0 && first)
    report.note(fmt::format(
        "numerical diffusion {} exceeds the physical one; remedy: space.reconstruction = \"van-leer\"",
        readable(worst, unit_of(given, "m^2/s"))));
  if (wiggles(given, s))
    report.note(fmt::format(
        "cell Peclet number above {}: oscillations beyond the data range at steep fronts; remedy: a finer "
        "grid, \"upwind\" with \"van-leer\", or \"hybrid\"",
        readable(flux_of(given).largest_peclet)));
  if (s.compresses && given.problem.equation().advection->conservative)
    report.note(
        "velocity not divergence-free: the advected quantity accumulates where the divergence is negative; "
        "remedy: velocity.divergence_free = true, or form = \"advective\" (total not conserved)");
  if (!given.problem.equation().advection->velocity.divergence_free &&
      s.against_boundaries > 1e-9 * (s.speed[0] + s.speed[1] + s.speed[2]))
    report.note(fmt::format("normal velocity up to {} at closed boundaries: set to 0 there",
                            readable(s.against_boundaries, unit_of(given, "m/s"))));
  for (const auto& back : s.backflow)
    if (!back.bounded)
      report.note(
          fmt::format("backflow through '{}': inflow up to {} (t = {}); value extrapolated from inside, "
                      "unbounded: set boundary.{}.outflow.backflow",
                      back.boundary, readable(back.largest, unit_of(given, "m/s")), given.duration(back.time),
                      back.boundary));
  if (given.steady || prepared.plan.adaptive) return;
  if (!stability.stable()) return;
  if (prepared.longest_step > stability.positivity.step * (1 + 1e-12))
    report.note(
        stability.positivity.step > 0
            ? fmt::format("step beyond the monotonicity limit {}", given.duration(stability.positivity.step))
            : "monotonicity limit not known: values may leave the data range");
}

void backflow_note(const Case&, const Prepared& prepared, Report& report) {
  for (const auto& back : prepared.advection->backflow)
    if (!back.bounded)
      report.note(
          fmt::format("backflow through '{}': value extrapolated from inside, unbounded: set "
                      "boundary.{}.outflow.backflow",
                      back.boundary, back.boundary));
}

}  // namespace williwaw::study
