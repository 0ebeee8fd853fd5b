#include "study/run/ranked_march.hpp"

namespace williwaw::study {

namespace {

// Leapfrog remembers where boundaries stood, besides two numbers of its own.
constexpr std::size_t own_numbers = 2;
bool remembers_boundaries(const Scheme& scheme) {
  const auto* method = std::get_if<SecondOrder>(&scheme.method);
  return method && method->beta == 0;
}

std::unique_ptr<Discretization> make_part(const Case& given, int threads, bool explicit_steps, bool in_passes,
                                          const Shared& shared) {
  Execution execution;
  execution.threads = threads;
  execution.cuts_lines = explicit_steps;
  execution.in_passes = in_passes;
  execution.communicator = &shared.ranks;
  execution.boxes = shared.boxes;
  return make_balance(given.system(), execution);
}

// What the first rank found out about the run, told to the others.
void share_plan(Communicator& ranks, Plan& plan) {
  std::vector<Real> own;
  if (ranks.rank() == 0) {
    own = {plan.start, plan.until, plan.step, plan.trim ? 1.0 : 0.0, plan.stable_values ? 1.0 : 0.0};
    const auto values = plan.stable_values.value_or(std::pair(0.0, 0.0));
    own.insert(own.end(), {values.first, values.second, static_cast<Real>(plan.records.size())});
    own.insert(own.end(), plan.records.begin(), plan.records.end());
    own.insert(own.end(), plan.stops.begin(), plan.stops.end());
  }
  // The others have nothing to tell.
  const std::vector<Real> told = ranks.gathered(own);
  constexpr std::ptrdiff_t numbers = 8;
  plan.start = told[0];
  plan.until = told[1];
  plan.step = told[2];
  plan.trim = told[3] != 0;
  plan.stable_values = told[4] != 0 ? std::optional(std::pair(told[5], told[6])) : std::nullopt;
  const auto stops = told.begin() + numbers + static_cast<std::ptrdiff_t>(told[7]);
  plan.records.assign(told.begin() + numbers, stops);
  plan.stops.assign(stops, told.end());
}

class RankedMarch {
 public:
  // The whole balance and those who watch are the first rank's.
  RankedMarch(const Case& given, Plan plan, Discretization* whole_balance, const RankedWatch& watch,
              const Shared& shared)
      : plan_(std::move(plan)),
        whole_balance_(whole_balance),
        watch_(watch),
        ranks_(shared.ranks),
        fields_(shared.fields),
        balance_(make_part(given, plan_.threads, is_explicit(plan_.scheme),
                           plan_.tiling && !plan_.adaptive && is_explicit(plan_.scheme), shared)),
        measures_(given, *balance_),
        whole_(balance_->layout()),
        places_(remembers_boundaries(plan_.scheme) ? balance_->dynamics().memory_places()
                                                   : std::vector<NumberPlace>()) {
    share_plan(ranks_, plan_);
    fields_.begin_stage(shared.stage, given, *balance_);
  }

  MarchedPart go(const Snapshot* from) {
    MarchedPart part;
    part.state = balance_->initial_state();
    const std::optional<Snapshot> snapshot = from ? std::optional(part_of(*from)) : std::nullopt;
    part.outcome = march(*balance_, part.state, plan_, observers(), snapshot ? &*snapshot : nullptr);
    // On the disks of all before the first rank gets the last state.
    fields_.flush();
    for (std::size_t u = 0; u < balance_->unknowns().size(); ++u) part.grids.push_back(balance_->grid(u));
    return part;
  }
  // The last state as a whole on the first rank, whose balance knows then what its boundaries remember.
  State at_first(const State& part) {
    const std::vector<Real> stood = boundaries();
    if (first() && remembers_boundaries(plan_.scheme)) whole_balance_->dynamics().recall(stood);
    return whole_.at_first(part);
  }

 private:
  bool first() const { return ranks_.rank() == 0; }

  // Calls look(whole) on the first rank, with the state from all of them. The one before is not brought
  // together: the change of a step is told by the outcome.
  template <class Look>
  void show(const StepInfo& m, const Look& look) {
    const State state = at_first(m.state);
    if (first())
      look(StepInfo{m.step, m.time, m.step_length, state, state, m.totals, m.amounts, m.budget,
                    whole_balance_->reductions(), m.between_steps});
  }

  Observers observers() {
    const Observers& to = watch_.observers;
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
    // Whoever wants to see every step says so to the first rank.
    result.looks_at = [this, &to](Real time) {
      return first() && (to.looks_at ? to.looks_at(time) : to.on_step || to.arrived);
    };
    result.on_series = [this](const StepInfo& m) {
      const RowMeasures row = measures_.of(m);
      if (first()) watch_.on_row(m, row);
    };
    result.on_record = [this, &to](const StepInfo& m) {
      if (first())
        to.on_record(m);
      else
        fields_.record(m.time, m.state);
    };
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
      // What the others have recorded is on the disk before the first rank has the whole snapshot.
      fields_.flush();
      const Snapshot together = whole_of(s);
      if (first()) to.on_snapshot(together);
    };
    return result;
  }

  // What the boundaries of all ranks remember.
  std::vector<Real> boundaries() const {
    if (!remembers_boundaries(plan_.scheme)) return {};
    return whole_.together(balance_->dynamics().remember(), places_);
  }

  Snapshot whole_of(const Snapshot& s) const {
    Snapshot result = s;
    result.state = whole_.at_first(s.state);
    for (State& state : result.stepper.states) state = whole_.at_first(state);
    if (remembers_boundaries(plan_.scheme)) {
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
    if (remembers_boundaries(plan_.scheme)) {
      const std::vector<Real> own = whole_.part(std::span(s.stepper.numbers).subspan(own_numbers), places_);
      result.stepper.numbers.resize(own_numbers);
      result.stepper.numbers.insert(result.stepper.numbers.end(), own.begin(), own.end());
    }
    return result;
  }

  Plan plan_;
  Discretization* whole_balance_;
  const RankedWatch& watch_;
  Communicator& ranks_;
  FieldRecorder& fields_;
  std::unique_ptr<Discretization> balance_;
  Measures measures_;
  WholeStates whole_;
  std::vector<NumberPlace> places_;  ///< of what boundaries remember
  bool interrupted_ = false, due_ = false, looked_at_ = false;
};

}  // namespace

SteadyOutcome solve_steady_on_ranks(const Case& given, const SteadyRules& rules, const Shared& shared,
                                    State* at_first) {
  const auto balance = make_part(given, rules.threads, false, false, shared);
  State part = balance->initial_state();
  const SteadyOutcome outcome = solve_steady(*balance, part, 0, rules);
  shared.fields.begin_stage(0, given, *balance);
  shared.fields.record(0, part);
  shared.fields.flush();
  State whole = WholeStates(balance->layout()).at_first(part);
  if (at_first) *at_first = std::move(whole);
  return outcome;
}

Outcome march_on_ranks(const Case& given, const Prepared& ready, State& state, const RankedWatch& watch,
                       const Snapshot* from, const Shared& shared) {
  RankedMarch together(given, ready.plan, ready.balance.get(), watch, shared);
  MarchedPart part = together.go(from);
  state = together.at_first(part.state);
  return std::move(part.outcome);
}

MarchedPart march_beside(const Case& given, int threads, const Snapshot* from, const Shared& shared) {
  Plan plan = given.plan;
  plan.threads = threads;
  const RankedWatch nobody;
  RankedMarch together(given, plan, nullptr, nobody, shared);
  MarchedPart part = together.go(from);
  together.at_first(part.state);
  return part;
}

}  // namespace williwaw::study
