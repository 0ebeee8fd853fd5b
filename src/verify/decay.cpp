#include "williwaw/verify/decay.hpp"

#include <Eigen/SparseCholesky>
#include <algorithm>
#include <cmath>

#include "williwaw/grid/expect.hpp"
#include "williwaw/solve/linear_solver.hpp"
#include "williwaw/solve/spectrum.hpp"

namespace williwaw::verify {

namespace {

constexpr int most_vectors = 30;

// Products weighted by what each control volume stores; unknowns that are prescribed or inactive weigh
// nothing.
class Weighted {
 public:
  explicit Weighted(std::vector<Real> weights) : weights_(std::move(weights)) {}
  Real product(const State& a, const State& b) const {
    Real sum = 0;
    for (std::size_t n = 0; n < a.size(); ++n) sum += weights_[n] * a[n] * b[n];
    return sum;
  }
  const std::vector<Real>& weights() const { return weights_; }

 private:
  std::vector<Real> weights_;
};

}  // namespace

std::optional<Index> growing_modes(Discretization& balance, const State& y, Real at) {
  expect(static_cast<Index>(y.size()) == balance.layout().size(), "growing_modes: a state of the balance");
  const Index most = balance.grid().dimension() == 3 ? 20000 : 200000;
  if (balance.advects() || balance.capabilities().second_order || balance.layout().size() > most)
    return std::nullopt;
  LinearSystem system;
  balance.linearise(y, at, 0, 1, Parts::all(), system);
  const auto size = static_cast<int>(rows_of(system));
  using SparseMatrix = Eigen::SparseMatrix<Real>;
  std::vector<Eigen::Triplet<Real, int>> entries;
  for (const auto& t : triplets_of(system))
    entries.emplace_back(static_cast<int>(t.row), static_cast<int>(t.column), t.value);
  SparseMatrix matrix(size, size);
  matrix.setFromTriplets(entries.begin(), entries.end());
  const SparseMatrix transposed = matrix.transpose();
  if ((matrix - transposed).norm() > 1e-9 * matrix.norm()) return std::nullopt;
  // Without pivoting only a pivot that vanishes fails; none does but by chance.
  const Eigen::SimplicialLDLT<SparseMatrix> factors(matrix);
  if (factors.info() != Eigen::Success) return std::nullopt;
  const auto pivots = factors.vectorD();
  const Real least = 1e-12 * pivots.cwiseAbs().maxCoeff();
  return static_cast<Index>((pivots.array() < -least).count());
}

SlowestDecay slowest_decay(Discretization& balance, Real at, Real tolerance) {
  if (!balance.capabilities().linear) throw InputError("a decay rate belongs to a linear problem");
  const State none;
  LinearSystem system;
  balance.linearise(none, at, 0, 1, Parts::all(), system);
  const FaceSystem& k = std::get<FaceSystem>(system);
  const auto count = static_cast<std::size_t>(k.size());
  std::vector<Real> weights(count);
  Real excess = 0, strength = 0;
  for (Index n = 0; n < k.size(); ++n) {
    if (!k.prescribed.empty() && k.prescribed[n]) continue;
    weights[n] = balance.conductances(at)->capacity(n);
    Real sum = k.diagonal[n];
    for (int a = 0; a < k.dimension(); ++a) sum += k.lower[a][n] + k.upper[a][n];
    excess += sum;
    strength += k.diagonal[n];
  }
  SlowestDecay result;
  if (std::abs(excess) <= 1e-12 * strength) return result;
  const Weighted space(std::move(weights));

  SolverRules rules;
  rules.tolerance = 1e-12;
  const auto solver = make_solver("auto", system, rules);
  solver->factor(system);
  std::vector<State> basis;
  // A start without symmetries, so that no mode is missed.
  State v(count), w(count), right(count);
  for (std::size_t n = 0; n < count; ++n)
    v[n] = space.weights()[n] > 0 ? 1 + 0.3 * std::sin(0.7 * static_cast<Real>(n) + 0.1) : 0;
  std::vector<Real> diagonal, off;
  std::vector<Triplet> small;
  Real last = 0;
  for (int m = 0; m < most_vectors; ++m) {
    const Real size = std::sqrt(space.product(v, v));
    if (!(size > 0)) break;
    if (m > 0) off.push_back(size);
    for (Real& x : v) x /= size;
    basis.push_back(v);
    for (std::size_t n = 0; n < count; ++n) right[n] = space.weights()[n] * v[n];
    solver->solve(right, w);
    ++result.solves;
    diagonal.push_back(space.product(w, v));
    for (int pass = 0; pass < 2; ++pass)
      for (const State& b : basis) {
        const Real fraction = space.product(w, b);
        for (std::size_t n = 0; n < count; ++n) w[n] -= fraction * b[n];
      }
    v = w;
    small.clear();
    for (std::size_t i = 0; i < diagonal.size(); ++i) {
      small.push_back({static_cast<Index>(i), static_cast<Index>(i), diagonal[i]});
      if (i > 0) {
        small.push_back({static_cast<Index>(i), static_cast<Index>(i) - 1, off[i - 1]});
        small.push_back({static_cast<Index>(i) - 1, static_cast<Index>(i), off[i - 1]});
      }
    }
    const Real now = symmetric_eigenvalues(static_cast<Index>(diagonal.size()), small).back();
    result.settled = std::abs(now - last) <= tolerance * std::abs(now);
    last = now;
    if (result.settled || std::sqrt(space.product(v, v)) <= 1e-14 * std::abs(now)) {
      result.settled = true;
      break;
    }
  }
  result.rate = 1 / last;
  // One inverse iteration from the projection of all vectors gives the mode.
  right.assign(count, 0.0);
  for (std::size_t n = 0; n < count; ++n) right[n] = space.weights()[n];
  State mode(count, 0.0);
  for (int k_step = 0; k_step < 8; ++k_step) {
    solver->solve(right, mode);
    const Real largest = std::abs(*std::ranges::max_element(mode, {}, [](Real x) { return std::abs(x); }));
    for (std::size_t n = 0; n < count; ++n) {
      mode[n] /= largest;
      right[n] = space.weights()[n] * mode[n];
    }
  }
  result.mode = std::move(mode);
  return result;
}

}  // namespace williwaw::verify
