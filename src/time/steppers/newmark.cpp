// Newmark's average acceleration: C·(v₊ − v)/step + D·(u₊ − u)/step = (F(u) + F(u₊))/2 with (v + v₊)/2 =
// (u₊ − u)/step.
#include <cmath>

#include "domain/summing.hpp"
#include "kinds.hpp"
#include "stage_solver.hpp"

namespace williwaw {

void refuse_leaping_walls(const Motion& motion, const Scheme& scheme) {
  if (motion.needs_leap())
    throw InputError("scheme '" + scheme.name +
                     "' cannot follow the absorbing ends of this problem; leapfrog can, and with unknowns at "
                     "nodes every scheme takes absorbing ends of order 1");
}

namespace {

void add_to_diagonal(LinearSystem& system, std::span<const Real> values, Real weight,
                     std::span<const char> left_out) {
  for (std::size_t n = 0; n < values.size(); ++n) {
    if (left_out[n]) continue;
    const auto row = static_cast<Index>(n);
    if (auto* faces = std::get_if<FaceSystem>(&system))
      faces->diagonal[n] += weight * values[n];
    else
      std::get<SparseSystem>(system).entries.push_back({row, row, weight * values[n]});
  }
}

class NewmarkStepper final : public Stepper {
 public:
  NewmarkStepper(Balance& balance, const Scheme& scheme, const Solving& solving)
      : balance_(balance),
        motion_(balance.motion()),
        solving_(solving),
        ignored_(balance.lines().size()),
        is_held_(mask_of_fixed(balance)) {
    need_matrix(balance, scheme);
    refuse_leaping_walls(motion_, scheme);
  }

  std::optional<Totals> begin(const State& y, Real at, Real step) override {
    motion_.initial_rate(rate_);
    move_held(balance_, y, at, step, rate_);
    return motion_.totals(y, rate_, at);
  }

  Totals advance(State& y, Real at, Real step, Ledger& amounts) override {
    const std::size_t size = y.size();
    previous_ = y;
    old_rate_ = rate_;
    force_.resize(size);
    new_force_.resize(size);
    balance_.rate(y, at, Parts::all(), force_, ignored_);
    factor(y, at + step, step);
    // From a guess that only walls know better, one correction is exact.
    balance_.pin(at + step, y);
    balance_.rate(y, at + step, Parts::all(), new_force_, ignored_);
    residual_of(y, at, step);
    solve();
    for (std::size_t n = 0; n < size; ++n) y[n] -= room_.correction[n];
    balance_.rate(y, at + step, Parts::all(), new_force_, ignored_);
    residual_of(y, at, step);
    left_ = sum_over(balance_.reductions(), [&](Index n) { return room_.residual[n] * step; });
    for (std::size_t n = 0; n < size; ++n)
      if (!is_held_[n]) rate_[n] = 2 * (y[n] - previous_[n]) / step - old_rate_[n];
    for (const Index n : balance_.held()) rate_[n] = (y[n] - previous_[n]) / step;
    motion_.book_means(previous_, old_rate_, force_, y, rate_, new_force_, at, step, amounts);
    return motion_.totals(y, rate_, at + step);
  }

  Real left_by_solver() const override { return left_; }
  std::string solver_name() const override { return solver_ ? solver_->name() : ""; }
  Index solver_iterations() const override { return iterations_; }
  int factorizations() const override { return factorizations_; }

  StepperMemory remember() const override { return {{factored_step_}, {rate_}, {}}; }
  void recall(const StepperMemory& memory) override {
    factored_step_ = memory.numbers.at(0);
    rate_ = memory.states.at(0);
  }

 private:
  void factor(const State& about, Real at, Real step) {
    const bool same = balance_.offers().steady_matrix && std::abs(step - factored_step_) <= 1e-12 * step;
    if (solver_ && same) return;
    if (!same) factored_step_ = step;
    balance_.linearise(about, at, 2 / (factored_step_ * factored_step_), 0.5, Parts::all(), system_);
    add_to_diagonal(system_, motion_.drag(at), 1 / factored_step_, is_held_);
    SolverRules rules;
    rules.threads = solving_.threads;
    rules.reused = balance_.offers().steady_matrix;
    if (!solver_) solver_ = make_solver(solving_.solver, system_, rules);
    solver_->factor(system_);
    ++factorizations_;
  }

  void residual_of(const State& y, Real at, Real step) {
    const std::size_t size = y.size();
    room_.residual.resize(size);
    room_.moved.resize(size);
    for (std::size_t n = 0; n < size; ++n)
      room_.moved[n] = 2 * (y[n] - previous_[n]) / (step * step) - 2 * old_rate_[n] / step;
    balance_.storage(room_.moved, at, room_.residual);
    const auto drag = motion_.drag(at);
    for (std::size_t n = 0; n < size; ++n) {
      room_.residual[n] -= 0.5 * (force_[n] + new_force_[n]);
      if (!drag.empty()) room_.residual[n] += drag[n] * (y[n] - previous_[n]) / step;
      if (is_held_[n]) room_.residual[n] = 0;
    }
  }

  void solve() {
    room_.correction.resize(room_.residual.size());
    solve_step(*solver_, room_.residual, room_.correction, iterations_);
  }

  Balance& balance_;
  Motion& motion_;
  Solving solving_;
  Ledger ignored_;
  std::vector<char> is_held_;
  std::unique_ptr<LinearSolver> solver_;
  LinearSystem system_;
  State rate_, old_rate_, force_, new_force_;
  struct Room {
    State residual, moved, correction;
  } room_;
  Real factored_step_ = 0, left_ = 0;
  Index iterations_ = 0;
  int factorizations_ = 0;
};

}  // namespace

std::unique_ptr<Stepper> steppers::newmark(Balance& balance, const Scheme& scheme, const SecondOrder&,
                                           const Solving& solving) {
  return std::make_unique<NewmarkStepper>(balance, scheme, solving);
}

}  // namespace williwaw
