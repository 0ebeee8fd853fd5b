#include "study/run/measures.hpp"

#include "williwaw/study/answer.hpp"

namespace williwaw::study {

std::vector<const SeriesColumn*> columns_of(const Discretization& balance) {
  std::vector<const SeriesColumn*> result;
  for (const SeriesColumn& column : series_columns())
    if (!column.applies || column.applies(balance)) result.push_back(&column);
  return result;
}

Measures::Measures(const Case& given, Discretization& balance)
    : given_(given), balance_(balance), sights_(sights_of(given)) {}

RowMeasures Measures::of(const StepInfo& m) {
  if (!m.between_steps || !balance_.reductions().shared()) {
    RowMeasures result = of(m.state, m.time, m.totals);
    result.flows = flows_of(m, m.state);
    return result;
  }
  // A state between two steps that nobody has completed.
  State between = m.state;
  balance_.exchange(between);
  RowMeasures result = of(between, m.time, m.totals);
  result.flows = flows_of(m, between);
  return result;
}

RowMeasures Measures::of(const State& y, Real time, const Totals& totals) {
  RowMeasures result;
  const std::size_t unknowns = balance_.unknowns().size();
  result.each = unknowns == 1 ? std::vector{totals} : balance_.totals_by_unknown(y, time);
  result.seen = seen(y, time);
  const std::vector<const SeriesColumn*> columns = columns_of(balance_);
  for (std::size_t u = 0; u < unknowns; ++u) {
    const Measured measured{given_, balance_, u, y, result.each[u]};
    for (const SeriesColumn* column : columns) result.columns.push_back(column->value(measured));
  }
  return result;
}

// At this time, from the balance. Schemes whose ledger counts what the balance alone does not know (work done
// on waves, what semi-Lagrangian steps add, fluxes that know the step) tell their means over the last step.
std::vector<std::optional<Real>> Measures::flows_of(const StepInfo& m, const State& y) {
  const bool by_step = balance_.capabilities().second_order || balance_.capabilities().semi_lagrangian ||
                       (balance_.advects() && balance_.advection().flux().needs_step);
  std::vector<std::optional<Real>> cells(balance_.lines().size());
  if (by_step) {
    for (std::size_t l = 0; m.step_length > 0 && l < cells.size(); ++l)
      cells[l] = m.amounts[l] / m.step_length;
    return cells;
  }
  // Short against a step, long against rounding. Runs that end when they are settled have data that do not
  // change, and any length will do.
  const Plan& plan = given_.plan;
  const Real length = m.step_length > 0         ? m.step_length
                      : plan.step > 0           ? plan.step
                      : given_.cycle            ? 1e-3 * given_.cycle->period
                      : plan.until > plan.start ? 1e-6 * (plan.until - plan.start)
                                                : 1;
  const Ledger flows = flows_at(balance_, y, m.time, plan.start, 1e-3 * length);
  for (std::size_t l = 0; l < cells.size(); ++l) cells[l] = flows[l];
  return cells;
}

namespace {

// The place lies in a control volume of this rank's own.
bool is_own(const Grid& part, const Point& place) {
  if (!part.is_part()) return true;
  const Grid whole = part.whole();
  const std::array<Index, 3> at = whole.position(whole.containing(place));
  for (int a = 0; a < part.dimension(); ++a) {
    const Axis& axis = part.axis(a);
    const std::optional<Index> here = axis.here(at[static_cast<std::size_t>(a)]);
    if (!here || *here < axis.own_first() || *here >= axis.own_end()) return false;
  }
  return true;
}

}  // namespace

std::vector<Real> Measures::seen(const State& y, Real time) {
  std::vector<Real> result;
  if (sights_.empty()) return result;
  const FieldsOfState fields = fields_of(given_, balance_, y, time);
  Communicator& ranks = balance_.domain(0).box().communicator();
  // A rank tells what it sees with the number of the probe.
  std::vector<Real> told;
  for (std::size_t s = 0; s < sights_.size(); ++s) {
    const Sight& sight = sights_[s];
    // All ranks make it, since it may take all of them.
    const std::optional<Field> derived =
        sight.unknown ? std::nullopt : std::optional(sight.derived->from(fields));
    const Field& field = derived ? *derived : fields.shown[*sight.unknown];
    if (!is_own(field.grid(), sight.probe->at)) continue;
    told.push_back(static_cast<Real>(s));
    told.push_back(sight.scale.shown(field.sample(sight.probe->at)));
  }
  if (balance_.reductions().shared()) told = ranks.gathered(told);
  result.resize(sights_.size());
  for (std::size_t n = 0; n < told.size(); n += 2) result[static_cast<std::size_t>(told[n])] = told[n + 1];
  return result;
}

}  // namespace williwaw::study
