#include "study/run/ranked_march.hpp"

namespace williwaw::study {

namespace {

// Leapfrog remembers where boundaries stood, besides two numbers of its own.
constexpr std::size_t own_numbers = 2;
bool remembers_boundaries(const Scheme& scheme) {
  const auto* method = std::get_if<SecondOrder>(&scheme.method);
  return method && method->beta == 0;
}

std::unique_ptr<Discretization> make_part(const Case& given, int threads, Communicator& ranks,
                                          const std::array<int, 3>& boxes) {
  Execution execution;
  execution.threads = threads;
  execution.communicator = &ranks;
  execution.boxes = boxes;
  return make_balance(given.system(), execution);
}

class RankedMarch {
 public:
  RankedMarch(const Case& given, const Prepared& ready, const Observers& watched, Communicator& ranks,
              const std::array<int, 3>& boxes)
      : ready_(ready),
        watched_(watched),
        ranks_(ranks),
        balance_(make_part(given, ready.plan.threads, ranks, boxes)),
        whole_(balance_->layout()),
        places_(remembers_boundaries(ready.plan.scheme) ? balance_->dynamics().memory_places()
                                                        : std::vector<NumberPlace>()) {}

  Outcome go(State& state, const Snapshot* from) {
    State part = whole_.part(state);
    const std::optional<Snapshot> snapshot = from ? std::optional(part_of(*from)) : std::nullopt;
    const Outcome outcome = march(*balance_, part, ready_.plan, observers(), snapshot ? &*snapshot : nullptr);
    state = whole_.everywhere(part);
    return outcome;
  }

 private:
  bool first() const { return ranks_.rank() == 0; }

  // Calls look(whole) on the first rank, with the state from all of them. The one before is not brought
  // together: the change of a step is told by the outcome.
  template <class Look>
  void show(const StepInfo& m, const Look& look) {
    const State state = whole_.at_first(m.state);
    const std::vector<Real> stood = boundaries();
    if (!first()) return;
    // Values on boundaries that follow a wave are known where it was marched.
    if (remembers_boundaries(ready_.plan.scheme)) ready_.balance->dynamics().recall(stood);
    look(StepInfo{m.step, m.time, m.step_length, state, state, m.totals, m.amounts, m.budget,
                  ready_.balance->reductions(), m.between_steps});
  }

  Observers observers() {
    const Observers& to = watched_;
    Observers result;
    // Once a step the first rank tells what it wants of it: it alone hears signals and looks at the clock.
    result.on_step = [this, &to](const StepInfo& m) {
      if (first() && to.on_step) to.on_step(m);
      std::array<Real, 3> wanted{};
      if (first())
        wanted = {to.interrupt && to.interrupt() ? 1.0 : 0.0,
                  to.snapshot_due && to.snapshot_due() ? 1.0 : 0.0,
                  !to.looks_at || to.looks_at(m.time) ? 1.0 : 0.0};
      ranks_.broadcast(wanted);
      interrupted_ = wanted[0] != 0;
      due_ = wanted[1] != 0;
      looked_at_ = wanted[2] != 0;
    };
    result.on_series = [this, &to](const StepInfo& m) { show(m, to.on_series); };
    result.on_record = [this, &to](const StepInfo& m) { show(m, to.on_record); };
    result.interrupt = [this] { return interrupted_; };
    result.snapshot_due = [this] { return due_; };
    result.arrived = [this, &to](const StepInfo& m) {
      if (!looked_at_) return false;
      std::array<Real, 1> arrived{0};
      show(m, [&](const StepInfo& whole) { arrived[0] = to.arrived(whole) ? 1 : 0; });
      ranks_.broadcast(arrived);
      return arrived[0] != 0;
    };
    if (first()) result.on_trial = to.on_trial;
    result.on_snapshot = [this, &to](const Snapshot& s) {
      const Snapshot together = whole_of(s);
      if (first()) to.on_snapshot(together);
    };
    return result;
  }

  // What the boundaries of all ranks remember.
  std::vector<Real> boundaries() const {
    if (!remembers_boundaries(ready_.plan.scheme)) return {};
    return whole_.together(balance_->dynamics().remember(), places_);
  }

  Snapshot whole_of(const Snapshot& s) const {
    Snapshot result = s;
    result.state = whole_.at_first(s.state);
    for (State& state : result.stepper.states) state = whole_.at_first(state);
    if (remembers_boundaries(ready_.plan.scheme)) {
      const std::vector<Real> all = boundaries();
      result.stepper.numbers.resize(own_numbers);
      result.stepper.numbers.insert(result.stepper.numbers.end(), all.begin(), all.end());
    }
    return result;
  }

  Snapshot part_of(const Snapshot& s) const {
    Snapshot result = s;
    result.state = whole_.part(s.state);
    for (State& state : result.stepper.states) state = whole_.part(state);
    if (remembers_boundaries(ready_.plan.scheme)) {
      const std::vector<Real> own = whole_.part(std::span(s.stepper.numbers).subspan(own_numbers), places_);
      result.stepper.numbers.resize(own_numbers);
      result.stepper.numbers.insert(result.stepper.numbers.end(), own.begin(), own.end());
    }
    return result;
  }

  const Prepared& ready_;
  const Observers& watched_;
  Communicator& ranks_;
  std::unique_ptr<Discretization> balance_;
  WholeStates whole_;
  std::vector<NumberPlace> places_;  ///< of what boundaries remember
  bool interrupted_ = false, due_ = false, looked_at_ = false;
};

}  // namespace

SteadyOutcome solve_steady_on_ranks(const Case& given, State& state, const SteadyRules& rules,
                                    Communicator& ranks, const std::array<int, 3>& boxes) {
  const auto balance = make_part(given, rules.threads, ranks, boxes);
  const WholeStates whole(balance->layout());
  State part = whole.part(state);
  const SteadyOutcome outcome = solve_steady(*balance, part, 0, rules);
  state = whole.everywhere(part);
  return outcome;
}

Outcome march_on_ranks(const Case& given, const Prepared& ready, State& state, const Observers& watched,
                       const Snapshot* from, Communicator& ranks, const std::array<int, 3>& boxes) {
  return RankedMarch(given, ready, watched, ranks, boxes).go(state, from);
}

}  // namespace williwaw::study
