// The closing words of a run.
#include <fmt/format.h>

#include "williwaw/casefile/run.hpp"
#include "wording.hpp"

namespace williwaw::casefile {

namespace {

const char* ending_text(Outcome::Ending ending) {
  switch (ending) {
    case Outcome::Ending::reached:
      return "reached its end";
    case Outcome::Ending::blew_up:
      return "blew up";
    case Outcome::Ending::interrupted:
      break;
  }
  return "was interrupted";
}

void end_section(const Case& given, const RunResult& result, Report& report) {
  const Outcome& o = result.outcome;
  const std::string time = readable(given.time.shown(o.time), given.time.unit);
  report.section("end");
  report.row("the run",
             fmt::format("{} at {} after {} steps, in {:.2g} s", ending_text(o.ending), time, o.steps,
                         result.seconds),
             Report::Data(std::string(ending_text(o.ending))));
  report.row("time", time, number(given.time.shown(o.time)), given.time.unit);
  report.row("steps", std::to_string(o.steps), Report::Data(o.steps));
  const Real mean = o.totals.integral / given.problem.grid().volume();
  for (const auto& [label, v] :
       {std::pair{"minimum", o.totals.lowest}, {"mean", mean}, {"maximum", o.totals.highest}})
    report.row(label, readable(given.value.shown(v), given.value.unit), number(given.value.shown(v)),
               given.value.unit);
  if (!o.solver.empty()) report.row("solver", o.solver);
}

void budget_section(const Case& given, const Outcome& o, Report& report) {
  const Budget& b = o.budget;
  // Numbers end below each other, so that signs and sizes compare at a glance.
  const auto line = [&](const std::string& label, Real v, const char* format, const std::string& remark) {
    report.row(label,
               fmt::format("{:>14}{}{}", fmt::format(fmt::runtime(format), v),
                           given.amount_unit.empty() ? "" : " " + given.amount_unit, remark),
               number(v), given.amount_unit);
  };
  report.section("budget");
  line("at the start", b.initial_content(), "{:.6g}", "");
  if (b.jump() != 0) line("jump to held walls", b.jump(), "{:.6g}", "");
  for (std::size_t l = 0; l < b.lines().size(); ++l)
    line((b.lines()[l].kind == LedgerLine::Kind::wall ? "in through " : "from ") + b.lines()[l].name,
         b.amounts()[l], "{:.6g}", "");
  line("at the end", b.content(), "{:.6g}", "");
  line("not accounted for", b.residual(), "{:.2e}",
       fmt::format("  ({:.2g} of content and flows; worst step {:.2g})", b.relative_residual(),
                   b.worst_step()));
  report.row("relative residual", fmt::format("{:>14}", fmt::format("{:.2e}", b.relative_residual())),
             number(b.relative_residual()));
  if (!o.solver.empty()) line("left by the solver", o.left_by_solver, "{:.2e}", "");
}

void settled_section(const Case& given, const Prepared& prepared, const Outcome& o, Report& report) {
  report.section("settled?");
  const Real rate = o.last_step > 0 ? o.change / o.last_step : 0;
  const Real change = given.value.shown_difference(o.change);
  const Real per_unit = given.value.shown_difference(rate) / given.time.shown_difference(1);
  report.row("change in the last step",
             fmt::format("{} at most; {} for each {}", readable(change, given.value.unit),
                         readable(per_unit, given.value.unit),
                         given.time.unit.empty() ? "unit of time" : given.time.unit),
             number(change), given.value.unit);
  const auto slowest = prepared.stability.smallest_eigenvalue;
  if (o.ending != Outcome::Ending::reached || !slowest || *slowest <= 0) return;
  const Real left = given.value.shown_difference(rate / *slowest);
  if (prepared.balance->drive(o.time).steady)
    report.row("still to go",
               fmt::format("about {:.2g}{} (last rate over the slowest decay)", left, given.value.suffix()),
               number(left), given.value.unit);
  else
    report.row("still to go",
               "walls or sources change in time: there is no steady state to tell the distance from");
}

}  // namespace

Report closing_report(const Case& given, const Prepared& prepared, const RunResult& result) {
  const Outcome& o = result.outcome;
  Report report;
  end_section(given, result, report);
  budget_section(given, o, report);
  settled_section(given, prepared, o, report);
  if (!result.comparisons.empty()) report.section("against the exact solution");
  for (const auto& c : result.comparisons)
    report.row("at " + readable(given.time.shown(c.time), given.time.unit),
               fmt::format("mean {:.3e}, root mean square {:.3e}, largest {:.3e}{}", c.norms.l1, c.norms.l2,
                           c.norms.max, given.value.suffix()),
               number(c.norms.max), given.value.unit);
  if (o.ending == Outcome::Ending::blew_up) {
    report.section("what happened").note(o.reason);
    if (!prepared.stability.stable())
      report.note(fmt::format("the step was {}, but {}", given.duration(prepared.longest_step),
                              forecast(given, prepared)));
    report.note("everything recorded up to here was kept");
  }
  return report;
}

}  // namespace williwaw::casefile
