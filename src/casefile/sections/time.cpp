// [time]: end, scheme and step.
#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "casefile/sections/sections.hpp"
#include "williwaw/casefile/readable.hpp"

namespace williwaw::casefile {

Expected a_time() {
  return {Unit::of("s"), false, "a time"};
}

Real read_time_value(const Context& context, const Section& section, const std::string& key) {
  const Node& node = *section.find(key);
  return read_number(context, node, section.key_path(key), a_time());
}

namespace {

// Steps chosen by their errors: a fraction of the range of the data, or a difference of the unknown.
void read_adaptive(const Context& context, const Section& choice, const Dimensions& dimensions,
                   Case& result) {
  const Scheme& scheme = result.plan.scheme;
  if (!estimates_error(scheme)) {
    Words able;
    for (const auto& kind : scheme_kinds())
      if (estimates_error(kind.make(kind.lowest))) able.push_back(kind.name);
    choice.fail("adaptive",
                "scheme '" + scheme.name + "' has no estimate of its errors; " + listed(able) + " have one");
  }
  const Node& node = *choice.find("adaptive");
  Tolerance tolerance;
  tolerance.of_range = !unit_written(context, node) || !context.dimensional;
  tolerance.value = tolerance.of_range
                        ? read_number(context, node, "time.step.adaptive",
                                      {Unit(), false, "a fraction of the data's range"})
                        : read_number(context, node, "time.step.adaptive",
                                      {dimensions.unknown, true, "a difference of the unknown"});
  if (!tolerance.of_range && result.count() > 1)
    choice.fail("adaptive",
                "with several unknowns a fraction of the data's range is needed here, 1e-4 for example");
  if (!(tolerance.value > 0 && std::isfinite(tolerance.value))) choice.fail("adaptive", "must be above zero");
  tolerance.value /= context.refinement.step;
  result.plan.adaptive = tolerance;
  result.step.adaptive_text =
      node.is_text() ? node.text() : readable(node.number()) + " of the range of the data";
}

void read_step(const Context& context, const Section& section, const Dimensions& dimensions, Case& result) {
  const Node& node = section.need("step", "a time, or { of_limit = 0.9 } of the largest stable step");
  if (!node.is_table() || node.find("formula")) {
    result.step = {false, false, read_number(context, node, "time.step", a_time())};
    if (!(result.step.value > 0)) section.fail("step", "must be above zero");
    result.step.value /= context.refinement.step;
    return;
  }
  const Section choice(context, node, "time.step");
  choice.allow({"of_limit", "adaptive", "courant"}, {});
  if (choice.has("of_limit") + choice.has("adaptive") + choice.has("courant") != 1)
    throw CaseError(node.place.text(), "time.step", "give one of of_limit, courant and adaptive");
  if (choice.has("adaptive")) {
    read_adaptive(context, choice, dimensions, result);
    return;
  }
  const bool courant = choice.has("courant");
  const std::string key = courant ? "courant" : "of_limit";
  const bool runs = dimensions.waves || result.problem.equation().advection || result.flux;
  if (courant && !runs) choice.fail("courant", "needs advection or a wave: give of_limit, or a time");
  result.step = {
      !courant, courant,
      read_number(context, *choice.find(key), "time.step." + key, {Unit(), false, "a plain number"})};
  if (!(result.step.value > 0)) choice.fail(key, "must be above zero");
  // The limit itself falls with the spacing for waves and flows, with its square for what diffuses.
  const Real grids =
      static_cast<Real>(context.refinement.grid) / static_cast<Real>(context.refinement.coarsen);
  result.step.value /= std::max(1.0, context.refinement.step / (runs ? grids : grids * grids));
}

// Crank-Nicolson and its kin carry what rough data excite along; a damped start does not.
void read_damped_start(const Section& section, Case& result) {
  if (!section.has("damped_start")) return;
  if (is_explicit(result.plan.scheme))
    section.fail("damped_start", "belongs to implicit schemes, not to '" + result.plan.scheme.name + "'");
  if (result.plan.adaptive) section.fail("damped_start", "needs steps of a fixed length, not adaptive ones");
  result.plan.damped_start = section.whole("damped_start", 1);
}

}  // namespace

void read_time(const Context& context, const Node& root, const Dimensions& dimensions, Case& result) {
  const Node* node = root.find("time");
  if (const Node* steady = root.find("steady")) {
    if (node) throw CaseError(steady->place.text(), "steady", "give one of [time] and [steady], not both");
    read_steady(context, *steady, result);
    read_settled(context, root, result);
    return;
  }
  if (!node) throw CaseError(context.file, "time", "missing; a case needs [time] or [steady]");
  const Section section(context, *node, "time");
  section.allow({"until", "lasts", "scheme", "theta", "step", "solver", "damped_start", "tiling"}, {});
  result.plan.solver = section.choice("solver", "auto", solver_names(), {});
  result.plan.tiling = section.choice("tiling", "auto", {"auto", "off"}, {}) == "auto";
  if (section.has("until") == section.has("lasts"))
    throw CaseError(node->place.text(), "time", "give one of until and lasts");
  const std::string end = section.has("until") ? "until" : "lasts";
  read_settled(context, root, result);
  result.plan.start = context.start;
  read_cycle(context, root, dimensions, result);
  if (section.find(end)->is_text() && section.find(end)->text() == "cycle") {
    if (!result.cycle) section.fail(end, "\"cycle\" needs a section [cycle] with period and tolerance");
    result.cycle->ends_run = true;
    result.plan.until = context.start;  // found when the slowest decay is known
  } else if (section.find(end)->is_text() && section.find(end)->text() == "settled") {
    result.settled.ends_run = true;
    result.plan.until = 0;  // found when the slowest decay is known
  } else {
    result.plan.until = read_time_value(context, section, end) + (end == "lasts" ? context.start : 0);
    if (!(result.plan.until > 0)) section.fail(end, "must be above zero");
    if (!(result.plan.until > context.start))
      section.fail(end, fmt::format("lies before the start of this stage, {}; give its length: time.lasts",
                                    result.duration(context.start)));
  }

  Words known;
  for (const auto& k : scheme_kinds()) known.push_back(k.name);
  section.need("scheme", "a time scheme: " + listed(known));
  const std::string name = section.choice("scheme", "", known, {});
  const auto& kind = *std::ranges::find(scheme_kinds(), name, &SchemeKind::name);
  Real parameter = 0;
  if (kind.parameter.empty()) {
    if (section.has("theta")) section.fail("theta", "belongs to scheme = \"theta\", not to '" + name + "'");
  } else {
    parameter = read_number(
        context,
        section.need(kind.parameter, fmt::format("a number from {} to {}", kind.lowest, kind.highest)),
        section.key_path(kind.parameter), {Unit(), false, "a plain number"});
    if (!(parameter >= kind.lowest && parameter <= kind.highest))
      section.fail(kind.parameter, fmt::format("must lie between {} and {}", kind.lowest, kind.highest));
  }
  result.plan.scheme = scheme(name, parameter);
  if (semi_lagrangian(result.plan.scheme) && !result.problem.equation().advection)
    section.fail("scheme", "'" + name + "' needs advection (kind transport)");
  if (dimensions.waves && !takes_second_order(result.plan.scheme))
    section.fail("scheme", "'" + name +
                               "' is for equations of first order in time; a wave takes leapfrog, "
                               "corrected-leapfrog, newmark, or an explicit Runge-Kutta scheme");
  if (!dimensions.waves && is_second_order(result.plan.scheme))
    section.fail("scheme", "'" + name + "' is for waves; this equation is of first order in time");
  if (dimensions.waves && (result.settled.ends_run || result.cycle))
    section.fail("until", "a wave runs until a time: it neither settles nor is watched for cycles");
  read_step(context, section, dimensions, result);
  read_damped_start(section, result);
}

}  // namespace williwaw::casefile
