// Stabilized explicit schemes: as many stages as the spectrum asks for, five vectors whatever their number.
#include <algorithm>
#include <cmath>

#include "kinds.hpp"
#include "stage_solver.hpp"
#include "steps_by_line.hpp"

namespace williwaw {

namespace {

// How many steps a bound of the spectrum is good for where the matrix changes.
constexpr int steps_between_bounds = 10;

class StabilizedStepper final : public StepsByLine {
 public:
  StabilizedStepper(Balance& balance, const Scheme& scheme, const Stabilized& method)
      : StepsByLine(balance),
        method_(method),
        steady_(balance.capabilities().linear && balance.capabilities().steady_matrix) {
    need_matrix(balance, scheme);
    // Errors of steps are told from increments of what is stored, which stages line by line do without.
    if (!method.estimates && balance.steps_in_stages()) {
      by_line_.emplace();
      return;
    }
    const auto size = static_cast<std::size_t>(balance.layout().size());
    for (auto* s : {&start_, &first_rate_, &rate_, &now_, &before_, &stage_, &error_}) s->resize(size);
    for (auto* l : {&ledgers_.first_booked, &ledgers_.booked, &ledgers_.now, &ledgers_.before})
      *l = Ledger(balance.lines().size());
  }

  Totals advance(State& y, Real at, Real step, Ledger& amounts) override {
    choose_stages(y, at, step);
    if (by_line_) return step_by_line(y, at, step, amounts);
    previous_ = y;
    balance_.storage(y, at, start_);
    balance_.rate(y, at, Parts::all(), first_rate_, ledgers_.first_booked);
    // Stages are kept as increments of what is stored, and the ledger goes the same way.
    now_.assign(now_.size(), 0.0);
    before_ = now_;
    ledgers_.now.clear();
    ledgers_.before.clear();
    stage_ = y;
    for (std::size_t j = 0; j < rows_.size(); ++j) {
      if (j == 0) {
        rate_ = first_rate_;
        ledgers_.booked = ledgers_.first_booked;
      } else {
        const Real time = at + rows_[j - 1].c * step;
        for (std::size_t n = 0; n < now_.size(); ++n) rate_[n] = start_[n] + now_[n];
        balance_.recover(rate_, time, stage_);
        balance_.prescribe(time, stage_);
        balance_.rate(stage_, time, Parts::all(), rate_, ledgers_.booked);
      }
      take_stage(rows_[j], step);
    }
    for (std::size_t n = 0; n < now_.size(); ++n) rate_[n] = start_[n] + now_[n];
    balance_.recover(rate_, at + step, y);
    balance_.prescribe(at + step, y);
    amounts = ledgers_.now;
    steppers::book_boundaries(balance_, y, at + step, rate_, error_, amounts);
    if (method_.estimates) estimate(y, at, step);
    return balance_.totals(y, at + step);
  }

  AtOnce at_once() override {
    if (by_line_ && !steady_)
      return {0, 1, "the stages that a step takes are found anew as the equation changes"};
    return StepsByLine::at_once();
  }
  bool advance_several(State& y, const Pass& pass) override {
    choose_stages(y, pass.times.front(), pass.step);
    return StepsByLine::advance_several(y, pass);
  }
  void take_back(State& y) override { y = previous(); }
  const State* error() const override { return method_.estimates ? &error_ : nullptr; }
  int error_order() const override { return 2; }
  int stages() const override { return static_cast<int>(rows_.size()); }

  StepperMemory remember() const override { return {{bound_, static_cast<Real>(age_)}, {}, {}}; }
  void recall(const StepperMemory& memory) override {
    bound_ = memory.numbers.at(0);
    age_ = static_cast<int>(memory.numbers.at(1));
  }

 private:
  void choose_stages(const State& y, Real at, Real step) {
    if (age_ == 0 || (!steady_ && age_ >= steps_between_bounds)) {
      bound_ = spectral_bound(balance_, y, at);
      age_ = 0;
    }
    ++age_;
    // A matrix that changes may grow until the next look.
    const int count = method_.stages_for((steady_ ? 1 : 1.1) * bound_ * step);
    if (count == static_cast<int>(rows_.size())) return;
    rows_ = method_.recurrences(count);
    if (by_line_) by_line_ = stages_by_line(method_, count);
  }

  void take_stage(const Recurrence& r, Real step) {
    for (std::size_t n = 0; n < now_.size(); ++n) {
      const Real next = r.previous * now_[n] + r.before_previous * before_[n] +
                        step * (r.rate * rate_[n] + r.first_rate * first_rate_[n]);
      before_[n] = now_[n];
      now_[n] = next;
    }
    ledgers_.change = ledgers_.booked;
    ledgers_.change.scale(r.rate);
    ledgers_.change.add(ledgers_.first_booked, r.first_rate);
    ledgers_.next = ledgers_.now;
    ledgers_.next.scale(r.previous);
    ledgers_.next.add(ledgers_.before, r.before_previous);
    ledgers_.next.add(ledgers_.change, step);
    std::swap(ledgers_.before, ledgers_.now);
    std::swap(ledgers_.now, ledgers_.next);
  }

  // Sommeijer, Shampine and Verwer (1997): 0.8·(start − end) + 0.4·step·(rate at start + rate at end).
  void estimate(const State& y, Real at, Real step) {
    balance_.rate(y, at + step, Parts::all(), before_, ledgers_.booked);
    for (std::size_t n = 0; n < now_.size(); ++n)
      before_[n] = rate_[n] - 0.8 * now_[n] + 0.4 * step * (first_rate_[n] + before_[n]);
    error_ = y;
    balance_.recover(before_, at + step, error_);
    for (std::size_t n = 0; n < error_.size(); ++n) error_[n] -= y[n];
    for (const Index h : balance_.prescribed()) error_[h] = 0;
  }

  Stabilized method_;
  bool steady_;
  Real bound_ = 0;
  int age_ = 0;
  std::vector<Recurrence> rows_;
  State first_rate_, rate_, now_, before_, stage_, error_;
  struct Ledgers {
    Ledger first_booked, booked, now, before, next, change;
  } ledgers_;
};

}  // namespace

std::unique_ptr<Stepper> steppers::stabilized(Balance& balance, const Scheme& scheme,
                                              const Stabilized& method) {
  return std::make_unique<StabilizedStepper>(balance, scheme, method);
}

}  // namespace williwaw
