// The equation: what is stored, what carries it and where it comes from.
#pragma once

#include <array>

#include "williwaw/problem/advection.hpp"

namespace williwaw {

/// Flow down the gradient: −∇·(coefficient ∇u) out of each place, one coefficient for each of x, y, z.
struct Diffusion {
  std::array<Function, 3> coefficient{1.0, 1.0, 1.0};
  /// Gravity: flow down the gradient of u + upward·place, as of a pressure head; the unit vector against
  /// gravity, or nothing.
  std::optional<Point> upward = {};

  bool depends_on_unknown() const {
    return coefficient[0].depends_on_unknown() || coefficient[1].depends_on_unknown() ||
           coefficient[2].depends_on_unknown();
  }
};

/// What appears or is lost for each unit of volume and time, depending on the unknown itself.
struct Reaction {
  /// Writes one value for each place: (places, time, u, values).
  using ByLine = std::function<void(const Points&, Real, std::span<const Real>, std::span<Real>)>;
  ByLine rate;
  bool on_time = false;
  /// Affine in u: rate(u) = rate(0) + u·(rate(1) − rate(0)), so that schemes need no iterations.
  bool linear = false;
  /// d rate/du in the same form, where it is known; otherwise differences take its place.
  ByLine slope = {};

  /// From a function of the unknown alone.
  static Reaction of(std::function<Real(Real)> rate, bool linear = false);
};

/// An amount that appears at one place, all of it in the control volume that holds the place.
struct PointSource {
  std::string name;
  Point at;
  Function rate;  ///< amount per time (for each unit of the axes that are not there); may depend on time
};

/// Resistance on the faces between two materials: the unknown jumps by resistance·flux there. Labels are
/// those of Regions, 0 for what belongs to no region.
struct Contact {
  int first = 0, second = 0;
  Real resistance = 0;
};

/// What follows from the unknown at every place and is shown beside it.
struct DerivedQuantity {
  std::string name;
  Function value;             ///< of the unknown
  bool like_unknown = false;  ///< measured as the unknown is; else a plain number
};

/// storage · du/dt + ∇·(advection) = ∇·(diffusion ∇u) + source + reaction(u) + points, or, where the equation
/// is of second order in time, storage · (d²u/dt² + damping · du/dt) = the same.
///
/// Of first order in time, diffusion, storage and source may depend on the unknown; a storage that does
/// stands for its integral over u, the amount stored, which `content` states itself: d content(u)/dt instead.
///
/// A sum of terms: each member is one, and those that a problem lacks stay at their neutral value.
struct Equation {
  std::string kind = "diffusion";
  /// What the unknown is called in results and figures.
  std::string unknown = "concentration";
  /// Amount stored by a unit of the unknown in a unit of volume; must not depend on time.
  Function storage = 1.0;
  /// Amount stored in a unit of volume as a function of the unknown that does not fall; instead of storage.
  std::optional<Function> content = {};
  Diffusion diffusion;
  /// Diffusivities may be zero though nothing is advected: an unknown that only reacts with others, or flows
  /// with them.
  bool may_be_still = false;
  /// The advection of the unknown.
  std::optional<Advection> advection = {};
  /// Amount that appears in each unit of volume and time.
  Function source = 0.0;
  std::optional<Reaction> reaction = {};
  std::vector<PointSource> points = {};
  std::vector<Contact> contacts = {};
  /// Waves: what is stored is inertia, and what flows in is a force.
  bool second_order = false;
  /// Of second order only: solved as a first-order system in the rate and the stress, by finite volumes.
  bool as_system = false;
  /// What is stored depends on the unknown otherwise than in proportion.
  bool stores_nonlinearly() const { return content || storage.depends_on_unknown(); }
  /// Of second order only: how fast a free motion dies, per time.
  Function damping = 0.0;
  /// Shown beside the unknown: the content and total head of water in soil, what is frozen.
  std::vector<DerivedQuantity> derived = {};
};

/// Heat: density·heat_capacity·du/dt = ∇·(conductivity ∇u) + source. The unknown is called temperature.
Equation heat(const Function& conductivity, const Function& density, const Function& heat_capacity,
              Function source = 0.0);

/// Diffusion: storage·du/dt = ∇·(diffusivity ∇u) + source. The unknown is called concentration.
Equation diffusion(const Function& diffusivity, Function storage = 1.0, Function source = 0.0);
/// The same with one diffusivity for each of x, y, z.
Equation diffusion(std::array<Function, 3> diffusivity, Function storage = 1.0, Function source = 0.0);

/// Waves: d²u/dt² + damping·du/dt = ∇·(speed² ∇u) + source. The unknown is called displacement. The force on
/// a unit of volume is the gradient's flux with speed² at the faces, so that energy is conserved where the
/// speed varies.
Equation wave(const Function& speed, Function damping = 0.0, Function source = 0.0);
/// The same by tension and density: density·(d²u/dt² + damping·du/dt) = ∇·(tension ∇u) + source.
Equation wave_in_tension(const Function& tension, Function density, Function damping = 0.0,
                         Function source = 0.0);
/// The medium taken point by point: d²u/dt² + damping·du/dt = speed² ∇²u + source.
Equation wave_non_conservative(const Function& speed, Function damping = 0.0, const Function& source = 0.0);

/// Transport: storage·du/dt + ∇·(velocity u) = ∇·(diffusivity ∇u) + source. The unknown is called
/// concentration.
Equation transport(Velocity velocity, const Function& diffusivity = 0.0, Function storage = 1.0,
                   Function source = 0.0);
/// A conservation law: du/dt + ∇·f(u) = ∇·(diffusivity ∇u) + source. The unknown is called u.
Equation conservation(std::shared_ptr<const FluxLaw> law, const Function& diffusivity = 0.0,
                      Function source = 0.0);

/// What a coefficient of an equation measures, from which its dimension follows.
enum class Coefficient {
  conductivity,
  density,
  heat_capacity,
  diffusivity,
  storage,
  source,
  speed,
  tension,
  inertia,
  damping
};

/// A kind of equation as case files name it.
struct EquationKind {
  struct Key {
    std::string name;
    Coefficient coefficient;
    bool required;
    Real otherwise;  ///< value of a key left out
    bool each_axis;  ///< may be given as { x, y, z }
  };
  std::string name;
  std::string unknown;
  std::string formula;  ///< how `check` writes it
  std::vector<Key> keys;
  /// Coefficients in the order of `keys`; those for each axis have three entries, the others one.
  std::function<Equation(const std::vector<std::vector<Function>>&)> make;
  bool second_order = false;  ///< in time
  /// Its keys besides those above: what advects the unknown.
  bool has_velocity = false, has_flux = false;
  /// Content and conductivity by soils, and gravity; content instead of storage; heat that freezes and thaws.
  bool has_soil = false, has_content = false, has_phase_change = false;
  /// One of several unknowns: its keys stand below its name, and all of them share a velocity.
  bool several_unknowns = false;
};

/// Every kind of equation there is.
const std::vector<EquationKind>& equation_kinds();

}  // namespace williwaw
