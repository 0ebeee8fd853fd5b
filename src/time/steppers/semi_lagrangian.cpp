// Semi-Lagrangian steps: departure points first, then all that is not advected, by implicit Euler, which
// leaves no overshoot where the data jump.
#include "kinds.hpp"
#include "stage_solver.hpp"

namespace williwaw {

namespace {

class SemiLagrangianStepper final : public Stepper {
 public:
  SemiLagrangianStepper(Balance& balance, SemiLagrangianAdvection& semi_lagrangian, const Solving& solving)
      : balance_(balance),
        semi_lagrangian_(semi_lagrangian),
        rest_(Parts::fluxes() | Parts::source()),
        solver_(balance, solving, rest_),
        booked_(balance.lines().size()) {
    const auto size = static_cast<std::size_t>(balance.layout().size());
    for (auto* s : {&previous_, &advected_, &flow_, &known_, &work_}) s->resize(size);
  }

  Totals advance(State& y, Real at, Real step, Ledger& amounts) override {
    amounts.clear();
    left_ = 0;
    previous_.swap(y);
    semi_lagrangian_.advect(previous_, at, step, advected_);
    const Totals advected = balance_.totals(advected_, at + step);
    amounts[semi_lagrangian_.line()] += advected.content - balance_.totals(previous_, at).content;
    if (semi_lagrangian_.alone()) {
      y.swap(advected_);
      if (balance_.prescribed().empty()) return advected;
      balance_.storage(y, at + step, known_);
      balance_.prescribe(at + step, y);
      steppers::book_boundaries(balance_, y, at + step, known_, work_, amounts);
      return balance_.totals(y, at + step);
    }
    balance_.storage(advected_, at + step, known_);
    y = advected_;
    solver_.solve(y, known_, at + step, step);
    balance_.rate(y, at + step, rest_, flow_, booked_);
    left_ = solver_.left_of(y, known_, flow_, at + step, step);
    amounts.add(booked_, step);
    if (!balance_.prescribed().empty()) {
      for (std::size_t n = 0; n < known_.size(); ++n) known_[n] += step * flow_[n];
      steppers::book_boundaries(balance_, y, at + step, known_, work_, amounts);
    }
    return balance_.totals(y, at + step);
  }

  void take_back(State& y) override { y = previous_; }
  Real left_by_solver() const override { return left_; }
  std::string solver_name() const override { return semi_lagrangian_.alone() ? "" : solver_.name(); }
  Index solver_iterations() const override { return solver_.iterations(); }
  Index newton_iterations() const override { return solver_.newton_iterations(); }
  int factorizations() const override { return solver_.factorizations(); }
  StepperMemory remember() const override { return {{solver_.factored_weight()}, {}, {}}; }
  void recall(const StepperMemory& memory) override { solver_.recall(memory.numbers.at(0)); }

 private:
  Balance& balance_;
  SemiLagrangianAdvection& semi_lagrangian_;
  Parts rest_;
  StageSolver solver_;
  Ledger booked_;
  State advected_, flow_, known_, work_;
  Real left_ = 0;
};

}  // namespace

std::unique_ptr<Stepper> steppers::semi_lagrangian(Balance& balance, const Scheme& scheme,
                                                   const Solving& solving) {
  if (!balance.capabilities().semi_lagrangian)
    throw InputError(
        Subject::scheme,
        "scheme '" + scheme.name + "' needs a velocity, and a balance built with semi_lagrangian = true");
  return std::make_unique<SemiLagrangianStepper>(balance, balance.semi_lagrangian(), solving);
}

}  // namespace williwaw
