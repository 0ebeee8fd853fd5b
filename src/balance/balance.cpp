#include "williwaw/balance/balance.hpp"

#include <algorithm>

#include "williwaw/grid/expect.hpp"

namespace williwaw {

Totals Totals::towards(const Totals& later, Real fraction) const {
  const auto between = [fraction](Real a, Real b) { return a + fraction * (b - a); };
  Totals t;
  t.content = between(content, later.content);
  t.gross = between(gross, later.gross);
  t.integral = between(integral, later.integral);
  t.lowest = between(lowest, later.lowest);
  t.highest = between(highest, later.highest);
  t.kinetic = between(kinetic, later.kinetic);
  t.potential = between(potential, later.potential);
  return t;
}

Ledger flows_at(Balance& balance, const State& y, Real at, Real start, Real window) {
  expect(static_cast<Index>(y.size()) == balance.layout().size() && window > 0,
         "flows_at: a state of the balance's size and a window above zero");
  Ledger flows(balance.lines().size());
  State inside(y.size());
  balance.rate(y, at, Parts::all(), inside, flows);
  if (!balance.prescribes()) return flows;
  const Real early = std::max(at - 0.5 * window, start), late = early + window;
  State before = y, after = y, lacking(y.size());
  balance.prescribe(early, before);
  balance.prescribe(late, after);
  State stored_before(y.size());
  balance.storage(before, at, stored_before);
  balance.storage(after, at, lacking);
  for (std::size_t n = 0; n < y.size(); ++n)
    lacking[n] = (lacking[n] - stored_before[n]) / window - inside[n];
  balance.book_prescribed(lacking, flows);
  return flows;
}

SecondOrderDynamics& Balance::dynamics() {
  throw InputError("this balance is of first order in time");
}

SemiLagrangianAdvection& Balance::semi_lagrangian() {
  throw InputError("this balance has no semi-Lagrangian advection");
}

std::unique_ptr<FirstOrderForm> Balance::first_order_form() {
  throw InputError("this balance is not there as a first-order system");
}

void Balance::book_prescribed(const State&, Ledger&) {}

Totals Balance::advance(const State& y, Real at, Real step, State& out, Ledger& amounts) {
  State before(y.size()), flow(y.size());
  storage(y, at, before);
  amounts.clear();
  Ledger rates(amounts.size());
  rate(y, at, Parts::all(), flow, rates);
  State after(y.size());
  for (std::size_t n = 0; n < y.size(); ++n) after[n] = before[n] + step * flow[n];
  out = y;
  recover(after, at + step, out);
  amounts.add(rates, step);
  if (prescribes()) {
    prescribe(at + step, out);
    State missing(y.size());
    storage(out, at + step, missing);
    for (std::size_t n = 0; n < y.size(); ++n) missing[n] -= after[n];
    book_prescribed(missing, amounts);
  }
  return totals(out, at + step);
}

bool SecondOrderDynamics::leapfrog_several(State&, State&, const Pass&, State&, State&) {
  throw InputError("this balance takes its steps one by one");
}

bool Balance::advance_in_stages(State&, const Pass&, const ExplicitStages&, bool, State&, State&) {
  throw InputError("this balance does not take stages line by line");
}

bool Balance::advance_several(State&, const Pass&, State&, State&) {
  throw InputError("this balance takes its steps one by one");
}

Totals Balance::stage(const State&, const State&, Real, Real, Real, State&, Ledger&, const Totals*) {
  throw InputError("this balance does not offer stages in one pass");
}

}  // namespace williwaw
