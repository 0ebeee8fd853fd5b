// What the analysis of advection looks at: one place at one time, and how waves grow there.
#pragma once

#include <array>
#include <complex>
#include <optional>

#include "grid/threads.hpp"
#include "williwaw/verify/advection.hpp"

namespace williwaw::verify {

// One axis at one place.
struct AxisAt {
  Real speed = 0, diffusivity = 0, width = 1, largest = 0;
};

// One for each axis of a grid. Analyses make them for every unknown at many times: they allocate nothing.
class AxesAt {
 public:
  void push_back(const AxisAt& axis) { axes_[size_++] = axis; }
  bool empty() const { return size_ == 0; }
  std::size_t size() const { return size_; }
  AxisAt& operator[](std::size_t a) { return axes_[a]; }
  const AxisAt& operator[](std::size_t a) const { return axes_[a]; }
  const AxisAt* begin() const { return axes_.data(); }
  const AxisAt* end() const { return axes_.data() + size_; }

 private:
  std::array<AxisAt, 3> axes_;
  std::size_t size_ = 0;
};

// Everything at one place and time.
struct Place {
  AxesAt axes;
  Real rate = 0;    ///< Σ speed/width + 4·diffusivity/width²
  Real passed = 0;  ///< Σ speed/width
  Index where = 0;
};

// What a balance says at one time, asked for once. The speeds of a law are the fastest of all values in
// `range`.
class AtTime {
  std::shared_ptr<const EvaluatedAdvection> advection_;
  std::shared_ptr<const Conductances> conductances_;
  std::array<std::optional<Real>, 3> constant_;  ///< coefficients that are

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
        coefficients(balance.problem().equation().diffusion.coefficient) {
    for (std::size_t d = 0; d < coefficients.size(); ++d)
      if (coefficients[d].is_constant()) constant_[d] = coefficients[d](Point{}, time);
  }
  /// The coefficient of diffusion along axis `a` at an unknown.
  Real coefficient(int a, Index n) const {
    const auto direction = static_cast<std::size_t>(grid.direction(a));
    return constant_[direction] ? *constant_[direction] : coefficients[direction](grid.point_of(n), at);
  }
};

/// Calls visit(part, n) for all unknowns, by threads; each of `parts_of_search` parts has some in increasing
/// order, after those of the part before.
inline constexpr Index parts_of_search = 64;
template <class Visit>
void search(const Discretization& balance, const Visit& visit) {
  const Index count = balance.grid().count();
  on_all_threads(
      parts_of_search, threads_for(count, balance.domain(0).threads()), [] { return 0; },
      [&](int, Index part) {
        for (Index n = count * part / parts_of_search; n < count * (part + 1) / parts_of_search; ++n)
          visit(static_cast<std::size_t>(part), n);
      });
}

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
