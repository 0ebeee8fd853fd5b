#include "williwaw/study/answer.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "study/run/cycle_watch.hpp"
#include "study/run/derived.hpp"
#include "study/run/settled.hpp"
#include "study/wording.hpp"
#include "williwaw/grid/field_operations.hpp"
#include "williwaw/terms/numerical_flux.hpp"
#include "williwaw/terms/reconstruction.hpp"
#include "williwaw/terms/wave_flux.hpp"
#include "williwaw/verify/boundary_jumps.hpp"

namespace williwaw::study {

namespace {

// Differences below this fraction of the values say nothing.
constexpr Real round_off_of_values = 1e-9;

constexpr const char* names_of_flows[] = {"amount ", "flow "};

// Values that are prescribed side by side on two boundaries.
std::string jump_text(const Case& given, const Discretization& balance, const verify::BoundaryJump& jump,
                      std::size_t of) {
  const std::size_t other = jump.first == of ? jump.second : jump.first;
  const Real here = given.value.shown(jump.first == of ? jump.first_value : jump.second_value);
  const Real there = given.value.shown(jump.first == of ? jump.second_value : jump.first_value);
  return fmt::format("{} meets {} at {}{}; the flow grows with the logarithm of 1/spacing",
                     readable(here, given.value.unit), readable(there, given.value.unit),
                     given_place(given, jump.place),
                     other == of ? "" : " (" + balance.closures()[other].section().name + ")");
}

bool same_control_volume(const Grid& g, const Point& a, const Point& b) {
  return g.containing(a) == g.containing(b);
}

void read_headlines(const Case& given, Discretization& balance, const Ledger& through, const State& y,
                    Real time, const FieldsOfState& fields, Answer& result) {
  const auto add = [&](const std::string& name, const std::string& unit, Real value, std::size_t unknown) {
    result.headlines.push_back({name, unit, value, value, {}, unknown});
  };
  const auto look = [&](const Sight& sight, std::size_t unknown) {
    const Field field = sight.field(fields);
    add(sight.label, sight.scale.unit, sight.scale.shown(field.sample(sight.probe->at)), unknown);
    result.headlines.back().smooth = sight.scale.shown(sample_cubic(field, sight.probe->at));
  };
  const std::vector<Sight> sights = sights_of(given);
  const auto each = balance.totals_by_unknown(y, time);
  for (std::size_t u = 0; u < given.count(); ++u) {
    const store::Scale& scale = given.unknown(u).value;
    for (const Sight& sight : sights)
      if (sight.unknown == u) look(sight, u);
    add(label_of(given, u, "mean"), scale.unit, scale.shown(each[u].integral / balance.volume(u)), u);
  }
  for (const Sight& sight : sights)
    if (!sight.unknown) look(sight, 0);
  for (std::size_t l = 0; l < balance.lines().size(); ++l)
    if (balance.lines()[l].kind == LedgerLine::Kind::boundary) {
      const auto unknown = static_cast<std::size_t>(balance.lines()[l].unknown);
      const casefile::UnknownOfCase& of = given.unknown(unknown);
      add(names_of_flows[given.steady ? 1 : 0] + balance.lines()[l].name,
          given.steady ? of.flow_scale.unit : of.amount_unit,
          given.steady ? of.flow_scale.shown_difference(through[l]) : through[l], unknown);
    }
  for (const auto& [name, reason] : without_limits(given, balance))
    for (Headline& h : result.headlines)
      if (h.name == name) h.without_limit = reason;
}

// Regions, cut-outs or parts that end inside cells.
bool outline_crosses_cells(const Problem& problem, const Outline& outline) {
  for (Index r = 0; r < problem.regions().size(); ++r)
    if (problem.regions()[r].staircase) return true;
  for (const BoundaryPart& p : problem.parts())
    if (p.where) return true;
  if (std::ranges::any_of(outline.facets(), [](const Facet& f) { return !f.straight; })) return true;
  return !problem.regions().empty() && !RegionFractions(problem.grid(), problem.regions()).mixed().empty();
}

// Fields at the end, how far they are from exact solutions, and headlines.
void read_end(const Case& given, Prepared& prepared, const Ledger& through, const State& y, Real time,
              Answer& result) {
  FieldsOfState fields = fields_of(given, *prepared.balance, y, time);
  for (std::size_t u = 0; u < given.count(); ++u)
    result.errors.push_back(against_exact(given, *prepared.balance, fields.at_unknowns()[u], time, u));
  read_headlines(given, *prepared.balance, through, y, time, fields, result);
  result.fields = std::move(fields.shown);
}

void solve_in_time(const Case& given, Prepared& prepared, State& y, Answer& result) {
  if (!prepared.stability.stable()) {
    result.trouble = forecast(given, prepared);
    return;
  }
  Observers observers;
  SettledWatch& settled = *prepared.settled;
  if (prepared.ends_when_settled)
    observers.arrived = [&settled](const StepInfo& m) { return settled.look(m); };
  if (given.cycle && given.cycle->ends_run)
    observers.arrived = [&prepared](const StepInfo& m) { return prepared.cycle->look(m); };
  const Outcome o = march(*prepared.balance, y, prepared.plan, observers);
  result.reached = o.ending == Outcome::Ending::reached;
  if (!result.reached) result.trouble = o.reason;
  result.time = o.time;
  result.steps = o.steps;
  result.longest_step = o.longest_step;
  if (!result.reached) return;
  read_end(given, prepared, o.budget.amounts(), y, o.time, result);
}

void solve_for_rest(const Case& given, Prepared& prepared, State& y, Answer& result) {
  SteadyRules rules = *given.steady;
  rules.threads = prepared.plan.threads;
  const SteadyOutcome s = solve_steady(*prepared.balance, y, 0, rules);
  result.reached = s.reached;
  if (!s.reached) result.trouble = "the steady state was not reached within the iterations allowed";
  result.steps = s.iterations();
  read_end(given, prepared, s.flows, y, 0, result);
}

}  // namespace

namespace {

// Neighbours that differ by more than the grid can follow.
bool jumps(const Field& field) {
  const Grid& g = field.grid();
  const Real most = 0.25 * (field.highest() - field.lowest());
  const Real least = round_off_of_values * std::max(std::abs(field.lowest()), std::abs(field.highest()));
  for (Index n = 0; n < g.count(); ++n)
    for (int a = 0; a < g.dimension(); ++a)
      if (g.position(n)[a] > 0 && std::abs(field[n] - field[n - g.stride(a)]) > std::max(most, least))
        return true;
  return false;
}

bool jumps_at_start(const Case& given, Prepared& prepared) {
  for (std::size_t u = 0; u < given.count(); ++u)
    if (jumps(prepared.balance->field(prepared.initial, given.plan.start, u))) return true;
  return false;
}

}  // namespace

Real Answer::size(std::size_t unknown) const {
  const Field& field = fields.at(unknown);
  return std::max(std::abs(field.lowest()), std::abs(field.highest()));
}

Real order_in_space(const Case& given) {
  const Problem& problem = given.problem;
  if (given.flux) return reconstruction_kind(problem.reconstruction).order > 1 ? 2 : 1;
  const bool advected = problem.equation().advection || problem.equation().as_system;
  if (!advected || semi_lagrangian(given.plan.scheme) ||
      reconstruction_kind(problem.reconstruction).order > 1)
    return 2;
  return problem.equation().as_system ? wave_flux(problem.numerical_flux).order
                                      : numerical_flux(problem.numerical_flux).order;
}

Real order_of_both(const Case& given, Real step_power) {
  const bool knows_step =
      given.problem.equation().advection && numerical_flux(given.problem.numerical_flux).needs_step;
  const Real in_time = given.plan.adaptive ? 1 : knows_step ? 2 : given.plan.scheme.order;
  return std::min(order_in_space(given), step_power * in_time);
}

std::vector<std::pair<std::string, std::string>> without_limits(const Case& given,
                                                                const Discretization& balance) {
  std::vector<std::pair<std::string, std::string>> all;
  const auto& closures = balance.closures();
  for (const auto& jump : verify::boundary_jumps(balance, given.plan.start, given.plan.until))
    for (const std::size_t of : {jump.first, jump.second}) {
      all.emplace_back(names_of_flows[given.steady ? 1 : 0] + closures[of].lines().front().name,
                       jump_text(given, balance, jump, of));
      if (jump.first == jump.second) break;
    }
  const Grid& g = given.problem.grid();
  if (g.volume_dimension() < 2) return all;
  for (const Probe& probe : given.probes)
    for (const PointSource& point : given.problem.equation().points)
      if (same_control_volume(g, probe.at, point.at))
        all.emplace_back(probe.name, "it lies in the control volume of the point '" + point.name +
                                         "', where the value grows as the spacing shrinks");
  return all;
}

std::optional<Norms> against_exact(const Case& given, const Discretization& balance, const Field& field,
                                   Real time, std::size_t unknown) {
  const casefile::UnknownOfCase& of = given.unknown(unknown);
  if (!of.exact) return std::nullopt;
  const Grid& g = field.grid();
  State exact;
  if (of.exact_is_initial) {
    const State start = balance.initial_state();
    const auto first = start.begin() + balance.layout().start(unknown);
    exact.assign(first, first + g.count());
  } else {
    exact = balance.values_of(of.exact->function, time, unknown);
  }
  // Of all ranks: what others have counts nothing here, and neither do other unknowns and what is cut out.
  const auto size = static_cast<std::size_t>(balance.layout().size());
  State weights(size), differences(size), weighted(size);
  for (Index i = 0; i < g.count(); ++i) {
    if (field.is_left_out(i)) continue;
    const auto at = static_cast<std::size_t>(balance.layout().start(unknown) + i);
    weights[at] = g.volume_of(i);
    differences[at] = std::abs(field[i] - exact[static_cast<std::size_t>(i)]);
    weighted[at] = weights[at] * differences[at];
  }
  const Reductions all = balance.reductions();
  const Real volume = all.sum(weights);
  Norms n;
  n.l1 = all.sum(weighted) / volume;
  n.l2 = std::sqrt(all.dot(weighted, differences) / volume);
  n.max = std::isnan(n.l1) ? NAN : all.largest(differences);
  n.l1 = std::abs(of.value.shown_difference(n.l1));
  n.l2 = std::abs(of.value.shown_difference(n.l2));
  n.max = std::abs(of.value.shown_difference(n.max));
  return n;
}

Answer answer(const Case& given, Execution execution) {
  Answer result;
  Prepared prepared = prepare(given, execution);
  result.unknowns = given.grid().count();
  State y = prepared.initial;
  given.steady ? solve_for_rest(given, prepared, y, result) : solve_in_time(given, prepared, y, result);
  const Outline& outline = prepared.balance->outline();
  if (!outline.whole()) {
    const Outline cut(given.problem.grid(), given.problem.regions());
    result.outline = cut.measure().cut;
    result.outline.insert(result.outline.end(), cut.measure().exposed.begin(), cut.measure().exposed.end());
  }
  result.falls_unevenly =
      outline_crosses_cells(given.problem, outline) ||
      (!given.steady && (jumps_at_start(given, prepared) || std::ranges::any_of(result.fields, jumps)));
  return result;
}

}  // namespace williwaw::study
