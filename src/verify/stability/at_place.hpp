// Reactions and cross diffusion of several unknowns at one place.
#pragma once

#include <Eigen/Dense>

#include "williwaw/problem/system.hpp"

namespace williwaw::verify {

/// Rates of all unknowns and their derivatives.
struct ReactionAt {
  Eigen::VectorXd rate;
  Eigen::MatrixXd slope;
};

/// `sizes` are those of the unknowns, for derivatives that are taken by differences.
inline ReactionAt reaction_at(const SystemReaction& reaction, const Point& place, Real time,
                              const Eigen::VectorXd& u, std::span<const Real> sizes) {
  const auto count = static_cast<std::size_t>(u.size());
  std::vector<Real> slopes(count * count);
  ReactionAt result{Eigen::VectorXd(u.size()), Eigen::MatrixXd(u.size(), u.size())};
  std::vector<std::span<const Real>> values;
  std::vector<std::span<Real>> rates, lines;
  for (std::size_t m = 0; m < count; ++m) {
    values.emplace_back(u.data() + m, 1);
    rates.emplace_back(result.rate.data() + m, 1);
  }
  for (Real& s : slopes) lines.emplace_back(&s, 1);
  Points at(1);
  at.set(0, place);
  reaction.rate(at, time, values, rates);
  reaction.differentiate(at, time, values, sizes, lines);
  for (std::size_t m = 0; m < count; ++m)
    for (std::size_t k = 0; k < count; ++k)
      result.slope(static_cast<Eigen::Index>(m), static_cast<Eigen::Index>(k)) = slopes[m * count + k];
  return result;
}

/// Diffusivities of each unknown, by row, down the gradients of the others, by column; 0 on the diagonal.
inline Eigen::MatrixXd cross_diffusion_at(const std::vector<CrossDiffusion>& all, const Point& place,
                                          Real time, const Eigen::VectorXd& u) {
  Eigen::MatrixXd result = Eigen::MatrixXd::Zero(u.size(), u.size());
  std::vector<std::span<const Real>> values;
  for (Eigen::Index m = 0; m < u.size(); ++m) values.emplace_back(u.data() + m, 1);
  Points at(1);
  at.set(0, place);
  for (const CrossDiffusion& cross : all) {
    Real diffusivity = 0;
    cross.diffusivity(at, time, values, {&diffusivity, 1});
    result(static_cast<Eigen::Index>(cross.of), static_cast<Eigen::Index>(cross.by)) += diffusivity;
  }
  return result;
}

}  // namespace williwaw::verify
