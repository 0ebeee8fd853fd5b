#include "williwaw/solve/steady.hpp"

#include <algorithm>
#include <array>
#include <cmath>
#include <exception>
#include <limits>
#include <optional>

#include "domain/summing.hpp"
#include "solve/floating_pieces.hpp"
#include "williwaw/grid/expect.hpp"

namespace williwaw {

namespace {

constexpr int newton_limit = 60;
// By a neighbour of the matrix steps are cheap and many.
constexpr int correction_limit = 3000;
constexpr int continuation_limit = 600;

class SteadySolver {
 public:
  SteadySolver(Balance& balance, State& y, Real at, const SteadyRules& rules)
      : balance_(balance),
        y_(y),
        at_(at),
        rules_(rules),
        capabilities_(balance.capabilities()),
        shared_(balance.reductions().shared()) {
    if (!capabilities_.matrix)
      throw InputError("a steady state needs a matrix, which this equation does not offer");
    outcome_.flows = Ledger(balance_.lines().size());
  }

  SteadyPreview preview() {
    balance_.prescribe(at_, y_);
    State r(y_.size());
    sizes_.reference = residual(y_, r);
    const auto kind = choose(r, true);
    return {kind, outcome_.mean_fixed};
  }

  SteadyOutcome run() {
    balance_.prescribe(at_, y_);
    State r(y_.size()), step(y_.size());
    const State first = y_;
    Real size = 0;
    sizes_.reference = uniform_residual(step, r, size);
    if (!(sizes_.reference > 0)) sizes_.reference = size > 0 ? size : 1;
    outcome_.residuals.push_back(size / sizes_.reference);
    std::exception_ptr trouble;
    try {
      iterate(r, step, size);
    } catch (const SolverError&) {
      if (!continues()) throw;
      trouble = std::current_exception();
    }
    if (continues() && (trouble || !near_enough(size))) {
      y_ = first;
      if (!continue_in_time(r, step, size) && trouble) std::rethrow_exception(trouble);
    }
    if (!floating_.pieces.empty()) settle_means(first, r, step, size);
    outcome_.reached = size <= std::max(rules_.tolerance * sizes_.reference, sizes_.floor) * (1 + 1e-12);
    finish(r);
    return outcome_;
  }

 private:
  bool near_enough(Real size) const {
    return size <= std::max(rules_.tolerance * sizes_.reference, sizes_.floor);
  }
  // Where Newton's method alone may fail and there is a storage to hold on to.
  bool continues() const { return !capabilities_.linear && !capabilities_.approximate; }

  void iterate(State& r, State& step, Real& size) {
    // A linear problem needs one solve; a second one takes up what round-off and drift have left.
    const int most = capabilities_.linear ? 3 : capabilities_.approximate ? correction_limit : newton_limit;
    while (outcome_.newton_steps < most && !near_enough(size)) {
      linearise(r);
      const Index left = rules_.iterations - outcome_.iterations();
      if (outcome_.newton_steps > 0 && iterates_ && left <= 0) break;
      solve(r, size, step);
      balance_.limit_change(y_, step);
      ++outcome_.newton_steps;
      const Real before = size;
      size = move(step, r, size);
      sizes_.floor = round_off();
      if (!iterates_ || !capabilities_.linear) outcome_.residuals.push_back(size / sizes_.reference);
      if (!std::isfinite(size)) throw SolverError("steady state not found: the residual is not finite");
      if (capabilities_.linear && size > 0.5 * before) break;  // round-off
      if (!capabilities_.linear && size >= before && size <= 1e-12 * sizes_.reference) break;
      if (iterates_ && capabilities_.linear && !converged_) break;
    }
  }

  // Pseudo-transient continuation (Kelley and Keyes, 1998): steps of implicit Euler, each with one
  // correction, that grow as the residual falls. True if the steady state was reached.
  bool continue_in_time(State& r, State& step, Real& size) {
    size = residual(y_, r);
    Real length = first_length();
    State from;
    for (int n = 0; n < continuation_limit && length > 0; ++n) {
      sizes_.floor = 0;
      if (near_enough(size)) return true;
      from = y_;
      Real next = std::numeric_limits<Real>::infinity();
      try {
        LinearSystem system;
        balance_.linearise(y_, at_, 1 / length, 1, Parts::all(), system);
        SolverRules linear;
        linear.threads = rules_.threads;
        solver_ = make_solver(rules_.solver, system, linear);
        solver_->factor(system);
        solver_->solve(r, step);
        outcome_.solver = solver_->name();
        balance_.limit_change(y_, step);
        for (std::size_t i = 0; i < y_.size(); ++i) y_[i] += step[i];
        next = residual(y_, r);
      } catch (const DataError&) {
        if (shared_) throw;  // the others know nothing of it
      } catch (const SolverError&) {
      }
      ++outcome_.newton_steps;
      if (!std::isfinite(next)) {
        y_ = from;
        size = residual(y_, r);
        length *= 0.1;
        continue;
      }
      length *= std::clamp(size / next, next < size ? 1.2 : 0.3, 5.0);
      size = next;
      outcome_.residuals.push_back(size / sizes_.reference);
    }
    return near_enough(size);
  }

  // So short that what is stored counts as much as what flows.
  Real first_length() {
    LinearSystem stored, flowing;
    balance_.linearise(y_, at_, 1, 0, Parts::all(), stored);
    balance_.linearise(y_, at_, 0, 1, Parts::all(), flowing);
    const std::vector<Real> a = diagonal_of(stored), b = diagonal_of(flowing);
    std::vector<char> fixed(a.size(), 0);
    for (const Index n : balance_.prescribed()) fixed[n] = 1;
    for (const Index n : balance_.inactive()) fixed[n] = 1;
    const auto sum_of = [&](const std::vector<Real>& diagonal) {
      return sum_over(balance_.reductions(), [&](Index n) { return fixed[n] ? 0 : std::abs(diagonal[n]); });
    };
    const Real above = sum_of(a), below = sum_of(b);
    return below > 0 ? above / below : 0;
  }

  // F at y, without prescribed and inactive unknowns; its norm.
  Real residual(const State& y, State& r) {
    balance_.rate(y, at_, Parts::all(), r, outcome_.flows);
    missing_.clear();
    for (const Index h : balance_.prescribed()) {
      missing_.push_back(r[h]);
      r[h] = 0;
    }
    for (const Index n : balance_.inactive()) r[n] = 0;
    return norm_of(r);
  }

  Real norm_of(const State& r) const { return balance_.reductions().norm(r); }

  // What round-off in the differences of neighbours leaves of a residual; no tolerance can ask for more.
  Real round_off() const {
    if (diagonal_.empty()) return 0;
    const Real sum =
        sum_over(balance_.reductions(), [&](Index n) { return diagonal_[n] * y_[n] * diagonal_[n] * y_[n]; });
    return 4 * std::numeric_limits<Real>::epsilon() * std::sqrt(sum);
  }

  // Of a uniform field with the mean of the first guess. Leaves `size` and r as those of y where it is
  // uniform itself.
  Real uniform_residual(State& uniform, State& r, Real& size) {
    std::vector<char> counted(y_.size(), 1);
    for (const Index h : balance_.prescribed()) counted[h] = 0;
    for (const Index n : balance_.inactive()) counted[n] = 0;
    const std::size_t count = balance_.free_count();
    const Real sum = sum_over(balance_.reductions(), [&](Index n) { return counted[n] ? y_[n] : 0.0; });
    std::ranges::fill(uniform, count > 0 ? sum / static_cast<Real>(count) : 0);
    for (const Index n : balance_.inactive()) uniform[n] = 0;
    balance_.prescribe(at_, uniform);
    const bool own = balance_.reductions().highest(uniform == y_ ? 0 : 1) == 0;
    const Real result = residual(uniform, r);
    size = own ? result : residual(y_, r);
    return result;
  }

  void linearise(const State& r) {
    if (factored_ && (capabilities_.linear || (capabilities_.approximate && capabilities_.same_matrix)))
      return;
    choose(r, false);
    factored_ = true;
    outcome_.solver = solver_->name();
  }

  // The solver for the matrix about the current state, factored unless only its name is asked for.
  std::string choose(const State& r, bool name_only) {
    LinearSystem system;
    is_prescribed_.clear();
    balance_.linearise(y_, at_, 0, 1, Parts::all(), system);
    const SolverKind* kind = solver_kind(rules_.solver);
    auto* faces = std::get_if<FaceSystem>(&system);
    if (faces) {
      box_ = faces->box;
      floating_ = find_floating(*faces);
      check_floating(r);
      const bool copes =
          floating_.whole && (kind ? kind->takes_singular : shared_ || !auto_is_direct(*faces));
      if (!floating_.pieces.empty() && !copes) fix_one_of_each(*faces);
    }
    SolverRules linear;
    linear.threads = rules_.threads;
    linear.relaxation = rules_.relaxation;
    linear.iterations = rules_.iterations;
    // What the whole solve must reach, whatever this step starts from.
    linear.tolerance = std::min(0.1, (capabilities_.linear ? 1 - 1e-6 : 0.1) * rules_.tolerance *
                                         sizes_.reference / std::max(norm_of(r), 1e-300));
    // A step by a neighbour of the matrix is no better for being solved to the last digit.
    if (capabilities_.approximate) linear.tolerance = 0.01;
    solver_ = make_solver(rules_.solver, system, linear);
    iterates_ = solver_->convergence() != nullptr;
    // Some tell by their factorization alone what they are, or that they cannot.
    if (!name_only || (kind && kind->known_once_factored)) solver_->factor(system);
    diagonal_ = faces ? std::move(faces->diagonal) : diagonal_of(system);
    return solver_->name();
  }

  static bool auto_is_direct(const FaceSystem& system) {
    return system.dimension() == 1 || (system.size() <= 2500 && !is_separable(system));
  }

  // Two sums over each piece, of what terms(n) gives.
  template <class Terms>
  std::vector<std::array<Real, 2>> sums_of_pieces(const Terms& terms) const {
    std::vector<Real> sums;
    for (const auto& piece : floating_.pieces) {
      Real first = 0, second = 0;
      for (const Index n : piece.unknowns) {
        const auto [a, b] = terms(n);
        first += a;
        second += b;
      }
      sums.insert(sums.end(), {first, second});
    }
    if (box_ && !sums.empty()) sums = sums_by_rank(box_->communicator(), sums);
    std::vector<std::array<Real, 2>> result(floating_.pieces.size());
    for (std::size_t p = 0; p < result.size(); ++p) result[p] = {sums[2 * p], sums[2 * p + 1]};
    return result;
  }

  void check_floating(const State& r) {
    const auto flows = sums_of_pieces([&](Index n) { return std::pair{r[n], std::abs(r[n])}; });
    for (std::size_t p = 0; p < flows.size(); ++p) {
      const auto& piece = floating_.pieces[p];
      const auto [net, gross] = flows[p];
      // Sources that cancel leave the round-off of their sum; boundaries that insulate leave nothing.
      if (std::abs(net) > 1e-9 * std::max(gross, outcome_.flows.gross()))
        throw SingularProblem(piece.first, piece.count, floating_.whole, net);
      outcome_.mean_fixed = true;
    }
  }

  // One unknown of each piece keeps its value; the mean is put right in the end.
  void fix_one_of_each(FaceSystem& system) {
    std::vector<Real> prescribed(system.diagonal.size(), 0.0);
    for (std::size_t n = 0; n < system.prescribed.size(); ++n) prescribed[n] = system.prescribed[n];
    for (const auto& piece : floating_.pieces) {
      const std::optional<Index> first = box_ ? box_->here(piece.first) : piece.first;
      if (!first || (box_ && !box_->owns(*first))) continue;  // another rank's
      is_prescribed_.push_back(*first);
      prescribed[static_cast<std::size_t>(*first)] = 1;
    }
    if (box_) box_->exchange(prescribed);
    system.prescribed.assign(prescribed.begin(), prescribed.end());
    system.apply_mask();
  }

  void solve(const State& r, Real size, State& step) {
    if (is_prescribed_.empty()) {
      solver_->solve(r, step);
    } else {
      State right = r;
      for (const Index n : is_prescribed_) right[n] = 0;
      solver_->solve(right, step);
    }
    const Convergence* c = solver_->convergence();
    if (!c) return;
    converged_ = c->reached;
    for (std::size_t k = 1; k < c->residuals.size(); ++k)
      outcome_.residuals.push_back(c->residuals[k] * size / sizes_.reference);
    outcome_.change = c->change;
    outcome_.factor = c->factor;
    outcome_.error = c->error;
  }

  // y + step, halved while that makes things worse.
  Real move(const State& step, State& r, Real size) {
    if (capabilities_.linear) {
      for (std::size_t n = 0; n < y_.size(); ++n) y_[n] += step[n];
      return residual(y_, r);
    }
    const State from = y_;
    Real length = 1, next = size;
    for (int halving = 0; halving < 12; ++halving, length *= 0.5) {
      for (std::size_t n = 0; n < y_.size(); ++n) y_[n] = from[n] + length * step[n];
      try {
        next = residual(y_, r);
      } catch (const DataError&) {
        // Beyond what coefficients are known for: the step was too long.
        if (shared_ || halving + 1 == 12) throw;
        continue;
      }
      if (next < size) break;
    }
    return next;
  }

  void finish(const State& r) {
    outcome_.left = sum_over(balance_.reductions(), [&](Index n) { return r[n]; });
    // A steady boundary supplies what its nodes lose.
    if (balance_.prescribes()) {
      State supplied(y_.size(), 0.0);
      std::size_t h = 0;
      for (const Index n : balance_.prescribed()) supplied[n] = -missing_[h++];
      balance_.book_prescribed(supplied, outcome_.flows);
    }
    outcome_.totals = balance_.totals(y_, at_);
  }

  // Every piece that nothing fixes keeps what it stored at the start. What flows inside it may depend on the
  // unknown: then the steady state is looked for again from there.
  void settle_means(const State& first, State& r, State& step, Real& size) {
    constexpr int rounds = 20;
    const std::vector<Real> wanted = stored_in_pieces(first);
    if (capabilities_.linear) {
      raise_pieces(wanted);
      residual(y_, r);
      return;
    }
    for (int n = 0; n <= rounds; ++n) {
      find_raises(wanted);
      size = residual(y_, r);
      if (near_enough(size)) return;
      if (n < rounds) iterate(r, step, size);
    }
  }

  std::vector<Real> stored_in_pieces(const State& y) const {
    State q(y.size());
    balance_.storage(y, at_, q);
    std::vector<Real> result;
    for (const auto& sums : sums_of_pieces([&](Index n) { return std::pair{q[n], 0.0}; }))
      result.push_back(sums[0]);
    return result;
  }

  // Where what is stored is proportional to the unknown.
  void raise_pieces(const std::vector<Real>& wanted) {
    const State zero(y_.size(), 0.0), one(y_.size(), 1.0);
    const std::vector<Real> stored = stored_in_pieces(y_), none = stored_in_pieces(zero),
                            unit = stored_in_pieces(one);
    std::vector<Real> raises;
    for (std::size_t p = 0; p < wanted.size(); ++p)
      raises.push_back((wanted[p] - stored[p]) / (unit[p] - none[p]));
    raise_by(y_, raises);
  }

  // Where it only grows with the unknown: enclosed first, then halved. Pieces that cannot store what is
  // wanted stay as they are.
  void find_raises(const std::vector<Real>& wanted) {
    constexpr int doublings = 60, halvings = 60;
    constexpr Real round_off_of_sums = 1e-14;
    const State from = y_;
    const std::size_t count = wanted.size();
    const auto lacking = [&](const std::vector<Real>& raises) {
      raise_by(from, raises);
      std::vector<Real> result = stored_in_pieces(y_);
      for (std::size_t p = 0; p < count; ++p) result[p] = wanted[p] - result[p];
      return result;
    };
    std::vector<Real> raises(count, 0.0), near(count, 0.0), far(count, 0.0);
    std::vector<char> enclosed(count, 0);
    const std::vector<Real> at_first = lacking(raises);
    const auto needs = [&](std::size_t p) {
      return std::abs(at_first[p]) > round_off_of_sums * std::abs(wanted[p]);
    };
    const auto none_needs = [&] {
      for (std::size_t p = 0; p < count; ++p)
        if (needs(p)) return false;
      return true;
    };
    if (none_needs()) return;
    Real reach = 1e-3 * (1 + balance_.reductions().highest(largest_of(from)));
    try {
      for (int n = 0; n < doublings; ++n, reach *= 2) {
        bool open = false;
        for (std::size_t p = 0; p < count; ++p)
          if (needs(p) && !enclosed[p]) {
            raises[p] = std::copysign(reach, at_first[p]);
            open = true;
          }
        if (!open) break;
        const std::vector<Real> now = lacking(raises);
        for (std::size_t p = 0; p < count; ++p)
          if (needs(p) && !enclosed[p]) {
            far[p] = raises[p];
            if (now[p] * at_first[p] <= 0)
              enclosed[p] = 1;
            else
              near[p] = raises[p];
          }
      }
    } catch (const DataError&) {
      // Beyond what contents are known for: what is not enclosed by now cannot be.
      if (shared_) throw;
    }
    for (int n = 0; n < halvings; ++n) {
      for (std::size_t p = 0; p < count; ++p) raises[p] = enclosed[p] ? 0.5 * (near[p] + far[p]) : 0;
      const std::vector<Real> now = lacking(raises);
      for (std::size_t p = 0; p < count; ++p) (now[p] * at_first[p] > 0 ? near : far)[p] = raises[p];
    }
    raise_by(from, raises);
  }

  static Real largest_of(const State& y) {
    Real result = 0;
    for (const Real v : y) result = std::max(result, std::abs(v));
    return result;
  }

  void raise_by(const State& from, const std::vector<Real>& raises) {
    y_ = from;
    for (std::size_t p = 0; p < raises.size(); ++p)
      for (const Index n : floating_.pieces[p].unknowns) y_[n] += raises[p];
    if (box_) box_->exchange(y_);
  }

  Balance& balance_;
  State& y_;
  Real at_;
  SteadyRules rules_;
  Capabilities capabilities_;
  bool shared_;  ///< by several ranks
  SteadyOutcome outcome_;
  std::unique_ptr<LinearSolver> solver_;
  FloatingPieces floating_;
  std::shared_ptr<const Box> box_;  ///< of one rank among several
  std::vector<Index> is_prescribed_;
  std::vector<Real> missing_;
  std::vector<Real> diagonal_;
  /// Of residuals: that of the first guess, and what round-off leaves.
  struct Sizes {
    Real reference = 0, floor = 0;
  };
  Sizes sizes_;
  bool factored_ = false, iterates_ = false, converged_ = true;
};

}  // namespace

SingularProblem::SingularProblem(Index somewhere, Index size, bool all, Real flow)
    : SolverError((all ? "the mean is not fixed (no dirichlet, robin or radiation condition), yet "
                       : "a piece of the domain of " + std::to_string(size) +
                             " control volumes is isolated and not fixed by any boundary, yet ") +
                  to_text(flow) + " flows into it: no steady state"),
      unknown(somewhere),
      count(size),
      whole(all),
      net(flow) {}

SteadyPreview preview_steady(Balance& balance, State y, Real at, const SteadyRules& rules) {
  return SteadySolver(balance, y, at, rules).preview();
}

SteadyOutcome solve_steady(Balance& balance, State& y, Real at, const SteadyRules& rules) {
  expect(static_cast<Index>(y.size()) == balance.layout().size(),
         "solve_steady: a state of the balance's size");
  return SteadySolver(balance, y, at, rules).run();
}

}  // namespace williwaw
