// Values on both sides of the faces of a line, of unknowns or of what travels at one speed.
#include <Eigen/Dense>
#include <algorithm>
#include <cmath>

#include "terms/systems/system_flux_workspace.hpp"

namespace williwaw {

namespace {

using Lines = std::vector<std::span<const Real>>;

// In columns, by increasing eigenvalue, so that neighbouring faces have them alike; the identity where they
// are not real or not independent.
Eigen::MatrixXd eigenvectors_of(const Eigen::MatrixXd& matrix) {
  const Eigen::Index size = matrix.rows();
  const Eigen::EigenSolver<Eigen::MatrixXd> solver(matrix);
  Eigen::MatrixXd result = Eigen::MatrixXd::Identity(size, size);
  if (solver.info() != Eigen::Success || !matrix.allFinite()) return result;
  std::vector<Eigen::Index> order(static_cast<std::size_t>(size));
  for (Eigen::Index m = 0; m < size; ++m) order[static_cast<std::size_t>(m)] = m;
  const auto& values = solver.eigenvalues();
  std::ranges::sort(order, {}, [&](Eigen::Index m) { return values[m].real(); });
  for (Eigen::Index m = 0; m < size; ++m) {
    const Eigen::Index from = order[static_cast<std::size_t>(m)];
    if (values[from].imag() != 0) return Eigen::MatrixXd::Identity(size, size);
    result.col(m) = solver.eigenvectors().col(from).real();
  }
  constexpr Real nearly_dependent = 1e-8;
  if (std::abs(result.determinant()) < nearly_dependent) return Eigen::MatrixXd::Identity(size, size);
  return result;
}

}  // namespace

// Both sides of each face, from six values about it.
void SystemFluxTerm::reconstruct(const std::vector<Rows>& rows, int axis, Index first, Index faces,
                                 Workspace& workspace) const {
  const std::size_t count = members_.size();
  const auto sides = [&](std::size_t m, const Rows& six) {
    reconstruct_line(*reconstruction_, six, distances_[static_cast<std::size_t>(axis)], first, axis == 0,
                     faces, workspace.left[m].data(), workspace.right[m].data());
  };
  if (!characteristic_) {
    for (std::size_t m = 0; m < count; ++m) sides(m, rows[m]);
    return;
  }
  const auto length = static_cast<std::size_t>(faces);
  const auto size = static_cast<Eigen::Index>(count);
  // The Jacobian at the mean of both neighbours.
  Values mean(count, std::vector<Real>(length)), jacobian(count * count, std::vector<Real>(length));
  for (std::size_t m = 0; m < count; ++m)
    for (std::size_t i = 0; i < length; ++i) mean[m][i] = 0.5 * (rows[m][2][i] + rows[m][3][i]);
  std::vector<std::span<Real>> entries(jacobian.begin(), jacobian.end());
  flux_->jacobian(grid().direction(axis), Lines(mean.begin(), mean.end()), entries);
  std::vector<Eigen::MatrixXd> from(length);  // characteristic variables to unknowns
  std::vector<std::array<std::vector<Real>, 6>> along(count);
  for (auto& six : along)
    for (auto& row : six) row.resize(length);
  Eigen::VectorXd u(size);
  for (std::size_t i = 0; i < length; ++i) {
    Eigen::MatrixXd at(size, size);
    for (Eigen::Index m = 0; m < size; ++m)
      for (Eigen::Index n = 0; n < size; ++n) at(m, n) = jacobian[static_cast<std::size_t>(m * size + n)][i];
    from[i] = eigenvectors_of(at);
    const Eigen::MatrixXd to = from[i].inverse();
    for (std::size_t row = 0; row < 6; ++row) {
      for (std::size_t m = 0; m < count; ++m) u[static_cast<Eigen::Index>(m)] = rows[m][row][i];
      const Eigen::VectorXd w = to * u;
      for (std::size_t m = 0; m < count; ++m) along[m][row][i] = w[static_cast<Eigen::Index>(m)];
    }
  }
  for (std::size_t m = 0; m < count; ++m) {
    Rows six{};
    for (std::size_t row = 0; row < 6; ++row) six[row] = along[m][row].data();
    sides(m, six);
  }
  for (auto* side : {&workspace.left, &workspace.right})
    for (std::size_t i = 0; i < length; ++i) {
      for (std::size_t m = 0; m < count; ++m) u[static_cast<Eigen::Index>(m)] = (*side)[m][i];
      const Eigen::VectorXd back = from[i] * u;
      for (std::size_t m = 0; m < count; ++m) (*side)[m][i] = back[static_cast<Eigen::Index>(m)];
    }
}

}  // namespace williwaw
