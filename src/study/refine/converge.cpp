#include "williwaw/study/converge.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "study/wording.hpp"

namespace williwaw::study {

namespace {

// Round-off of a value of this size, generously.
Real floor_for(Real size) {
  return 3e-13 * std::abs(size);
}

// A finer field looked at where the coarser one has its unknowns.
Field seen_on(const Field& coarse, const Field& fine) {
  Field result = coarse;
  const Grid& g = coarse.grid();
  for (Index n = 0; n < g.count(); ++n)
    if (!coarse.is_left_out(n)) result[n] = fine.sample(g.point_of(n));
  return result;
}

constexpr std::pair<const char*, Real Norms::*> norms[] = {
    {"L1", &Norms::l1}, {"L2", &Norms::l2}, {"maximum", &Norms::max}};

// What is lost by round-off of an unknown, in shown units.
Real floor_of(const Case& given, const Convergence& result, std::size_t unknown) {
  return floor_for(given.unknown(unknown).value.shown_difference(result.levels[0].size(unknown)));
}

void add_errors(const Case& given, std::size_t unknown, Convergence& result) {
  for (const auto& [name, which] : norms) {
    ConvergedQuantity q{label_of(given, unknown, std::string("error ") + name),
                        given.unknown(unknown).value.unit, true};
    q.unknown = unknown;
    for (const Answer& a : result.levels) q.values.push_back((*a.errors[unknown]).*which);
    q.study = verify::study_errors(q.values, result.ratio, result.theory, floor_of(given, result, unknown));
    result.quantities.push_back(std::move(q));
  }
}

void add_differences(const Case& given, std::size_t unknown, Convergence& result) {
  std::vector<Norms> differences;
  for (std::size_t l = 0; l + 1 < result.levels.size(); ++l) {
    const Field& coarse = result.levels[l].fields[unknown];
    differences.push_back(coarse.difference(seen_on(coarse, result.levels[l + 1].fields[unknown])));
  }
  const store::Scale& scale = given.unknown(unknown).value;
  for (const auto& [name, which] : norms) {
    ConvergedQuantity q{label_of(given, unknown, std::string("change ") + name), scale.unit, true};
    q.unknown = unknown;
    for (const Norms& n : differences) q.values.push_back(std::abs(scale.shown_difference(n.*which)));
    q.study =
        verify::study_differences(q.values, result.ratio, result.theory, floor_of(given, result, unknown));
    result.quantities.push_back(std::move(q));
  }
}

// Where outlines fall differently on every grid, orders may look better than they are.
void widen_for_outlines(const Convergence& result, Real floor, ConvergedQuantity& q) {
  if (q.values.size() < 4 || !result.levels.back().falls_unevenly) return;
  const std::vector<Real> finest_first(q.values.rbegin(), q.values.rend());
  std::vector<Real> ratios;
  for (std::size_t l = 0; l < q.values.size(); ++l)
    ratios.push_back(std::pow(result.ratio, static_cast<Real>(l)));
  q.study.uncertainty = std::max(
      q.study.uncertainty, verify::spread_about_fit(finest_first, ratios, result.theory, floor).uncertainty);
}

void add_headlines(const Case& given, Convergence& result) {
  for (std::size_t h = 0; h < result.levels[0].headlines.size(); ++h) {
    const Headline& first = result.levels[0].headlines[h];
    ConvergedQuantity q{first.name, first.unit, false};
    q.unknown = first.unknown;
    for (const Answer& a : result.levels) q.values.push_back(a.headlines[h].value);
    Real size = 0;
    for (const Real v : q.values) size = std::max(size, std::abs(v));
    // A temperature's zero is not where its size is counted from.
    if (const store::Scale& scale = given.unknown(first.unknown).value; first.unit == scale.unit)
      size = std::max(size, std::abs(scale.shown_difference(result.levels[0].size(first.unknown))));
    q.study = verify::study_values(q.values, result.ratio, result.theory, floor_for(size));
    if (given.refinement_study.grid) {
      widen_for_outlines(result, floor_for(size), q);
      q.without_limit = result.levels.back().headlines[h].without_limit;
    }
    result.quantities.push_back(std::move(q));
  }
}

void look_at_outlines(Convergence& result) {
  const auto& levels = result.levels;
  Real most = 0;
  for (std::size_t l = 0; l + 1 < levels.size(); ++l)
    for (std::size_t m = 0; m < levels[l].outline.size(); ++m)
      if (const Real now = levels[l].outline[m]; now > 0)
        most = std::max(most, std::abs(levels[l + 1].outline[m] - now) / now);
  if (most > 1e-6)
    result.warnings.push_back(
        fmt::format("the outline moves between levels (its area or length by up to {:.2g} %): errors fall "
                    "unevenly, and orders are those of the outline too",
                    100 * most));
}

void look_at_trends(Convergence& result) {
  Index erratic = 0;
  for (const auto& q : result.quantities)
    if (!q.has_limit())
      result.warnings.push_back(
          q.name + ": " +
          (q.without_limit.empty() ? verify::trend_text(q.study.trend) : "no limit: " + q.without_limit));
  for (const auto& q : result.quantities)
    if (q.study.trend == verify::Trend::erratic) ++erratic;
  if (erratic > 0)
    result.warnings.push_back(
        fmt::format("orders of {} of {} quantities are erratic and not to be trusted: is there a jump in the "
                    "data that lies on no face of the grid, or is the first level too coarse?",
                    erratic, result.quantities.size()));
}

// The expected order: that of space, of the scheme, or the smaller of both where both are refined.
Real order_due(const Case& given) {
  const RefinementStudy& l = given.refinement_study;
  if (!l.step) return order_in_space(given);
  if (!l.grid) return given.plan.adaptive ? 1 : given.plan.scheme.order;
  return order_of_both(given, l.step_power);
}

Refinement refinement_of(const RefinementStudy& refinement_study, Index level) {
  Refinement r;
  const auto factor = static_cast<Index>(1) << level;
  if (refinement_study.grid) r.grid = factor;
  if (refinement_study.step)
    r.step = std::pow(static_cast<Real>(factor), refinement_study.grid ? refinement_study.step_power : 1.0);
  return r;
}

std::string orders_text(const ConvergedQuantity& q) {
  std::string text;
  for (const Real p : q.study.orders) text += fmt::format("{}{:.2f}", text.empty() ? "" : ", ", p);
  return text.empty() ? "not known" : text;
}

Convergence converge_levels(const Case& given, const std::function<Case(const casefile::Reading&)>& open,
                            const Execution& execution, const std::function<void(Index, const Case&)>& tell) {
  Convergence result;
  const RefinementStudy& refinement_study = given.refinement_study;
  result.refined = refinement_study.grid && refinement_study.step ? "grid and step"
                   : refinement_study.grid                        ? "grid"
                                                                  : "step";
  result.theory = order_due(given);
  for (Index level = 0; level < refinement_study.levels; ++level) {
    const Refinement r = refinement_of(refinement_study, level);
    const Case finer = open({.refinement = r, .variant = {}, .stage = 0});
    if (tell) tell(level, finer);
    Answer a = answer(finer, execution);
    if (!a.reached)
      throw InputError(fmt::format("{}: level {} of {} did not reach its end: {}", given.file.string(),
                                   level + 1, refinement_study.levels, a.trouble));
    result.levels.push_back(std::move(a));
    result.refinements.push_back(r);
  }
  for (std::size_t u = 0; u < given.count(); ++u)
    given.unknown(u).exact ? add_errors(given, u, result) : add_differences(given, u, result);
  add_headlines(given, result);
  if (refinement_study.grid) look_at_outlines(result);
  if (!given.stages.empty()) result.warnings.push_back("first stage only");
  look_at_trends(result);
  return result;
}

}  // namespace

Convergence converge(const std::filesystem::path& file, const std::vector<std::string>& overrides,
                     Execution execution, const std::function<void(Index, const Case&)>& tell) {
  const auto open = [&](const casefile::Reading& reading) { return open_case(file, overrides, reading); };
  return converge_levels(open_case(file, overrides), open, execution, tell);
}

Convergence converge(const Case& given, Execution execution) {
  const auto open = [&](const casefile::Reading& reading) {
    return open_case_text(given.text, given.file, {}, reading);
  };
  return converge_levels(given, open, execution, {});
}

std::string convergence_table(const Convergence& result) {
  std::size_t width = 10;
  for (const auto& q : result.quantities) width = std::max(width, (q.name + q.unit).size() + 3);
  std::string text = fmt::format("{:<{}}", "level", width);
  for (std::size_t l = 0; l < result.levels.size(); ++l) text += fmt::format("{:>16}", l + 1);
  text += fmt::format("   {:<18}{}\n{:<{}}", "orders", "extrapolated value", "unknowns", width);
  for (const Answer& a : result.levels) text += fmt::format("{:>16}", a.unknowns);
  text += fmt::format("\n{:<{}}", "steps", width);
  for (const Answer& a : result.levels) text += fmt::format("{:>16}", a.steps);
  text += '\n';
  for (const auto& q : result.quantities) {
    text += fmt::format("{:<{}}", q.name + (q.unit.empty() ? "" : " [" + q.unit + "]"), width);
    for (std::size_t l = 0; l < result.levels.size(); ++l) {
      // A change belongs between two levels and stands under the finer one.
      const bool change = q.values.size() < result.levels.size();
      if (change && l == 0)
        text += fmt::format("{:>16}", "");
      else
        text +=
            fmt::format(fmt::runtime(q.is_error ? "{:>16.4e}" : "{:>16.8g}"), q.values[change ? l - 1 : l]);
    }
    text += fmt::format("   {:<18}", orders_text(q));
    if (!q.is_error)
      text += q.has_limit() ? fmt::format("{:.8g} ± {:.2g}", q.study.extrapolated, q.study.uncertainty)
                            : "no limit";
    text += '\n';
  }
  return text;
}

Report convergence_report(const Case& given, const Convergence& result) {
  Report report;
  report.section(given.title);
  report.row("refined", result.refined, Report::Data(result.refined));
  report.row("expected order", readable(result.theory), number(result.theory));
  report.row("levels", std::to_string(result.levels.size()),
             Report::Data(static_cast<Index>(result.levels.size())));
  for (const auto& q : result.quantities) {
    report.section(q.name);
    for (std::size_t l = 0; l < q.values.size(); ++l)
      report.row("level " + std::to_string(l + 1 + result.levels.size() - q.values.size()),
                 fmt::format("{:.8g}{}", q.values[l], q.unit.empty() ? "" : " " + q.unit),
                 number(q.values[l]), q.unit);
    report.row("orders", orders_text(q),
               q.study.orders.empty() ? Report::Data() : number(q.study.orders.back()));
    report.row("trend",
               q.without_limit.empty() ? verify::trend_text(q.study.trend) : "no limit: " + q.without_limit);
    if (!q.has_limit()) continue;
    if (!q.is_error)
      report.row("extrapolated value", fmt::format("{:.8g}", q.study.extrapolated),
                 number(q.study.extrapolated), q.unit);
    report.row("uncertainty", fmt::format("{:.2g}", q.study.uncertainty), number(q.study.uncertainty),
               q.unit);
  }
  report.section("warnings");
  for (const auto& w : result.warnings) report.note(w);
  return report;
}

std::string convergence_csv(const Convergence& result) {
  std::string text = "level,unknowns,relative size,steps";
  for (const auto& q : result.quantities) text += "," + q.name + (q.unit.empty() ? "" : " [" + q.unit + "]");
  text += '\n';
  for (std::size_t l = 0; l < result.levels.size(); ++l) {
    const Refinement& r = result.refinements[l];
    text += fmt::format("{},{},{:.10g},{}", l + 1, result.levels[l].unknowns,
                        r.grid > 1 ? 1.0 / static_cast<Real>(r.grid) : 1 / r.step, result.levels[l].steps);
    for (const auto& q : result.quantities) {
      const bool change = q.values.size() < result.levels.size();
      text += change && l == 0 ? "," : fmt::format(",{:.12g}", q.values[change ? l - 1 : l]);
    }
    text += '\n';
  }
  return text;
}

}  // namespace williwaw::study
