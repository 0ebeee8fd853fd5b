// Semi-Lagrangian steps: the look back, and then all that is not carried, by implicit Euler, which leaves no
// overshoot where the data jump.
#include "kinds.hpp"
#include "stage_solver.hpp"

namespace williwaw {

namespace {

class LookingBackStepper final : public Stepper {
 public:
  LookingBackStepper(Balance& balance, Carrier& carrier, const Solving& solving)
      : balance_(balance),
        carrier_(carrier),
        rest_(Parts::fluxes() | Parts::source()),
        solver_(balance, solving, rest_),
        booked_(balance.lines().size()) {
    const auto size = static_cast<std::size_t>(balance.layout().size());
    for (auto* s : {&previous_, &carried_, &flow_, &known_, &work_}) s->resize(size);
  }

  Totals advance(State& y, Real at, Real step, Ledger& amounts) override {
    amounts.clear();
    left_ = 0;
    previous_.swap(y);
    carrier_.carry(previous_, at, step, carried_);
    const Real before = balance_.totals(previous_, at).content,
               after = balance_.totals(carried_, at + step).content;
    amounts[carrier_.line()] += after - before;
    if (carrier_.alone()) {
      y = carried_;
      if (balance_.held().empty()) return balance_.totals(y, at + step);
      balance_.storage(y, at + step, known_);
      balance_.pin(at + step, y);
      steppers::book_walls(balance_, y, at + step, known_, work_, amounts);
      return balance_.totals(y, at + step);
    }
    balance_.storage(carried_, at + step, known_);
    y = carried_;
    solver_.solve(y, known_, at + step, step);
    balance_.rate(y, at + step, rest_, flow_, booked_);
    left_ = solver_.left_of(y, known_, flow_, at + step, step);
    amounts.add(booked_, step);
    if (!balance_.held().empty()) {
      for (std::size_t n = 0; n < known_.size(); ++n) known_[n] += step * flow_[n];
      steppers::book_walls(balance_, y, at + step, known_, work_, amounts);
    }
    return balance_.totals(y, at + step);
  }

  void take_back(State& y) override { y = previous_; }
  Real left_by_solver() const override { return left_; }
  std::string solver_name() const override { return carrier_.alone() ? "" : solver_.name(); }
  Index solver_iterations() const override { return solver_.iterations(); }
  int factorizations() const override { return solver_.factorizations(); }
  StepperMemory remember() const override { return {{solver_.factored_weight()}, {}, {}}; }
  void recall(const StepperMemory& memory) override { solver_.recall(memory.numbers.at(0)); }

 private:
  Balance& balance_;
  Carrier& carrier_;
  Parts rest_;
  StageSolver solver_;
  Ledger booked_;
  State carried_, flow_, known_, work_;
  Real left_ = 0;
};

}  // namespace

std::unique_ptr<Stepper> steppers::looking_back(Balance& balance, const Scheme& scheme,
                                                const Solving& solving) {
  if (!balance.offers().looks_back)
    throw InputError(
        "scheme '" + scheme.name +
        "' looks up where things were carried from, which this problem does not offer: it needs a "
        "velocity, and a balance built with semi_lagrangian = true");
  return std::make_unique<LookingBackStepper>(balance, balance.carrier(), solving);
}

}  // namespace williwaw
