#include "williwaw/study/check.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "study/wording.hpp"
#include "williwaw/study/cost.hpp"

namespace williwaw::study {

namespace {

// Lowest and highest value of a coefficient over the unknowns at the start.
std::pair<Real, Real> range_over(const Grid& g, const Function& f) {
  std::pair<Real, Real> range{std::numeric_limits<Real>::infinity(), -std::numeric_limits<Real>::infinity()};
  Points line(g.size(0));
  std::vector<Real> values(static_cast<std::size_t>(g.size(0)));
  for (Index k = 0; k < g.size(2); ++k)
    for (Index j = 0; j < g.size(1); ++j) {
      for (Index i = 0; i < g.size(0); ++i) line.set(i, g.point(i, j, k));
      f.evaluate(line, 0, values);
      const auto [low, high] = std::ranges::minmax_element(values);
      range = {std::min(range.first, *low), std::max(range.second, *high)};
    }
  return range;
}

Function ratio(const Function& a, const Function& b) {
  return Function::by_line(
      [a, b](const Points& p, Real t, std::span<Real> out) {
        std::vector<Real> other(out.size());
        a.evaluate(p, t, out);
        b.evaluate(p, t, other);
        for (std::size_t i = 0; i < out.size(); ++i) out[i] /= other[i];
      },
      true, a.depends_on_time());
}

// How fast waves run: the root of tension over density.
void derived_speed(const Case& given, Report& report) {
  const Equation& e = given.problem.equation();
  const auto [low, high] = range_over(given.problem.grid(), ratio(e.diffusion.coefficient[0], e.storage));
  const std::string unit = given.flow_scale.unit.empty() ? "" : "m/s";
  if (high - low > 1e-12 * high)
    report.row("speed (over the grid)",
               fmt::format("{} to {}", readable(std::sqrt(low)), readable(std::sqrt(high), unit)),
               number(std::sqrt(high)), unit);
  else if (given.coefficients[0].first != "speed")
    report.row("speed (derived)", readable(std::sqrt(low), unit), number(std::sqrt(low)), unit);
}

// What spreads is conductivity over storage: one number for all axes, or one for each.
void derived_diffusivity(const Case& given, Report& report) {
  const Equation& e = given.problem.equation();
  const Grid& g = given.problem.grid();
  if (e.second_order) {
    derived_speed(given, report);
    return;
  }
  if (e.diffusion.depends_on_unknown() || e.stores_nonlinearly()) return;  // it is no number
  if (e.storage.is_constant() && e.storage(Point{}) == 1) return;          // it stands above as it is
  if (given.coefficients.empty() || given.coefficients[0].first.rfind("diffusivity", 0) != 0)
    if (e.advection) return;  // nothing diffuses
  const bool by_axis = given.coefficients[0].first.find('.') != std::string::npos;
  const std::string unit = given.flow_scale.unit.empty() ? "" : "m^2/s";
  for (int a = 0; a < (by_axis ? g.dimension() : 1); ++a) {
    const auto [low, high] = range_over(g, ratio(e.diffusion.coefficient[g.direction(a)], e.storage));
    const std::string label = "diffusivity (derived)" + (by_axis ? ", " + g.axis(a).name() : "");
    if (high - low <= 1e-12 * high)
      report.row(label, readable(low, unit), number(low), unit);
    else
      report.row(label, fmt::format("{} to {}", readable(low), readable(high, unit)), number(high), unit);
  }
}

// As a number in the unit that the case gives it in; a formula is its text.
void coefficient_row(const std::string& name, const casefile::Value& v, Report& report) {
  const std::string text = v.si.empty() || v.si == v.text ? v.text : v.text + "  (" + v.si + ")";
  const auto measured = casefile::split_measured(v.text);
  if (measured && casefile::Unit::parse(measured->unit))
    report.row(name, text, number(measured->number), measured->unit);
  else
    report.row(name, text,
               v.function.is_constant() && v.si.empty() ? number(v.function(Point{})) : Report::Data());
}

void point_rows(const Case& given, const casefile::UnknownOfCase& of, Report& report) {
  for (const auto& point : of.problem.equation().points) {
    std::string rate = "time-dependent rate";
    Report::Data data;
    if (point.rate.is_constant()) {
      const Real shown = of.flow_scale.shown_difference(point.rate(Point{}));
      rate = readable(shown, of.flow_scale.unit);
      data = number(shown);
    }
    report.row("point " + point.name + (given.is_system() ? " of " + of.problem.equation().unknown : ""),
               fmt::format("{} at {}", rate, given_place(given, point.at)), data, of.flow_scale.unit);
  }
}

void derived_rows(const Case& given, Report& report) {
  for (const casefile::DerivedOfCase& d : given.derived)
    report.row("derived " + d.name + d.scale.bracket(), d.text);
}

// Unknown after unknown, then what they make of each other.
void system_rows(const Case& given, Report& report) {
  report.row("kind", fmt::format("system of {} unknown{}", given.count(), given.count() == 1 ? "" : "s"));
  for (std::size_t u = 0; u < given.count(); ++u) {
    const casefile::UnknownOfCase& of = given.unknown(u);
    const std::string& name = of.problem.equation().unknown;
    report.row("unknown " + std::to_string(u + 1), name + of.value.bracket(), name);
    report.row("form of " + name, of.equation_formula);
    for (const auto& [key, v] : of.coefficients) coefficient_row(key + " of " + name, v, report);
    point_rows(given, of, report);
    report.row((given.steady ? "first guess of " : "initial value of ") + name, of.initial.text);
    if (of.exact)
      report.row("exact solution of " + name, of.exact_is_initial ? "the initial value" : of.exact->text);
  }
  for (const auto& [name, v] : given.shared_terms) report.row(name, v.text);
  for (const casefile::VectorOfUnknowns& vector : given.vectors) {
    std::string text;
    for (const std::size_t c : vector.components)
      text += (text.empty() ? "" : ", ") + given.unknown(c).problem.equation().unknown;
    report.row("vector " + vector.name, "(" + text + ")");
  }
}

void equation_section(const Case& given, const Prepared& prepared, Report& report) {
  const Equation& e = given.problem.equation();
  report.section("equation");
  report.row("title", given.title);
  if (given.samples > 1)
    report.row("samples", fmt::format("{}; what follows is of the first one, `sample` = 0", given.samples),
               number(static_cast<Real>(given.samples)));
  if (given.is_system()) {
    system_rows(given, report);
    derived_rows(given, report);
    return;
  }
  report.row("kind", e.kind);
  report.row("form", given.equation_formula);
  report.row("unknown", (e.unknown == "u" ? "u" : "u, the " + e.unknown) + given.value.bracket(), e.unknown);
  for (const auto& [name, v] : given.coefficients) coefficient_row(name, v, report);
  derived_diffusivity(given, report);
  derived_rows(given, report);
  if (e.diffusion.depends_on_unknown())
    report.row("mean between cells", prepared.balance->conductances(given.plan.start)->face_mean());
  if (const auto slowest = prepared.slowest; slowest && !given.steady) {
    if (*slowest > 0) {
      const Real settle = std::log(100.0) / *slowest;
      report.row("time to settle", fmt::format("{} to 99 % (slowest mode)", given.duration(settle)),
                 number(given.time.shown_difference(settle)), given.time.unit);
    } else {
      report.row("time to settle", "unlimited: the mean is not fixed by any boundary", number(INFINITY));
    }
  }
  point_rows(given, given, report);
  report.row(given.steady ? "first guess" : "initial value", given.initial.text);
  if (e.second_order) report.row("initial rate", given.initial_rate ? given.initial_rate->text : "0");
  if (given.exact)
    report.row("exact solution", given.exact_is_initial ? "the initial value" : given.exact->text);
}

namespace {

std::string places_in_words(const Grid& g) {
  if (g.is_at_one_place())
    return g.unknowns() == Unknowns::cells ? "at the centres of cells" : "at nodes, boundaries included";
  for (int a = 0; a < g.dimension(); ++a)
    if (g.axis(a).unknowns() == Unknowns::nodes) return "on the faces normal to " + g.axis(a).name();
  return "";
}

// One place for all unknowns, or that of each.
std::string places_in_words(const Case& given) {
  if (!given.cells) return places_in_words(given.grid());
  std::string text;
  for (std::size_t u = 0; u < given.count(); ++u) {
    const Problem& p = given.unknown(u).problem;
    // Along a single axis nodes are the faces.
    const bool faces = p.grid().dimension() == 1 && !(p.grid() == given.grid());
    text += (text.empty() ? "" : ", ") + p.equation().unknown + " " +
            (faces ? "on the faces normal to " + p.grid().axis(0).name() : places_in_words(p.grid()));
  }
  return text;
}

}  // namespace

void grid_section(const Case& given, Report& report) {
  const Grid& g = given.grid();
  report.section("grid");
  report.row("unknowns", places_in_words(given));
  for (int a = 0; a < g.dimension(); ++a) {
    const Axis& axis = g.axis(a);
    const auto [low, high] = std::ranges::minmax_element(
        axis.gaps().subspan(1, static_cast<std::size_t>(axis.intervals() > 1 ? axis.intervals() - 1 : 0)));
    const std::string spacing =
        axis.is_evenly_spaced() || axis.intervals() < 2
            ? readable(given.length.shown_difference(axis.length() / static_cast<Real>(axis.intervals())),
                       given.length.unit)
            : fmt::format("{} to {}", readable(given.length.shown_difference(*low)),
                          readable(given.length.shown_difference(*high), given.length.unit));
    report.row(axis.name(),
               fmt::format("{} to {}, {} {}, spacing {}{}", readable(given.length.shown(axis.from())),
                           readable(given.length.shown(axis.to()), given.length.unit), axis.size(),
                           g.unknowns() == Unknowns::cells ? "cells" : "nodes", spacing,
                           axis.periodic() ? ", periodic" : ""),
               Report::Data(axis.size()));
  }
  if (g.axis(0).name() == "r")
    report.row("coordinates", g.axis(0).coordinates() == Coordinates::spherical
                                  ? "spherical: volumes and amounts for the full solid angle 4π"
                                  : "cylindrical: volumes and amounts for the full angle 2π");
  if (given.cells) {
    Index all = 0;
    for (std::size_t u = 0; u < given.count(); ++u) all += given.unknown(u).problem.grid().count();
    report.row("total", fmt::format("{} cells, {} values of all unknowns", g.count(), all),
               Report::Data(g.count()));
    return;
  }
  report.row("total", fmt::format("{} unknowns", g.count()), Report::Data(g.count()));
}

void scheme_section(const Case& given, const Prepared& prepared, Report& report) {
  const Scheme& s = prepared.plan.scheme;
  const bool implicit = !is_explicit(s);
  const int count = prepared.plan.adaptive ? stages(s, 0) : prepared.stability.stages;
  const bool counts = !prepared.plan.adaptive || !std::holds_alternative<Stabilized>(s.method);
  report.section("schemes");
  report.row("time",
             fmt::format("{}: {}, order {}, {}", s.title, implicit ? "implicit" : "explicit", s.order,
                         counts ? fmt::format("{} stage{}", count, count == 1 ? "" : "s")
                                : "number of stages by step"),
             Report::Data(s.name));
  if (prepared.plan.damped_start > 0)
    report.row("damped start",
               fmt::format("the first {} step{} as two half steps of implicit Euler each",
                           prepared.plan.damped_start, prepared.plan.damped_start == 1 ? "" : "s"),
               Report::Data(prepared.plan.damped_start));
  if (given.problem.equation().as_system && !is_second_order(s))
    report.row("space",
               fmt::format("finite volumes of rate and stress, numerical flux {}, reconstruction {}",
                           given.problem.numerical_flux, given.problem.reconstruction),
               Report::Data(given.problem.numerical_flux));
  else if (given.problem.equation().advection || given.flux)
    report.row("space", space_text(given), Report::Data(given.problem.reconstruction));
  else if (given.problem.space_order == 4)
    report.row("space", "central differences over four points, order 4", Report::Data(Index{4}));
  else
    report.row("space", "central differences, order 2", Report::Data(Index{2}));
  if (implicit) report.row("solver", solver_text(given, prepared), Report::Data(given.plan.solver));
}

void steady_section(const Case& given, const Prepared& prepared, Report& report) {
  const SteadyRules& rules = *given.steady;
  report.section("schemes");
  report.row("steady state",
             given.problem.advection_is_nonlinear() ? "deferred correction with the first-order matrix"
             : given.problem.is_nonlinear() || !prepared.balance->capabilities().linear ? "Newton's method"
                                                                                        : "one linear solve");
  if (given.problem.equation().advection || given.flux)
    report.row("space", space_text(given), Report::Data(given.problem.reconstruction));
  else
    report.row("space", "central differences, order 2", Report::Data(Index{2}));
  report.row("solver", prepared.steady->solver + (rules.solver == "auto" ? "  (chosen automatically)" : ""),
             Report::Data(rules.solver));
  report.row("stops when", stopping_rule(rules), number(rules.tolerance));
  if (prepared.steady->mean_fixed)
    report.note(
        "mean not fixed by any boundary, sources and boundaries balanced: set to that of the first guess");
}

void cost_section(const Case& given, const Prepared& prepared, Report& report) {
  report.section("cost");
  if (prepared.memory)
    report.row("memory", "about " + readable_bytes(*prepared.memory) + " (peak)", number(*prepared.memory),
               "bytes");
  if (given.steady) return;
  if (prepared.plan.adaptive)
    report.row("steps", "not known (adaptive)");
  else
    report.row("steps",
               ends_early(given, prepared)
                   ? fmt::format("at most {}: end at {}", prepared.steps,
                                 prepared.ends_when_settled ? "the steady state" : "the periodic state")
                   : std::to_string(prepared.steps),
               Report::Data(prepared.steps));
  const Real recorded = recorded_bytes(given, prepared);
  report.row("disk", "at most " + readable_bytes(recorded) + " (while fields.nc is written)",
             number(recorded), "bytes");
  if (prepared.plan.adaptive)
    report.row("time", "not known (adaptive steps)");
  else if (prepared.seconds)
    report.row("time",
               fmt::format("{}{} (from timed steps; without figures and films)",
                           ends_early(given, prepared) ? "at most " : "", readable_wait(*prepared.seconds)),
               number(*prepared.seconds), "s");
  if (prepared.seconds.value_or(0) > longest_unasked) report.note("runs of more than one day need --force");
}

}  // namespace

std::string solver_text(const Case& given, const Prepared& prepared) {
  LinearSystem system;
  // A matrix of the stage that is solved: along one axis where axes take turns.
  const bool in_turns = std::holds_alternative<Factored>(prepared.plan.scheme.method);
  const Real step =
      prepared.longest_step > 0 ? prepared.longest_step : 1 / prepared.stability.largest_eigenvalue;
  const bool moves = prepared.balance->capabilities().second_order;
  const bool apart = std::holds_alternative<ImplicitExplicit>(prepared.plan.scheme.method);
  const Parts parts = in_turns ? Parts::flux(0) : apart ? Parts::fluxes() : Parts::all();
  prepared.balance->linearise(prepared.initial, 0, 1, moves ? 0.25 * step * step : step, parts, system);
  const Capabilities capabilities = prepared.balance->capabilities_of(parts);
  SolverRules rules;
  rules.reused = capabilities.linear && capabilities.steady_matrix;
  const auto solver = make_solver(given.plan.solver, system, rules);
  return solver->name() + (rules.reused && !solver->convergence() ? ", one factorization" : "");
}

Report check_report(const Case& given, Prepared& prepared) {
  Report report;
  equation_section(given, prepared, report);
  grid_section(given, report);
  regions_section(given, prepared, report);
  boundaries_section(given, prepared, report);
  if (given.steady) {
    steady_section(given, prepared, report);
    advection_section(given, prepared, report);
    speeds_section(given, prepared, report);
    if (given.problem.equation().advection) advection_warnings(given, prepared, report.section("warnings"));
    if (prepared.memory) cost_section(given, prepared, report);
    return report;
  }
  scheme_section(given, prepared, report);
  stability_section(given, prepared, report);
  dispersion_section(given, prepared, report);
  advection_section(given, prepared, report);
  speeds_section(given, prepared, report);
  uniform_section(given, prepared, report);
  warnings_section(given, prepared, report);
  cost_section(given, prepared, report);
  for (const auto& stage : planned_stages(given, prepared)) {
    Report part;
    boundaries_section(*stage.given, stage.prepared, part);
    stability_section(*stage.given, stage.prepared, part);
    report.append(part, stage.title + ": ");
  }
  return report;
}

Report brief_report(const Case& given, const Prepared& prepared) {
  Report report;
  const Grid& g = given.grid();
  report.section(given.title);
  for (std::size_t u = 0; u < given.count(); ++u) report.row("equation", given.unknown(u).equation_formula);
  std::string size;
  for (int a = 0; a < g.dimension(); ++a) size += (a == 0 ? "" : " x ") + std::to_string(g.size(a));
  report.row("grid", size + (g.unknowns() == Unknowns::cells ? " cells" : " nodes"));
  for (const auto& [name, text] : boundaries_in_words(given)) report.row(name, text);
  if (given.steady) {
    report.row("solver", prepared.steady->solver);
    return report;
  }
  brief_stability(given, prepared, report);
  return report;
}

}  // namespace williwaw::study
