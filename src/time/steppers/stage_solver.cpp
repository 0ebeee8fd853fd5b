#include "stage_solver.hpp"

#include <algorithm>
#include <cmath>
#include <limits>
#include <optional>

#include "domain/summing.hpp"
#include "williwaw/solve/newton.hpp"

namespace williwaw {

void need_matrix(Balance& balance, const Scheme& scheme) {
  if (!balance.capabilities().matrix)
    throw InputError(Subject::scheme,
                     "scheme '" + scheme.name +
                         "' needs a matrix, which this equation does not offer: choose an explicit scheme");
}

namespace {

void count_iterations(const LinearSolver& solver, Index& iterations) {
  if (const Convergence* c = solver.convergence()) {
    iterations += c->iterations();
    if (!c->reached)
      throw SolverError(solver.name() + " did not solve a step in " + std::to_string(c->iterations()) +
                        " iterations: the relative residual is " + to_text(c->residuals.back()));
  }
}

}  // namespace

void solve_step(LinearSolver& solver, const State& right, State& out, Index& iterations) {
  solver.solve(right, out);
  count_iterations(solver, iterations);
}

void improve_step(LinearSolver& solver, const State& right, State& out, Index& iterations) {
  solver.improve(right, out);
  count_iterations(solver, iterations);
}

Remainder::Remainder(Balance& balance) : balance_(balance), used_(!balance.capabilities().linear) {}

void Remainder::add_to(State& amounts) const {
  for (std::size_t n = 0; n < left_.size(); ++n) amounts[n] += left_[n];
}

void Remainder::keep(const State& formula, const State& y, Real at) {
  if (!used_) return;
  before_ = left_;
  left_.resize(y.size());
  balance_.storage(y, at, left_);
  for (std::size_t n = 0; n < left_.size(); ++n) left_[n] = formula[n] - left_[n];
  for (const Index h : balance_.prescribed()) left_[h] = 0;
  for (const Index n : balance_.inactive()) left_[n] = 0;
}

std::vector<char> mask_of_fixed(const Balance& balance) {
  std::vector<char> mask(static_cast<std::size_t>(balance.layout().size()), 0);
  for (const Index n : balance.prescribed()) mask[n] = 1;
  for (const Index n : balance.inactive()) mask[n] = 1;
  return mask;
}

void move_prescribed(Balance& balance, const State& y, Real at, Real step, State& rate) {
  if (!balance.prescribes()) return;
  State ahead = y;
  balance.prescribe(at + step, ahead);
  for (const Index n : balance.prescribed()) rate[n] = (ahead[n] - y[n]) / step;
}

StageSolver::StageSolver(Balance& balance, const Solving& solving, Parts parts)
    : balance_(balance),
      capabilities_(balance.capabilities_of(parts)),
      parts_(parts),
      kind_(solving.solver),
      ignored_(balance.lines().size()) {
  rules_.threads = solving.threads;
  const bool same = capabilities_.linear || (capabilities_.approximate && capabilities_.same_matrix);
  rules_.reused = same && capabilities_.steady_matrix;
}

StageSolver::Shape StageSolver::shape_of(const LinearSystem& system) const {
  if (capabilities_.same_matrix) return {};
  const Reductions over = balance_.reductions();
  if (const auto* faces = std::get_if<FaceSystem>(&system))
    return {over.highest(is_symmetric(*faces) ? 0 : 1) == 0, false};
  const auto* several = std::get_if<BlockSystem>(&system);
  if (!several) return {};
  return {std::ranges::all_of(several->blocks, is_symmetric), !several->local.empty()};
}

void StageSolver::factor(const State& about, Real at, Real weight) {
  if (rules_.reused) {
    const auto wanted = factored_weight_.wanted(weight);
    if (!wanted) return;
    weight = *wanted;
  }

  balance_.linearise(about, at, 1, weight, parts_, system_);
  // Coefficients that depend on the unknown make matrices that are symmetric about one state and not about
  // another; which solver suits is told by the matrix alone, so that a run that goes on takes the same.
  const Shape shape = shape_of(system_);
  if (!solver_ || !(shape == shape_)) solver_ = make_solver(kind_, system_, rules_);
  shape_ = shape;
  solver_->factor(system_);
  ++factorizations_;
  factored_weight_.factored(weight);
}

void StageSolver::residual(const State& trial, const State& known, Real at, Real weight, State& r) {
  balance_.storage(trial, at, r);
  balance_.rate(trial, at, parts_, rate_, ignored_);
  for (std::size_t n = 0; n < r.size(); ++n) r[n] -= known[n] + weight * rate_[n];
  for (const Index h : balance_.prescribed()) r[h] = 0;
}

void StageSolver::correct(const State& about, Real at, Real weight, const State& r, State& d) {
  factor(about, at, weight);
  solve_step(*solver_, r, d, iterations_);
}

void StageSolver::solve(State& y, const State& known, Real at, Real weight) {
  balance_.prescribe(at, y);
  rate_.resize(y.size());
  if (capabilities_.linear) {
    // One correction is exact, and needs no vectors but those that are kept.
    work_.resize(y.size());
    correction_.resize(y.size());
    residual(y, known, at, weight, work_);
    correct(y, at, weight, work_, correction_);
    for (std::size_t n = 0; n < y.size(); ++n) y[n] -= correction_[n];
    return;
  }
  NewtonRules rules;
  if (const Reductions over = balance_.reductions(); over.shared())
    rules.largest = [over](const State& r) { return over.largest(r); };
  // Of several unknowns each is measured by its own amounts.
  std::vector<Real> amounts = largest_by_block(known);
  for (Real& amount : amounts) amount = amount > 0 ? amount : 1;
  const bool one = amounts.size() == 1;
  if (one) rules.scale = amounts.front();
  const auto scaled = [&](State& r, bool back) {
    for (std::size_t block = 0; !one && block < amounts.size(); ++block) {
      const Index start = balance_.layout().start(block);
      const Index end = balance_.layout().start(block + 1);
      for (Index n = start; n < end; ++n) r[n] = back ? r[n] * amounts[block] : r[n] / amounts[block];
    }
  };
  if (capabilities_.approximate) {
    // Corrections by a neighbour of the matrix take more of them, and end where limiting keeps switching.
    rules.tolerance = 1e-11;
    rules.iterations = 400;
  }
  // Of values as large as those that the stage starts from: a search that runs away must not loosen what is
  // asked for.
  const std::vector<Real> sizes = largest_by_block(y);
  rules.round_off = [&](const State&) { return round_off(sizes, amounts); };
  bool first = true;
  std::optional<DataError> met;
  const auto residual_of = [&](const State& trial, State& r) {
    try {
      residual(trial, known, at, weight, r);
      scaled(r, false);
    } catch (const DataError& e) {
      // Where a step of the search goes beyond what data are known for, it was too long.
      if (first || balance_.reductions().shared()) throw;
      met = e;
      r.assign(r.size(), std::numeric_limits<Real>::infinity());
    }
    first = false;
  };
  const auto correction = [&](const State& about, const State& r, State& d) {
    if (one) {
      correct(about, at, weight, r, d);
    } else {
      work_ = r;
      scaled(work_, true);
      correct(about, at, weight, work_, d);
    }
    for (Real& x : d) x = -x;
    balance_.limit_change(about, d);
  };
  try {
    newton_iterations_ += newton(y, rules, residual_of, correction).iterations;
  } catch (const SolverError&) {
    if (met) throw StageMeetsData(*met);
    throw;
  }
}

std::vector<Real> StageSolver::largest_by_block(const State& y) const {
  const Layout& layout = balance_.layout();
  std::vector<Real> result(layout.blocks().size(), 0.0);
  for (std::size_t block = 0; block < result.size(); ++block) {
    const Index end = layout.start(block + 1);
    for (Index n = layout.start(block); n < end; ++n)
      result[block] = std::max(result[block], std::abs(y[static_cast<std::size_t>(n)]));
    result[block] = balance_.reductions().highest(result[block]);
  }
  return result;
}

// What rounding leaves of the largest term of an unknown's equation, of values up to `sizes`, by block; of
// several blocks over the amounts that each is measured by.
Real StageSolver::round_off(const std::vector<Real>& sizes, const std::vector<Real>& amounts) const {
  constexpr Real rounding = 4 * std::numeric_limits<Real>::epsilon();
  const auto largest = [](const FaceSystem& faces) {
    Real most = 0;
    for (std::size_t n = 0; n < faces.diagonal.size(); ++n)
      if (faces.prescribed.empty() || !faces.prescribed[n])
        most = std::max(most, std::abs(faces.diagonal[n]));
    return most;
  };
  if (const auto* faces = std::get_if<FaceSystem>(&system_))
    return rounding * balance_.reductions().highest(largest(*faces)) * sizes.front();
  const auto* several = std::get_if<BlockSystem>(&system_);
  Real most = 0;
  for (std::size_t block = 0; several && block < several->blocks.size(); ++block)
    most = std::max(most, largest(several->blocks[block]) * sizes[block] / amounts[block]);
  return rounding * balance_.reductions().highest(most);
}

void StageSolver::smooth(const State& right, State& out) {
  work_ = right;
  for (const Index h : balance_.prescribed()) work_[h] = 0;
  solver_->solve(work_, out);
}

Real StageSolver::left_of(const State& y, const State& known, const State& rate, Real at, Real weight) {
  work_.resize(y.size());
  balance_.storage(y, at, work_);
  // Prescribed unknowns have no equation of their own.
  for (const Index h : balance_.prescribed()) work_[h] = known[h] + weight * rate[h];
  return sum_over(balance_.reductions(), [&](Index n) { return work_[n] - (known[n] + weight * rate[n]); });
}

}  // namespace williwaw
