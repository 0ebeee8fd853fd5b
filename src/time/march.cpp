#include "williwaw/time/march.hpp"

#include <algorithm>
#include <cmath>
#include <exception>
#include <utility>

#include "time/passes.hpp"
#include "time/steppers/stage_solver.hpp"

namespace williwaw {

Real StepInfo::change() const {
  return over.largest_difference(state, previous);
}

namespace {

// A step of fixed length that cannot be solved is cut into halves, and these again, down to so small a part
// and with so many failures in all.
constexpr int most_halvings = 24, most_failures = 300;

Scheme scheme_of(const Plan& plan) {
  Scheme scheme = plan.scheme;
  if (plan.adaptive && scheme.estimating) scheme.method = *scheme.estimating;
  if (auto* stabilized = std::get_if<Stabilized>(&scheme.method))
    stabilized->estimates = plan.adaptive.has_value();
  return scheme;
}

class March {
 public:
  March(Balance& balance, State& state, const Plan& plan, const Observers& observers)
      : balance_(balance),
        shared_(balance.reductions().shared()),
        state_(state),
        plan_(plan),
        observers_(observers),
        intervals_(schedule(plan)),
        stepper_(make_stepper(balance, scheme_of(plan), {plan.solver, plan.threads}, plan.damped_start)),
        amounts_(balance.lines().size()),
        free_(balance.free_count()) {
    if (static_cast<Index>(state.size()) != balance.layout().size())
      throw InputError("the initial state does not have as many values as the problem has unknowns");
    if (!plan.adaptive) return;
    if (!estimates_error(plan.scheme))
      throw InputError("scheme '" + plan.scheme.name + "' has no estimate of its errors to choose steps by");
    if (plan.damped_start > 0) throw InputError("damped first steps need steps of a fixed length");
    control_.emplace(*plan.adaptive, stepper_->error_order());
  }

  Outcome go(const Snapshot* from) {
    from ? resume(*from) : begin();
    for (; at_.interval < intervals_.size(); ++at_.interval, at_.taken = 0)
      if (!cross(intervals_[at_.interval])) break;
    out_.solver = stepper_->solver_name();
    out_.solver_iterations = stepper_->solver_iterations();
    out_.newton_iterations = stepper_->newton_iterations();
    out_.tiling = passes_.outcome();
    return std::move(out_);
  }

 private:
  void begin() {
    if (intervals_.empty()) throw InputError("the run has no time to run");
    const bool prescribes = plan_.boundary_nodes != Plan::BoundaryNodes::initial && balance_.prescribes();
    const Real before = prescribes ? balance_.totals(state_, plan_.start).content : 0;
    if (prescribes) {
      const State given = plan_.boundary_nodes == Plan::BoundaryNodes::mean ? state_ : State();
      balance_.prescribe(plan_.start, state_);
      for (std::size_t n = 0; n < given.size(); ++n) state_[n] = 0.5 * (state_[n] + given[n]);
    }
    out_.time = plan_.start;
    const Interval& first = intervals_.front();
    const auto counted =
        stepper_->begin(state_, plan_.start, (first.to - first.from) / static_cast<Real>(first.steps));
    out_.totals = counted ? *counted : balance_.totals(state_, plan_.start);
    out_.budget =
        Budget(balance_.lines(), out_.totals, counted || !prescribes ? 0 : out_.totals.content - before);
    if (balance_.layout().blocks().size() > 1)
      if (const auto each = balance_.totals_by_unknown(state_, plan_.start); each.size() > 1)
        out_.budget.keep_by_unknown(each);
    out_.lowest = out_.totals.lowest;
    out_.highest = out_.totals.highest;
    guard_ = Guard(balance_, out_.totals, plan_.start);
    if (control_) {
      control_->see(out_.totals, balance_.data_bounds(plan_.start));
      see_unknowns();
      control_->start(balance_, state_, plan_.start, plan_.until - plan_.start, plan_.step);
    }
    const StepInfo now = info(0);
    if (observers_.on_series) observers_.on_series(now);
    if (observers_.on_record) observers_.on_record(now);
  }

  void resume(const Snapshot& s) {
    if (s.state.size() != state_.size() || s.interval >= intervals_.size())
      throw InputError("the snapshot belongs to another run");
    state_ = s.state;
    out_.time = s.time;
    out_.steps = s.steps;
    out_.rejected = s.rejected;
    out_.totals = s.totals;
    out_.budget = s.budget;
    out_.left_by_solver = s.left_by_solver;
    out_.shortest_step = s.shortest_step;
    out_.longest_step = s.longest_step;
    out_.most_stages = s.most_stages;
    out_.lowest = s.lowest;
    out_.highest = s.highest;
    guard_ = s.guard;
    at_.interval = s.interval;
    at_.taken = s.step_of_interval;
    stepper_->recall(s.stepper);
    if (!control_) return;
    see_unknowns();
    control_->recall(s.control);
    out_.jumps = s.control.jumps;
  }

  // With the state itself for as long as it is looked at: a copy would cost as much memory as a run may have
  // left.
  void show_snapshot() {
    Snapshot s = snapshot_without_state();
    s.state.swap(state_);
    try {
      observers_.on_snapshot(s);
    } catch (...) {
      s.state.swap(state_);
      throw;
    }
    s.state.swap(state_);
  }

  Snapshot snapshot_without_state() const {
    Snapshot s;
    s.time = out_.time;
    s.steps = out_.steps;
    s.rejected = out_.rejected;
    // A stretch that is done belongs to the past.
    const bool done = at_.finished;
    s.interval = at_.interval + (done ? 1 : 0);
    s.step_of_interval = done ? 0 : at_.taken;
    s.totals = out_.totals;
    s.budget = out_.budget;
    s.guard = guard_;
    s.stepper = stepper_->remember();
    if (control_) s.control = control_->memory();
    s.left_by_solver = out_.left_by_solver;
    s.shortest_step = out_.shortest_step;
    s.longest_step = out_.longest_step;
    s.most_stages = out_.most_stages;
    s.lowest = out_.lowest;
    s.highest = out_.highest;
    return s;
  }

  StepInfo info(Real length) const {
    return {out_.steps,
            out_.time,
            length,
            state_,
            in_parts_ ? kept_ : stepper_->previous(),
            out_.totals,
            amounts_,
            out_.budget,
            balance_.reductions()};
  }

  // True if the run goes on.
  bool cross(const Interval& interval) {
    if (control_) {
      while (out_.time < interval.to)
        if (!step_by_error(interval)) return false;
      return true;
    }
    const Real length = (interval.to - interval.from) / static_cast<Real>(interval.steps);
    while (at_.taken < interval.steps) {
      if (const int count = several(interval, length); count > 0 && take_several(interval, length, count)) {
        if (!finish(interval, length, at_.taken == interval.steps)) return false;
        continue;
      }
      ++at_.taken;
      const bool last = at_.taken == interval.steps;
      const Real to = end_of_step(interval, length, at_.taken), from = out_.time;
      out_.time = to;
      previous_totals_ = out_.totals;
      keep_state();
      try {
        const auto begun = Clock::now();
        out_.totals = take_step(from, length);
        passes_.took_one(begun);
      } catch (const DataError& e) {
        if (shared_) throw;
        --at_.taken;
        stop_at_data(from, e);
        return false;
      } catch (const StageMeetsData& e) {
        if (shared_) throw;
        --at_.taken;
        stop_at_data(from, e.data);
        return false;
      } catch (const SolverError& e) {
        if (out_.steps == 0 && kept_.empty()) throw;
        --at_.taken;
        give_up(from, e.what());
        return false;
      }
      if (!finish(interval, length, last)) return false;
    }
    return true;
  }

  // Times are counted from the stretch's start, so that rounding does not add up.
  static Real end_of_step(const Interval& interval, Real length, Index taken) {
    return taken == interval.steps ? interval.to : interval.from + static_cast<Real>(taken) * length;
  }

  // Steps to be taken in one pass from here on; 0 where a step is taken by itself. Of ranks the first one
  // decides, which looks at the clock and knows who looks at what.
  int several(const Interval& interval, Real length) {
    const int count = wanted_in_pass(interval, length);
    if (!shared_ || passes_.at_once() == 0) return count;
    return static_cast<int>(balance_.reductions().of_first(count));
  }

  // Up to the next one that somebody looks at, that one included.
  int wanted_in_pass(const Interval& interval, Real length) {
    if (!passes_.wanted(*stepper_, plan_.tiling) || !kept_.empty()) return 0;
    if (passes_.least() > 1 && (observers_.on_step || observers_.arrived) && !observers_.looks_at) return 0;
    const Index most = passes_.at_once(), far = std::min(4 * most, interval.steps - at_.taken);
    Index count = 1;
    Real from = out_.time;
    for (; count < far; ++count) {
      const Real to = end_of_step(interval, length, at_.taken + count);
      if (looked_at(from, to, count)) break;
      from = to;
    }
    // Passes of one length until then.
    const Index passes = (count + most - 1) / most;
    const auto each = static_cast<int>((count + passes - 1) / passes);
    return each < passes_.least() ? 0 : each;
  }

  bool looked_at(Real from, Real to, Index ahead) const {
    if ((observers_.on_step || observers_.arrived) && !observers_.looks_at) return true;
    if (plan_.record_every_steps > 0 && (out_.steps + ahead) % plan_.record_every_steps == 0) return true;
    if (observers_.on_series && (plan_.series_every == 0 || has_row(from, to))) return true;
    return observers_.looks_at && observers_.looks_at(to);
  }

  // False if nothing was done, and the steps are to be taken one by one: they end the run, or data are no
  // numbers in one of them. Otherwise the last one is left to be finished.
  bool take_several(const Interval& interval, Real length, int count) {
    const auto begun = Clock::now();
    const Pass pass = passes_.begin(out_.time, length, count, amounts_.size());
    for (int s = 1; s < count; ++s)
      passes_.times[static_cast<std::size_t>(s)] = end_of_step(interval, length, at_.taken + s);
    if (!stepper_->advance_several(state_, pass)) {
      passes_.one_by_one(count, 0);
      return false;
    }
    const Outcome before = out_;
    const Guard guard = guard_;
    solver_left_ = 0;
    if (!account_within(interval, length, pass)) {
      stepper_->take_back_several(state_);
      out_ = before;
      guard_ = guard;
      passes_.one_by_one(count, count);
      return false;
    }
    at_.taken += count;
    passes_.took(begun, count);
    return true;
  }

  // Accounts for the steps of a pass, of which the last one is left to be finished. False if one before it
  // ends the run.
  bool account_within(const Interval& interval, Real length, const Pass& pass) {
    try {
      for (std::size_t s = 0; s < pass.times.size(); ++s) {
        previous_totals_ = out_.totals;
        out_.totals = pass.totals[s];
        amounts_ = pass.amounts[s];
        out_.time = end_of_step(interval, length, at_.taken + static_cast<Index>(s) + 1);
        if (s + 1 == pass.times.size()) return true;
        account(length);
        if (trouble_of(length, false)) return false;
      }
    } catch (const DataError&) {
      if (shared_) throw;
    }
    return false;
  }

  // A step of fixed length; where it cannot be solved, as two of half the length, and so on.
  Totals take_step(Real from, Real length) {
    solver_left_ = 0;
    in_parts_ = false;
    failures_ = 0;
    first_failure_ = nullptr;
    if (kept_.empty()) {
      const Totals totals = stepper_->advance(state_, from, length, amounts_);
      solver_left_ = stepper_->left_by_solver();
      return totals;
    }
    Ledger sum(amounts_.size());
    const Totals totals = take_part(from, length, 0, sum);
    amounts_ = sum;
    return totals;
  }

  Totals take_part(Real from, Real length, int halvings, Ledger& sum) {
    // The state before a whole step is kept already.
    const State before = halvings > 0 ? state_ : State();
    try {
      const Totals totals = stepper_->advance(state_, from, length, amounts_);
      sum.add(amounts_, 1);
      solver_left_ += stepper_->left_by_solver();
      out_.shortest_step = out_.shortest_step > 0 ? std::min(out_.shortest_step, length) : length;
      return totals;
    } catch (const SolverError&) {
      // What the whole step failed of tells more than what its smallest part did.
      if (!first_failure_) first_failure_ = std::current_exception();
      if (halvings == most_halvings || ++failures_ > most_failures) std::rethrow_exception(first_failure_);
    }
    state_ = halvings > 0 ? before : kept_;
    in_parts_ = true;
    ++out_.rejected;
    if (observers_.on_trial) observers_.on_trial({from, length, 0, false});
    take_part(from, 0.5 * length, halvings + 1, sum);
    return take_part(from + 0.5 * length, 0.5 * length, halvings + 1, sum);
  }

  void see_unknowns() {
    if (balance_.layout().blocks().size() < 2) return;
    if (const auto each = balance_.totals_by_unknown(state_, out_.time); each.size() > 1)
      control_->see(each, balance_.layout());
  }

  bool step_by_error(const Interval& interval) {
    const Real from = out_.time, rest = interval.to - from;
    // Two even steps rather than a long one and a splinter.
    Real length = control_->next();
    const bool last = length >= rest * (1 - 1e-9);
    if (last)
      length = rest;
    else if (2 * length > rest)
      length = 0.5 * rest;
    keep_state();
    previous_totals_ = out_.totals;
    Totals totals;
    Real error = std::numeric_limits<Real>::infinity();
    bool solved = true;
    try {
      totals = stepper_->advance(state_, from, length, amounts_);
      if (totals.finite()) error = control_->measure(*stepper_->error(), balance_.reductions(), free_);
    } catch (const DataError& e) {
      if (shared_) throw;
      stop_at_data(from, e);
      return false;
    } catch (const SolverError&) {
      if (kept_.empty()) throw;
      solved = false;
    }
    const Real wanted = control_->next();
    const bool good = control_->judge(length, error);
    if (observers_.on_trial) observers_.on_trial({from, length, error, good});
    if (!good) {
      ++out_.rejected;
      solved ? stepper_->take_back(state_) : void(state_ = kept_);
      if (control_->hopeless(control_->next(), from)) {
        out_.ending = Outcome::Ending::blew_up;
        out_.reason = "no step is short enough to keep its error within the tolerance";
        report_end(info(0));
        return false;
      }
      return true;
    }
    // A step cut short by a report says little about how long the next may be.
    if (length < 0.5 * wanted && control_->next() < wanted) {
      ControlMemory memory = control_->memory();
      memory.next = wanted;
      control_->recall(memory);
    }
    out_.totals = totals;
    out_.jumps = control_->memory().jumps;
    out_.time = last ? interval.to : from + length;
    ++at_.taken;
    control_->see(out_.totals, balance_.data_bounds(out_.time));
    see_unknowns();
    return finish(interval, length, last);
  }

  void report_end(const StepInfo& now) {
    if (observers_.on_series) observers_.on_series(now);
    if (observers_.on_record) observers_.on_record(now);
    out_.change = now.change();
  }

  // From the times alone, so that a resumed run goes on with the same rows.
  Real first_row(Real after) const {
    return std::floor((after - plan_.start) / plan_.series_every * (1 + 1e-12) + 1e-9) + 1;
  }
  // A row falls into the step, or on its end.
  bool has_row(Real from, Real to) const {
    return plan_.start + first_row(from) * plan_.series_every <= to + 1e-9 * (to - from);
  }

  // Rows of the series that fall into the step just done, linear between its ends; true if one falls on its
  // end.
  bool rows_within(const StepInfo& now) {
    if (!observers_.on_series) return false;
    const Real every = plan_.series_every, length = now.step_length, before = now.time - length;
    const Real first = first_row(before);
    for (Real n = first;; ++n) {
      const Real at = plan_.start + n * every;
      if (at > now.time + 1e-9 * length) return false;
      if (at >= now.time - 1e-9 * length) return true;
      const Real fraction = (at - before) / length;
      State between(state_.size());
      for (std::size_t i = 0; i < between.size(); ++i)
        between[i] = now.previous[i] + fraction * (state_[i] - now.previous[i]);
      const Totals totals = previous_totals_.towards(out_.totals, fraction);
      const Budget budget = out_.budget.within_step(amounts_, fraction, totals);
      observers_.on_series({now.step, at, length, between, now.previous, totals, amounts_, budget,
                            balance_.reductions(), true});
    }
  }

  // Only stages that are solved for may fail to be.
  void keep_state() {
    if (!is_explicit(plan_.scheme) && !balance_.capabilities().linear) kept_ = state_;
  }

  // The state before a step that failed half-way: kept where steps may fail to be solved, otherwise among
  // what the step has left, told by its totals.
  bool put_back(Real from) {
    for (const State* s : {&std::as_const(kept_), &std::as_const(state_), &stepper_->previous()}) {
      if (s->size() != state_.size()) continue;
      const Totals now = balance_.totals(*s, from);
      const bool same = now.lowest == previous_totals_.lowest && now.highest == previous_totals_.highest &&
                        std::abs(now.integral - previous_totals_.integral) <=
                            1e-12 * std::max(std::abs(now.integral), previous_totals_.gross);
      if (!same) continue;
      if (s != &state_) state_ = *s;
      return true;
    }
    return false;
  }

  // The step that cannot be taken leaves no trace.
  void end_before(Real from) {
    out_.time = from;
    out_.totals = previous_totals_;
    amounts_.clear();
    out_.ending = Outcome::Ending::unsolved;
    if (!put_back(from)) return;
    const StepInfo now{out_.steps,           from, 0, state_, state_, out_.totals, amounts_, out_.budget,
                       balance_.reductions()};
    try {
      if (observers_.on_series) observers_.on_series(now);
      if (observers_.on_record) observers_.on_record(now);
    } catch (const DataError&) {
      // Rows and records look at the data at once after this time, too.
    }
  }

  void give_up(Real from, const std::string& why) {
    out_.reason = "step " + std::to_string(out_.steps + 1) + " cannot be solved: " + why +
                  "; take a shorter step, one chosen by its error, or an explicit scheme";
    end_before(from);
  }

  void stop_at_data(Real from, const DataError& e) {
    out_.reason = "step " + std::to_string(out_.steps + 1) + " cannot be taken: " + e.what();
    out_.subject = e.subject();
    out_.subject_name = e.name();
    end_before(from);
  }

  bool leaves_stable_values() const {
    if (!plan_.stable_values) return false;
    const auto [low, high] = *plan_.stable_values;
    const Real slack = 1e-9 * std::max({std::abs(low), std::abs(high), high - low});
    return out_.totals.lowest < low - slack || out_.totals.highest > high + slack;
  }

  // Data that are no numbers at the end of a step that did not need them are met when it is looked at.
  bool finish(const Interval& interval, Real length, bool last) {
    try {
      return finish_step(interval, length, last);
    } catch (const DataError& e) {
      if (shared_) throw;
      out_.ending = Outcome::Ending::unsolved;
      out_.reason = "no step after step " + std::to_string(out_.steps) + ": " + e.what();
      out_.subject = e.subject();
      out_.subject_name = e.name();
      return false;
    }
  }

  void account(Real length) {
    ++out_.steps;
    out_.last_step = length;
    out_.shortest_step = out_.shortest_step > 0 ? std::min(out_.shortest_step, length) : length;
    out_.longest_step = std::max(out_.longest_step, length);
    out_.most_stages = std::max(out_.most_stages, stepper_->stages());
    out_.lowest = std::min(out_.lowest, out_.totals.lowest);
    out_.highest = std::max(out_.highest, out_.totals.highest);
    out_.budget.add(amounts_, out_.totals);
    out_.left_by_solver += control_ ? stepper_->left_by_solver() : solver_left_;
  }

  struct Trouble {
    std::string reason;
    bool beyond;  ///< the limit of the next step
  };
  std::optional<Trouble> trouble_of(Real length, bool final) {
    if (plan_.guard)
      if (auto reason = guard_.check(balance_, out_.totals, out_.time, length, out_.budget))
        return Trouble{*reason, false};
    if (final || !leaves_stable_values()) return std::nullopt;
    return Trouble{"values now reach from " + to_text(out_.totals.lowest) + " to " +
                       to_text(out_.totals.highest) + ", for which the next step would be beyond its limit",
                   true};
  }

  bool finish_step(const Interval& interval, Real length, bool last) {
    account(length);
    at_.finished = last;
    const StepInfo now = info(length);
    if (observers_.on_step) observers_.on_step(now);
    // The last step of all ends the run, whatever is asked for meanwhile.
    const bool final = last && &interval == &intervals_.back();
    const std::optional<Trouble> trouble = trouble_of(length, final);
    const bool stopped = !trouble && !final && observers_.interrupt && observers_.interrupt();
    const bool arrived = !trouble && !stopped && observers_.arrived && observers_.arrived(now);
    const bool over = trouble || arrived;
    const bool counted = plan_.record_every_steps > 0 && out_.steps % plan_.record_every_steps == 0;
    const bool due = stopped || (!over && !final && observers_.snapshot_due && observers_.snapshot_due());
    // What belongs to this moment anyway comes before the snapshot, what an interrupt adds after it.
    const bool series = plan_.series_every == 0 || rows_within(now);
    const bool record = (last && interval.record) || counted;
    if ((series || over || final) && observers_.on_series) observers_.on_series(now);
    if ((record || over) && observers_.on_record) observers_.on_record(now);
    if (due && observers_.on_snapshot) show_snapshot();
    if (stopped && !series && observers_.on_series) observers_.on_series(now);
    if (stopped && !record && observers_.on_record) observers_.on_record(now);
    if (over || stopped || final) out_.change = now.change();
    if (trouble) {
      out_.ending = trouble->beyond ? Outcome::Ending::past_limit : Outcome::Ending::blew_up;
      out_.reason = trouble->reason;
    } else if (stopped) {
      out_.ending = Outcome::Ending::interrupted;
    }
    return !over && !stopped;
  }

  Balance& balance_;
  /// By several ranks, of which one may meet data that are no numbers: the others do not know where it
  /// stopped.
  bool shared_;
  State& state_;
  const Plan& plan_;
  const Observers& observers_;
  std::vector<Interval> intervals_;
  std::unique_ptr<Stepper> stepper_;
  Ledger amounts_;
  std::size_t free_;
  std::optional<StepControl> control_;
  Guard guard_;
  Outcome out_;
  Totals previous_totals_;
  State kept_;             ///< before the step, where it may fail
  bool in_parts_ = false;  ///< the last step was taken in parts
  int failures_ = 0;       ///< to solve it or parts of it
  std::exception_ptr first_failure_;
  Real solver_left_ = 0;
  Passes passes_;
  /// How far it has come: the stretch, steps taken in it, and whether the last of them ended it.
  struct Progress {
    std::size_t interval = 0;
    Index taken = 0;
    bool finished = false;
  };
  Progress at_;
};

}  // namespace

Outcome march(Balance& balance, State& state, const Plan& plan, const Observers& observers,
              const Snapshot* from) {
  return March(balance, state, plan, observers).go(from);
}

}  // namespace williwaw
