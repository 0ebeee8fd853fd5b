// Looking up where each unknown was carried from: back along the flow, and the values found there.
#pragma once

#include <limits>

#include "terms/advection/cubic_stencils.hpp"
#include "williwaw/terms/problem_balance.hpp"

namespace williwaw {

/// Paths are followed back by the midpoint rule, cut into as many pieces as cells are passed; values between
/// unknowns are cubic along each axis and never leave those around them (Robert, 1981; Bermejo and
/// Staniforth, 1992). What came through a boundary has what that boundary says of it.
class SemiLagrangian final : public SemiLagrangianAdvection {
 public:
  /// Throws InputError for flux laws and for storages that vary.
  SemiLagrangian(ProblemBalance& balance, LineId line);

  void advect(const State& y, Real at, Real step, State& out) override;
  bool alone() const override { return alone_; }
  LineId line() const override { return line_; }

 private:
  // An axis, laid out for looking up places.
  struct Line {
    Line(const Axis& of_grid, int direction_of_axis);
    Index containing(Real at) const;
    const Axis& axis;
    int direction;
    Index size;
    bool periodic;
    Real from, to, spacing;  // 0 where spacing is not even
    std::span<const Real> points, bounds, widths, gaps;
  };
  // Velocities through the faces across an axis.
  struct Rows {
    const Real* first = nullptr;
    Index row = 0, sheet = 0;  // from a line to the next
  };
  // Where an unknown was carried from: a place within the grid, or one beyond its boundary, from which the
  // path leads to `place`.
  struct Departure {
    Index unknown;
    Point place, beyond;
    bool through_boundary;
  };

  template <int dimension>
  Point velocity_in(const Point& place) const;
  Point velocity(const Point& place) const;
  Departure follow(Index n, int pieces, Real length) const;
  bool place_stencil(const Departure& departure);
  void find_departures(Real step);
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
  Real storage_ = 1;
  bool alone_ = false, outline_whole_, steady_ = false;
  /// Of steps of this length; of steady velocities they are found once.
  Real found_for_ = std::numeric_limits<Real>::quiet_NaN();
  std::vector<Line> lines_;
  std::array<Rows, 3> rows_;
  CubicStencils stencils_;
  std::vector<std::vector<Departure>> apart_;  ///< by line: those that the stencils cannot serve
  /// Faces of sides, by unknown: closure and face.
  std::array<std::vector<std::pair<int, Index>>, 6> boundaries_;
};

}  // namespace williwaw
