// Looking up where each unknown was carried from: back along the flow, and the values found there.
#pragma once

#include "williwaw/terms/problem_balance.hpp"

namespace williwaw {

/// Paths are followed back by the midpoint rule, cut into as many pieces as cells are passed; values between
/// unknowns are cubic along each axis and never leave those around them (Robert, 1981; Bermejo and
/// Staniforth, 1992). What came through a boundary has what that boundary says of it.
class SemiLagrangian final : public SemiLagrangianAdvection {
 public:
  /// Throws InputError for flux laws and for storages that vary.
  SemiLagrangian(ProblemBalance& balance, LineId line, int threads);

  void advect(const State& y, Real at, Real step, State& out) override;
  bool alone() const override { return alone_; }
  LineId line() const override { return line_; }

 private:
  Point velocity(const Point& place) const;
  Real through_boundary(const Point& from, const Point& to, const State& y, Real at) const;
  Real value(const Point& place, const State& y) const;
  Real between(const std::array<Index, 3>& cell, const Point& place, const State& y) const;
  Index along(int axis, Real position) const;
  bool outside(const Point& place) const;
  Real shear() const;

  ProblemBalance& balance_;
  const Grid& grid_;
  std::shared_ptr<const EvaluatedAdvection> advection_;  ///< half-way through the step
  LineId line_;
  int threads_;
  Real storage_ = 1;
  bool alone_ = false;
  /// Faces of sides, by unknown: closure and face.
  std::array<std::vector<std::pair<int, Index>>, 6> boundaries_;
};

}  // namespace williwaw
