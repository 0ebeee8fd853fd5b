// Runs of waves with fixed steps.
#pragma once

#include "support/marching.hpp"
#include "support/smooth.hpp"

namespace williwaw::test {

struct Ride {
  State state;
  Outcome outcome;
};

inline Ride go(const Problem& problem, const std::string& name, Real step, Real until) {
  ProblemBalance balance(problem);
  Ride ride{balance.initial_state(), {}};
  Plan plan;
  plan.scheme = scheme(name);
  plan.until = until;
  plan.step = step;
  plan.trim = true;
  ride.outcome = march(balance, ride.state, plan);
  return ride;
}

}  // namespace williwaw::test
