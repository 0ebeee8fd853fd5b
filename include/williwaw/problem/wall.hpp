// What acts on a wall. Every condition states one law, and everything that needs the wall — the explicit
// step, the matrix, the printed stencil, the budget — is derived from that law.
#pragma once

#include "williwaw/problem/function.hpp"

namespace williwaw {

/// The law of a condition on every face of a wall: value·u + flux·q + rate·du/dt = data.
///
/// `u` is the unknown on the wall, `q` the flux through it, positive into the domain. `rate` belongs to ends
/// of waves; equations of first order in time refuse laws in which it is not zero. All four may be multiplied
/// by any number but zero. Laws of several conditions on one wall add up where each has a flux.
struct LawLine {
  std::vector<Real> value, flux, rate, data;
  explicit LawLine(std::size_t faces) : value(faces), flux(faces), rate(faces), data(faces) {}
};

/// What a condition may look at when it states its law: entries of `conductivity` and `about` belong to
/// faces.
struct WallPlace {
  const Points& points;
  Real time;
  /// Conductivity along the wall's normal, on the wall.
  std::span<const Real> conductivity;
  /// What a unit of the unknown stores in a unit of volume, on the wall.
  std::span<const Real> storage;
  /// The unknown on the wall about which a nonlinear law is stated; empty for linear laws.
  std::span<const Real> about;
};

/// An end that lets waves out better than its law alone: (d/dt + speed·d/dn)^order u = 0 (Engquist and Majda,
/// 1977; Higdon, 1987), or a layer of so many cells inside the domain in which waves die out without being
/// reflected (Berenger, 1994; in second-order form Grote and Sim, 2010).
struct Outgoing {
  int order = 1;
  int layer = 0;
};

/// What a stream does at a wall whose law tells only what diffuses through it, or nothing but the value.
struct StreamEnd {
  enum class Returning {
    wall,    ///< what comes in has the value on the wall
    inside,  ///< what comes in has the value inside, as if it had just left
    value,   ///< what comes in has a value of its own
    share    ///< what comes in has this share of the value inside
  };
  Returning returning = Returning::wall;
  Function value = 0.0;
  /// Lets out whatever comes.
  bool outlet() const { return returning != Returning::wall; }
};

/// One condition on a wall. Kinds are listed in wall_kinds().
class Condition {
 public:
  Condition(std::string kind, std::vector<Function> arguments)
      : kind_(std::move(kind)), arguments_(std::move(arguments)) {}
  virtual ~Condition() = default;

  /// Name of its kind, as in wall_kinds().
  const std::string& kind() const { return kind_; }
  const std::vector<Function>& arguments() const { return arguments_; }
  /// Some argument changes in time. Laws that look at the time by themselves say so here.
  virtual bool depends_on_time() const;
  /// True when the law fixes the unknown itself, whatever flows.
  virtual bool holds() const { return false; }
  /// False when the law is only the tangent to a curve, at the unknown on the wall.
  virtual bool is_linear() const { return true; }
  /// True when the coefficients of u and q in the law change in time.
  virtual bool left_side_depends_on_time() const { return false; }
  /// True when the law contains du/dt.
  virtual bool has_rate() const { return false; }
  /// Lets waves out; more than the law's own first order is asked for.
  virtual const Outgoing* outgoing() const { return nullptr; }
  /// Null where the law's flux is all that passes, what a stream carries included.
  virtual const StreamEnd* stream_end() const { return nullptr; }
  virtual void law(const WallPlace& place, LawLine& out) const = 0;

 private:
  std::string kind_;
  std::vector<Function> arguments_;
};

using ConditionPointer = std::shared_ptr<const Condition>;

/// All conditions on one wall. Fluxes add up: `robin(8, 20) + flux(15)`.
class Wall {
 public:
  Wall() = default;
  explicit Wall(ConditionPointer condition) : conditions_{std::move(condition)} {}

  const std::vector<ConditionPointer>& conditions() const { return conditions_; }
  bool empty() const { return conditions_.empty(); }
  /// True when the wall fixes the unknown itself.
  bool holds() const;
  bool depends_on_time() const;
  bool is_linear() const;
  /// A law with du/dt in it, or more: belongs to waves.
  bool needs_motion() const;
  /// Of the condition that lets a stream through; null where none does.
  const StreamEnd* stream_end() const;
  /// Throws InputError when one of the two holds its value: nothing can be added to that.
  Wall operator+(const Wall& other) const;

 private:
  std::vector<ConditionPointer> conditions_;
};

/// The unknown is `value` on the wall.
Wall dirichlet(Function value);
/// `into` flows into the domain through each unit of area, through everything that carries the unknown.
Wall flux(Function into);
/// `into` diffuses into the domain through each unit of area, besides what a stream carries.
Wall diffusive_flux(Function into);
/// Nothing diffuses through; a stream takes out what it carries. What comes in where it turns back has the
/// value inside, and nothing bounds that.
Wall outflow();
/// The same, but what comes in where the stream turns back has this value.
Wall outflow_returning(Function value);
/// The same, but what comes in has this share of the value inside: with 1/2 the sum of squares gains nothing.
Wall outflow_stabilised(Real share = 0.5);
/// The derivative of the unknown along the outward normal is `outward` (Neumann).
Wall gradient(Function outward);
/// Exchange with surroundings: coefficient·(ambient − u) flows in.
Wall robin(Function coefficient, Function ambient);
/// Radiation into surroundings: emissivity·σ·(ambient⁴ − u⁴) flows in, temperatures in kelvin (Stefan, 1879;
/// Boltzmann, 1884). Nonlinear.
Wall radiation(Function emissivity, Function ambient);
/// Nothing flows through.
Wall insulated();

/// The end of a wave held at rest: reflects it upside down.
Wall fixed_end();
/// The end of a wave on which no force acts: reflects it upright.
Wall free_end();
/// The end of a wave moved by hand.
Wall driven_displacement(Function displacement);
/// The end of a wave pushed by `force`, for each unit of area.
Wall driven_force(Function force);
/// Resists with a force of impedance·du/dt for each unit of area: takes all of a wave that meets it head on
/// if it equals √(conductivity·storage), which is the speed where the storage is 1.
Wall impedance(Function resistance);
/// Lets a wave out, by the characteristic condition: du/dt + speed·du/dn = 0, of order 1, 2 or 3.
Wall absorbing(int order = 1);
/// Lets a wave out through a layer of so many cells along the wall, which belong to the domain.
Wall absorbing_layer(int cells);

/// What a number in a condition measures, from which its dimension follows.
enum class Quantity { unknown, flux, gradient, exchange, share, impedance, count };

/// A kind of condition as case files name it.
struct WallKind {
  struct Argument {
    std::string key;  ///< empty for a kind with a single argument
    Quantity quantity;
    /// May be left out; the condition then gets this number.
    std::optional<Real> otherwise = {};
  };
  std::string name;
  std::vector<Argument> arguments;
  std::function<ConditionPointer(const std::vector<Function>&)> make;
  /// How `check` says it, with {0}, {1} for the arguments and {u} for the unknown.
  std::string sentence;
  /// Makes sense for temperatures only.
  bool needs_kelvin = false;
  /// Belongs to equations of second order in time.
  bool of_waves = false;
  /// Exactly one of its arguments is given.
  bool one_of = false;
  /// May stand as a word alone.
  bool alone = false;
};

/// Every kind of condition there is.
const std::vector<WallKind>& wall_kinds();
/// The kind called `name`; throws InputError if there is none.
const WallKind& wall_kind(const std::string& name);

}  // namespace williwaw
