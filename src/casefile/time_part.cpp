#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "parts.hpp"
#include "williwaw/casefile/report.hpp"
#include "williwaw/store/run_series.hpp"
#include "williwaw/terms/numerical_flux.hpp"

namespace williwaw::casefile {

namespace {

const Expected a_time() {
  return {Unit::of("s"), false, "a time"};
}

Real read_time_value(const Context& context, const Section& section, const std::string& key) {
  const Node& node = *section.find(key);
  return read_number(context, node, section.key_path(key), a_time());
}

// Steps chosen by their errors: a share of the range of the data, or a difference of the unknown.
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
  tolerance.value =
      tolerance.of_range
          ? read_number(context, node, "time.step.adaptive", {Unit(), false, "a share of the data's range"})
          : read_number(context, node, "time.step.adaptive",
                        {dimensions.unknown, true, "a difference of the unknown"});
  if (!(tolerance.value > 0 && std::isfinite(tolerance.value))) choice.fail("adaptive", "must be above zero");
  tolerance.value /= context.refinement.step;
  result.plan.adaptive = tolerance;
  result.step.adaptive_text =
      node.is_text() ? node.text() : readable(node.number()) + " of the range of the data";
}

void read_step(const Context& context, const Section& section, const Dimensions& dimensions, Case& result) {
  const Node& node = section.need("step", "a time, or { of_limit = 0.9 } of the largest stable step");
  result.step_place = node.place.text();
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
  const bool runs = dimensions.waves || result.problem.equation().stream;
  if (courant && !runs)
    choice.fail("courant", "nothing is carried or runs as a wave here: give of_limit, or a time");
  result.step = {
      !courant, courant,
      read_number(context, *choice.find(key), "time.step." + key, {Unit(), false, "a plain number"})};
  if (!(result.step.value > 0)) choice.fail(key, "must be above zero");
  // The limit itself falls with the spacing for waves and streams, with its square for what diffuses.
  const Real grids =
      static_cast<Real>(context.refinement.grid) / static_cast<Real>(context.refinement.coarsen);
  result.step.value /= std::max(1.0, context.refinement.step / (runs ? grids : grids * grids));
}

Words solver_names() {
  Words names{"auto"};
  for (const auto& kind : solver_kinds()) names.push_back(kind.name);
  return names;
}

void read_steady(const Context& context, const Node& node, Case& result) {
  const Section section(context, node, "steady");
  section.allow({"solver", "tolerance", "iterations", "relaxation"}, {});
  SteadyRules& rules = result.steady.emplace();
  rules.solver = section.choice("solver", "auto", solver_names(), {});
  result.step_place = node.place.text();
  if (const Node* tolerance = section.find("tolerance")) {
    rules.tolerance = read_number(context, *tolerance, "steady.tolerance", {Unit(), false, "a plain number"});
    if (!(rules.tolerance > 0 && rules.tolerance < 1)) section.fail("tolerance", "must lie between 0 and 1");
  }
  if (section.has("iterations")) rules.iterations = section.whole("iterations", 1);
  if (const Node* relaxation = section.find("relaxation")) {
    if (rules.solver != "sor")
      section.fail("relaxation", "belongs to solver = \"sor\", not to '" + rules.solver + "'");
    rules.relaxation =
        read_number(context, *relaxation, "steady.relaxation", {Unit(), false, "a plain number"});
    if (!(rules.relaxation > 0 && rules.relaxation < 2))
      section.fail("relaxation", "must lie between 0 and 2");
  }
}

void read_settled(const Context& context, const Node& root, Case& result) {
  const Node* node = root.find("settled");
  if (!node) return;
  const Section section(context, *node, "settled");
  if (result.steady)
    throw CaseError(node->place.text(), "settled", "belongs to [time]: [steady] goes to the end at once");
  section.allow({"fraction"}, {});
  if (const Node* fraction = section.find("fraction"))
    result.settled.fraction =
        read_number(context, *fraction, "settled.fraction", {Unit(), false, "a plain number"});
  if (!(result.settled.fraction > 0 && result.settled.fraction < 1))
    section.fail("fraction", "must lie between 0 and 1");
}

// Crank-Nicolson and its kin carry what rough data excite along; a damped start does not.
void read_damped_start(const Section& section, Case& result) {
  if (!section.has("damped_start")) return;
  if (is_explicit(result.plan.scheme))
    section.fail("damped_start", "belongs to implicit schemes, not to '" + result.plan.scheme.name + "'");
  if (result.plan.adaptive) section.fail("damped_start", "needs steps of a fixed length, not adaptive ones");
  result.plan.damped_start = section.whole("damped_start", 1);
}

// [cycle]: data that repeat.
void read_cycle(const Context& context, const Node& root, const Dimensions& dimensions, Case& result) {
  const Node* node = root.find("cycle");
  if (!node) return;
  const Section section(context, *node, "cycle");
  if (result.steady)
    throw CaseError(node->place.text(), "cycle", "belongs to [time]: a steady state has no cycles");
  section.allow({"period", "tolerance"}, {});
  result.cycle = Case::Cycle();
  Case::Cycle& cycle = *result.cycle;
  cycle.place = node->place.text();
  cycle.period =
      read_number(context, section.need("period", "how long a cycle takes"), "cycle.period", a_time());
  if (!(cycle.period > 0)) section.fail("period", "must be above zero");
  cycle.tolerance = read_number(
      context, section.need("tolerance", "the largest change from one cycle to the next that counts as none"),
      "cycle.tolerance", {dimensions.unknown, true, "a difference of the unknown"});
  if (!(cycle.tolerance > 0)) section.fail("tolerance", "must be above zero");
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
  section.allow({"until", "lasts", "scheme", "theta", "step", "solver", "damped_start"}, {});
  result.plan.solver = section.choice("solver", "auto", solver_names(), {});
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
      section.fail(end,
                   fmt::format("lies before the start of this stage, {}; say how long it lasts: time.lasts",
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
  if (looks_back(result.plan.scheme) && !result.problem.equation().stream)
    section.fail("scheme", "'" + name + "' is for what is carried along (transport); nothing is here");
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

void read_space(const Context& context, const Node& root, Case& result) {
  const Node* node = root.find("space");
  if (!node) return;
  const Section section(context, *node, "space");
  const bool system = result.problem.equation().as_system;
  section.allow({"diffusion_order", "reconstruction", "numerical_flux"}, {});
  const bool stream = result.problem.equation().stream.has_value();
  for (const char* key : {"reconstruction", "numerical_flux"})
    if (section.has(key) && !system && !stream)
      section.fail(key,
                   "belongs to what is carried along (transport, conservation) and to a wave with form = "
                   "\"first-order\"; what diffuses takes central differences");
  Words reconstructions, fluxes = wave_flux_names();
  for (const auto& kind : limiter_kinds()) reconstructions.push_back(kind.name);
  if (stream) {
    reconstructions.clear();
    fluxes.clear();
    for (const auto& kind : reconstruction_kinds()) reconstructions.push_back(kind.name);
    for (const auto& kind : numerical_fluxes()) fluxes.push_back(kind.name);
  }
  result.problem.reconstruction = section.choice("reconstruction", "none", reconstructions, {});
  result.problem.numerical_flux = section.choice("numerical_flux", "upwind", fluxes, {});
  // An error in one that is not written down is the section's.
  result.space_place = result.flux_place = node->place.text();
  if (section.has("reconstruction")) result.space_place = section.find("reconstruction")->place.text();
  if (section.has("numerical_flux")) result.flux_place = section.find("numerical_flux")->place.text();
  if (!section.has("diffusion_order")) return;
  const Index order = section.whole("diffusion_order", 1);
  const bool waves = result.problem.equation().second_order;
  if (order != 2 && !(order == 4 && waves))
    section.fail("diffusion_order", waves ? "must be 2 or 4" : "only order 2 is there yet");
  result.problem.space_order = static_cast<int>(order);
  result.space_place = section.find("diffusion_order")->place.text();
}

void read_records(const Context& context, const Node& root, Case& result) {
  if (const Node* node = root.find("record")) {
    const Section section(context, *node, "record");
    section.allow({"every", "times", "every_steps", "series"}, {});
    if (result.steady) throw CaseError(node->place.text(), "record", "a steady state has no times to record");
    if (section.has("every") + section.has("times") + section.has("every_steps") > 1)
      throw CaseError(node->place.text(), "record", "give one of every, times and every_steps");
    const Real until = result.plan.until;
    if (section.has("every")) {
      const Real every = read_time_value(context, section, "every");
      if (!(every > 0)) section.fail("every", "must be above zero");
      result.record_every = every;
      if ((until - context.start) / every > 1e6)
        section.fail("every", "more than a million records would be written");
      for (Index n = 1; context.start + static_cast<Real>(n) * every < until * (1 + 1e-9); ++n)
        result.plan.records.push_back(context.start + static_cast<Real>(n) * every);
    }
    if (const Node* times = section.find("times")) {
      if (!times->is_array()) section.fail("times", "a list of times is needed here, [..]");
      for (const auto& item : times->array()) {
        const Real t = read_number(context, item, "record.times", a_time());
        // Times of other stages are no business of this one.
        const bool elsewhere = context.start > 0 || !result.stages.empty();
        if (elsewhere && (t < context.start || t > until * (1 + 1e-9)) &&
            !(result.settled.ends_run || (result.cycle && result.cycle->ends_run)))
          continue;
        if (!(t >= 0 && (t <= until * (1 + 1e-9) ||
                         (result.settled.ends_run || (result.cycle && result.cycle->ends_run)))))
          throw CaseError(item.place.text(), "record.times",
                          "lies outside the run, which goes from 0 to its end");
        result.plan.records.push_back(t);
      }
      std::ranges::sort(result.plan.records);
    }
    if (section.has("every_steps")) result.plan.record_every_steps = section.whole("every_steps", 1);
    if (section.has("series")) {
      result.plan.series_every = read_time_value(context, section, "series");
      if (!(result.plan.series_every > 0)) section.fail("series", "must be above zero");
    }
  }
  if (const Node* probes = root.find("probe")) {
    if (!probes->is_array()) throw CaseError(probes->place.text(), "probe", "write [[probe]], once for each");
    for (const auto& item : probes->array()) {
      const Section section(context, item, "probe");
      section.allow({"name", "at"}, {"region", "measure"});
      Probe probe;
      section.need("name", "a name for the probe");
      probe.name = section.word("name", "");
      if (probe.name.empty() || probe.name.find_first_of(",\"\n") != std::string::npos)
        section.fail("name", "a name without commas and quotation marks is needed here");
      if (store::reserved_in_series(probe.name))
        section.fail("name", "the series has a column '" + probe.name + "' of its own; choose another name");
      if (std::ranges::find(result.probes, probe.name, &Probe::name) != result.probes.end())
        section.fail("name", "two probes are called '" + probe.name + "'");
      probe.at =
          read_point(context, section.need("at", "the probe's place"), "probe.at", result.problem.grid());
      result.probes.push_back(probe);
    }
  }
}

void read_exact(const Context& context, const Node& root, const Dimensions& dimensions, Case& result) {
  const Node* node = root.find("exact");
  if (!node) return;
  const Section section(context, *node, "exact");
  section.allow({"value", "solution", "manufactured"}, {"steady"});
  if (section.has("solution")) {
    if (section.has("value")) section.fail("solution", "give one of value and solution");
    result.exact = named_exact(section, result);
    return;
  }
  const Node& value = section.need("value", "the exact solution, or \"initial\"");
  if (value.is_text() && value.text() == "initial") {
    result.exact_is_initial = true;
    result.exact = result.initial;
    return;
  }
  Words variables = context.variables;
  variables.push_back("t");
  result.exact = read_value(context, value, "exact.value", dimensions.a_value(), variables);
}

void read_converge(const Context& context, const Node& root, Case& result) {
  // Orders of one are rarer than steps that are to vanish beside the grid's error.
  const Node* node = root.find("converge");
  if (result.steady) result.ladder.step = false;
  // Explicit steps of a wave shrink with the spacing.
  if (result.problem.equation().second_order) result.ladder.step_power = 1;
  if (!node) return;
  const Section section(context, *node, "converge");
  section.allow({"vary", "step_power", "levels"}, {});
  const std::string vary = section.choice("vary", "both", {"grid", "step", "both"}, {});
  if (result.steady && vary != "grid" && section.has("vary"))
    section.fail("vary", "a steady state has no steps; vary = \"grid\"");
  result.ladder.grid = vary != "step";
  result.ladder.step = vary != "grid" && !result.steady;
  if (const Node* power = section.find("step_power")) {
    result.ladder.step_power =
        read_number(context, *power, "converge.step_power", {Unit(), false, "a plain number"});
    if (!(result.ladder.step_power >= 0 && result.ladder.step_power <= 4))
      section.fail("step_power", "must lie between 0 and 4");
  }
  if (section.has("levels")) result.ladder.levels = section.whole("levels", 3);
  if (result.ladder.levels > 8) section.fail("levels", "more than 8 levels are more than a machine can hold");
}

}  // namespace williwaw::casefile
