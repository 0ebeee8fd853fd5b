// Alternating directions: a full explicit step, corrected along one axis after the other.
#include <algorithm>
#include <cmath>

#include "kinds.hpp"
#include "stage_solver.hpp"

namespace williwaw {

namespace {

class FactoredStepper final : public Stepper {
 public:
  FactoredStepper(Balance& balance, const Scheme& scheme, const Factored& method, const Solving& solving)
      : balance_(balance), theta_(method.theta) {
    need_matrix(balance, scheme);
    int axes = 0;
    for (const auto& block : balance.layout().blocks())
      for (int a = 0; a < 3; ++a)
        if (block.extent[static_cast<std::size_t>(a)] > 1) axes = std::max(axes, a + 1);
    for (int a = 0; a < std::max(axes, 1); ++a) {
      // Sources and reactions go with the first axis.
      const Parts parts = a == 0 ? Parts::flux(0) | Parts::source() : Parts::flux(a);
      directions_.push_back({parts, StageSolver(balance, solving, parts)});
    }
    const auto size = static_cast<std::size_t>(balance.layout().size());
    for (auto* s : {&previous_, &sum_, &known_, &rate_, &work_}) s->resize(size);
    at_start_.assign(directions_.size(), State(size));
    booked_ = Ledger(balance.lines().size());
  }

  Totals advance(State& y, Real at, Real step, Ledger& amounts) override {
    const Real weight = theta_ * step;
    left_ = 0;
    previous_ = y;
    balance_.storage(y, at, sum_);
    amounts.clear();
    // Axis by axis, since each correction takes its own axis' rate at the start back.
    for (std::size_t d = 0; d < directions_.size(); ++d) {
      balance_.rate(y, at, directions_[d].parts, at_start_[d], booked_);
      amounts.add(booked_, step - weight);
      for (std::size_t n = 0; n < sum_.size(); ++n) sum_[n] += step * at_start_[d][n];
    }
    for (std::size_t d = 0; d < directions_.size(); ++d) {
      auto& [parts, solver] = directions_[d];
      for (std::size_t n = 0; n < sum_.size(); ++n) known_[n] = sum_[n] - weight * at_start_[d][n];
      solver.solve(y, known_, at + step, weight);
      balance_.rate(y, at + step, parts, rate_, booked_);
      left_ += solver.left_of(y, known_, rate_, at + step, weight);
      amounts.add(booked_, weight);
      for (std::size_t n = 0; n < sum_.size(); ++n) sum_[n] = known_[n] + weight * rate_[n];
    }
    steppers::book_boundaries(balance_, y, at + step, sum_, work_, amounts);
    return balance_.totals(y, at + step);
  }

  int stages() const override { return static_cast<int>(directions_.size()); }
  Real left_by_solver() const override { return left_; }
  std::string solver_name() const override { return directions_.front().solver.name(); }
  Index solver_iterations() const override {
    Index sum = 0;
    for (const auto& d : directions_) sum += d.solver.iterations();
    return sum;
  }
  int factorizations() const override {
    int sum = 0;
    for (const auto& d : directions_) sum += d.solver.factorizations();
    return sum;
  }

  StepperMemory remember() const override {
    StepperMemory memory;
    for (const auto& d : directions_) memory.numbers.push_back(d.solver.factored_weight());
    return memory;
  }
  void recall(const StepperMemory& memory) override {
    for (std::size_t d = 0; d < directions_.size(); ++d) directions_[d].solver.recall(memory.numbers.at(d));
  }

 private:
  struct Direction {
    Parts parts;
    StageSolver solver;
  };
  Balance& balance_;
  Real theta_;
  std::vector<Direction> directions_;
  State sum_, known_, rate_, work_;
  std::vector<State> at_start_;
  Ledger booked_;
  Real left_ = 0;
};

}  // namespace

std::unique_ptr<Stepper> steppers::factored(Balance& balance, const Scheme& scheme, const Factored& method,
                                            const Solving& solving) {
  return std::make_unique<FactoredStepper>(balance, scheme, method, solving);
}

}  // namespace williwaw
