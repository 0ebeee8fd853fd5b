#include "williwaw/casefile/answer.hpp"

#include <chrono>
#include <cmath>

#include "cycle_watch.hpp"
#include "settled.hpp"

namespace williwaw::casefile {

namespace {

void read_headlines(const Case& given, const DiffusionBalance& balance, const Ledger& through,
                    const Totals& totals, Answer& result) {
  for (const Probe& probe : given.probes)
    result.headlines.push_back(
        {probe.name, given.value.unit, given.value.shown(result.field->sample(probe.at))});
  result.headlines.push_back(
      {"mean", given.value.unit, given.value.shown(totals.integral / balance.volume())});
  for (std::size_t l = 0; l < balance.lines().size(); ++l)
    if (balance.lines()[l].kind == LedgerLine::Kind::wall)
      result.headlines.push_back({(given.steady ? "flow " : "amount ") + balance.lines()[l].name,
                                  given.steady ? given.flow_unit : given.amount_unit, through[l]});
}

void solve_in_time(const Case& given, Prepared& prepared, State& y, Answer& result) {
  if (!prepared.stability.stable()) {
    result.trouble = forecast(given, prepared);
    return;
  }
  Observers observers;
  SettledWatch& settled = *prepared.settled;
  if (prepared.ends_when_settled) observers.arrived = [&settled](const Moment& m) { return settled.look(m); };
  if (given.cycle && given.cycle->ends_run)
    observers.arrived = [&prepared](const Moment& m) { return prepared.cycle->look(m); };
  const Outcome o = march(*prepared.balance, y, prepared.plan, observers);
  result.reached = o.ending == Outcome::Ending::reached;
  if (!result.reached) result.trouble = o.reason;
  result.time = o.time;
  result.steps = o.steps;
  result.longest_step = o.longest_step;
  if (!result.reached) return;
  result.field = prepared.balance->field(y, o.time);
  read_headlines(given, *prepared.balance, o.budget.amounts(), o.totals, result);
}

void solve_for_rest(const Case& given, Prepared& prepared, State& y, Answer& result) {
  SteadyRules rules = *given.steady;
  rules.threads = prepared.plan.threads;
  const SteadyOutcome s = solve_steady(*prepared.balance, y, 0, rules);
  result.reached = s.reached;
  if (!s.reached) result.trouble = "the steady state was not reached within the iterations allowed";
  result.steps = s.iterations();
  result.field = prepared.balance->field(y, 0);
  read_headlines(given, *prepared.balance, s.flows, s.totals, result);
}

}  // namespace

std::optional<Norms> against_exact(const Case& given, const DiffusionBalance& balance, const Field& field,
                                   Real time) {
  if (!given.exact) return std::nullopt;
  const Grid& g = field.grid();
  Norms n;
  if (given.exact_is_initial) {
    n = field.difference(Field(g, balance.initial_state()));
  } else {
    n = field.difference(Field(g, balance.values_of(given.exact->function, time)));
  }
  n.l1 = std::abs(given.value.shown_difference(n.l1));
  n.l2 = std::abs(given.value.shown_difference(n.l2));
  n.max = std::abs(given.value.shown_difference(n.max));
  return n;
}

Answer answer(const Case& given, Execution execution) {
  Answer result;
  Prepared prepared = prepare(given, execution);
  result.unknowns = given.problem.grid().count();
  const auto start = std::chrono::steady_clock::now();
  State y = prepared.initial;
  given.steady ? solve_for_rest(given, prepared, y, result) : solve_in_time(given, prepared, y, result);
  result.seconds = std::chrono::duration<Real>(std::chrono::steady_clock::now() - start).count();
  if (result.field) result.error = against_exact(given, *prepared.balance, *result.field, result.time);
  const Outline& outline = prepared.balance->outline();
  if (!outline.whole()) {
    const Outline cut(given.problem.grid(), given.problem.regions());
    result.outline = cut.measure().cut;
    result.outline.insert(result.outline.end(), cut.measure().exposed.begin(), cut.measure().exposed.end());
  }
  return result;
}

}  // namespace williwaw::casefile
