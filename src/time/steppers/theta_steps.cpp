// The theta scheme of linear equations: what stood in F at the end of a step stands in it at
// the start of the next, and the change of the last step is the first guess of this one.
#include <algorithm>
#include <cmath>

#include "domain/summing.hpp"
#include "grid/threads.hpp"
#include "kinds.hpp"
#include "stage_solver.hpp"

namespace williwaw {

namespace {

// C·(u₁ − u₀) = step·((1 − theta)·F(u₀) + theta·F(u₁)) reads (C − theta·step·F')·d = F(u₀) with
// u₁ = u₀ + step·d where data are steady, and the mean of F(u₀) at the start and F at the end in its place
// where they are not; unknowns that boundaries hold then have their later values at the end already.
class ThetaSteps final : public Stepper {
 public:
  ThetaSteps(Balance& balance, Real theta, const Solving& solving)
      : balance_(balance),
        theta_(theta),
        solving_(solving),
        rate_(size()),
        next_rate_(size()),
        direction_(size(), 0.0),
        data_change_(balance.capabilities().data_change) {
    previous_.resize(size());
    rules_.threads = solving.threads;
    rules_.reused = true;
  }

  Totals advance(State& y, Real at, Real step, Ledger& amounts) override {
    factor(y, at, step);
    if (!(known_ && std::abs(known_at_ - at) <= 1e-9 * step))
      balance_.rate(y, at, Parts::all(), rate_, ledger_);
    const bool moves = look_ahead(y, at, step);
    solve(moves ? mean_rate_ : rate_);
    const Real* const from = moves ? ahead_.data() : y.data();
    Real* const next = previous_.data();
    const Real* const direction = direction_.data();
    each_by_threads(static_cast<Index>(y.size()), solving_.threads,
                    [=](Index n) { next[n] = from[n] + step * direction[n]; });
    y.swap(previous_);
    balance_.rate(y, at + step, Parts::all(), next_rate_, next_ledger_);
    amounts = ledger_;
    amounts.scale(step * (1 - theta_));
    amounts.add(next_ledger_, step * theta_);
    book_prescribed(y, at, step, amounts);
    find_left(at, step);
    rate_.swap(next_rate_);
    std::swap(ledger_, next_ledger_);
    known_ = true;
    known_at_ = at + step;
    return balance_.totals(y, at + step);
  }

  void take_back(State& y) override {
    y = previous_;
    known_ = false;
  }
  Real left_by_solver() const override { return left_; }
  std::string solver_name() const override { return solver_ ? solver_->name() : ""; }
  Index solver_iterations() const override { return iterations_; }
  int factorizations() const override { return factorizations_; }

  StepperMemory remember() const override {
    return {{factored_weight_.value(), known_at_, known_ ? 1.0 : 0.0}, {rate_, direction_}, {ledger_}};
  }
  void recall(const StepperMemory& memory) override {
    factored_weight_.recall(memory.numbers.at(0));

    if (memory.numbers.size() < 3) return;
    known_at_ = memory.numbers[1];
    known_ = memory.numbers[2] != 0;
    rate_ = memory.states.at(0);
    direction_ = memory.states.at(1);
    ledger_ = memory.ledgers.at(0);
  }

 private:
  std::size_t size() const { return static_cast<std::size_t>(balance_.layout().size()); }

  void factor(const State& y, Real at, Real step) {
    const auto weight = factored_weight_.wanted(theta_ * step);
    if (!weight) return;

    LinearSystem system;
    balance_.linearise(y, at, 1, *weight, Parts::all(), system);
    solver_ = make_solver(solving_.solver, system, rules_);
    solver_->factor(system);
    factored_weight_.factored(*weight);

    ++factorizations_;
  }

  // True where data or what boundaries hold differ at the end: then `ahead_` holds what is known there, and
  // `mean_rate_` the mean of F.
  bool look_ahead(const State& y, Real at, Real step) {
    if (!data_change_ && !balance_.prescribes()) return false;
    ahead_ = y;
    balance_.prescribe(at + step, ahead_);
    const bool same = std::ranges::all_of(balance_.prescribed(), [&](Index h) { return ahead_[h] == y[h]; });
    if (!data_change_ && balance_.reductions().highest(same ? 0 : 1) == 0) return false;
    mean_rate_.resize(size());
    balance_.rate(ahead_, at + step, Parts::all(), mean_rate_, ignored_);
    Real* const mean = mean_rate_.data();
    const Real *const rate = rate_.data(), theta = theta_;
    each_by_threads(static_cast<Index>(size()), solving_.threads,
                    [=](Index n) { mean[n] = (1 - theta) * rate[n] + theta * mean[n]; });
    return true;
  }

  // Unknowns that boundaries hold take no part.
  void solve(State& right) {
    kept_.clear();
    for (const Index h : balance_.prescribed()) {
      kept_.push_back(right[h]);
      right[h] = 0;
      direction_[h] = 0;
    }
    improve_step(*solver_, right, direction_, iterations_);
    std::size_t k = 0;
    for (const Index h : balance_.prescribed()) right[h] = kept_[k++];
  }

  // Their boundaries supplied what changed in them and what flowed out of them.
  void book_prescribed(const State& y, Real at, Real step, Ledger& amounts) {
    if (!balance_.prescribes()) return;
    change_ = y;
    for (const Index h : balance_.prescribed()) change_[h] -= previous_[h];
    balance_.storage(change_, at, change_);
    for (const Index h : balance_.prescribed())
      change_[h] -= step * ((1 - theta_) * rate_[h] + theta_ * next_rate_[h]);
    balance_.book_prescribed(change_, amounts);
  }

  // What the solver left of all equations, as an amount.
  void find_left(Real at, Real step) {
    stored_.resize(size());
    balance_.storage(direction_, at, stored_);
    for (const Index h : balance_.prescribed()) stored_[h] = (1 - theta_) * rate_[h] + theta_ * next_rate_[h];
    left_ = step * sum_over(balance_.reductions(), [&](Index n) {
              return stored_[n] - (1 - theta_) * rate_[n] - theta_ * next_rate_[n];
            });
  }

  Balance& balance_;
  Real theta_;
  Solving solving_;
  SolverRules rules_;
  std::unique_ptr<LinearSolver> solver_;
  State rate_, next_rate_, direction_, ahead_, mean_rate_, change_, stored_;
  std::vector<Real> kept_;
  bool data_change_;
  Ledger ledger_ = Ledger(balance_.lines().size()), next_ledger_ = ledger_, ignored_ = ledger_;
  FactoredWeight factored_weight_;
  Real known_at_ = 0, left_ = 0;
  bool known_ = false;
  Index iterations_ = 0;
  int factorizations_ = 0;
};

}  // namespace

std::unique_ptr<Stepper> steppers::theta_steps(Balance& balance, const Tableau& tableau,
                                               const Solving& solving) {
  const auto theta = theta_of(tableau);
  const Capabilities can = balance.capabilities();
  if (!theta || !can.linear || !can.matrix || can.approximate || !can.steady_matrix || !can.same_matrix ||
      can.second_order || balance.layout().blocks().size() != 1)
    return nullptr;
  return std::make_unique<ThetaSteps>(balance, *theta, solving);
}

}  // namespace williwaw
