// The closing words of a run.
#include <fmt/format.h>

#include "study/run/cycle_watch.hpp"
#include "study/run/settled.hpp"
#include "study/wording.hpp"
#include "williwaw/study/run.hpp"
#include "williwaw/verify/decay.hpp"
#include "williwaw/verify/shape.hpp"

namespace williwaw::study {

namespace {

// Numbers end below each other, so that signs and sizes compare at a glance.
void amount_row(Report& report, const std::string& label, Real v, const std::string& unit, const char* format,
                const std::string& remark) {
  report.row(
      label,
      fmt::format("{:>14}{}{}", fmt::format(fmt::runtime(format), v), unit.empty() ? "" : " " + unit, remark),
      number(v), unit);
}

std::string booked_as(const LedgerLine& line) {
  return line.kind == LedgerLine::Kind::boundary ? "in through " : "from ";
}

// Totals of each unknown at the end.
std::vector<Totals> totals_at_end(const Prepared& prepared, const Totals& totals, Real time) {
  if (prepared.balance->unknowns().size() == 1) return {totals};
  return prepared.balance->totals_by_unknown(prepared.initial, time);
}

void value_rows(const Case& given, const Prepared& prepared, const std::vector<Totals>& each,
                Report& report) {
  for (std::size_t u = 0; u < each.size(); ++u) {
    const store::Scale& scale = given.unknown(u).value;
    const Real mean = each[u].integral / prepared.balance->volume(u);
    for (const auto& [label, v] :
         {std::pair{"minimum", each[u].lowest}, {"mean", mean}, {"maximum", each[u].highest}})
      report.row(label_of(given, u, label), readable(scale.shown(v), scale.unit), number(scale.shown(v)),
                 scale.unit);
  }
}

const char* ending_text(Outcome::Ending ending) {
  switch (ending) {
    case Outcome::Ending::reached:
      return "end reached";
    case Outcome::Ending::blew_up:
      return "blew up";
    case Outcome::Ending::unsolved:
      return "stopped at a step without solution";
    case Outcome::Ending::past_limit:
      return "stopped before a step beyond the limit";
    case Outcome::Ending::interrupted:
      break;
  }
  return "interrupted";
}

void end_section(const Case& given, const Prepared& prepared, const RunResult& result, Report& report) {
  const Outcome& o = result.outcome;
  const std::string time = readable(given.time.shown(o.time), given.time.unit);
  report.section("end");
  report.row(
      "ending",
      fmt::format("{} at {} after {} steps ({:.2g} s)", ending_text(o.ending), time, o.steps, result.seconds),
      Report::Data(std::string(ending_text(o.ending))));
  report.row("time", time, number(given.time.shown(o.time)), given.time.unit);
  report.row("steps", std::to_string(o.steps), Report::Data(o.steps));
  value_rows(given, prepared, totals_at_end(prepared, o.totals, o.time), report);
  if (!o.solver.empty())
    report.row("solver", o.solver + (o.solver_iterations > 0
                                         ? fmt::format(", {} iterations in all", o.solver_iterations)
                                         : ""));
  if (o.newton_iterations > 0)
    report.row(
        "Newton's method",
        fmt::format("{} iterations in all, {:.3g} a step; {} step{} rejected", o.newton_iterations,
                    static_cast<Real>(o.newton_iterations) / static_cast<Real>(std::max<Index>(o.steps, 1)),
                    o.rejected, o.rejected == 1 ? "" : "s"),
        Report::Data(o.newton_iterations));
  if (o.jumps > 0)
    report.row(
        "jumps",
        fmt::format("{} in time, of values where nothing more is stored: no step follows them", o.jumps),
        Report::Data(o.jumps));
}

// One account for each unknown.
void budgets_by_unknown(const Case& given, const Prepared& prepared, const Outcome& o, Report& report) {
  const Budget& b = o.budget;
  const auto each = totals_at_end(prepared, o.totals, o.time);
  for (std::size_t u = 0; u < given.count(); ++u) {
    const casefile::UnknownOfCase& of = given.unknown(u);
    const std::string& name = of.problem.equation().unknown;
    const auto line = [&](const std::string& label, Real v, const char* format, const std::string& remark) {
      amount_row(report, label, v, of.amount_unit, format, remark);
    };
    report.section("budget of " + name);
    line("at the start", b.initial_content_of(u), "{:.6g}", "");
    Real in = 0;
    for (std::size_t l = 0; l < b.lines().size(); ++l) {
      const LedgerLine& booked = b.lines()[l];
      if (booked.unknown != static_cast<int>(u)) continue;
      // Their names begin with that of the unknown.
      line(booked_as(booked) + booked.name.substr(std::min(name.size() + 1, booked.name.size())),
           b.amounts()[l], "{:.6g}", "");
      in += b.amounts()[l];
    }
    line("at the end", each[u].content, "{:.6g}", "");
    line("residual", each[u].content - b.initial_content_of(u) - in, "{:.2e}", "");
    const Real relative = b.relative_residual_of(u, each[u]);
    report.row("relative residual", fmt::format("{:>14}", fmt::format("{:.2e}", relative)), number(relative));
  }
}

void budget_section(const Case& given, const Prepared& prepared, const Outcome& o, Report& report) {
  if (given.count() > 1) {
    budgets_by_unknown(given, prepared, o, report);
    return;
  }
  const Budget& b = o.budget;
  const auto line = [&](const std::string& label, Real v, const char* format, const std::string& remark) {
    amount_row(report, label, v, given.amount_unit, format, remark);
  };
  report.section(given.problem.equation().second_order ? "energy budget" : "budget");
  line("at the start", b.initial_content(), "{:.6g}", "");
  if (b.jump() != 0) line("jump of prescribed nodes", b.jump(), "{:.6g}", "");
  for (std::size_t l = 0; l < b.lines().size(); ++l)
    line(booked_as(b.lines()[l]) + b.lines()[l].name, b.amounts()[l], "{:.6g}", "");
  line("at the end", b.content(), "{:.6g}",
       given.problem.equation().second_order
           ? fmt::format("  (kinetic {:.4g}, potential {:.4g})", o.totals.kinetic, o.totals.potential)
           : "");
  line("residual", b.residual(), "{:.2e}",
       fmt::format("  (relative {:.2g}; largest of a step {:.2g})", b.relative_residual(), b.worst_step()));
  report.row("relative residual", fmt::format("{:>14}", fmt::format("{:.2e}", b.relative_residual())),
             number(b.relative_residual()));
  if (!o.solver.empty()) line("left by the solver", o.left_by_solver, "{:.2e}", "");
  const auto scheme = std::ranges::find(b.lines(), "scheme", &LedgerLine::name);
  if (!given.problem.equation().second_order || scheme == b.lines().end()) return;
  const auto place = LineId(static_cast<std::size_t>(scheme - b.lines().begin()));
  const Real added = b.amounts()[place], supplied = b.supplied_besides(place);
  if (added > 0.01 * supplied && supplied > 0)
    report.note(
        fmt::format("warning: energy added by the scheme: {:.3g} % of the energy supplied; remedy: "
                    "reconstruction minmod or van-leer, or a shorter step",
                    100 * added / supplied));
}

void settled_section(const Case& given, const Prepared& prepared, const Outcome& o, Report& report) {
  if (given.problem.equation().second_order) return;
  report.section("distance to the steady state");
  const Real rate = o.last_step > 0 ? o.change / o.last_step : 0;
  const Real change = given.value.shown_difference(o.change);
  const Real per_unit = given.value.shown_difference(rate) / given.time.shown_difference(1);
  // Of several unknowns the largest change is in no unit.
  if (given.count() == 1)
    report.row("change in the last step",
               fmt::format("at most {}; {} per {}", readable(change, given.value.unit),
                           readable(per_unit, given.value.unit),
                           given.time.unit.empty() ? "unit of time" : given.time.unit),
               number(change), given.value.unit);
  const SettledWatch& settled = *prepared.settled;
  if (!settled.why_not().empty()) report.row("distance", settled.why_not());
  if (o.ending != Outcome::Ending::reached || !settled.known()) return;
  const Real first = settled.first(), last = settled.last();
  const Real fraction = first > 0 ? 1 - last / first : 1;
  report.row("distance",
             fmt::format("{:.3g}{}; {:.3g}{} at the start (RMS): {:.4g} % settled",
                         given.value.shown_difference(last), given.value.suffix(),
                         given.value.shown_difference(first), given.value.suffix(), 100 * fraction),
             number(given.value.shown_difference(last)), given.value.unit);
  const Real wanted = given.settled.fraction;
  const std::string label = fmt::format("{:.4g} % settled", 100 * wanted);
  if (const auto done = settled.done_at())
    report.row(label, "at " + given.duration(*done), number(given.time.shown(*done)), given.time.unit);
  else if (prepared.slowest && *prepared.slowest > 0 && first > 0) {
    // What is left falls by the slowest decay from here on.
    const Real at = o.time + std::log(last / ((1 - wanted) * first)) / *prepared.slowest;
    report.row(label, "at about " + given.duration(at, 3) + " (from the slowest decay)",
               number(given.time.shown(at)), given.time.unit);
  }
}

// Whether the run repeats itself, and how far it is from the state that does.
void cycle_section(const Case& given, const Prepared& prepared, const Outcome& o, Report& report) {
  if (!prepared.cycle) return;
  const CycleWatch& cycle = *prepared.cycle;
  const auto shown = [&](Real d) { return std::abs(given.value.shown_difference(d)); };
  report.section("cycles");
  report.row("cycles", fmt::format("{} of {}", cycle.cycles(), given.duration(given.cycle->period)),
             Report::Data(cycle.cycles()));
  if (cycle.cycles() > 0)
    report.row("change over the last cycle",
               fmt::format("at most {:.3g}{}: {}", shown(cycle.change()), given.value.suffix(),
                           cycle.repeats() ? "within the tolerance" : "above the tolerance"),
               number(shown(cycle.change())), given.value.unit);
  if (!cycle.direct() || o.ending == Outcome::Ending::blew_up) return;
  const State there = cycle.direct()->at(o.time);
  Real most = 0;
  for (std::size_t n = 0; n < there.size(); ++n)
    most = std::max(most, std::abs(prepared.initial[n] - there[n]));
  report.row(
      "distance to the periodic state",
      fmt::format("at most {:.3g}{} (direct solution with {} frequenc{})", shown(most), given.value.suffix(),
                  cycle.direct()->harmonics(), cycle.direct()->harmonics() == 1 ? "y" : "ies"),
      number(shown(most)), given.value.unit);
}

// What carrying should have kept: variation, squares, extrema, and of a pulse its height and width.
void shape_section(const Case& given, const Prepared& prepared, const Outcome& o, Report& report) {
  if (!prepared.balance->advects() || o.ending == Outcome::Ending::blew_up) return;
  Discretization& balance = *prepared.balance;
  const State start = balance.initial_state(), &end = prepared.initial;
  const verify::Shape before = verify::shape_of(balance, start), after = verify::shape_of(balance, end);
  const auto fraction = [](Real now, Real then) {
    return then > 0 ? fmt::format("{:.4g} of the initial", now / then) : std::string("initially 0");
  };
  report.section("peak and width against the start");
  report.row("total variation", fraction(after.variation, before.variation),
             number(after.variation / before.variation));
  report.row("squared L2 norm", fraction(after.square, before.square), number(after.square / before.square));
  report.row("extrema", fmt::format("{}, initially {}", after.extrema, before.extrema),
             Report::Data(after.extrema));
  const Range data = verify::values_allowed(balance, start, prepared.plan.start, o.time).values;
  const Real outside = std::max({0.0, o.highest - data.highest, data.lowest - o.lowest});
  report.row("overshoot beyond the data range",
             fmt::format("at most {:.3g}{} over all steps (data: {} to {})",
                         std::abs(given.value.shown_difference(outside)), given.value.suffix(),
                         readable(given.value.shown(data.lowest)),
                         readable(given.value.shown(data.highest), given.value.unit)),
             number(std::abs(given.value.shown_difference(outside))), given.value.unit);
  if (!given.exact_is_initial) return;
  const verify::PulseLoss loss = verify::pulse_loss(balance, start, end);
  report.row("peak of the pulse", fraction(loss.height, loss.height_before),
             number(loss.height / loss.height_before));
  report.row("pulse", "excess over the median at the start; width: root of the second central moment");
  for (int a = 0; a < given.problem.grid().dimension(); ++a) {
    const std::string label = "width of the pulse, " + given.problem.grid().axis(a).name();
    const Real ratio = loss.width[a] / loss.width_before[a];
    if (std::isnan(loss.width[a]) || std::isnan(loss.width_before[a]))
      report.row(label, "not known: as much below the median as above it");
    else
      report.row(label, fraction(loss.width[a], loss.width_before[a]), number(ratio));
  }
}

// How a steady state was found, and how far it is to be trusted.
void steady_section(const Case& given, const Prepared& prepared, const RunResult& result, Report& report) {
  const SteadyOutcome& s = *result.steady;
  report.section("end");
  report.row(
      "steady state",
      fmt::format("{} ({:.2g} s)", s.reached ? "reached" : "NOT reached: tolerance not met", result.seconds),
      Report::Data(std::string(s.reached ? "reached" : "not reached")));
  value_rows(given, prepared, totals_at_end(prepared, s.totals, 0), report);
  if (prepared.balance->capabilities().reacts && s.reached) {
    const auto growing = verify::growing_modes(*prepared.balance, prepared.initial, 0);
    report.row(
        "stability of the steady state",
        !growing ? "not known"
        : *growing > 0
            ? fmt::format(
                  "UNSTABLE: {} growing mode{}, no transient run leads to it; check the sign of the reaction",
                  *growing, *growing == 1 ? "" : "s", *growing == 1 ? "s" : "")
            : "stable: no growing mode",
        growing ? Report::Data(*growing == 0) : Report::Data(std::string("not known")));
  }
  report.row("solver", s.solver);
  report.row("iterations", std::to_string(s.iterations()), Report::Data(s.iterations()));
  if (given.problem.is_nonlinear())
    report.row(given.problem.advection_is_nonlinear() ? "corrections" : "Newton steps",
               std::to_string(s.newton_steps), Report::Data(Index{s.newton_steps}));
  report.row("residual", fmt::format("{:.2e} (relative to a uniform field)", s.residuals.back()),
             number(s.residuals.back()));
  report.row("stops when", stopping_rule(*given.steady), number(given.steady->tolerance));
  if (s.change > 0) {
    const Real change = given.value.shown_difference(s.change), error = given.value.shown_difference(s.error);
    report.row("last change",
               fmt::format("at most {:.2e}{}; convergence factor {:.6g} per iteration", change,
                           given.value.suffix(), s.factor),
               number(change), given.value.unit);
    report.row("error left",
               std::isinf(error) ? "not known: no constant convergence factor"
                                 : fmt::format("about {:.2e}{} (last change · factor/(1 − factor))", error,
                                               given.value.suffix()),
               number(error), given.value.unit);
  }
  if (s.mean_fixed) report.note("mean not fixed by any boundary: set to that of the first guess");
}

void steady_budget(const Case& given, const Prepared& prepared, const SteadyOutcome& s, Report& report) {
  store::Scale flow = given.flow_scale;
  const auto line = [&](const std::string& label, Real v, const char* format, const std::string& remark) {
    amount_row(report, label, flow.shown_difference(v), flow.unit, format, remark);
  };
  report.section("budget");
  const auto& lines = prepared.balance->lines();
  Real in = 0, out = 0;
  for (std::size_t l = 0; l < lines.size(); ++l) {
    flow = given.unknown(static_cast<std::size_t>(lines[l].unknown)).flow_scale;
    line(booked_as(lines[l]) + lines[l].name, s.flows[l], "{:.6g}", "");
    (s.flows[l] > 0 ? in : out) += std::abs(s.flows[l]);
  }
  // Different things have no sum.
  if (given.count() > 1) return;
  line("total inflow", in, "{:.6g}", "");
  line("total outflow", out, "{:.6g}", "");
  const Real gross = in + out;
  line("left by the solver", s.left, "{:.2e}",
       fmt::format("  (relative {:.2g})", gross > 0 ? std::abs(s.left) / gross : 0));
}

void exact_section(const Case& given, const RunResult& result, Report& report) {
  if (result.comparisons.empty()) return;
  report.section("against the exact solution");
  for (const auto& c : result.comparisons)
    report.row(label_of(given, c.unknown, "at ") +
                   (given.steady ? std::string("the steady state")
                                 : readable(given.time.shown(c.time), given.time.unit)),
               fmt::format("weighted by volume L1 {:.3e}, L2 {:.3e}; maximum {:.3e}{}", c.norms.l1,
                           c.norms.l2, c.norms.max, given.unknown(c.unknown).value.suffix()),
               number(c.norms.max), given.unknown(c.unknown).value.unit);
}

}  // namespace

Report closing_report(const Case& given, const Prepared& prepared, const RunResult& result) {
  const Outcome& o = result.outcome;
  Report report;
  if (result.steady) {
    steady_section(given, prepared, result, report);
    steady_budget(given, prepared, *result.steady, report);
    exact_section(given, result, report);
    return report;
  }
  end_section(given, prepared, result, report);
  budget_section(given, prepared, o, report);
  settled_section(given, prepared, o, report);
  cycle_section(given, prepared, o, report);
  shape_section(given, prepared, o, report);
  exact_section(given, result, report);
  if (o.ending == Outcome::Ending::unsolved) {
    report.section("failure").note(o.reason);
    report.note("all records up to here kept");
  }
  if (o.ending == Outcome::Ending::past_limit) {
    const auto [low, high] = *prepared.plan.stable_values;
    report.section("failure").note(o.reason);
    report.note(
        fmt::format("step {} stable for {} within {} to {}; for a wider range: a shorter step or step = {{ "
                    "courant = .. }}",
                    given.duration(o.last_step), given.problem.equation().unknown,
                    readable(given.value.shown(low)), readable(given.value.shown(high), given.value.unit)));
    report.note("all records up to here kept");
  }
  if (o.ending == Outcome::Ending::blew_up) {
    report.section("failure").note(o.reason);
    post_mortem(given, prepared, o, report);
    report.note("all records up to here kept");
  }
  return report;
}

std::string tiling_text(const TilingOutcome& tiling) {
  if (tiling.at_once < 1) return "tiling: none; " + tiling.why_one_by_one;
  const std::string at_once =
      tiling.at_once == 1 ? "the stages of a step" : fmt::format("up to {} steps", tiling.at_once);
  if (tiling.steps == 0)
    return "tiling: " + at_once +
           " in one pass over memory, none taken: all steps are looked at; rows of the series further "
           "apart (record.series) leave more to a pass";
  std::string text = fmt::format("tiling: {} in one pass over memory, {} steps so", at_once, tiling.steps);
  if (tiling.in_pass > 0)
    text += fmt::format("; {:.3g} ms a step instead of {:.3g} ms, {:.2f} times as fast", 1e3 * tiling.in_pass,
                        1e3 * tiling.alone, tiling.alone / tiling.in_pass);
  if (!tiling.pays) text += "; given up for that";
  if (tiling.repeated > 0) text += fmt::format("; {} repeated one by one", tiling.repeated);
  return text;
}

}  // namespace williwaw::study
