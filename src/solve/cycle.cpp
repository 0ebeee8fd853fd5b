#include "williwaw/solve/cycle.hpp"

#include <fftw3.h>

#include <Eigen/SparseLU>
#include <algorithm>
#include <cmath>
#include <numbers>

namespace williwaw {

namespace {

using Complex = std::complex<Real>;
using Matrix = Eigen::SparseMatrix<Complex>;

// Harmonics below this fraction of the largest are round-off.
constexpr Real least_fraction = 1e-13;

// What acts on the unknowns that are free, everything they do themselves left out.
State data_at(Balance& balance, Real time) {
  const auto size = static_cast<std::size_t>(balance.layout().size());
  State y(size, 0.0), f(size);
  Ledger ignored(balance.lines().size());
  balance.prescribe(time, y);
  balance.rate(y, time, Parts::all(), f, ignored);
  for (const Index h : balance.prescribed()) f[h] = 0;
  for (const Index n : balance.inactive()) f[n] = 0;
  return f;
}

// Harmonic k of every unknown: [k][n].
std::vector<std::vector<Complex>> harmonics_of(std::vector<Real>& samples, Index count, Index size) {
  const int length = static_cast<int>(count), many = static_cast<int>(size);
  const auto kept = static_cast<std::size_t>(count / 2 + 1);
  std::vector<Complex> out(kept * static_cast<std::size_t>(size));
  const fftw_plan plan =
      fftw_plan_many_dft_r2c(1, &length, many, samples.data(), nullptr, many, 1,
                             reinterpret_cast<fftw_complex*>(out.data()), nullptr, many, 1, FFTW_ESTIMATE);
  fftw_execute(plan);
  fftw_destroy_plan(plan);
  std::vector<std::vector<Complex>> result(kept);
  for (std::size_t k = 0; k < kept; ++k) {
    const auto first = out.begin() + static_cast<std::ptrdiff_t>(k) * size;
    result[k].assign(first, first + size);
    for (Complex& c : result[k]) c /= static_cast<Real>(count);
  }
  return result;
}

}  // namespace

RepeatingState::RepeatingState(Balance& balance, Real period, Index samples)
    : balance_(balance), period_(period) {
  const Capabilities capabilities = balance.capabilities();
  if (!capabilities.linear || !capabilities.matrix || !capabilities.steady_matrix)
    throw InputError(
        "a repeating state is solved for directly where the problem is linear and its coefficients are "
        "steady");
  if (!(period > 0) || samples < 4)
    throw InputError(Subject::cycle, "a cycle needs a period above zero and four samples or more");
  const Index size = balance.layout().size();
  std::vector<Real> data;
  Real scale = 0;
  for (Index s = 0; s < samples; ++s) {
    const Real t = period * static_cast<Real>(s) / static_cast<Real>(samples);
    const State now = data_at(balance, t), later = data_at(balance, t + period);
    scale = std::max({scale, balance.reductions().largest(now), balance.reductions().largest(later)});
    for (Index n = 0; n < size; ++n)
      if (std::abs(now[n] - later[n]) > 1e-8 * scale)
        throw InputError(Subject::cycle,
                         "boundaries or sources do not repeat with this period: they differ at time " +
                             to_text(t) + " and " + to_text(t + period));
    data.insert(data.end(), now.begin(), now.end());
  }
  const auto harmonics = harmonics_of(data, samples, size);

  LinearSystem stiffness, capacity;
  const State none;
  balance.linearise(none, 0, 0, 1, Parts::all(), stiffness);
  balance.linearise(none, 0, 1, 0, Parts::all(), capacity);
  std::vector<char> fixed(static_cast<std::size_t>(size), 0);
  for (const Index h : balance.prescribed()) fixed[h] = 1;
  for (const Index n : balance.inactive()) fixed[n] = 1;
  const Real omega = 2 * std::numbers::pi / period;
  for (std::size_t k = 0; k < harmonics.size(); ++k) {
    Real size_of = 0;
    for (const Complex& c : harmonics[k]) size_of = std::max(size_of, std::abs(c));
    if (size_of <= least_fraction * scale) continue;
    std::vector<Eigen::Triplet<Complex>> entries;
    for (const auto& e : triplets_of(stiffness)) entries.emplace_back(e.row, e.column, e.value);
    for (const auto& e : triplets_of(capacity))
      if (!fixed[e.row])
        entries.emplace_back(e.row, e.column, Complex(0, static_cast<Real>(k) * omega * e.value));
    Matrix m(size, size);
    m.setFromTriplets(entries.begin(), entries.end());
    Eigen::SparseLU<Matrix> solver(m);
    const Eigen::Map<const Eigen::VectorXcd> right(harmonics[k].data(), size);
    Eigen::VectorXcd y;
    if (solver.info() == Eigen::Success) y = solver.solve(right);
    // A matrix without a mean to hold on to is singular but for round-off, and answers with nonsense.
    if (solver.info() != Eigen::Success || !((m * y - right).cwiseAbs().maxCoeff() <= 1e-8 * size_of))
      throw InputError(
          "no periodic state: the mean is not fixed, and inflow and outflow over a period differ");
    orders_.push_back(static_cast<Index>(k));
    amplitudes_.emplace_back(y.data(), y.data() + size);
  }
}

State RepeatingState::at(Real time) const {
  State y(static_cast<std::size_t>(balance_.layout().size()), 0.0);
  for (std::size_t h = 0; h < orders_.size(); ++h) {
    const Complex turn = std::polar(orders_[h] == 0 ? 1.0 : 2.0,
                                    2 * std::numbers::pi * static_cast<Real>(orders_[h]) * time / period_);
    for (std::size_t n = 0; n < y.size(); ++n) y[n] += (turn * amplitudes_[h][n]).real();
  }
  balance_.prescribe(time, y);
  return y;
}

}  // namespace williwaw
