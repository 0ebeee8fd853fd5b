#include "williwaw/time/stepper.hpp"

#include <algorithm>
#include <cmath>

#include "time/steppers/kinds.hpp"

namespace williwaw {

void Stepper::take_back(State&) {
  throw InputError("this scheme cannot take a step back");
}

bool Stepper::advance_several(State&, const Pass&) {
  throw InputError("this scheme takes its steps one by one");
}

void Stepper::take_back_several(State&) {
  throw InputError("this scheme takes its steps one by one");
}

void steppers::book_boundaries(Balance& balance, const State& y, Real end, const State& formula, State& work,
                               Ledger& amounts) {
  if (!balance.prescribes()) return;
  balance.storage(y, end, work);
  for (std::size_t n = 0; n < work.size(); ++n) work[n] -= formula[n];
  balance.book_prescribed(work, amounts);
}

std::unique_ptr<Stepper> make_stepper(Balance& balance, const Scheme& s, const Solving& solving,
                                      Index damped_start) {
  std::unique_ptr<Stepper> result;
  if (balance.capabilities().second_order) {
    if (!takes_second_order(s))
      throw InputError(
          Subject::scheme,
          "scheme '" + s.name +
              "' is for equations of first order in time; waves take leapfrog, corrected-leapfrog, "
              "newmark, or an explicit Runge-Kutta scheme");
    if (damped_start > 0)
      throw InputError(Subject::scheme, "damped first steps are for equations of first order in time");
    // Leapfrog with rates at cells and stresses at faces, half a step apart, is leapfrog itself once the
    // stresses are eliminated (Yee, 1966).
    if (const auto* m = std::get_if<SecondOrder>(&s.method))
      return m->beta > 0 ? steppers::newmark(balance, s, *m, solving) : steppers::leapfrog(balance, *m);
    if (balance.capabilities().first_order_form)
      return steppers::first_order_form(balance, std::get<Tableau>(s.method));
    return steppers::dynamics_pair(balance, s, std::get<Tableau>(s.method));
  }
  if (is_second_order(s))
    throw InputError(Subject::scheme,
                     "scheme '" + s.name + "' is for equations of second order in time, which waves are");
  if (const auto* t = std::get_if<Tableau>(&s.method)) {
    result = steppers::line_steps(balance, *t, solving);
    if (!result) result = steppers::theta_steps(balance, *t, solving);
    if (!result) result = steppers::runge_kutta(balance, s, *t, nullptr, solving);
  } else if (const auto* p = std::get_if<ImplicitExplicit>(&s.method))
    result = steppers::runge_kutta(balance, s, p->fluxes, &p->sources, solving);
  else if (std::holds_alternative<Factored>(s.method) && balance.capabilities().advection)
    throw InputError(Subject::scheme,
                     "scheme '" + s.name +
                         "' takes diffusion only, no advection; take implicit-explicit or crank-nicolson");
  else if (std::holds_alternative<SemiLagrangianMethod>(s.method))
    result = steppers::semi_lagrangian(balance, s, solving);
  else if (const auto* c = std::get_if<Stabilized>(&s.method))
    result = steppers::stabilized(balance, s, *c);
  else if (const auto* m = std::get_if<TwoStep>(&s.method))
    result = steppers::two_step(balance, s, *m, solving);
  else
    result = steppers::factored(balance, s, std::get<Factored>(s.method), solving);
  if (damped_start <= 0) return result;
  auto start = make_stepper(balance, scheme("implicit-euler"), solving);
  return steppers::damped_start(std::move(start), std::move(result), damped_start);
}

Real spectral_bound(Balance& balance, const State& y, Real at) {
  LinearSystem rates, capacities;
  balance.linearise(y, at, 0, 1, Parts::all(), rates);
  balance.linearise(y, at, 1, 0, Parts::all(), capacities);
  const auto rows = static_cast<std::size_t>(rows_of(rates));
  std::vector<Real> reach(rows, 0.0), capacity(rows, 0.0);
  for (const auto& e : triplets_of(rates)) reach[e.row] += std::abs(e.value);
  for (const auto& e : triplets_of(capacities)) capacity[e.row] += e.value;
  std::vector<char> fixed(rows, 0);
  for (const Index h : balance.prescribed()) fixed[h] = 1;
  for (const Index h : balance.inactive()) fixed[h] = 1;
  Real most = 0;
  for (std::size_t n = 0; n < rows; ++n)
    if (!fixed[n] && capacity[n] != 0) most = std::max(most, reach[n] / std::abs(capacity[n]));
  return balance.reductions().highest(most);
}

}  // namespace williwaw
