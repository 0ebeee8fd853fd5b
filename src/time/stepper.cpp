#include "williwaw/time/stepper.hpp"

#include <algorithm>
#include <cmath>

#include "williwaw/solve/newton.hpp"

namespace williwaw {

Stepper::Stepper(Balance& balance, const Scheme& scheme, const std::string& solver, int threads)
    : balance_(balance), scheme_(scheme), offers_(balance.offers()), solver_kind_(solver) {
  rules_.threads = threads;
  rules_.reused = offers_.linear && offers_.steady_matrix;
  scheme_.tableau.validate();
  const bool implicit = !scheme_.tableau.is_explicit();
  if (implicit && !offers_.matrix)
    throw InputError("scheme '" + scheme_.name +
                     "' is implicit and needs a matrix, which this equation does "
                     "not offer: choose an explicit scheme");
  // A single explicit stage is what balances do in one pass over memory.
  one_pass_ = !implicit && scheme_.tableau.stages() == 1;
  const auto size = static_cast<std::size_t>(balance_.layout().size());
  previous_.resize(size);
  if (one_pass_) return;
  for (auto* s : {&start_, &stage_, &known_, &work_}) s->resize(size);
  rates_.assign(scheme_.tableau.b.size(), State(size));
  booked_.assign(scheme_.tableau.b.size(), Ledger(balance_.lines().size()));
}

void Stepper::evaluate(int stage, const State& y, Real at) {
  balance_.rate(y, at, Parts::all(), rates_[stage], booked_[stage]);
}

Totals Stepper::advance(State& y, Real at, Real step, Ledger& amounts) {
  left_by_solver_ = 0;
  if (one_pass_) {
    const Totals totals = balance_.advance(y, at, step, previous_, amounts);
    y.swap(previous_);
    return totals;
  }
  const Tableau& t = scheme_.tableau;
  const std::size_t size = y.size();
  const int stages = t.stages();
  previous_ = y;
  balance_.storage(y, at, start_);
  stage_ = y;
  for (int s = 0; s < stages; ++s) {
    const Real stage_time = at + t.c[s] * step;
    if (s == 0 && t.starts_with_state()) {
      if (!(first_rate_known_ && std::abs(known_at_ - at) <= 1e-9 * step)) evaluate(0, y, at);
      continue;
    }
    known_ = start_;
    for (int j = 0; j < s; ++j)
      if (t.a[s][j] != 0)
        for (std::size_t n = 0; n < size; ++n) known_[n] += step * t.a[s][j] * rates_[j][n];
    if (t.a[s][s] == 0) {
      balance_.recover(known_, stage_time, stage_);
      balance_.pin(stage_time, stage_);
      evaluate(s, stage_, stage_time);
    } else {
      solve_stage(stage_, known_, stage_time, step * t.a[s][s]);
      evaluate(s, stage_, stage_time);
      balance_.storage(stage_, stage_time, work_);
      for (std::size_t n = 0; n < size; ++n) work_[n] -= known_[n] + step * t.a[s][s] * rates_[s][n];
      for (const Index h : balance_.held()) work_[h] = 0;
      for (const Real r : work_) left_by_solver_ += r;
    }
  }

  // Without its last stage as its end, the step ends with one more sum.
  work_ = start_;
  for (int s = 0; s < stages; ++s)
    for (std::size_t n = 0; n < size; ++n) work_[n] += step * t.b[s] * rates_[s][n];
  if (t.ends_with_last_stage()) {
    y.swap(stage_);
  } else {
    y = stage_;
    balance_.recover(work_, at + step, y);
    balance_.pin(at + step, y);
  }
  amounts.clear();
  for (int s = 0; s < stages; ++s) amounts.add(booked_[s], step * t.b[s]);
  if (!balance_.held().empty()) {
    balance_.storage(y, at + step, known_);
    for (std::size_t n = 0; n < size; ++n) known_[n] -= work_[n];
    balance_.book_held(known_, amounts);
  }

  // The last stage's rate is the next step's first.
  first_rate_known_ = t.starts_with_state() && t.ends_with_last_stage();
  if (first_rate_known_) {
    rates_.front().swap(rates_.back());
    std::swap(booked_.front(), booked_.back());
    known_at_ = at + step;
  }
  return balance_.totals(y, at + step);
}

void Stepper::solve_stage(State& y, const State& known, Real at, Real weight) {
  balance_.pin(at, y);
  State rate(y.size());
  Ledger ignored(balance_.lines().size());
  const auto residual = [&](const State& trial, State& r) {
    balance_.storage(trial, at, r);
    balance_.rate(trial, at, Parts::all(), rate, ignored);
    for (std::size_t n = 0; n < r.size(); ++n) r[n] -= known[n] + weight * rate[n];
    for (const Index h : balance_.held()) r[h] = 0;
  };
  const auto correct = [&](const State& about, const State& r, State& d) {
    const bool reuse = factored_ && offers_.linear && offers_.steady_matrix &&
                       std::abs(weight - factored_weight_) <= 1e-12 * std::abs(weight);
    if (!reuse) {
      balance_.linearise(about, at, 1, weight, Parts::all(), system_);
      if (!solver_) solver_ = make_solver(solver_kind_, system_, rules_);
      solver_->factor(system_);
      ++factorizations_;
      factored_ = true;
      factored_weight_ = weight;
    }
    solver_->solve(r, d);
    if (const Convergence* c = solver_->convergence()) {
      solver_iterations_ += c->iterations();
      if (!c->reached)
        throw SolverError(solver_->name() + " did not solve a step in " + std::to_string(c->iterations()) +
                          " iterations: the relative residual is " + to_text(c->residuals.back()));
    }
    for (Real& x : d) x = -x;
  };
  NewtonRules rules;
  rules.linear = offers_.linear;
  Real scale = 0;
  for (const Real q : known) scale = std::max(scale, std::abs(q));
  rules.scale = scale > 0 ? scale : 1;
  newton(y, rules, residual, correct);
}

}  // namespace williwaw
