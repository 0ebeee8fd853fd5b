// Explicit Runge-Kutta schemes on equations of second order in time, taken as a pair: du/dt = v,
// C·dv/dt = F(u) − D·v. They add or take energy; what remains after the work of boundaries and sources is the
// scheme's own.
#include "kinds.hpp"
#include "stage_solver.hpp"

namespace williwaw {

namespace {

class DynamicsPairStepper final : public Stepper {
 public:
  DynamicsPairStepper(Balance& balance, const Scheme& scheme, const Tableau& tableau)
      : balance_(balance),
        dynamics_(balance.dynamics()),
        tableau_(tableau),
        ignored_(balance.lines().size()),
        is_prescribed_(mask_of_fixed(balance)) {
    refuse_leapfrog_boundaries(dynamics_, scheme);
    rates_.resize(tableau.b.size());
    pushes_.resize(tableau.b.size());
  }

  std::optional<Totals> begin(const State& y, Real at, Real step) override {
    dynamics_.initial_rate(rate_);
    move_prescribed(balance_, y, at, step, rate_);
    const Totals totals = dynamics_.totals(y, rate_, at);
    energy_ = totals.content;
    return totals;
  }

  Totals advance(State& y, Real at, Real step, Ledger& amounts) override {
    const std::size_t size = y.size();
    previous_ = y;
    old_rate_ = rate_;
    force_.resize(size);
    for (std::size_t i = 0; i < rates_.size(); ++i) {
      const Real then = at + tableau_.c[i] * step;
      stage_ = previous_;
      rates_[i] = old_rate_;
      for (std::size_t j = 0; j < i; ++j) {
        const Real weight = step * tableau_.a[i][j];
        if (weight == 0) continue;
        for (std::size_t n = 0; n < size; ++n) {
          stage_[n] += weight * rates_[j][n];
          rates_[i][n] += weight * pushes_[j][n];
        }
      }
      balance_.prescribe(then, stage_);
      push(then, i);
      if (i == 0) force_ = push_;
    }
    for (std::size_t i = 0; i < rates_.size(); ++i)
      for (std::size_t n = 0; n < size; ++n) {
        y[n] += step * tableau_.b[i] * rates_[i][n];
        rate_[n] += step * tableau_.b[i] * pushes_[i][n];
      }
    balance_.prescribe(at + step, y);
    for (const Index n : balance_.prescribed()) rate_[n] = (y[n] - previous_[n]) / step;
    push_.resize(size);
    balance_.rate(y, at + step, Parts::all(), push_, ignored_);
    dynamics_.book_means(previous_, old_rate_, force_, y, rate_, push_, at, step, amounts);
    const Totals totals = dynamics_.totals(y, rate_, at + step);
    amounts[dynamics_.scheme_line()] += totals.content - energy_ - amounts.sum();
    energy_ = totals.content;
    return totals;
  }

  int stages() const override { return tableau_.stages(); }
  StepperMemory remember() const override { return {{energy_}, {rate_}, {}}; }
  void recall(const StepperMemory& memory) override {
    energy_ = memory.numbers.at(0);
    rate_ = memory.states.at(0);
  }

 private:
  // C⁻¹·(F − D·v) of the stage; push_ keeps F.
  void push(Real then, std::size_t i) {
    push_.resize(stage_.size());
    balance_.rate(stage_, then, Parts::all(), push_, ignored_);
    work_ = push_;
    const auto damping = dynamics_.damping(then);
    for (std::size_t n = 0; n < damping.size(); ++n) work_[n] -= damping[n] * rates_[i][n];
    pushes_[i].resize(stage_.size());
    balance_.recover(work_, then, pushes_[i]);
    for (std::size_t n = 0; n < is_prescribed_.size(); ++n)
      if (is_prescribed_[n]) pushes_[i][n] = 0;
  }

  Balance& balance_;
  SecondOrderDynamics& dynamics_;
  Tableau tableau_;
  Ledger ignored_;
  std::vector<char> is_prescribed_;
  std::vector<State> rates_, pushes_;
  State rate_, old_rate_, force_, push_, work_, stage_;
  Real energy_ = 0;
};

}  // namespace

std::unique_ptr<Stepper> steppers::dynamics_pair(Balance& balance, const Scheme& scheme,
                                                 const Tableau& tableau) {
  return std::make_unique<DynamicsPairStepper>(balance, scheme, tableau);
}

}  // namespace williwaw
