#include "settled.hpp"

#include <cmath>

namespace williwaw::casefile {

namespace {

// Up to here a steady state is found without being asked for.
constexpr Index size_limit = 20000;

bool changes_in_time(const Problem& problem) {
  const Equation& e = problem.equation();
  bool changes =
      e.source.depends_on_time() || problem.walls_depend_on_time() || (e.reaction && e.reaction->on_time);
  for (const auto& c : e.diffusion.coefficient) changes = changes || c.depends_on_time();
  for (const auto& p : e.points) changes = changes || p.rate.depends_on_time();
  return changes;
}

}  // namespace

SettledWatch::SettledWatch(const Case& given, const Prepared& prepared)
    : balance_(prepared.balance.get()), fraction_(given.settled.fraction) {
  if (changes_in_time(given.problem)) {
    why_not_ = "walls or sources change in time: there is no steady state to tell the distance from";
    return;
  }
  if (!given.settled.ends_run && given.problem.grid().count() > size_limit) return;
  State y = prepared.initial;
  try {
    const SteadyOutcome found = solve_steady(*prepared.balance, y, 0, {});
    if (!found.reached) {
      why_not_ = "the steady state could not be found";
      return;
    }
  } catch (const SingularProblem&) {
    why_not_ = "no wall fixes the mean, and more comes in than goes out: there is no steady state";
    return;
  } catch (const SolverError& e) {
    why_not_ = std::string("the steady state could not be found: ") + e.what();
    return;
  }
  target_ = std::move(y);
  first_ = last_ = distance(prepared.initial);
}

Real SettledWatch::distance(const State& y) const {
  Real sum = 0, volume = 0;
  const Grid& g = balance_->grid();
  for (Index n = 0; n < g.count(); ++n) {
    const Real v = g.volume_of(n) * balance_->outline().share(n), d = y[n] - target_[n];
    sum += v * d * d;
    volume += v;
  }
  return std::sqrt(sum / volume);
}

bool SettledWatch::look(const Moment& m) {
  if (!known()) return false;
  last_ = distance(m.state);
  const bool done = last_ <= (1 - fraction_) * first_;
  if (done && !done_at_) done_at_ = m.time;
  return done;
}

}  // namespace williwaw::casefile
