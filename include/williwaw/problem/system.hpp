// Several unknowns on the axes of one grid: a problem each, and what they do to each other.
#pragma once

#include <array>
#include <type_traits>

#include "williwaw/grid/clones.hpp"
#include "williwaw/grid/expect.hpp"
#include "williwaw/problem/problem.hpp"

namespace williwaw {

/// Values along a line of places, one line for each unknown.
using UnknownLines = std::span<const std::span<const Real>>;

/// A value that follows from all unknowns: (places, time, u, out).
using OfUnknowns = std::function<void(const Points&, Real, UnknownLines, std::span<Real>)>;

/// What reactions make of all unknowns together: amounts for each unit of volume and time.
struct SystemReaction {
  /// (places, time, u, out)
  using ByLine = std::function<void(const Points&, Real, UnknownLines, std::span<std::span<Real>>)>;
  /// One line of `out` for each unknown.
  ByLine rate;
  /// ∂(rate of unknown m)/∂(unknown k) in line m·count + k of `out`; central differences take its place where
  /// it is missing.
  ByLine slopes = {};
  bool on_place = true, on_time = true;
  /// Affine in all unknowns, so that schemes need no iterations.
  bool linear = false;

  SystemReaction() = default;
  template <class F>
  requires std::invocable<F, const Points&, Real, UnknownLines, std::span<std::span<Real>>> SystemReaction(
      F all)
      : rate(std::move(all)) {}

  explicit operator bool() const { return rate != nullptr; }
  /// The derivatives at these values, from `slopes` or by differences whose step is the cube root of
  /// round-off in `sizes`, one for each unknown.
  void differentiate(const Points& places, Real time, UnknownLines u, std::span<const Real> sizes,
                     std::span<std::span<Real>> out) const;
};

namespace detail {
// What a function makes of the values at place i.
template <std::size_t count, class F>
WILLIWAW_INLINE inline std::array<Real, count> rates_at(const Real* const (&from)[count], std::size_t i,
                                                        const F& f) {
  std::array<Real, count> values;
  for (std::size_t m = 0; m < count; ++m) values[m] = from[m][i];
  return f(values);
}

template <std::size_t count, class F>
WILLIWAW_CLONES void react_by_values(UnknownLines u, std::span<std::span<Real>> out, F f) {
  const Real* from[count];
  Real* to[count];
  for (std::size_t m = 0; m < count; ++m) {
    from[m] = u[m].data();
    to[m] = out[m].data();
  }
  // Eight places at a time, as `each_value` does.
  constexpr std::size_t lanes = 8;
  const std::size_t size = u[0].size(), whole = size / lanes * lanes;
  for (std::size_t i = 0; i < whole; i += lanes) {
    Real made[count][lanes];
    for (std::size_t k = 0; k < lanes; ++k) {
      const std::array<Real, count> rates = rates_at(from, i + k, f);
      for (std::size_t m = 0; m < count; ++m) made[m][k] = rates[m];
    }
    for (std::size_t m = 0; m < count; ++m)
      for (std::size_t k = 0; k < lanes; ++k) to[m][i + k] = made[m][k];
  }
  for (std::size_t i = whole; i < size; ++i) {
    const std::array<Real, count> rates = rates_at(from, i, f);
    for (std::size_t m = 0; m < count; ++m) to[m][i] = rates[m];
  }
}
}  // namespace detail

/// The reaction whose rates follow from the values of all unknowns at one place, whatever the place and time,
/// compiled into loops over lines:
///
///     reaction_by_values<2>([](const std::array<Real, 2>& u) {
///       const Real met = u[0] * u[1];
///       return std::array<Real, 2>{-met, met};
///     });
template <std::size_t count, class F>
requires std::is_invocable_r_v < std::array<Real, count>, F,
const std::array<Real, count>& > SystemReaction reaction_by_values(F f) {
  SystemReaction result([f](const Points&, Real, UnknownLines u, std::span<std::span<Real>> out) {
    expect(u.size() == count, "reaction_by_values: as many unknowns as values");
    detail::react_by_values<count>(u, out, f);
  });
  result.on_place = result.on_time = false;
  return result;
}

/// A flux of several unknowns along each axis, and the largest speed at which anything travels.
class SystemFlux {
 public:
  virtual ~SystemFlux() = default;
  /// How many unknowns it is for; 0: any number.
  virtual std::size_t components() const { return 0; }
  /// f of every unknown along the axis of this direction (0 is x).
  virtual void flux(int direction, UnknownLines u, std::span<std::span<Real>> out) const = 0;
  /// ∂f_m/∂u_k in line m·count + k of `out`; for fluxes whose speeds follow from it.
  virtual void jacobian(int direction, UnknownLines u, std::span<std::span<Real>> out) const;
  /// The largest magnitude of an eigenvalue of the Jacobian; infinite where eigenvalues are not real, so that
  /// nothing travels at a speed. Of more than three unknowns the smaller one of its row and column norms.
  virtual void speed(int direction, UnknownLines u, std::span<Real> out) const;
  /// The unknown that advects all of them along an axis, where they are advected by unknowns: fluxes are then
  /// that unknown's value on the face times the value from upwind. −1 where none does.
  virtual int velocity(int) const { return -1; }
  /// u_t + v·∇u, not ∇·(v u): what the divergence of the velocity makes of u is given back, under a line of
  /// the ledger of its own.
  virtual bool advective() const { return false; }
};

/// A vector that carries itself along, f_i = u_i·u_a along axis a: what the quadratic flux is in more
/// dimensions than one.
std::shared_ptr<const SystemFlux> self_advecting_flux(int components);

/// All unknowns advected by some of them: `velocity` names one for each direction, by number, −1 where
/// nothing flows. Throws InputError for numbers that are not there.
std::shared_ptr<const SystemFlux> advection_by_unknowns(std::array<int, 3> velocity, bool advective,
                                                        std::size_t unknowns);

/// What flows of one unknown down the gradient of another: ∇·(diffusivity ∇u_by) in the equation of u_of.
struct CrossDiffusion {
  std::size_t of = 0, by = 0;  ///< numbers of the unknowns
  /// Of either sign: an amount of `of` for each unit of time and length and of `by`.
  OfUnknowns diffusivity;
  /// Its derivative by unknown k in line k of the last argument; central differences take its place where it
  /// is missing.
  std::function<void(const Points&, Real, UnknownLines, std::span<std::span<Real>>)> slopes = {};
  bool on_unknowns = true, on_place = true, on_time = true;

  /// The derivatives at these values, from `slopes` or by differences whose step is the cube root of
  /// round-off in `sizes`, one for each unknown.
  void differentiate(const Points& places, Real time, UnknownLines u, std::span<const Real> sizes,
                     std::span<std::span<Real>> out) const;
};

/// What runs, and what the analysis reads.
struct System {
  std::vector<Problem> problems;
  SystemReaction reaction = {};
  std::shared_ptr<const SystemFlux> flux = nullptr;
  std::vector<CrossDiffusion> cross_diffusion = {};
  /// Beside each face the variables that travel at one speed each are reconstructed, not the unknowns: those
  /// of the Jacobian of the flux at the mean of both sides. For fluxes that tell it.
  bool characteristic = false;
};

}  // namespace williwaw
