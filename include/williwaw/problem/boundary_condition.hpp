// What acts on a boundary. Every condition states one law, and everything that needs the boundary — the
// explicit step, the matrix, the printed stencil, the budget — is derived from that law.
#pragma once

#include <limits>

#include "williwaw/problem/function.hpp"

namespace williwaw {

/// The law of a condition on every face of a boundary: value·u + flux·q + rate·du/dt = data.
///
/// `u` is the unknown on the boundary, `q` the flux through it, positive into the domain. `rate` belongs to
/// ends of waves; equations of first order in time refuse laws in which it is not zero. All four may be
/// multiplied by any number but zero. Laws of several conditions on one boundary add up where each has a
/// flux.
struct LawLine {
  std::vector<Real> value, flux, rate, data;
  explicit LawLine(std::size_t faces) : value(faces), flux(faces), rate(faces), data(faces) {}
};

/// What a condition may look at when it states its law: entries of `conductivity` and `about` belong to
/// faces.
struct BoundaryPlace {
  const Points& points;
  Real time;
  /// Conductivity along the boundary's normal, on the boundary.
  std::span<const Real> conductivity;
  /// What a unit of the unknown stores in a unit of volume, on the boundary.
  std::span<const Real> storage;
  /// The unknown on the boundary about which a nonlinear law is stated; empty for linear laws.
  std::span<const Real> about;
  /// The derivative of the conductivity by the unknown on the boundary, and the component of the unit vector
  /// against gravity along the outward normal; empty where they are 0.
  std::span<const Real> conductivity_slope = {};
  std::span<const Real> upward = {};
};

/// An end that lets waves out better than its law alone: (d/dt + speed·d/dn)^order u = 0 (Engquist and Majda,
/// 1977; Higdon, 1987), or a layer of so many cells inside the domain in which waves die out without being
/// reflected (Berenger, 1994; in second-order form Grote and Sim, 2010).
struct Absorption {
  int order = 1;
  int layer = 0;
};

/// What advection does at a boundary whose law tells only what diffuses through it, or nothing but the value.
struct AdvectiveBoundary {
  enum class Backflow {
    boundary,  ///< what comes in has the value on the boundary
    inside,    ///< what comes in has the value inside, as if it had just left
    value,     ///< what comes in has a value of its own
    fraction   ///< what comes in has this fraction of the value inside
  };
  Backflow backflow = Backflow::boundary;
  Function value = 0.0;
  /// Lets out whatever comes.
  bool outlet() const { return backflow != Backflow::boundary; }
};

/// A flux that holds as long as the unknown on the boundary stays on one side of a value, which is prescribed
/// beyond: rain until the surface ponds, evaporation until it has dried out. The flux is then what that value
/// lets through.
struct FluxLimit {
  Function value = 0.0;      ///< of the unknown on the boundary
  bool from_above = true;    ///< the unknown may not rise above it; else not fall below it
  std::string surplus = {};  ///< ledger line of what the flux offers and the boundary does not take; or none
};

/// One condition on a boundary. Kinds are listed in boundary_condition_kinds().
class BoundaryCondition {
 public:
  BoundaryCondition(std::string kind, std::vector<Function> arguments)
      : kind_(std::move(kind)), arguments_(std::move(arguments)) {}
  virtual ~BoundaryCondition() = default;

  /// Name of its kind, as in boundary_condition_kinds().
  const std::string& kind() const { return kind_; }
  const std::vector<Function>& arguments() const { return arguments_; }
  /// Some argument changes in time. Laws that look at the time by themselves say so here.
  virtual bool depends_on_time() const;
  /// True when the law fixes the unknown itself, whatever flows.
  virtual bool holds() const { return false; }
  /// False when the law is only the tangent to a curve, at the unknown on the boundary.
  virtual bool is_linear() const;
  /// True when the coefficients of u and q in the law change in time.
  virtual bool left_side_depends_on_time() const { return false; }
  /// True when the law contains du/dt.
  virtual bool has_rate() const { return false; }
  /// Lets waves out; more than the law's own first order is asked for.
  virtual const Absorption* absorption() const { return nullptr; }
  /// Null where the law's flux is all that passes, advection included.
  virtual const AdvectiveBoundary* advective_boundary() const { return nullptr; }
  /// Null for conditions without one; the law is that of the flux.
  virtual const FluxLimit* limit() const { return nullptr; }
  virtual void law(const BoundaryPlace& place, LawLine& out) const = 0;

 private:
  std::string kind_;
  std::vector<Function> arguments_;
};

using BoundaryConditionPointer = std::shared_ptr<const BoundaryCondition>;

/// All conditions on one boundary. Fluxes add up: `robin(8, 20) + flux(15)`.
class Boundary {
 public:
  Boundary() = default;
  explicit Boundary(BoundaryConditionPointer condition) : conditions_{std::move(condition)} {}

  const std::vector<BoundaryConditionPointer>& conditions() const { return conditions_; }
  bool empty() const { return conditions_.empty(); }
  /// True when the boundary fixes the unknown itself.
  bool holds() const;
  bool depends_on_time() const;
  bool is_linear() const;
  /// A law with du/dt in it, or more: belongs to waves.
  bool needs_second_order() const;
  /// Of the condition that lets advection through; null where none does.
  const AdvectiveBoundary* advective_boundary() const;
  /// The limit of its only condition; null where there is none.
  const FluxLimit* limit() const;
  /// Throws InputError when one of the two holds its value, or may: nothing can be added to that.
  Boundary operator+(const Boundary& other) const;

 private:
  std::vector<BoundaryConditionPointer> conditions_;
};

/// The unknown is `value` on the boundary.
Boundary dirichlet(Function value);
/// `into` flows into the domain through each unit of area, through everything that carries the unknown.
Boundary flux(Function into);
/// `into` diffuses into the domain through each unit of area, besides advection.
Boundary diffusive_flux(Function into);
/// No diffusive flux; outflow with the interior value. Under backflow the inflow value is extrapolated from
/// inside and is unbounded.
Boundary outflow();
/// The same with this inflow value under backflow.
Boundary outflow_with_backflow(Function value);
/// The same with this fraction of the interior value under backflow: with 1/2 backflow cannot increase the L2
/// norm.
Boundary outflow_with_stabilization(Real fraction = 0.5);
/// The derivative of the unknown along the outward normal is `outward` (Neumann).
Boundary gradient(Function outward);
/// Exchange with surroundings: coefficient·(ambient − u) flows in.
Boundary robin(Function coefficient, Function ambient);
/// Radiation into surroundings: emissivity·σ·(ambient⁴ − u⁴) flows in, temperatures in kelvin (Stefan, 1879;
/// Boltzmann, 1884). Nonlinear.
Boundary radiation(Function emissivity, Function ambient);
/// Nothing flows through.
Boundary insulated();

/// Gravity alone drives the flow through the boundary: no gradient of the unknown along the normal.
Boundary free_drainage();
/// Outflow where the unknown on the boundary would rise above `value` otherwise, which it then has; no flow
/// elsewhere.
Boundary seepage(Function value);
/// `rate` flows in for each unit of area until the unknown on the boundary reaches `ponding`, which it then
/// keeps; what is not taken runs off.
Boundary rain(Function rate, Function ponding);
/// `rate` flows out for each unit of area until the unknown on the boundary has fallen to `lowest`, which it
/// then keeps.
Boundary evaporation(Function rate, Function lowest);

/// Waves: displacement 0, inverted reflection.
Boundary fixed_boundary();
/// Waves: force 0, upright reflection.
Boundary free_boundary();
/// Waves: prescribed displacement.
Boundary driven_displacement(Function displacement);
/// Waves: prescribed force on each unit of area.
Boundary driven_force(Function force);
/// Resists with a force of impedance·du/dt for each unit of area: takes all of a wave that meets it head on
/// if it equals √(conductivity·storage), which is the speed where the storage is 1.
Boundary impedance(Function resistance);
/// Lets a wave out, by the characteristic condition: du/dt + speed·du/dn = 0, of order 1, 2 or 3.
Boundary absorbing(int order = 1);
/// Lets a wave out through a layer of so many cells along the boundary, which belong to the domain.
Boundary absorbing_layer(int cells);

/// What a number in a condition measures: its dimension as powers of those of the unknown, of a flux, of
/// length and of time, and the range that constants must lie in.
struct Quantity {
  const char* name;  ///< for messages: "an exchange coefficient"
  int unknown = 0, flux = 0, length = 0, time = 0;
  Real lowest = -std::numeric_limits<Real>::infinity(), highest = std::numeric_limits<Real>::infinity();
  /// A whole number above zero, and what it counts: " cells".
  bool whole = false;
  const char* counted = "";

  /// A value of the unknown itself, with the zero point of its unit.
  bool is_value() const { return unknown == 1 && flux == 0 && length == 0 && time == 0; }
  bool is_number() const { return unknown == 0 && flux == 0 && length == 0 && time == 0; }
};

/// Quantities that several conditions ask for.
namespace quantities {
inline constexpr Quantity unknown{.name = "a value of the unknown", .unknown = 1};
inline constexpr Quantity flux{.name = "a flux", .flux = 1};
inline constexpr Quantity gradient{.name = "a gradient", .unknown = 1, .length = -1};
inline constexpr Quantity exchange{.name = "an exchange coefficient", .unknown = -1, .flux = 1, .lowest = 0};
inline constexpr Quantity impedance{.name = "an impedance", .unknown = -1, .flux = 1, .time = 1, .lowest = 0};
inline constexpr Quantity fraction{.name = "a plain number", .lowest = 0, .highest = 1};
inline constexpr Quantity count{.name = "a whole number", .whole = true};
inline constexpr Quantity cells{.name = "a whole number", .whole = true, .counted = " cells"};
}  // namespace quantities

/// A kind of condition as case files name it.
struct BoundaryConditionKind {
  struct Argument {
    std::string key;  ///< empty for a kind with a single argument
    Quantity quantity;
    /// May be left out; the condition then gets this number.
    std::optional<Real> otherwise = {};
  };
  std::string name;
  std::vector<Argument> arguments;
  std::function<BoundaryConditionPointer(const std::vector<Function>&)> make;
  /// How `check` says it, with {0}, {1} for the arguments and {u} for the unknown.
  std::string sentence;
  /// Makes sense for temperatures only.
  bool needs_kelvin = false;
  /// Belongs to equations of second order in time.
  bool of_waves = false;
  /// Lets advection out: without advection it means nothing.
  bool of_advection = false;
  /// Exactly one of its arguments is given.
  bool one_of = false;
  /// May stand as a word alone.
  bool alone = false;
  /// Gravity must act.
  bool of_gravity = false;
  /// Its arguments may depend on the unknown on the boundary.
  bool of_unknown = false;
};

/// Every kind of condition there is.
const std::vector<BoundaryConditionKind>& boundary_condition_kinds();
/// The kind called `name`; throws InputError if there is none.
const BoundaryConditionKind& boundary_condition_kind(const std::string& name);

}  // namespace williwaw
