// Explicit Runge-Kutta schemes on the first-order system of a wave. What its numerical fluxes take of the
// energy is the scheme's own line.
#include <algorithm>

#include "grid/threads.hpp"
#include "kinds.hpp"

namespace williwaw {

namespace {

struct Weighted {
  const Real* rate;
  Real weight;
};

// to = from + Σ weight·rate; `to` may be `from`.
void combine(const State& from, const std::vector<Weighted>& all, State& to, int threads) {
  to.resize(from.size());
  const Real* const start = from.data();
  Real* const out = to.data();
  each_by_threads(static_cast<Index>(from.size()), threads, [&all, start, out](Index n) {
    Real sum = start[n];
    for (const Weighted& w : all) sum += w.weight * w.rate[n];
    out[n] = sum;
  });
}

class FirstOrderStepper final : public Stepper {
 public:
  FirstOrderStepper(Balance& balance, const Tableau& tableau)
      : system_(balance.first_order_form()),
        scheme_line_(balance.dynamics().scheme_line()),
        tableau_(tableau),
        power_(balance.lines().size()),
        threads_(balance.reductions().threads()) {
    rates_.resize(tableau.b.size());
  }

  std::optional<Totals> begin(const State& y, Real at, Real) override {
    all_ = system_->initial(y, at);
    const Totals totals = system_->totals(all_);
    energy_ = totals.content;
    return totals;
  }

  Totals advance(State& y, Real at, Real step, Ledger& amounts) override {
    previous_ = y;
    amounts.clear();
    for (std::size_t i = 0; i < rates_.size(); ++i) {
      std::vector<Weighted> before;
      for (std::size_t j = 0; j < i; ++j)
        if (tableau_.a[i][j] != 0) before.push_back({rates_[j].data(), step * tableau_.a[i][j]});
      combine(all_, before, stage_, threads_);
      system_->rate(stage_, at + tableau_.c[i] * step, step, rates_[i], power_);
      amounts.add(power_, step * tableau_.b[i]);
    }
    std::vector<Weighted> whole;
    for (std::size_t i = 0; i < rates_.size(); ++i) whole.push_back({rates_[i].data(), step * tableau_.b[i]});
    combine(all_, whole, all_, threads_);

    // The unknown only follows: with one stage the mean of the rates at both ends keeps what fluxes of order
    // 2 gained.
    const auto rate = static_cast<std::size_t>(system_->layout().start(1));
    if (rates_.size() == 1)
      for (std::size_t n = 0; n < y.size(); ++n)
        all_[n] = previous_[n] + 0.5 * step * (rates_[0][n] + all_[rate + n]);
    std::copy_n(all_.begin(), y.size(), y.begin());
    const Totals totals = system_->totals(all_);
    amounts[scheme_line_] += totals.content - energy_ - amounts.sum();
    energy_ = totals.content;
    return totals;
  }

  int stages() const override { return tableau_.stages(); }
  StepperMemory remember() const override { return {{energy_}, {all_}, {}}; }
  // One block after the other, or each as a state of its own.
  void recall(const StepperMemory& memory) override {
    energy_ = memory.numbers.at(0);
    all_.clear();
    for (const State& state : memory.states) all_.insert(all_.end(), state.begin(), state.end());
    if (static_cast<Index>(all_.size()) != system_->layout().size())
      throw InputError("the snapshot belongs to another run");
  }

 private:
  std::unique_ptr<FirstOrderForm> system_;
  LineId scheme_line_;
  Tableau tableau_;
  Ledger power_;
  int threads_;
  State all_, stage_;
  std::vector<State> rates_;
  Real energy_ = 0;
};

}  // namespace

std::unique_ptr<Stepper> steppers::first_order_form(Balance& balance, const Tableau& tableau) {
  return std::make_unique<FirstOrderStepper>(balance, tableau);
}

}  // namespace williwaw
