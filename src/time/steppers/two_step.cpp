// Multistep schemes that remember one step, written for increments so that steps of any length follow.
#include <algorithm>
#include <cmath>

#include "kinds.hpp"
#include "stage_solver.hpp"

namespace williwaw {

namespace {

class TwoStepStepper final : public Stepper {
 public:
  TwoStepStepper(Balance& balance, const Scheme& scheme, const TwoStep& method, const Solving& solving)
      : balance_(balance),
        method_(method),
        solver_(balance, solving),
        remainder_(balance),
        increments_booked_(balance.lines().size()),
        booked_(balance.lines().size()) {
    need_matrix(balance, scheme);
    const auto size = static_cast<std::size_t>(balance.layout().size());
    for (auto* s : {&previous_, &start_, &known_, &rate_, &increments_, &work_}) s->resize(size);
  }

  Totals advance(State& y, Real at, Real step, Ledger& amounts) override {
    const Real ratio = last_step_ > 0 ? step / last_step_ : 0;
    const bool alone = ratio <= 0 || ratio > method_.largest_ratio;
    const Real memory = alone ? 0 : method_.memory(ratio),
               weight = step * (alone ? 1 : method_.weight(ratio));
    previous_ = y;
    balance_.storage(y, at, start_);
    remainder_.add_to(start_);
    for (std::size_t n = 0; n < known_.size(); ++n) known_[n] = start_[n] + memory * increments_[n];
    solver_.solve(y, known_, at + step, weight);
    balance_.rate(y, at + step, Parts::all(), rate_, booked_);
    left_ = solver_.left_of(y, known_, rate_, at + step, weight);
    // Increments without what boundaries supplied: the formula's own, for the state and for every line.
    for (std::size_t n = 0; n < known_.size(); ++n) {
      increments_[n] = memory * increments_[n] + weight * rate_[n];
      known_[n] = start_[n] + increments_[n];
    }
    increments_booked_.scale(memory);
    increments_booked_.add(booked_, weight);
    last_step_ = step;
    remainder_.keep(known_, y, at + step);
    amounts = increments_booked_;
    steppers::book_boundaries(balance_, y, at + step, known_, work_, amounts);
    return balance_.totals(y, at + step);
  }

  Real left_by_solver() const override { return left_; }
  std::string solver_name() const override { return solver_.name(); }
  Index solver_iterations() const override { return solver_.iterations(); }
  Index newton_iterations() const override { return solver_.newton_iterations(); }
  int factorizations() const override { return solver_.factorizations(); }

  StepperMemory remember() const override {
    return {{last_step_, solver_.factored_weight()}, {increments_, remainder_.state()}, {increments_booked_}};
  }
  void recall(const StepperMemory& memory) override {
    last_step_ = memory.numbers.at(0);
    solver_.recall(memory.numbers.at(1));
    increments_ = memory.states.at(0);
    remainder_.recall(memory.states.at(1));
    increments_booked_ = memory.ledgers.at(0);
  }

 private:
  Balance& balance_;
  TwoStep method_;
  StageSolver solver_;
  Remainder remainder_;
  State start_, known_, rate_, increments_, work_;
  Ledger increments_booked_, booked_;
  Real last_step_ = 0, left_ = 0;
};

}  // namespace

std::unique_ptr<Stepper> steppers::two_step(Balance& balance, const Scheme& scheme, const TwoStep& method,
                                            const Solving& solving) {
  return std::make_unique<TwoStepStepper>(balance, scheme, method, solving);
}

}  // namespace williwaw
