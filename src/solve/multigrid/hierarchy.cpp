#include "hierarchy.hpp"

#include <algorithm>
#include <atomic>
#include <bit>
#include <cmath>
#include <cstdint>

#include "domain/summing.hpp"
#include "grid/threads.hpp"
#include "williwaw/solve/linear_solver.hpp"

namespace williwaw {

namespace {

constexpr Index coarsest_size = 64;
// An axis is joined in pairs if its conductances are at least this fraction of the strongest axis'.
// Relaxation evens out along large conductances only.
constexpr double strong_enough = 0.3;

}  // namespace

faces::View<float> Hierarchy::Level::view() const {
  return {extent, periodic, dimension, diagonal.data(), {low[0].data(), low[1].data(), low[2].data()}};
}

// Conductance from unknown n, at index `at` along axis a, to its neighbour there.
float Hierarchy::Level::conductance(Index n, Index at, int a, bool upper) const {
  const Index size = extent[a];
  if (!upper) return low[a][n];
  if (at + 1 < size) return low[a][n + stride(a)];
  return periodic[a] ? low[a][n - at * stride(a)] : 0;
}

// Resistance from the middle of the pair that n belongs to, to the middle of n: half of what lies between the
// two; nothing where n stands alone.
float Hierarchy::Level::half_inside(Index n, Index at, int a) const {
  const bool second = at % 2 == 1;
  if (!second && at + 1 == extent[a]) return 0;
  const float between = conductance(n, at, a, !second);
  return between > 0 ? 0.5f / between : 0;
}

// What boundaries and storage add to the pair that n belongs to. A boundary is further from the middle of the
// pair than from n itself: its pull is in series with the half between.
float Hierarchy::Level::excess_of_pair(Index n, const std::array<Index, 3>& at) const {
  const float pull = excess[n];
  if (!(pull > 0)) return pull;
  for (int a = 0; a < dimension; ++a)
    if (paired[a] && !(conductance(n, at[a], a, at[a] % 2 == 1) > 0))
      return 1 / (1 / pull + half_inside(n, at[a], a));
  return pull;
}

// Coefficients of own rows are known; those of the others come from their ranks. What joins the first rows of
// a halo to rows that are not here is left out: nothing is asked of what follows from it.
void Hierarchy::Level::complete_coefficients() {
  share.complete(excess);
  for (int a = 0; a < dimension; ++a) share.complete(low[a]);
  for (int a = 1; a < dimension; ++a) {
    if (share.here(a).first == 0) continue;
    const Index rows = a == 1 ? extent[2] : 1, stride_of_rows = extent[0] * extent[1];
    for (Index row = 0; row < rows; ++row)
      std::fill_n(low[a].begin() + row * stride_of_rows, stride(a), 0.0f);
  }
}

// The diagonal from conductances and excess. A row without either is one of the identity.
void Hierarchy::Level::finish() {
  diagonal.resize(static_cast<std::size_t>(size()));
  inverse.resize(diagonal.size());
  const Index ny = extent[1];
#pragma omp parallel for schedule(static) num_threads(threads) if (threads > 1)
  for (Index line = 0; line < extent[1] * extent[2]; ++line)
    for (Index i = 0; i < extent[0]; ++i) {
      const Index n = extent[0] * line + i;
      const std::array<Index, 3> at{i, line % ny, line / ny};
      float sum = excess[n];
      for (int a = 0; a < dimension; ++a)
        sum += conductance(n, at[a], a, false) + conductance(n, at[a], a, true);
      diagonal[n] = sum > 0 ? sum : 1;
      inverse[n] = sum > 0 ? 1 / sum : 0;  // what belongs to no one stays zero
    }
  for (auto* v : {&x, &b, &r}) v->assign(diagonal.size(), 0.0f);
}

// The logarithm to base 2 but for a constant, straight between powers of 2: near enough to compare means.
WILLIWAW_INLINE inline Real rough_logarithm(float c) {
  return static_cast<Real>(std::bit_cast<std::int32_t>(c)) * 0x1p-23;
}

void Hierarchy::choose_pairs(Level& level) {
  std::array<double, 3> mean{0, 0, 0};
  for (int a = 0; a < level.dimension; ++a) {
    const float* const c = level.low[a].data();
    const auto sum = [&](const auto& term) {
      if (!level.share.has_halo())
        return sum_over(level.extent[0], level.extent[1] * level.extent[2], level.threads, term);
      Real own = 0;
      const RowRange rows = level.share.own(1), planes = level.share.own(2);
      for (Index k = planes.first; k < planes.end; ++k) {
        const Index first = level.extent[0] * (rows.first + level.extent[1] * k);
        for (Index n = first; n < first + level.extent[0] * rows.count(); ++n) own += term(n);
      }
      return level.share.summed(own);
    };
    const Real joined = sum([c](Index n) { return c[n] > 0 ? 1.0 : 0.0; });
    // By their logarithms: a poor material next to a good one must not decide for both.
    const Real logarithms = sum([c](Index n) { return c[n] > 0 ? rough_logarithm(c[n]) : 0.0; });
    mean[a] = joined > 0 ? std::exp2(logarithms / joined - 127) : 0;
  }
  const double strongest = std::max({mean[0], mean[1], mean[2]});
  for (int a = 0; a < level.dimension; ++a)
    level.paired[a] = level.share.whole_extent(a) > 2 && mean[a] >= strong_enough * strongest;
  // Where the strong axes are down to two unknowns the others go on.
  if (!level.paired[0] && !level.paired[1] && !level.paired[2])
    for (int a = 0; a < level.dimension; ++a) level.paired[a] = level.share.whole_extent(a) > 2;
}

Hierarchy::Level Hierarchy::coarser(Level& fine) {
  choose_pairs(fine);
  Level coarse;
  coarse.dimension = fine.dimension;
  coarse.share = fine.share.coarser(fine.paired);
  coarse.extent = coarse.share.extent();
  for (int a = 0; a < 3; ++a) coarse.periodic[a] = coarse.share.periodic(a);
  for (int a = 0; a < 3; ++a)
    fine.shift[a] = fine.share.here(a).first / (fine.paired[a] ? 2 : 1) - coarse.share.here(a).first;
  coarse.threads = threads_for(coarse.size(), fine.threads);
  const auto count = static_cast<std::size_t>(coarse.size());
  coarse.excess.assign(count, 0.0f);
  for (int a = 0; a < fine.dimension; ++a) {
    coarse.low[a].assign(count, 0.0f);
    if (fine.paired[a]) fine.lean[a].assign(static_cast<std::size_t>(fine.size()), 0.0f);
  }
  const auto half = [&](Index p, int b) { return fine.paired[b] ? p / 2 : p; };
  const auto pairs = [&](int b) { return fine.paired[b] ? (fine.extent[b] + 1) / 2 : fine.extent[b]; };
  const Index rows = pairs(1);
  const RowRange own_rows = coarse.share.own(1), own_planes = coarse.share.own(2);
#pragma omp parallel for schedule(static) num_threads(fine.threads) if (fine.threads > 1)
  for (Index block = 0; block < rows * pairs(2); ++block) {
    const Index J = block % rows, K = block / rows;
    const Index row = J + fine.shift[1], plane = K + fine.shift[2];
    // Pairs of other ranks are looked at for the weights of their members alone.
    const bool ours =
        row >= own_rows.first && row < own_rows.end && plane >= own_planes.first && plane < own_planes.end;
    const auto range = [&](int b, Index P) {
      const Index first = fine.paired[b] ? 2 * P : P;
      return std::pair{first, fine.paired[b] ? std::min(first + 2, fine.extent[b]) : first + 1};
    };
    const auto [j0, j1] = range(1, J);
    const auto [k0, k1] = range(2, K);
    for (Index k = k0; k < k1; ++k)
      for (Index j = j0; j < j1; ++j)
        for (Index i = 0; i < fine.extent[0]; ++i) {
          const std::array<Index, 3> at{i, j, k};
          const Index n = i + fine.extent[0] * (j + fine.extent[1] * k);
          const Index N = ours ? half(i, 0) + coarse.extent[0] * (row + coarse.extent[1] * plane) : 0;
          if (ours) coarse.excess[N] += fine.excess_of_pair(n, at);
          for (int a = 0; a < fine.dimension; ++a) {
            const bool second = fine.paired[a] && at[a] % 2 == 1;
            // Below: the conductance between this pair and the one before it, in series with the halves of
            // both.
            if (!second && ours) {
              const float face = fine.conductance(n, at[a], a, false);
              if (face > 0) {
                float resistance = 1 / face;
                if (fine.paired[a]) {
                  const Index before = at[a] > 0 ? at[a] - 1 : fine.extent[a] - 1;
                  const Index m = n + (before - at[a]) * fine.stride(a);
                  resistance += fine.half_inside(n, at[a], a) + fine.half_inside(m, before, a);
                }
                coarse.low[a][N] += 1 / resistance;
              }
            }
            if (!fine.paired[a]) continue;
            const float face = fine.conductance(n, at[a], a, second);
            const float own = fine.half_inside(n, at[a], a);
            if (own == 0) continue;
            if (!(face > 0)) {
              // Towards a boundary values come back smaller, by as much as the boundary holds them.
              const float boundary = fine.excess[n];
              if (boundary > 0) fine.lean[a][n] = own / (own + 1 / boundary);
              continue;
            }
            const Index size = fine.extent[a];
            const Index next =
                second ? (at[a] + 1 < size ? at[a] + 1 : 0) : (at[a] > 0 ? at[a] - 1 : size - 1);
            const Index m = n + (next - at[a]) * fine.stride(a);
            fine.lean[a][n] = own / (own + 1 / face + fine.half_inside(m, next, a));
          }
        }
  }
  coarse.complete_coefficients();
  coarse.finish();
  return coarse;
}

// Calls visit(line of the finest level, line of the matrix) for the lines of this rank.
template <class Visit>
void Hierarchy::each_own_line(const Visit& visit) const {
  const Level& first = levels_.front();
  const RowRange rows = first.share.own(1), planes = first.share.own(2);
#pragma omp parallel for schedule(static) num_threads(first.threads) if (first.threads > 1)
  for (Index own = 0; own < rows.count() * planes.count(); ++own) {
    const Index j = rows.first + own % rows.count(), k = planes.first + own / rows.count();
    const Index line = j + first.extent[1] * k;
    visit(line, box_ ? *box_->here({0, j + first.share.here(1).first, k + first.share.here(2).first}) /
                           first.extent[0]
                     : line);
  }
}

void Hierarchy::build(const FaceSystem& system, int threads) {
  levels_.clear();
  box_ = system.box;
  Level& first = levels_.emplace_back();
  first.share = box_ ? LevelShare(*box_, system.periodic) : LevelShare(system.extent, system.periodic);
  first.extent = first.share.extent();
  for (int a = 0; a < 3; ++a) first.periodic[a] = first.share.periodic(a);
  first.dimension = system.dimension();
  first.threads = threads_for(first.size(), threads);
  Real largest = 0;
  for (Index n = 0; n < system.size(); ++n)
    if (!box_ || box_->owns(n)) largest = std::max(largest, system.diagonal[static_cast<std::size_t>(n)]);
  if (box_) largest = box_->communicator().highest(largest);
  if (!(largest > 0)) throw SolverError("multigrid needs a diagonal above zero");
  scale_ = 1 / largest;
  const auto count = static_cast<std::size_t>(first.size());
  first.excess.resize(count);
  for (int a = 0; a < first.dimension; ++a) first.low[a].resize(count);
  std::atomic<bool> symmetric = true, signs = true, fixed = false;
  const Index nx = system.extent[0];
  const std::array<Index, 3> stride{1, nx, nx * system.extent[1]};
  each_own_line([&](Index line, Index of_matrix) {
    bool alike = true, conducts = true, held = false;
    for (Index i = 0; i < nx; ++i) {
      const Index n = nx * of_matrix + i, to = nx * line + i;
      double sum = system.diagonal[n];
      for (int a = 0; a < first.dimension; ++a) {
        const Real low = system.lower[a][n], high = system.upper[a][n];
        conducts = conducts && low <= 0 && high <= 0;
        // Only a seam makes a neighbour that is not a stride away.
        const Index other = low == 0             ? -1
                            : system.periodic[a] ? system.neighbour(n, a, false)
                                                 : n - stride[a];
        // Rows of a halo are not there to compare with.
        if (other >= 0 && (!box_ || box_->owns(other)))
          alike = alike && std::abs(system.upper[a][other] - low) <= 1e-9 * std::abs(low);
        first.low[a][to] = static_cast<float>(-low * scale_);
        sum += low + high;
      }
      const bool prescribed = !system.prescribed.empty() && system.prescribed[n];
      if (prescribed) sum = 0;
      // What round-off leaves of rows that sum to zero is no excess.
      if (std::abs(sum) < 1e-12 * system.diagonal[n]) sum = 0;
      held = held || sum > 0;
      first.excess[to] = static_cast<float>(std::max(0.0, sum) * scale_);
    }
    if (!alike) symmetric = false;
    if (!conducts) signs = false;
    if (held) fixed = true;
  });
  std::array<Real, 3> found{symmetric ? 0.0 : 1.0, signs ? 0.0 : 1.0, fixed ? 1.0 : 0.0};
  if (box_) box_->communicator().highest(found);
  if (found[0] != 0) throw SolverError("conjugate gradients and multigrid need a symmetric matrix");
  if (found[1] != 0) throw SolverError("multigrid needs conductances above zero");
  singular_ = found[2] == 0;
  first.complete_coefficients();
  first.finish();
  while (levels_.back().share.whole_size() > coarsest_size && levels_.size() < 40) {
    Level next = coarser(levels_.back());
    if (next.share.whole_size() >= levels_.back().share.whole_size()) break;
    levels_.push_back(std::move(next));
  }
  factor_coarsest();
}

// Dense Cholesky of the coarsest system. A singular one gets a little on its diagonal; the mean that this
// lets through is taken out again.
void Hierarchy::factor_coarsest() {
  const Level& level = levels_.back();
  const Index n = level.size();
  factor_.assign(static_cast<std::size_t>(n * n), 0.0);
  for (Index k = 0; k < level.extent[2]; ++k)
    for (Index j = 0; j < level.extent[1]; ++j)
      for (Index i = 0; i < level.extent[0]; ++i) {
        const std::array<Index, 3> at{i, j, k};
        const Index m = i + level.extent[0] * (j + level.extent[1] * k);
        factor_[m * n + m] += level.diagonal[m] * (singular_ ? 1 + 1e-6 : 1 + 1e-14);
        for (int a = 0; a < level.dimension; ++a)
          if (const float c = level.conductance(m, at[a], a, false); c > 0) {
            const Index other = at[a] > 0 ? m - level.stride(a) : m + (level.extent[a] - 1) * level.stride(a);
            factor_[m * n + other] -= c;
            factor_[other * n + m] -= c;
          }
      }
  for (Index c = 0; c < n; ++c) {
    for (Index m = 0; m < c; ++m)
      for (Index r = c; r < n; ++r) factor_[r * n + c] -= factor_[r * n + m] * factor_[c * n + m];
    const double pivot = std::sqrt(std::max(factor_[c * n + c], 1e-30));
    for (Index r = c; r < n; ++r) factor_[r * n + c] /= pivot;
  }
}

void Hierarchy::solve_coarsest(Level& level) const {
  const Index n = level.size();
  std::vector<double> v(level.b.begin(), level.b.end());
  for (Index r = 0; r < n; ++r) {
    for (Index c = 0; c < r; ++c) v[r] -= factor_[r * n + c] * v[c];
    v[r] /= factor_[r * n + r];
  }
  for (Index r = n - 1; r >= 0; --r) {
    for (Index c = r + 1; c < n; ++c) v[r] -= factor_[c * n + r] * v[c];
    v[r] /= factor_[r * n + r];
  }
  if (singular_) {
    double mean = 0;
    for (const double x : v) mean += x / static_cast<double>(n);
    for (double& x : v) x -= mean;
  }
  for (Index r = 0; r < n; ++r) level.x[r] = level.inverse[r] > 0 ? static_cast<float>(v[r]) : 0;
}

void Hierarchy::cycle(std::size_t l) {
  Level& level = levels_[l];
  if (l + 1 == levels_.size()) {
    solve_coarsest(level);
    return;
  }
  const auto view = level.view();
  faces::relax(view, level.inverse.data(), level.x.data(), level.b.data(), true, true, level.threads);
  faces::residual(view, level.x.data(), level.b.data(), level.r.data(), level.threads);
  Level& next = levels_[l + 1];
  if (level.share.has_halo()) level.share.complete(level.r);
  restrict_residual(level, next);
  next.share.complete(next.b);
  cycle(l + 1);
  if (next.share.has_halo()) next.share.complete(next.x);
  add_correction(level, next);
  if (level.share.has_halo()) level.share.complete(level.x);
  faces::relax(view, level.inverse.data(), level.x.data(), level.b.data(), false, false, level.threads);
}

void Hierarchy::apply(std::vector<float>& r, std::vector<float>& z) {
  Level& first = levels_.front();
  if (box_) {
    const Index nx = first.extent[0];
    z.resize(r.size());
    each_own_line([&](Index line, Index of_matrix) {
      std::copy_n(r.begin() + nx * of_matrix, nx, first.b.begin() + nx * line);
    });
    first.share.complete(first.b);
    cycle(0);
    each_own_line([&](Index line, Index of_matrix) {
      std::copy_n(first.x.begin() + nx * line, nx, z.begin() + nx * of_matrix);
    });
    return;
  }
  first.b.swap(r);
  cycle(0);
  z.swap(first.x);
  first.x.resize(z.size());  // what came in first is empty
}

}  // namespace williwaw
