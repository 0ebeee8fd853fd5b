// A case made ready: its balance, the judgement of its step, its schedule, its steady state where asked for.
#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "study/run/columns/kinds.hpp"
#include "study/run/cycle_watch.hpp"
#include "study/run/settled.hpp"
#include "study/wording.hpp"
#include "williwaw/verify/decay.hpp"

namespace williwaw::study {

namespace {

// Up to here the slowest decay is asked for without being needed.
constexpr Index decay_limit = 20000;

// A piece of the domain that nothing fixes: where it is, and what would fix it.
[[noreturn]] void refuse_singular(const Case& given, const SingularProblem& e) {
  const std::string where =
      e.whole ? "" : " (the piece around " + place_text(given, given.problem.grid(), e.unknown) + ")";
  throw CaseError(given.places.of(Subject::boundary).place, "boundary",
                  e.what() + where + "; remedy: a dirichlet or robin condition, or balanced sources");
}

void find_slowest(Prepared& prepared, bool needed) {
  Discretization& balance = *prepared.balance;
  // Waves do not decay by their eigenvalues, and of several unknowns no slowest mode is looked for.
  if (balance.capabilities().second_order || balance.advects() || balance.unknowns().size() > 1) return;
  prepared.slowest = prepared.stability.smallest_eigenvalue;
  if (prepared.slowest || !balance.capabilities().linear || !balance.capabilities().steady_matrix) return;
  if (!needed && balance.grid().count() > decay_limit) return;
  prepared.slowest = verify::slowest_decay(balance, 0, 1e-6).rate;
}

void refuse_many_records(const Case& given, Real length) {
  if (given.record_every > 0 && length / given.record_every > 1e6)
    throw given.places.error(Subject::records, "more than a million records would be written");
}

// until = "settled": long enough for the slowest mode to fall far below what was asked for, on the beat of
// steps and records.
void choose_end_time(const Case& given, Prepared& prepared) {
  if (!prepared.slowest || *prepared.slowest <= 0)
    throw given.places.error(
        Subject::end_time,
        "\"settled\" needs a steady state and a known slowest decay: the mean is not fixed, or "
        "the problem is nonlinear");
  Real beat = std::max(given.record_every, prepared.plan.step);
  if (beat == 0) beat = 0.1 / *prepared.slowest;
  const Real wanted = 3 * std::log(1 / (1 - given.settled.fraction)) / *prepared.slowest + 2 * beat;
  const Real length = std::ceil(wanted / beat) * beat;
  refuse_many_records(given, length);
  prepared.plan.until = prepared.plan.start + length;
  for (Index n = 1; given.record_every > 0 && static_cast<Real>(n) * given.record_every < length; ++n)
    prepared.plan.records.push_back(prepared.plan.start + static_cast<Real>(n) * given.record_every);
  std::ranges::sort(prepared.plan.records);
}

// until = "cycle": as many periods as the slowest decay may need, and a step's end at each of them.
void choose_cycles(const Case& given, Prepared& prepared) {
  const Real period = given.cycle->period;
  if (given.cycle->ends_run) {
    // Without a decay that is known, many; the run ends as soon as it repeats.
    Real cycles = 500;
    if (prepared.slowest && *prepared.slowest > 0)
      cycles = std::min(1e5, std::ceil(40 / (*prepared.slowest * period)) + 3);
    prepared.plan.until = prepared.plan.start + cycles * period;
    refuse_many_records(given, cycles * period);
    for (Real t = given.record_every; given.record_every > 0 && t < cycles * period; t += given.record_every)
      prepared.plan.records.push_back(prepared.plan.start + t);
    std::ranges::sort(prepared.plan.records);
  }
  if ((prepared.plan.until - prepared.plan.start) / period > 1e6)
    throw given.places.error(Subject::cycle, "more than a million cycles would be run: is a unit wrong?");
  for (Real t = period; prepared.plan.start + t < prepared.plan.until; t += period)
    prepared.plan.stops.push_back(prepared.plan.start + t);
}

void lay_out_steps(const Case& given, Prepared& result) {
  try {
    result.intervals = schedule(result.plan);
  } catch (const StepMisfit& e) {
    std::string would = given.duration(e.shorter);
    if (e.longer != e.shorter) would += " or " + given.duration(e.longer);
    throw CaseError(
        given.places.of(Subject::step).place, "time.step",
        fmt::format("{} does not divide the time from {} to {} between record times; possible: {}",
                    given.duration(e.step), given.duration(e.from), given.duration(e.to), would));
  } catch (const InputError& e) {
    throw given.places.error(Subject::step, e.what());
  }
  if (result.plan.adaptive) return;
  for (const auto& s : result.intervals) {
    result.steps += s.steps;
    result.longest_step = std::max(result.longest_step, (s.to - s.from) / static_cast<Real>(s.steps));
  }
  result.stability.courant_number *= result.longest_step / std::max(result.stability.step, 1e-300);
  result.stability.diffusion_number *= result.longest_step / std::max(result.stability.step, 1e-300);
  result.stability.step = result.longest_step;
}

void prepare_steps(const Case& given, Prepared& result) {
  try {
    // Adaptive steps are judged as they come; the spectrum is wanted all the same.
    result.stability = verify::stability(*result.balance, given.plan.scheme, given.step.value,
                                         given.plan.start, given.plan.until);
    find_slowest(result, given.settled.ends_run || (given.cycle && given.cycle->ends_run));
  } catch (const SolverError& e) {
    throw given.places.error(Subject::equation, e.what());
  }
  if (given.plan.adaptive) {
    result.plan.step = 0;
  } else if (given.step.of_limit) {
    const Real limit = result.stability.limit.step;
    if (limit == 0)
      throw CaseError(given.places.of(Subject::step).place, "time.step.of_limit",
                      "scheme '" + given.plan.scheme.name +
                          "' is unstable at any step here and has no limit to take a part of");
    if (std::isinf(limit))
      throw CaseError(
          given.places.of(Subject::step).place, "time.step.of_limit",
          "scheme '" + given.plan.scheme.name +
              "' is stable at any step and has no limit to take a part of; give the step as a time");
    result.plan.step = given.step.value * limit;
    result.plan.trim = true;
  } else if (given.step.courant) {
    result.plan.step = given.step.value * result.stability.step / result.stability.courant_number;
    result.plan.trim = true;
  } else {
    result.plan.step = given.step.value;
  }
  if ((given.step.of_limit || given.step.courant) && !(result.plan.step > 0))
    throw CaseError(
        given.places.of(Subject::step).place, given.step.courant ? "time.step.courant" : "time.step.of_limit",
        "the speed of the values that data allow is unbounded, so that no step has a finite Courant number");
  if (given.settled.ends_run) choose_end_time(given, result);
  if (given.cycle) choose_cycles(given, result);
  lay_out_steps(given, result);
  if (result.stability.allowed && !result.plan.adaptive)
    result.stability = verify::stability(*result.balance, given.plan.scheme, result.longest_step,
                                         given.plan.start, given.plan.until);
  if (result.balance->capabilities().second_order)
    result.dispersion = verify::dispersion(*result.balance, given.plan.scheme, result.longest_step,
                                           result.plan.start, result.plan.until);
  if (result.balance->advects() && given.count() == 1)
    result.advection = verify::advection_numbers(*result.balance, given.plan.scheme, result.longest_step,
                                                 result.plan.start, result.plan.until);
  if (const auto& values = result.stability.stable_for; values && is_explicit(given.plan.scheme))
    result.plan.stable_values = {values->lowest, values->highest};
  if (given.reaction) result.uniform = verify::uniform_state(*result.balance);
  if (result.stability.stable() || given.count() > 1) return;
  result.plan.stable_values.reset();
  result.stability.stages =
      stages(given.plan.scheme, result.stability.largest_eigenvalue * result.longest_step);
  result.forecast =
      verify::forecast(*result.balance, given.plan.scheme, result.longest_step, given.plan.start);
}

}  // namespace

namespace {

// Velocities from files that do not cover the run.
void refuse_short_files(const Case& given, const Prepared& prepared) {
  const auto& advection = given.problem.equation().advection;
  if (!advection || advection->velocity.instants.empty() || advection->velocity.period > 0) return;
  const auto& instants = advection->velocity.instants;
  const Real start = prepared.plan.start, end = prepared.plan.until, slack = 1e-9 * (end - start);
  if (instants.front() > start + slack)
    throw CaseError(given.places.of(Subject::velocity).place, "equation.velocity",
                    fmt::format("the files begin at {}, after the start of the run at {}",
                                given.duration(instants.front()), given.duration(start)));
  if (instants.back() < end - slack && !advection->velocity.hold_after)
    throw CaseError(given.places.of(Subject::velocity).place, "equation.velocity",
                    fmt::format("the files end at {}, before the run does at {}: give period, or after = "
                                "\"hold\" to keep the last velocity",
                                given.duration(instants.back()), given.duration(end)));
}

// A scheme that cannot follow the ends or the flow is found out before the run.
void probe_ends(Discretization& balance, const Scheme& scheme) {
  make_stepper(balance, scheme);
}
}  // namespace

namespace {

// A flux that is no number for values between those of the start: found before anything is judged by its
// speed.
void refuse_flux_without_value(const Case& given, const Prepared& prepared) {
  const auto& advection = given.problem.equation().advection;
  if (!advection || !advection->law) return;
  Real low = std::numeric_limits<Real>::infinity(), high = -low;
  for (Index n = 0; n < given.problem.grid().count(); ++n)
    if (prepared.balance->outline().active(n)) {
      low = std::min(low, prepared.initial[static_cast<std::size_t>(n)]);
      high = std::max(high, prepared.initial[static_cast<std::size_t>(n)]);
    }
  constexpr int samples = 65;
  std::vector<Real> u, f(samples);
  for (int n = 0; n < samples; ++n) u.push_back(low + (high - low) * n / (samples - 1));
  const Grid& g = given.problem.grid();
  for (int a = 0; a < g.dimension(); ++a) {
    advection->law->flux(g.direction(a), u, f);
    for (int n = 0; n < samples; ++n)
      if (!std::isfinite(f[static_cast<std::size_t>(n)]))
        throw CaseError(given.places.of(Subject::flux).place, "equation.flux",
                        fmt::format("is not a finite number along {} for the value {}, which lies between "
                                    "those of the start ({} to {})",
                                    g.axis(a).name(), readable(u[static_cast<std::size_t>(n)]), readable(low),
                                    readable(high)));
  }
}

// A temperature below zero kelvin is a slip with units. Formulas are looked at where they are used: over the
// grid at the start, on boundaries at the start, in the middle and at the end of the run.
void refuse_below_zero_kelvin(const Case& given, Prepared& prepared) {
  const auto on_a_scale = [&](std::size_t u) { return given.unknown(u).absolute_temperature; };
  const auto refuse = [](const std::string& place, const std::string& key, Real kelvin,
                         const std::string& when) {
    throw CaseError(place, key,
                    fmt::format("goes down to {:.6g} degC{}, below absolute zero; for a difference of "
                                "temperatures give equation.unknown = {{ difference = true }}",
                                kelvin - 273.15, when));
  };
  const Layout& layout = prepared.balance->layout();
  for (std::size_t u = 0; u < given.count(); ++u)
    for (Index n = 0; on_a_scale(u) && n < prepared.balance->grid(u).count(); ++n)
      if (const Real value = prepared.initial[static_cast<std::size_t>(layout.start(u) + n)];
          prepared.balance->outline(u).active(n) && value < 0) {
        const auto& at = given.places.of(Subject::initial, given.unknown(u).problem.equation().unknown);
        refuse(at.place, at.key, value, "");
      }
  // Bounds of several unknowns are not told apart.
  if (given.count() > 1 || !on_a_scale(0)) return;
  for (const Real fraction : {0.0, 0.25, 0.5, 0.75, 1.0}) {
    const Real at = given.plan.start + fraction * (given.plan.until - given.plan.start);
    const Real lowest = prepared.balance->data_bounds(at).lowest;
    if (lowest < 0)
      refuse(given.places.of(Subject::boundary).place, "boundary", lowest, " at " + given.duration(at));
  }
}

}  // namespace

Prepared prepare(const Case& given, Execution execution) {
  check_probes(given);
  Prepared result;
  result.plan = given.plan;
  result.plan.threads = execution.threads;
  execution.semi_lagrangian = semi_lagrangian(given.plan.scheme);
  try {
    result.balance = make_balance(given.system(), execution);
    result.initial = result.balance->initial_state();
    refuse_below_zero_kelvin(given, result);
    refuse_flux_without_value(given, result);
    if (given.steady) {
      SteadyRules rules = *given.steady;
      rules.threads = execution.threads;
      if (result.balance->advects() && given.count() == 1)
        result.advection = verify::advection_numbers(*result.balance, scheme("explicit-euler"), 0);
      result.steady = preview_steady(*result.balance, result.initial, 0, rules);
      return result;
    }
    prepare_steps(given, result);
    refuse_short_files(given, result);
    if (result.balance->capabilities().second_order || result.balance->advects())
      probe_ends(*result.balance, given.plan.scheme);
    result.ends_when_settled = given.settled.ends_run;
    result.settled = std::make_shared<SettledWatch>(given, result);
    if (given.cycle) result.cycle = std::make_shared<CycleWatch>(given, result);
  } catch (const CaseError&) {
    throw;
  } catch (const SingularProblem& e) {
    refuse_singular(given, e);
  } catch (const SolverError& e) {
    throw given.places.error(Subject::solver, e.what());
  } catch (const InputError& e) {
    throw given.places.error(e);
  }
  return result;
}

}  // namespace williwaw::study
