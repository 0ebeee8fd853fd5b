// A few steps of implicit Euler before another scheme takes over.
#include "kinds.hpp"

namespace williwaw {

namespace {

class DampedStart final : public Stepper {
 public:
  DampedStart(std::unique_ptr<Stepper> start, std::unique_ptr<Stepper> main, Index steps)
      : start_(std::move(start)), main_(std::move(main)), left_to_do_(steps) {}

  Totals advance(State& y, Real at, Real step, Ledger& amounts) override {
    in_start_ = left_to_do_ > 0;
    if (!in_start_) return main_->advance(y, at, step, amounts);
    --left_to_do_;
    previous_ = y;
    start_->advance(y, at, 0.5 * step, amounts);
    const Real left = start_->left_by_solver();
    Ledger second(amounts.size());
    const Totals totals = start_->advance(y, at + 0.5 * step, 0.5 * step, second);
    amounts.add(second, 1);
    left_ = left + start_->left_by_solver();
    return totals;
  }

  const State& previous() const override { return in_start_ ? previous_ : main_->previous(); }
  int stages() const override { return in_start_ ? 2 : main_->stages(); }
  Real left_by_solver() const override { return in_start_ ? left_ : main_->left_by_solver(); }
  std::string solver_name() const override { return (in_start_ ? start_ : main_)->solver_name(); }
  Index newton_iterations() const override {
    return start_->newton_iterations() + main_->newton_iterations();
  }
  Index solver_iterations() const override {
    return start_->solver_iterations() + main_->solver_iterations();
  }
  int factorizations() const override { return start_->factorizations() + main_->factorizations(); }

  StepperMemory remember() const override {
    // The start's own numbers, states and ledgers behind those of the main scheme, then
    // what tells them apart.
    StepperMemory memory = main_->remember();
    const StepperMemory of_start = start_->remember();
    memory.numbers.insert(memory.numbers.end(), of_start.numbers.begin(), of_start.numbers.end());
    memory.states.insert(memory.states.end(), of_start.states.begin(), of_start.states.end());
    memory.ledgers.insert(memory.ledgers.end(), of_start.ledgers.begin(), of_start.ledgers.end());
    memory.numbers.push_back(static_cast<Real>(of_start.ledgers.size()));
    memory.numbers.push_back(static_cast<Real>(of_start.states.size()));
    memory.numbers.push_back(static_cast<Real>(of_start.numbers.size()));
    memory.numbers.push_back(static_cast<Real>(left_to_do_));
    return memory;
  }
  void recall(const StepperMemory& memory) override {
    StepperMemory main = memory, start;
    left_to_do_ = static_cast<Index>(main.numbers.back());
    main.numbers.pop_back();
    const auto count = static_cast<std::ptrdiff_t>(main.numbers.back());
    main.numbers.pop_back();
    const auto states = static_cast<std::ptrdiff_t>(main.numbers.back());
    main.numbers.pop_back();
    const auto ledgers = static_cast<std::ptrdiff_t>(main.numbers.back());
    main.numbers.pop_back();
    start.ledgers.assign(main.ledgers.end() - ledgers, main.ledgers.end());
    main.ledgers.resize(main.ledgers.size() - start.ledgers.size());
    start.states.assign(main.states.end() - states, main.states.end());
    main.states.resize(main.states.size() - start.states.size());
    start.numbers.assign(main.numbers.end() - count, main.numbers.end());
    main.numbers.resize(main.numbers.size() - start.numbers.size());
    start_->recall(start);
    main_->recall(main);
  }

 private:
  std::unique_ptr<Stepper> start_, main_;
  Index left_to_do_;
  bool in_start_ = false;
  Real left_ = 0;
};

}  // namespace

std::unique_ptr<Stepper> steppers::damped_start(std::unique_ptr<Stepper> start, std::unique_ptr<Stepper> main,
                                                Index steps) {
  return std::make_unique<DampedStart>(std::move(start), std::move(main), steps);
}

}  // namespace williwaw
