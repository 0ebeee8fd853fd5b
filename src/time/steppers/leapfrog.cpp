// Leapfrog on a balance of second order in time, with or without its correction to order four.
#include <algorithm>
#include <cmath>

#include "kinds.hpp"
#include "stage_solver.hpp"

namespace williwaw {

namespace {

class LeapfrogStepper final : public Stepper {
 public:
  LeapfrogStepper(Balance& balance, const SecondOrder& method)
      : balance_(balance),
        dynamics_(balance.dynamics()),
        corrected_(method.corrected),
        is_prescribed_(mask_of_fixed(balance)) {}

  std::optional<Totals> begin(const State& y, Real at, Real step) override {
    State v;
    dynamics_.initial_rate(v);
    return start(y, v, at, step);
  }

  Totals advance(State& y, Real at, Real step, Ledger& amounts) override {
    Real jump = 0;
    // Lengths that differ by rounding are the same: the formula must not change with the last digit.
    if (std::abs(step - step_) > 1e-9 * step_) jump = change_step(y, at, step);
    if (corrected_) correct(y, at);
    const Totals totals = dynamics_.leapfrog_step(
        y, at, step_, previous_, amounts, corrected_ ? &correction_ : nullptr, has_data_ ? &data_ : nullptr);
    // What was a step earlier has become the state a step later.
    previous_.swap(y);
    amounts[dynamics_.scheme_line()] += jump;
    energy_ = totals.content;
    return totals;
  }

  AtOnce at_once() override { return corrected_ ? AtOnce() : dynamics_.at_once(); }
  bool advance_several(State& y, const Pass& pass) override {
    if (std::abs(pass.step - step_) > 1e-9 * step_) return false;
    kept_ = numbers();
    spare_[0].resize(y.size());
    spare_[1].resize(y.size());
    Pass same = pass;
    same.step = step_;
    const bool taken = dynamics_.leapfrog_several(y, previous_, same, spare_[0], spare_[1]);
    previous_.swap(spare_[0]);
    y.swap(spare_[1]);
    if (!taken)
      take_back_several(y);
    else
      energy_ = pass.totals.back().content;
    return taken;
  }
  void take_back_several(State& y) override {
    previous_.swap(spare_[0]);
    y.swap(spare_[1]);
    recall_numbers(kept_);
  }

  int stages() const override { return corrected_ ? 2 : 1; }

  StepperMemory remember() const override { return {numbers(), {previous_}, {}}; }
  void recall(const StepperMemory& memory) override {
    recall_numbers(memory.numbers);
    previous_ = memory.states.at(0);
  }

 private:
  std::vector<Real> numbers() const {
    std::vector<Real> result{step_, energy_};
    const auto more = dynamics_.remember();
    result.insert(result.end(), more.begin(), more.end());
    return result;
  }
  void recall_numbers(const std::vector<Real>& numbers) {
    step_ = numbers.at(0);
    energy_ = numbers.at(1);
    dynamics_.recall(std::span(numbers).subspan(2));
  }

  Totals start(const State& y, State v, Real at, Real step) {
    step_ = step;
    if (corrected_) {
      correct(y, at);
      // The third term of the series as well: step²/6·d³u/dt³ on top of the rate.
      State third(y.size());
      linear_rate(v, at, third);
      over_capacity(at, third);
      for (std::size_t n = 0; n < v.size(); ++n) v[n] += step * step / 6 * third[n];
    }
    const Totals totals = dynamics_.prepare_leapfrog(y, v, at, step, corrected_ ? &correction_ : nullptr,
                                                     has_data_ ? &data_ : nullptr, previous_);
    energy_ = totals.content;
    return totals;
  }

  // Starts anew from the state and its rate; the energy of the new step is not that of the old one.
  Real change_step(const State& y, Real at, Real step) {
    State v(y.size()), force(y.size());
    Ledger ignored(balance_.lines().size());
    balance_.rate(y, at, Parts::all(), force, ignored);
    for (std::size_t n = 0; n < v.size(); ++n) v[n] = (y[n] - previous_[n]) / step_;
    const auto damping = dynamics_.damping(at);
    for (std::size_t n = 0; n < damping.size(); ++n) force[n] -= damping[n] * v[n];
    over_capacity(at, force);
    for (std::size_t n = 0; n < v.size(); ++n)
      if (!is_prescribed_[n]) v[n] += 0.5 * step_ * force[n];
    const Real old = energy_;
    return start(y, v, at, step).content - old;
  }

  // F without its data.
  void linear_rate(const State& y, Real at, State& out) {
    Ledger ignored(balance_.lines().size());
    balance_.rate(y, at, Parts::all(), out, ignored);
    forces_without_dynamics(at, alone_);
    for (std::size_t n = 0; n < out.size(); ++n) out[n] -= alone_[n];
  }

  void forces_without_dynamics(Real at, State& out) {
    const State zero(is_prescribed_.size(), 0.0);
    out.resize(zero.size());
    Ledger ignored(balance_.lines().size());
    balance_.rate(zero, at, Parts::all(), out, ignored);
  }

  void over_capacity(Real at, State& amounts) {
    const State q = amounts;
    balance_.recover(q, at, amounts);
    for (std::size_t n = 0; n < amounts.size(); ++n)
      if (is_prescribed_[n]) amounts[n] = 0;
  }

  // step²/12·d²F/dt², apart for what follows from the state and for what data impose.
  void correct(const State& y, Real at) {
    const Real weight = step_ * step_ / 12;
    State acceleration(y.size());
    linear_rate(y, at, acceleration);
    over_capacity(at, acceleration);
    correction_.resize(y.size());
    linear_rate(acceleration, at, correction_);
    for (Real& c : correction_) c *= weight;
    // Data: sources, boundaries that push, boundaries that move what they hold.
    State pushed, later, earlier, ahead(y.size(), 0.0), behind(y.size(), 0.0), prescribed(y.size(), 0.0);
    forces_without_dynamics(at + step_, later);
    forces_without_dynamics(at - step_, earlier);
    forces_without_dynamics(at, pushed);
    balance_.prescribe(at + step_, ahead);
    balance_.prescribe(at - step_, behind);
    balance_.prescribe(at, prescribed);
    has_data_ = false;
    for (std::size_t n = 0; n < y.size(); ++n)
      has_data_ = has_data_ || pushed[n] != 0 || later[n] != 0 || earlier[n] != 0 ||
                  (is_prescribed_[n] && (ahead[n] != prescribed[n] || behind[n] != prescribed[n]));
    if (!has_data_) return;
    State driven = pushed;
    over_capacity(at, driven);
    for (std::size_t n = 0; n < y.size(); ++n)
      if (is_prescribed_[n]) driven[n] = (ahead[n] - 2 * prescribed[n] + behind[n]) / (step_ * step_);
    data_.resize(y.size());
    linear_rate(driven, at, data_);
    for (std::size_t n = 0; n < y.size(); ++n)
      data_[n] = weight * (data_[n] + (later[n] - 2 * pushed[n] + earlier[n]) / (step_ * step_));
  }

  Balance& balance_;
  SecondOrderDynamics& dynamics_;
  bool corrected_;
  bool has_data_ = false;
  Real step_ = 0, energy_ = 0;
  std::vector<char> is_prescribed_;
  State correction_, data_, alone_;
  std::array<State, 2> spare_;  ///< the states before a pass of several steps
  std::vector<Real> kept_;      ///< and its numbers
};

}  // namespace

std::unique_ptr<Stepper> steppers::leapfrog(Balance& balance, const SecondOrder& method) {
  return std::make_unique<LeapfrogStepper>(balance, method);
}

}  // namespace williwaw
