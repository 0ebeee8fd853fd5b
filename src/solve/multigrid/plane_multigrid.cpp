#include "plane_multigrid.hpp"

#include <cmath>
#include <limits>

#include "domain/summing.hpp"
#include "grid/threads.hpp"
#include "solve/multigrid/fine_plane.hpp"
#include "solve/multigrid/galerkin.hpp"

namespace williwaw {

namespace {

constexpr Index shortest_side = 16;
constexpr Index coarsest_side = 7;
// Corrections of the finest level are made longer. Measured for two materials: 11 cycles with 1.05, 10
// with 1.1, 9 with 1.15, which takes more where cycles are slow.
constexpr float over_correction = 1.1f;
// Each colour twice.
constexpr int half_sweeps = 4;
// Correction, sweeps, residual, gathering.
constexpr int stages = half_sweeps + 3;
// Where a cycle leaves more of the residual than this, acceleration pays for the memory that it reads.
constexpr Real slow_factor = 0.35;
// Beyond, conjugate gradients on a hierarchy that joins strong axes only are through sooner.
constexpr Real most_cycles = 60;

Real power_of_two_below(Real value) {
  return std::ldexp(1.0, -std::ilogb(value));
}

}  // namespace

bool PlaneMultigrid::takes(const FaceSystem& system) {
  return system.dimension() == 2 && !system.periodic[0] && !system.periodic[1] &&
         std::min(system.extent[0], system.extent[1]) >= shortest_side;
}

void PlaneMultigrid::build(const FaceSystem& system, int threads) {
  threads_ = threads_for(system.size(), threads);
  load(system);
  std::size_t made = 0;
  Index width = x_.width(), lines = x_.lines();
  for (; std::min(width, lines) > coarsest_side; ++made) {
    if (levels_.size() <= made) levels_.push_back(std::make_unique<NinePoint>());
    NinePoint& coarse = *levels_[made];
    coarse.lay_out(width / 2, lines / 2, threads_);
    if (made == 0)
      fine_plane::coarsen({west_, south_, excess_, share_}, coarse);
    else
      coarsen(*levels_[made - 1], coarse);
    coarse.finish();
    width /= 2;
    lines /= 2;
  }
  levels_.resize(made);
  coarsest_.factor(*levels_.back(), singular_);
  const int blocks = wavefront_blocks(x_.lines(), stages, threads_);
  middles_.lay_out(x_.evens() + 1, x_.lines(), stages, blocks);
  edges_.lay_out(x_.evens() + 1, x_.lines(), stages, blocks);
  squares_.assign(static_cast<std::size_t>(x_.lines()), 0.0);
}

void PlaneMultigrid::load(const FaceSystem& system) {
  const Index width = system.extent[0], lines = system.extent[1];
  Real largest = 0;
#pragma omp parallel for schedule(static) reduction(max : largest) num_threads(threads_) if (threads_ > 1)
  for (Index n = 0; n < system.size(); ++n)
    if (system.diagonal[n] > largest) largest = system.diagonal[n];
  if (!(largest > 0)) throw SolverError("multigrid needs a diagonal above zero");
  scale_ = power_of_two_below(largest);
  prescribed_ = system.prescribed;
  for (auto* numbers : {&west_, &south_, &excess_, &b_, &x_}) numbers->lay_out(width, lines, threads_);
  share_.lay_out(width, lines, threads_);
  bool symmetric = true, signs = true, fixed = false;
#pragma omp parallel for schedule(static) num_threads(threads_) if (threads_ > 1) \
    reduction(&& : symmetric, signs) reduction(|| : fixed)
  for (Index l = 0; l < lines; ++l) {
    const Index n = width * l;
    const fine_plane::NaturalLine natural{width, scale_, system.diagonal.data() + n,
                                          system.lower[0].data() + n, system.upper[0].data() + n,
                                          system.lower[1].data() + n, system.upper[1].data() + n,
                                          // The line below, as it sees this one.
                                          l > 0 ? system.upper[1].data() + n - width : nullptr,
                                          prescribed_.empty() ? nullptr : prescribed_.data() + n};
    const fine_plane::Judged judged = fine_plane::load_line(natural, l, {west_, south_, excess_, share_});
    symmetric = symmetric && judged.symmetric;
    signs = signs && judged.signs;
    fixed = fixed || judged.fixed;
  }
  if (!symmetric) throw SolverError("conjugate gradients and multigrid need a symmetric matrix");
  if (!signs) throw SolverError("multigrid needs conductances above zero");
  singular_ = !fixed;
}

FaceSystem PlaneMultigrid::system() const {
  FaceSystem result;
  const Index width = x_.width(), lines = x_.lines();
  result.extent = {width, lines, 1};
  result.prescribed = prescribed_;
  const auto count = static_cast<std::size_t>(width * lines);
  result.diagonal.resize(count);
  for (const std::size_t a : {0, 1}) {
    result.lower[a].resize(count);
    result.upper[a].resize(count);
  }
#pragma omp parallel for schedule(static) num_threads(threads_) if (threads_ > 1)
  for (Index l = 0; l < lines; ++l)
    for (Index i = 0; i < width; ++i) {
      const auto n = static_cast<std::size_t>(i + width * l);
      const Real west = west_.at(i, l), south = south_.at(i, l),
                 east = i + 1 < width ? west_.at(i + 1, l) : 0, north = south_.at(i, l + 1);
      result.lower[0][n] = -west / scale_;
      result.upper[0][n] = -east / scale_;
      result.lower[1][n] = -south / scale_;
      result.upper[1][n] = -north / scale_;
      const bool identity = !prescribed_.empty() && prescribed_[n];
      result.diagonal[n] = identity ? 1 : (west + east + south + north + excess_.at(i, l)) / scale_;
    }
  return result;
}

// Zero to start from, and the right-hand side scaled to the size that single precision holds best.
void PlaneMultigrid::load_right(std::span<const Real> right) {
  const Index width = x_.width(), lines = x_.lines();
  const auto free = [&](Index n) { return prescribed_.empty() || !prescribed_[static_cast<std::size_t>(n)]; };
  const auto at = [&](Index n) WILLIWAW_INLINE { return right[static_cast<std::size_t>(n)]; };
  Real mean = 0;
  if (singular_) {
    const Real count = sum_over(width, lines, threads_, [&](Index n) { return free(n) ? 1.0 : 0.0; });
    mean = sum_over(width, lines, threads_, [&](Index n) { return free(n) ? at(n) : 0.0; }) / count;
  }
  right_norm_ = std::sqrt(sum_over(width, lines, threads_, [&](Index n) WILLIWAW_INLINE {
    const Real v = free(n) ? at(n) - mean : 0;
    return v * v;
  }));
  if (!(right_norm_ > 0) || !std::isfinite(right_norm_)) return;
  right_scale_ = power_of_two_below(right_norm_);
  const char* prescribed = prescribed_.empty() ? nullptr : prescribed_.data();
#pragma omp parallel for schedule(static) num_threads(threads_) if (threads_ > 1)
  for (Index l = 0; l < lines; ++l) {
    fine_plane::split_scaled(width, right_scale_, mean, right.data() + width * l,
                             prescribed ? prescribed + width * l : nullptr, b_.even(l), b_.odd(l));
    std::fill_n(x_.even(l), x_.evens(), 0.0);
    std::fill_n(x_.odd(l), x_.odds(), 0.0);
  }
}

void PlaneMultigrid::store(std::span<const Real> right, std::span<Real> solution) const {
  const Index width = x_.width(), lines = x_.lines();
  const Real scale = scale_ / right_scale_;
#pragma omp parallel for schedule(static) num_threads(threads_) if (threads_ > 1)
  for (Index l = 0; l < lines; ++l) {
    fine_plane::join_scaled(width, scale, x_.even(l), x_.odd(l), solution.data() + width * l);
    // Rows of the identity.
    if (!prescribed_.empty())
      for (Index n = width * l; n < width * (l + 1); ++n)
        if (prescribed_[static_cast<std::size_t>(n)])
          solution[static_cast<std::size_t>(n)] = right[static_cast<std::size_t>(n)];
  }
}

void PlaneMultigrid::relax(Index l, int odd) {
  fine_plane::relax(fine_plane::half_of({west_, south_, excess_, share_}, b_, x_, l, odd));
}

// After the second colour nothing is left of the equations of edges.
void PlaneMultigrid::find_residual(Index l) {
  const int odd = static_cast<int>(l % 2);
  const auto half = fine_plane::half_of({west_, south_, excess_, share_}, b_, x_, l, odd);
  float* out = middles_.line(l);
  squares_[static_cast<std::size_t>(l)] =
      odd ? fine_plane::residual(half, out) : fine_plane::residual_over_diagonal(half, out);
  if (odd) return;
  out[x_.evens()] = 0;
  fine_plane::to_edges(x_.odds(), share_.odd(l), west_.odd(l), west_.even(l) + 1, out, edges_.line(l));
}

void PlaneMultigrid::gather(Index l) {
  const auto [work, out] = work_lines(x_.evens() + 1);
  fine_plane::gather({x_.evens(), x_.odds(), share_.even(l), south_.even(l), south_.even(l + 1), west_.odd(l),
                      west_.even(l) + 1, south_.odd(l), south_.odd(l + 1), middles_.line(l),
                      middles_.line(l - 1), middles_.line(l + 1), edges_.line(l - 1), edges_.line(l + 1),
                      work, out});
  NinePoint& coarse = *levels_.front();
  split_line(coarse.width(), out, coarse.b.even(l / 2), coarse.b.odd(l / 2));
}

// Edges alone: the first colour of the sweep that follows makes the rest of them.
void PlaneMultigrid::correct(Index l) {
  NinePoint& coarse = *levels_.front();
  if (l % 2 == 1)
    fine_plane::add_between(x_.evens(), over_correction, share_.even(l), west_.even(l), west_.odd(l),
                            coarse.natural(l / 2) - 1, coarse.natural(l / 2), x_.even(l));
  else
    fine_plane::add_between(x_.odds(), over_correction, share_.odd(l), south_.odd(l), south_.odd(l + 1),
                            coarse.natural(l / 2 - 1), coarse.natural(l / 2), x_.odd(l));
}

Real PlaneMultigrid::pass(bool corrects) {
  const int blocks = wavefront_blocks(x_.lines(), stages, threads_);
  wavefront(x_.lines(), stages, blocks, [&](int stage, Index l) {
    const int parity = static_cast<int>(l % 2);
    if (stage == 0) {
      if (combines_) combine(l);
      if (corrects) correct(l);
    } else if (stage <= half_sweeps) {
      relax(l, stage % 2 == 1 ? parity : 1 - parity);
    } else if (stage == half_sweeps + 1) {
      find_residual(l);
    } else if (parity == 1) {
      gather(l);
    }
  });
  return std::sqrt(sum_of_lines());
}

Real PlaneMultigrid::sum_of_lines() const {
  TreeSum<Real> sum;
  for (Index l = 0; l < x_.lines(); ++l) sum.add(l, squares_[static_cast<std::size_t>(l)]);
  return sum.sum();
}

void PlaneMultigrid::coarse_cycle() {
  for (std::size_t k = 0; k + 1 < levels_.size(); ++k) levels_[k]->go_down(*levels_[k + 1]);
  coarsest_.solve(*levels_.back());
  for (std::size_t k = levels_.size() - 1; k-- > 0;) levels_[k]->come_up(*levels_[k + 1]);
}

void PlaneMultigrid::remember() {
  const SplitLines<float>& gathered = levels_.front()->b;
  for (Started& one : started_) {
    one.x.lay_out(x_.width(), x_.lines(), threads_);
    one.gathered.lay_out(gathered.width(), gathered.lines(), 1);
    // They have no weight at first, but numbers they must be.
    one.x.clear(threads_);
    one.gathered.clear(1);
  }
}

void PlaneMultigrid::accelerate() {
  chebyshev_.advance();
  const Real weight = chebyshev_.weight(), share = chebyshev_.share();
  NinePoint& coarse = *levels_.front();
  for (Index l = 0; l < coarse.lines(); ++l)
    for (const int odd : {0, 1})
      fine_plane::combine(coarse.b.count(odd), static_cast<float>(weight * share),
                          static_cast<float>(weight * (1 - share)), static_cast<float>(1 - weight),
                          coarse.b.half(l, odd), started_[0].gathered.half(l, odd),
                          started_[1].gathered.half(l, odd));
  combines_ = true;
}

void PlaneMultigrid::combine(Index l) {
  const Real weight = chebyshev_.weight(), share = chebyshev_.share();
  for (const int odd : {0, 1})
    fine_plane::combine(x_.count(odd), weight * share, weight * (1 - share), 1 - weight, x_.half(l, odd),
                        started_[0].x.half(l, odd), started_[1].x.half(l, odd));
}

// Root of the sum of squares of what rounding leaves of the terms of each equation.
Real PlaneMultigrid::round_off() {
  const Index lines = x_.lines();
#pragma omp parallel for schedule(static) num_threads(threads_) if (threads_ > 1)
  for (Index l = 0; l < lines; ++l) {
    Real sum = 0;
    for (const int odd : {0, 1})
      sum +=
          fine_plane::square_of_terms(fine_plane::half_of({west_, south_, excess_, share_}, b_, x_, l, odd));
    squares_[static_cast<std::size_t>(l)] = sum;
  }
  return 4 * std::numeric_limits<Real>::epsilon() * std::sqrt(sum_of_lines());
}

void PlaneMultigrid::load_guess(std::span<const Real> guess) {
  const Index width = x_.width(), lines = x_.lines();
  const char* prescribed = prescribed_.empty() ? nullptr : prescribed_.data();
#pragma omp parallel for schedule(static) num_threads(threads_) if (threads_ > 1)
  for (Index l = 0; l < lines; ++l)
    fine_plane::split_scaled(width, right_scale_ / scale_, 0, guess.data() + width * l,
                             prescribed ? prescribed + width * l : nullptr, x_.even(l), x_.odd(l));
}

bool PlaneMultigrid::solve(std::span<const Real> right, std::span<Real> solution, bool guessed,
                           const SolverRules& rules, Convergence& convergence) {
  load_right(right);
  if (!(right_norm_ > 0) || !std::isfinite(right_norm_)) {
    // Nothing to be solved; rows of the identity keep what they are given.
    for (std::size_t n = 0; n < solution.size(); ++n)
      solution[n] = !prescribed_.empty() && prescribed_[n] ? right[n] : 0;
    convergence = {};
    convergence.residuals.push_back(0);
    return true;
  }
  if (guessed) load_guess(solution);
  convergence = {};
  convergence.residuals.push_back(1);
  const Real whole = right_norm_ * right_scale_;
  chebyshev_ = {};
  combines_ = false;
  Real last = pass(false) / whole;
  convergence.reached = guessed && last <= rules.tolerance;
  while (convergence.iterations() < rules.iterations && !convergence.reached) {
    const Index done = convergence.iterations();
    if (chebyshev_.on()) accelerate();
    coarse_cycle();
    const Real residual = pass(true) / whole;
    if (combines_) std::swap(started_[0], started_[1]);
    combines_ = false;
    convergence.residuals.push_back(residual);
    if (!std::isfinite(residual)) return false;
    convergence.reached =
        residual <= rules.tolerance || (residual > 0.5 * last && residual * whole <= round_off());
    const bool slow =
        !chebyshev_.on() ? done >= 3 && residual > slow_factor * last : chebyshev_.adapt(residual);
    if (slow && !convergence.reached) {
      if (!chebyshev_.on()) {
        remember();
        chebyshev_.start(residual / last, residual);
      }
      const Real more = std::log(rules.tolerance / residual) / std::log(chebyshev_.rate());
      if (static_cast<Real>(done) + more > most_cycles) return false;
    }
    last = residual;
  }
  store(right, solution);
  return true;
}

}  // namespace williwaw
