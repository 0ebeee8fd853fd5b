// Newmark's average acceleration: C·(v₊ − v)/step + D·(u₊ − u)/step = (F(u) + F(u₊))/2 with (v + v₊)/2 =
// (u₊ − u)/step.
#include <cmath>

#include "domain/summing.hpp"
#include "kinds.hpp"
#include "stage_solver.hpp"

namespace williwaw {

void refuse_leapfrog_boundaries(const SecondOrderDynamics& dynamics, const Scheme& scheme) {
  if (dynamics.needs_leapfrog())
    throw InputError(
        Subject::scheme,
        "scheme '" + scheme.name +
            "' does not support the absorbing boundaries of this problem; leapfrog does, and with "
            "unknowns at nodes every scheme supports order 1");
}

namespace {

void add_to_diagonal(LinearSystem& system, std::span<const Real> values, Real weight,
                     std::span<const char> left_out) {
  for (std::size_t n = 0; n < values.size(); ++n) {
    if (left_out[n]) continue;
    const auto row = static_cast<Index>(n);
    if (auto* faces = std::get_if<FaceSystem>(&system))
      faces->diagonal[n] += weight * values[n];
    else if (auto* sparse = std::get_if<SparseSystem>(&system))
      sparse->entries.push_back({row, row, weight * values[n]});
    else
      std::get<BlockSystem>(system).local.push_back({row, row, weight * values[n]});
  }
}

class NewmarkStepper final : public Stepper {
 public:
  NewmarkStepper(Balance& balance, const Scheme& scheme, const Solving& solving)
      : balance_(balance),
        dynamics_(balance.dynamics()),
        solving_(solving),
        ignored_(balance.lines().size()),
        is_prescribed_(mask_of_fixed(balance)) {
    need_matrix(balance, scheme);
    refuse_leapfrog_boundaries(dynamics_, scheme);
  }

  std::optional<Totals> begin(const State& y, Real at, Real step) override {
    dynamics_.initial_rate(rate_);
    move_prescribed(balance_, y, at, step, rate_);
    return dynamics_.totals(y, rate_, at);
  }

  Totals advance(State& y, Real at, Real step, Ledger& amounts) override {
    const std::size_t size = y.size();
    previous_ = y;
    old_rate_ = rate_;
    force_.resize(size);
    new_force_.resize(size);
    balance_.rate(y, at, Parts::all(), force_, ignored_);
    factor(y, at + step, step);
    // From a guess that only boundaries know better, one correction is exact.
    balance_.prescribe(at + step, y);
    balance_.rate(y, at + step, Parts::all(), new_force_, ignored_);
    residual_of(y, at, step);
    solve();
    for (std::size_t n = 0; n < size; ++n) y[n] -= workspace_.correction[n];
    balance_.rate(y, at + step, Parts::all(), new_force_, ignored_);
    residual_of(y, at, step);
    left_ = sum_over(balance_.reductions(), [&](Index n) { return workspace_.residual[n] * step; });
    for (std::size_t n = 0; n < size; ++n)
      if (!is_prescribed_[n]) rate_[n] = 2 * (y[n] - previous_[n]) / step - old_rate_[n];
    for (const Index n : balance_.prescribed()) rate_[n] = (y[n] - previous_[n]) / step;
    dynamics_.book_means(previous_, old_rate_, force_, y, rate_, new_force_, at, step, amounts);
    return dynamics_.totals(y, rate_, at + step);
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
    const bool same =
        balance_.capabilities().steady_matrix && std::abs(step - factored_step_) <= 1e-12 * step;
    if (solver_ && same) return;
    if (!same) factored_step_ = step;
    balance_.linearise(about, at, 2 / (factored_step_ * factored_step_), 0.5, Parts::all(), system_);
    add_to_diagonal(system_, dynamics_.damping(at), 1 / factored_step_, is_prescribed_);
    SolverRules rules;
    rules.threads = solving_.threads;
    rules.reused = balance_.capabilities().steady_matrix;
    if (!solver_) solver_ = make_solver(solving_.solver, system_, rules);
    solver_->factor(system_);
    ++factorizations_;
  }

  void residual_of(const State& y, Real at, Real step) {
    const std::size_t size = y.size();
    workspace_.residual.resize(size);
    workspace_.moved.resize(size);
    for (std::size_t n = 0; n < size; ++n)
      workspace_.moved[n] = 2 * (y[n] - previous_[n]) / (step * step) - 2 * old_rate_[n] / step;
    balance_.storage(workspace_.moved, at, workspace_.residual);
    const auto damping = dynamics_.damping(at);
    for (std::size_t n = 0; n < size; ++n) {
      workspace_.residual[n] -= 0.5 * (force_[n] + new_force_[n]);
      if (!damping.empty()) workspace_.residual[n] += damping[n] * (y[n] - previous_[n]) / step;
      if (is_prescribed_[n]) workspace_.residual[n] = 0;
    }
  }

  void solve() {
    workspace_.correction.resize(workspace_.residual.size());
    solve_step(*solver_, workspace_.residual, workspace_.correction, iterations_);
  }

  Balance& balance_;
  SecondOrderDynamics& dynamics_;
  Solving solving_;
  Ledger ignored_;
  std::vector<char> is_prescribed_;
  std::unique_ptr<LinearSolver> solver_;
  LinearSystem system_;
  State rate_, old_rate_, force_, new_force_;
  struct Workspace {
    State residual, moved, correction;
  } workspace_;
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
