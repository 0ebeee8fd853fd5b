// Runge-Kutta schemes, explicit or diagonally implicit, and pairs of them that treat sources apart.
#include <algorithm>
#include <cmath>

#include "kinds.hpp"
#include "stage_solver.hpp"
#include "steps_by_line.hpp"

namespace williwaw {

namespace {

// Parts of the balance that share a tableau, with their rates at every stage.
struct PartRates {
  const Tableau* tableau;
  Parts parts;
  std::vector<State> rates;
  std::vector<Ledger> booked;
};

class RungeKutta final : public StepsByLine {
 public:
  RungeKutta(Balance& balance, const Scheme& scheme, const Tableau& fluxes, const Tableau* sources,
             const Solving& solving)
      : StepsByLine(balance),
        fluxes_(fluxes),
        sources_(sources ? *sources : Tableau()),
        implicit_(!fluxes.is_explicit()),
        solver_(balance, solving, sources ? Parts::fluxes() : Parts::all()),
        remainder_(balance) {
    fluxes_.validate();
    if (implicit_) need_matrix(balance, scheme);
    // A single explicit stage is what balances do in one pass over memory.
    one_pass_ = !implicit_ && fluxes_.stages() == 1 && !sources;
    if (one_pass_) return;
    if (auto form = sources || !balance.steps_in_stages() ? std::nullopt : stages_by_line(fluxes_)) {
      by_line_ = std::move(form);
      return;
    }
    const auto size = static_cast<std::size_t>(balance.layout().size());
    if (balance.capabilities().stages && !sources)
      if (auto form = two_register_form(fluxes_)) {
        in_stages_.stages = std::move(*form);
        for (auto* s : {&stage_, &work_}) s->resize(size);
        in_stages_.rates = Ledger(balance.lines().size());
        return;
      }
    for (auto* s : {&start_, &stage_, &known_, &work_}) s->resize(size);
    const auto count = static_cast<std::size_t>(fluxes_.stages());
    const auto add_part = [&](const Tableau& t, Parts p) {
      part_rates_.push_back({&t, p, std::vector<State>(count, State(size)),
                             std::vector<Ledger>(count, Ledger(balance.lines().size()))});
    };
    add_part(fluxes_, sources ? Parts::fluxes() : Parts::all());
    if (sources) add_part(sources_, Parts::source() | Parts::advection());
    if (!fluxes_.embedded.empty()) error_.resize(size);
  }

  Totals advance(State& y, Real at, Real step, Ledger& amounts) override {
    if (one_pass_) {
      const Totals totals = balance_.advance(y, at, step, previous_, amounts);
      y.swap(previous_);
      return totals;
    }
    if (by_line_) return step_by_line(y, at, step, amounts);
    if (!in_stages_.stages.empty()) return advance_in_stages(y, at, step, amounts);
    left_ = 0;
    previous_ = y;
    balance_.storage(y, at, start_);
    if (implicit_) remainder_.add_to(start_);
    stage_ = y;
    for (int s = 0; s < fluxes_.stages(); ++s) take_stage(s, y, at, step);
    end_step(y, at, step);
    if (implicit_) remainder_.keep(work_, y, at + step);
    amounts.clear();
    for (const PartRates& part : part_rates_)
      for (int s = 0; s < fluxes_.stages(); ++s) amounts.add(part.booked[s], step * part.tableau->b[s]);
    steppers::book_boundaries(balance_, y, at + step, work_, known_, amounts);
    if (!error_.empty()) estimate(y, at, step);
    keep_last_rate(at + step);
    return balance_.totals(y, at + step);
  }

  AtOnce at_once() override { return one_pass_ ? balance_.at_once() : StepsByLine::at_once(); }
  bool advance_several(State& y, const Pass& pass) override {
    if (by_line_) return StepsByLine::advance_several(y, pass);
    start_.resize(y.size());
    if (!balance_.advance_several(y, pass, previous_, start_)) return false;
    y.swap(start_);
    return true;
  }

  void take_back(State& y) override {
    y = previous();
    first_rate_known_ = false;
    remainder_.take_back();
    in_stages_.totals.reset();
  }
  const State* error() const override { return error_.empty() ? nullptr : &error_; }
  int error_order() const override { return fluxes_.embedded_order; }
  int stages() const override { return fluxes_.stages(); }
  Real left_by_solver() const override { return left_; }
  std::string solver_name() const override { return implicit_ ? solver_.name() : ""; }
  Index solver_iterations() const override { return solver_.iterations(); }
  Index newton_iterations() const override { return solver_.newton_iterations(); }
  int factorizations() const override { return solver_.factorizations(); }

  StepperMemory remember() const override {
    StepperMemory memory{{solver_.factored_weight()}, {remainder_.state()}, {}};
    if (!first_rate_known_) return memory;
    memory.numbers.push_back(known_at_);
    memory.states.push_back(part_rates_[0].rates.front());
    memory.ledgers = {part_rates_[0].booked.front()};
    return memory;
  }
  void recall(const StepperMemory& memory) override {
    solver_.recall(memory.numbers.at(0));
    remainder_.recall(memory.states.at(0));
    first_rate_known_ = memory.numbers.size() > 1;
    if (!first_rate_known_) return;
    known_at_ = memory.numbers[1];
    part_rates_[0].rates.front() = memory.states.at(1);
    part_rates_[0].booked.front() = memory.ledgers.at(0);
  }

 private:
  // Every stage in one pass over memory; what one leaves, the next one starts from.
  Totals advance_in_stages(State& y, Real at, Real step, Ledger& amounts) {
    amounts.clear();
    previous_.swap(y);
    const State* now = &previous_;
    Totals totals;
    const bool known = in_stages_.totals && previous_.data() == in_stages_.state;
    for (std::size_t s = 0; s < in_stages_.stages.size(); ++s) {
      State& next = s + 1 == in_stages_.stages.size() ? y : s % 2 == 0 ? stage_ : work_;
      const Totals* of_now = s > 0 ? &totals : known ? &*in_stages_.totals : nullptr;
      const Totals after =
          balance_.stage(previous_, *now, in_stages_.stages[s].fraction, step * in_stages_.stages[s].weight,
                         at + fluxes_.c[s] * step, next, in_stages_.rates, of_now);
      totals = after;
      amounts.add(in_stages_.rates, step * fluxes_.b[s]);
      now = &next;
    }
    in_stages_.totals = totals;
    in_stages_.state = y.data();
    return totals;
  }

  void evaluate(int stage, const State& y, Real at) {
    for (PartRates& part : part_rates_)
      balance_.rate(y, at, part.parts, part.rates[stage], part.booked[stage]);
  }

  // out += step · Σ weights · rates, in one pass for two stages
  void add_rates(const std::vector<Real> Tableau::*weights, Real step, State& out) const {
    for (const PartRates& part : part_rates_) {
      const State* waiting = nullptr;
      Real of_waiting = 0;
      for (int s = 0; s < fluxes_.stages(); ++s) {
        const Real w = step * (part.tableau->*weights)[s];
        if (w == 0) continue;
        if (!waiting) {
          waiting = &part.rates[s];
          of_waiting = w;
          continue;
        }
        for (std::size_t n = 0; n < out.size(); ++n)
          out[n] += of_waiting * (*waiting)[n] + w * part.rates[s][n];
        waiting = nullptr;
      }
      if (waiting)
        for (std::size_t n = 0; n < out.size(); ++n) out[n] += of_waiting * (*waiting)[n];
    }
  }

  void take_stage(int s, const State& y, Real at, Real step) {
    const Real stage_time = at + fluxes_.c[s] * step;
    if (s == 0 && fluxes_.starts_with_state()) {
      if (!(first_rate_known_ && std::abs(known_at_ - at) <= 1e-9 * step)) evaluate(0, y, at);
      return;
    }
    known_ = start_;
    for (const PartRates& part : part_rates_)
      for (int j = 0; j < s; ++j)
        if (const Real w = step * part.tableau->a[s][j]; w != 0)
          for (std::size_t n = 0; n < known_.size(); ++n) known_[n] += w * part.rates[j][n];
    const Real own = step * fluxes_.a[s][s];
    if (own == 0) {
      balance_.recover(known_, stage_time, stage_);
      balance_.prescribe(stage_time, stage_);
      evaluate(s, stage_, stage_time);
    } else {
      solver_.solve(stage_, known_, stage_time, own);
      evaluate(s, stage_, stage_time);
      left_ += solver_.left_of(stage_, known_, part_rates_[0].rates[s], stage_time, own);
    }
  }

  // work_ becomes what the formula gives; y what boundaries make of it.
  void end_step(State& y, Real at, Real step) {
    work_ = start_;
    add_rates(&Tableau::b, step, work_);
    // Without its last stage as its end, the step ends with one more sum.
    if (part_rates_.size() == 1 && fluxes_.ends_with_last_stage()) {
      y.swap(stage_);
    } else {
      y = stage_;
      balance_.recover(work_, at + step, y);
      balance_.prescribe(at + step, y);
    }
  }

  // The distance to the embedded answer. What implicit schemes damp is damped in it too (Hairer and Wanner,
  // 1996), or stiff modes that hardly matter would dictate the step.
  void estimate(const State& y, Real at, Real step) {
    known_.assign(known_.size(), 0.0);
    for (int s = 0; s < fluxes_.stages(); ++s) {
      const Real w = step * (fluxes_.b[s] - fluxes_.embedded[s]);
      if (w != 0)
        for (std::size_t n = 0; n < known_.size(); ++n) known_[n] += w * part_rates_[0].rates[s][n];
    }
    if (implicit_) {
      solver_.smooth(known_, error_);
    } else {
      // As a change of the state: what it would be with this much more in store.
      for (std::size_t n = 0; n < known_.size(); ++n) known_[n] += work_[n];
      error_ = y;
      balance_.recover(known_, at + step, error_);
      balance_.prescribe(at + step, error_);
      for (std::size_t n = 0; n < error_.size(); ++n) error_[n] -= y[n];
    }
    for (const Index h : balance_.prescribed()) error_[h] = 0;
  }

  // The last stage's rate is the next step's first.
  void keep_last_rate(Real end) {
    first_rate_known_ =
        part_rates_.size() == 1 && fluxes_.starts_with_state() && fluxes_.ends_with_last_stage();
    if (!first_rate_known_) return;
    PartRates& part = part_rates_[0];
    part.rates.front().swap(part.rates.back());
    std::swap(part.booked.front(), part.booked.back());
    known_at_ = end;
  }

  Tableau fluxes_, sources_;
  bool implicit_, one_pass_;
  StageSolver solver_;
  Remainder remainder_;
  /// Of schemes that the balance takes stage by stage in one pass each.
  struct InStages {
    std::vector<TwoRegisterStage> stages;
    Ledger rates;
    std::optional<Totals> totals;  ///< of the state that the last step left, and where that was
    const Real* state = nullptr;
  } in_stages_;
  std::vector<PartRates> part_rates_;
  State stage_, known_, work_, error_;
  bool first_rate_known_ = false;
  Real known_at_ = 0;
  Real left_ = 0;
};

}  // namespace

std::unique_ptr<Stepper> steppers::runge_kutta(Balance& balance, const Scheme& scheme, const Tableau& fluxes,
                                               const Tableau* sources, const Solving& solving) {
  return std::make_unique<RungeKutta>(balance, scheme, fluxes, sources, solving);
}

}  // namespace williwaw
