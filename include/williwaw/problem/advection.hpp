// The advection of the unknown: a velocity, or a flux that depends on the unknown itself.
#pragma once

#include <array>
#include <concepts>
#include <memory>

#include "williwaw/grid/clones.hpp"
#include "williwaw/problem/function.hpp"

namespace williwaw {

/// A flux density f(u) along each axis and its derivative, the speed at which values travel. Axes are told by
/// direction: 0 is x, 1 is y, 2 is z. May be called from several threads at once.
class FluxLaw {
 public:
  virtual ~FluxLaw() = default;
  /// How reports call it: "u²/2".
  virtual std::string name() const = 0;
  /// f(u), value by value.
  virtual void flux(int direction, std::span<const Real> u, std::span<Real> out) const = 0;
  /// df/du, value by value.
  virtual void speed(int direction, std::span<const Real> u, std::span<Real> out) const = 0;
};

/// What a struct must have to serve as a flux: f and its wave speed, the same along all axes or by direction.
template <class F>
concept FluxOfValue = requires(const F& f, Real u) {
  { f.flux(u) } -> std::convertible_to<Real>;
  { f.speed(u) } -> std::convertible_to<Real>;
};
template <class F>
concept FluxOfDirection = requires(const F& f, int direction, Real u) {
  { f.flux(direction, u) } -> std::convertible_to<Real>;
  { f.speed(direction, u) } -> std::convertible_to<Real>;
};

namespace detail {
// Eight values at a time, which compilers turn into vectors whatever they are told to optimize.
template <class Value>
WILLIWAW_CLONES void each_value(std::span<const Real> u, std::span<Real> out, Value value) {
  constexpr std::size_t lanes = 8;
  const Real* from = u.data();
  Real* to = out.data();
  const std::size_t whole = u.size() / lanes * lanes;
  for (std::size_t i = 0; i < whole; i += lanes) {
    Real part[lanes];
    for (std::size_t k = 0; k < lanes; ++k) part[k] = value(from[i + k]);
    for (std::size_t k = 0; k < lanes; ++k) to[i + k] = part[k];
  }
  for (std::size_t i = whole; i < u.size(); ++i) to[i] = value(from[i]);
}
}  // namespace detail

/// The flux law of a struct with f and its wave speed, compiled into loops over lines:
///
///     struct Traffic {
///       Real flux(Real u) const { return u * (1 - u); }
///       Real speed(Real u) const { return 1 - 2 * u; }
///     };
///     conservation(flux_law(Traffic{}));
template <class F>
requires(FluxOfValue<F> ||
         FluxOfDirection<F>) std::shared_ptr<const FluxLaw> flux_law(F f, std::string name = "f(u)") {
  class Compiled final : public FluxLaw {
   public:
    Compiled(F function, std::string called) : f_(std::move(function)), name_(std::move(called)) {}
    std::string name() const override { return name_; }
    void flux([[maybe_unused]] int direction, std::span<const Real> u, std::span<Real> out) const override {
      if constexpr (FluxOfValue<F>)
        detail::each_value(u, out, [this](Real v) { return f_.flux(v); });
      else
        detail::each_value(u, out, [this, direction](Real v) { return f_.flux(direction, v); });
    }
    void speed([[maybe_unused]] int direction, std::span<const Real> u, std::span<Real> out) const override {
      if constexpr (FluxOfValue<F>)
        detail::each_value(u, out, [this](Real v) { return f_.speed(v); });
      else
        detail::each_value(u, out, [this, direction](Real v) { return f_.speed(direction, v); });
    }

   private:
    F f_;
    std::string name_;
  };
  return std::make_shared<Compiled>(std::move(f), std::move(name));
}

/// u²/2 along every axis (Burgers, 1948).
std::shared_ptr<const FluxLaw> quadratic_flux();

/// The velocity of what advects the unknown.
struct Velocity {
  /// Components by direction: along x (and r), y and z.
  std::array<Function, 3> along{0.0, 0.0, 0.0};
  /// In a plane of two axes: the first component is the derivative of this along the second axis, the second
  /// one minus that along the first. Flows between its values at the corners of faces need no correction.
  std::optional<Function> stream_function = {};
  /// Times at which the velocity is given; in between it is linear in time. Empty: it is evaluated whenever
  /// it is asked for.
  std::vector<Real> instants = {};
  /// The last instant is meant to hold for all times after it.
  bool hold_after = false;
  /// The instants repeat with this period; 0: they do not, and the first and last hold before and after.
  Real period = 0;
  /// What flows through faces is corrected by the least change that makes as much leave every control volume
  /// as enters it.
  bool divergence_free = false;

  Velocity() = default;
  Velocity(Function x, Function y = 0.0, Function z = 0.0)
      : along{std::move(x), std::move(y), std::move(z)} {}
  static Velocity of_stream_function(Function psi);

  bool depends_on_place() const;
  bool depends_on_time() const;
};

/// ∇·(velocity u), or ∇·f(u).
struct Advection {
  Velocity velocity = {};
  /// Replaces velocity·u where it is there.
  std::shared_ptr<const FluxLaw> law = nullptr;
  /// False: velocity·∇u instead, which keeps a uniform u uniform whatever the velocity does.
  bool conservative = true;
};

}  // namespace williwaw
