// Explicit Runge-Kutta schemes on the first-order system of a wave. What its numerical fluxes take of the
// energy is the scheme's own line.
#include "williwaw/space/wave_system.hpp"

#include "kinds.hpp"

namespace williwaw {

namespace {

class WaveSystemStepper final : public Stepper {
 public:
  WaveSystemStepper(DiffusionBalance& balance, const Tableau& tableau)
      : balance_(balance), system_(balance), tableau_(tableau), power_(balance.lines().size()) {
    rates_.resize(tableau.b.size());
  }

  std::optional<Totals> begin(const State& y, Real at, Real) override {
    fields_ = system_.initial(at);
    fields_.u = y;
    const Totals totals = system_.totals(fields_);
    energy_ = totals.content;
    return totals;
  }

  Totals advance(State& y, Real at, Real step, Ledger& amounts) override {
    previous_ = y;
    amounts.clear();
    for (std::size_t i = 0; i < rates_.size(); ++i) {
      stage_ = fields_;
      for (std::size_t j = 0; j < i; ++j)
        if (tableau_.a[i][j] != 0) add(stage_, rates_[j], step * tableau_.a[i][j]);
      system_.rate(stage_, at + tableau_.c[i] * step, step, rates_[i], power_);
      amounts.add(power_, step * tableau_.b[i]);
    }
    for (std::size_t i = 0; i < rates_.size(); ++i) add(fields_, rates_[i], step * tableau_.b[i]);
    // u only follows: with one stage the mean of the rates at both ends keeps what fluxes of order 2 gained.
    if (rates_.size() == 1)
      for (std::size_t n = 0; n < y.size(); ++n)
        fields_.u[n] = previous_[n] + 0.5 * step * (rates_[0].u[n] + fields_.p[n]);
    y = fields_.u;
    const Totals totals = system_.totals(fields_);
    amounts[balance_.motion()->scheme_line()] += totals.content - energy_ - amounts.sum();
    energy_ = totals.content;
    return totals;
  }

  int stages() const override { return tableau_.stages(); }
  StepperMemory remember() const override {
    StepperMemory memory{{energy_}, {fields_.u, fields_.p}, {}};
    for (const State& s : fields_.stress) memory.states.push_back(s);
    return memory;
  }
  void recall(const StepperMemory& memory) override {
    energy_ = memory.numbers.at(0);
    fields_.u = memory.states.at(0);
    fields_.p = memory.states.at(1);
    for (std::size_t a = 0; a < 3; ++a) fields_.stress[a] = memory.states.at(2 + a);
  }

 private:
  static void add(WaveFields& to, const WaveFields& rate, Real weight) {
    const auto one = [weight](State& a, const State& b) {
      for (std::size_t n = 0; n < a.size(); ++n) a[n] += weight * b[n];
    };
    one(to.u, rate.u);
    one(to.p, rate.p);
    for (std::size_t a = 0; a < 3; ++a) one(to.stress[a], rate.stress[a]);
  }

  DiffusionBalance& balance_;
  WaveSystem system_;
  Tableau tableau_;
  Ledger power_;
  WaveFields fields_, stage_;
  std::vector<WaveFields> rates_;
  Real energy_ = 0;
};

}  // namespace

std::unique_ptr<Stepper> steppers::wave_system(DiffusionBalance& balance, const Tableau& tableau) {
  return std::make_unique<WaveSystemStepper>(balance, tableau);
}

}  // namespace williwaw
