// What the analysis of advection looks at: one place at one time, and how waves grow there.
#pragma once

#include <complex>

#include "williwaw/verify/advection.hpp"

namespace williwaw::verify {

// One axis at one place.
struct AxisAt {
  Real speed = 0, diffusivity = 0, width = 1, largest = 0;
};

// Everything at one place and time.
struct Place {
  std::vector<AxisAt> axes;
  Real rate = 0;    ///< Σ speed/width + 4·diffusivity/width²
  Real passed = 0;  ///< Σ speed/width
  Index where = 0;
};

// What a balance says at one time, asked for once. The speeds of a law are the fastest of all values in
// `range`.
class AtTime {
  std::shared_ptr<const EvaluatedAdvection> advection_;
  std::shared_ptr<const Conductances> conductances_;

 public:
  const EvaluatedAdvection& advection;
  const Conductances& conductances;
  const Grid& grid;
  const State& y;
  Real at;
  std::span<const Function> coefficients;  ///< of diffusion, along each axis
  AtTime(Discretization& balance, const State& state, Real time, const std::optional<ValueRange>& range)
      : advection_(range ? balance.advection(time, state, range->values) : balance.advection(time, state)),
        conductances_(balance.conductances(time)),
        advection(*advection_),
        conductances(*conductances_),
        grid(balance.grid()),
        y(state),
        at(time),
        coefficients(balance.problem().equation().diffusion.coefficient) {}
};

/// Everything at one unknown.
Place place_at(const AtTime& now, Index n);
/// Where most is passed in a unit of time; every value of a law's range may come by everywhere.
Place fastest_place(const Discretization& balance, const AtTime& now);
/// Places that may decide: where the flow is fastest, and where most is exchanged in all.
Place worst_place(const Discretization& balance, const AtTime& now);

/// step·eigenvalue of a wave along one axis: what diffuses, and the advected quantity.
std::pair<std::complex<Real>, std::complex<Real>> symbol(const EvaluatedAdvection& advection,
                                                         const AxisAt& axis, Real step, Real angle);
/// No wave grows in a step.
bool holds(const EvaluatedAdvection& advection, const Scheme& scheme, const Place& place, Real step);
/// The largest step for which nothing grows; 0 where some wave does however short the step, and where speeds
/// are unbounded.
Real limit_at(const EvaluatedAdvection& advection, const Scheme& scheme, const Place& place);

}  // namespace williwaw::verify
