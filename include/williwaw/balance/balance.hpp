// The balance: d/dt Q(y, t) = Σ parts F_part(y, t). Every equation becomes one of these, every scheme asks
// one of these, and nothing else stands between them.
#pragma once

#include <algorithm>
#include <limits>
#include <memory>

#include "williwaw/balance/ledger.hpp"
#include "williwaw/balance/linear_system.hpp"
#include "williwaw/domain/reductions.hpp"
#include "williwaw/domain/whole_states.hpp"

namespace williwaw {

/// Which parts of F are asked for: diffusive fluxes along an axis (their boundaries included), what appears
/// inside, or advection.
class Parts {
 public:
  static constexpr Parts flux(int axis) { return Parts(1u << axis); }
  /// Along all axes.
  static constexpr Parts fluxes() { return Parts(7u); }
  static constexpr Parts source() { return Parts(8u); }
  static constexpr Parts advection() { return Parts(16u); }
  static constexpr Parts all() { return Parts(~0u); }
  constexpr bool has(Parts other) const { return (bits_ & other.bits_) != 0; }
  constexpr Parts operator|(Parts other) const { return Parts(bits_ | other.bits_); }
  constexpr bool operator==(const Parts&) const = default;

 private:
  explicit constexpr Parts(unsigned bits) : bits_(bits) {}
  unsigned bits_;
};

/// What a balance offers to schemes and to the analysis.
struct Capabilities {
  bool linear = false;            ///< Q and F are affine in y
  bool steady_matrix = false;     ///< a·Q' − b·F' does not change in time
  bool matrix = false;            ///< linearise is there
  bool approximate = false;       ///< it is a neighbour of the true matrix, good enough to correct by
  bool same_matrix = false;       ///< whatever the state is, the matrix is the same
  bool stages = false;            ///< stage is there
  bool advection = false;         ///< something is advected
  bool second_order = false;      ///< of second order in time: motion is there
  bool first_order_form = false;  ///< and the equation asks for it as a first-order system
  bool semi_lagrangian = false;   ///< semi_lagrangian() is there
  bool reacts = false;            ///< what appears inside depends on the state
  bool data_change = false;       ///< some coefficient, source or boundary changes in time
  int space_order = 2;            ///< of the differences
};

/// Sums and extremes of a state, taken in an order that follows from the grid alone (`TreeSum`).
struct Totals {
  Real content = 0;   ///< Σ Q
  Real gross = 0;     ///< Σ |Q|
  Real integral = 0;  ///< Σ volume · u
  Real lowest = std::numeric_limits<Real>::infinity();
  Real highest = -std::numeric_limits<Real>::infinity();
  /// Of waves only: their content is their energy, the sum of both, and gross is the sum of their sizes.
  Real kinetic = 0, potential = 0;

  /// Number that is not finite anywhere shows in the gross content.
  bool finite() const { return gross <= std::numeric_limits<Real>::max(); }
  /// One more unknown.
  void see(Real u, Real volume) {
    integral += volume * u;
    lowest = u < lowest ? u : lowest;
    highest = u > highest ? u : highest;
  }
  Totals& operator+=(const Totals& other) {
    content += other.content;
    gross += other.gross;
    integral += other.integral;
    lowest = other.lowest < lowest ? other.lowest : lowest;
    highest = other.highest > highest ? other.highest : highest;
    kinetic += other.kinetic;
    potential += other.potential;
    return *this;
  }
  /// Linear between these totals and later ones.
  Totals towards(const Totals& later, Real fraction) const;
};

/// What data and sources allow: where boundaries pull the unknown to, and how fast sources and boundary
/// fluxes can raise or lower it anywhere. The blow-up guard reads it.
struct DataBounds {
  Real lowest = std::numeric_limits<Real>::infinity();
  Real highest = -std::numeric_limits<Real>::infinity();
  Real raising = 0;   ///< largest rise of the unknown per time, >= 0
  Real lowering = 0;  ///< largest fall of the unknown per time, >= 0
  bool known = false;
  bool steady = false;  ///< the same at all times

  /// Those of something that moves nothing.
  static DataBounds nothing() {
    DataBounds result;
    result.known = result.steady = true;
    return result;
  }
};

/// Steps in one pass over memory.
struct AtOnce {
  int steps = 0;  ///< the most; none where passes are not to be had
  int least = 2;  ///< fewer are taken one by one
  std::string why_one_by_one = "the scheme or the equation takes them one by one";
};

/// Several steps of one length that are taken in one pass over memory; nobody sees the states between.
struct Pass {
  std::span<const Real> times;  ///< at which each step begins
  Real step = 0;
  std::span<Ledger> amounts;  ///< for each step, as are totals
  std::span<Totals> totals;
};

/// The stages of an explicit scheme, of which each needs the start of the step and the stage before it.
struct ExplicitStages {
  /// y_next = y_start + fraction·(y − y_start) + before·(y_before − y_start) + step·(weight·C⁻¹F(y) +
  /// first·C⁻¹F(y_start)), y_before being what the stage before started from; of times that are fractions of
  /// the step.
  struct Stage {
    Real at, next_at;
    Real fraction, weight;
    Real of_step;  ///< weight of F in the step as a whole
    Real before = 0, first = 0;
  };
  std::vector<Stage> stages;
  /// The end of the step is y_start + Σ of_step·step·C⁻¹F; otherwise what the last stage makes.
  bool ends_with_sum = false;

  /// Stages know the rate at the start, and the state two stages back.
  bool looks_back() const {
    return std::ranges::any_of(stages, [](const Stage& s) { return s.before != 0 || s.first != 0; });
  }
};

/// What a balance of second order in time adds: C·d²y/dt² + damping·dy/dt = F(y, t), with C the derivative of
/// the storage. Its ledger counts energy: work done at boundaries and by sources, what damping took. Schemes
/// keep the rate of change themselves; a state holds y alone.
class SecondOrderDynamics {
 public:
  virtual ~SecondOrderDynamics() = default;

  /// The rate of change at the start.
  virtual void initial_rate(State& v) = 0;
  /// Force against the motion of each unknown, per rate; empty where there is none.
  virtual std::span<const Real> damping(Real at) = 0;
  /// Some boundary has values that follow from the motion beside it, which only `leapfrog_step` can follow,
  /// or a layer that takes waves out.
  virtual bool needs_leapfrog() const = 0;

  /// Gets ready for leapfrog steps of this length: `before` becomes the state one step earlier that goes with
  /// state `now` and rate `v`. The result are the totals there, with the energy half a step before `at`.
  /// Given forces are as for `leapfrog_step`.
  virtual Totals prepare_leapfrog(const State& now, const State& v, Real at, Real step,
                                  const State* correction, const State* data, State& before) = 0;
  /// One step of leapfrog (Courant, Friedrichs and Lewy, 1928): `before` becomes the state at at + step. The
  /// energy in the totals is the one this scheme conserves, half-way between both states. `correction` and
  /// `data` are forces added to F, of which the first is a symmetric operator's and so belongs to the
  /// potential energy; the work of the second is booked as the source's. Either may be null.
  virtual Totals leapfrog_step(const State& now, Real at, Real step, State& before, Ledger& amounts,
                               const State* correction, const State* data) = 0;
  /// How many steps `leapfrog_several` takes at the most.
  virtual AtOnce at_once() { return {}; }
  /// Does what as many calls of `leapfrog_step` without given forces do, bit for bit, but leaves `now` and
  /// `before` what they were, their halos aside, which it fills: `last` becomes the state after all steps,
  /// `second_last` the one a step earlier. Four distinct states. False where data of one of the steps are no
  /// numbers, or values became none; what the steps remember is then of no use until `recall`.
  virtual bool leapfrog_several(State& now, State& before, const Pass& pass, State& second_last, State& last);
  /// What leapfrog steps remember besides both states.
  virtual std::vector<Real> remember() const = 0;
  virtual void recall(std::span<const Real> numbers) = 0;
  /// To what each of these numbers belongs.
  virtual std::vector<NumberPlace> memory_places() const = 0;

  /// Totals of a state with rate v.
  virtual Totals totals(const State& y, const State& v, Real at) = 0;
  /// Books the work over a step from (y0, v0) at time `at` to (y1, v1), with forces that are the means of
  /// those at both ends: exact for average acceleration. `force0` and `force1` are F there.
  virtual void book_means(const State& y0, const State& v0, const State& force0, const State& y1,
                          const State& v1, const State& force1, Real at, Real step, Ledger& amounts) = 0;
  /// The line for what the scheme itself adds or takes.
  virtual LineId scheme_line() const = 0;
};

/// The same motion as a first-order system in several unknowns, of which the first is that of the balance
/// itself and the second its rate. States have layout().size() entries.
class FirstOrderForm {
 public:
  virtual ~FirstOrderForm() = default;
  virtual const Layout& layout() const = 0;
  /// The state at the start, of which `y`, the balance's own, is a part.
  virtual State initial(const State& y, Real at) const = 0;
  /// Rates of change of all unknowns; `powers` gets what acts on each line of the balance's ledger. `step` is
  /// used by fluxes that know it. `out` may not be `y`.
  virtual void rate(const State& y, Real at, Real step, State& out, Ledger& powers) = 0;
  /// Energies; extremes and integral are those of the unknown.
  virtual Totals totals(const State& y) const = 0;
  /// Σ over axes of speed over spacing, the largest value of any cell, and where.
  virtual std::pair<Real, Index> fastest() const = 0;
};

/// What a balance with advection adds for semi-Lagrangian schemes.
class SemiLagrangianAdvection {
 public:
  virtual ~SemiLagrangianAdvection() = default;
  /// out = the values of y at the places from where the unknowns are reached between at and at + step.
  virtual void advect(const State& y, Real at, Real step, State& out) = 0;
  /// Nothing diffuses, appears or reacts besides.
  virtual bool alone() const = 0;
  /// The line of the ledger for what was advected in and out and for the conservation error.
  virtual LineId line() const = 0;
};

class Storage;

/// A balance over control volumes. State vectors have layout().size() entries; amounts Q and rates F belong
/// to the control volume of each unknown.
class Balance {
 public:
  virtual ~Balance() = default;

  virtual const Layout& layout() const = 0;
  /// Sums and extremes over states.
  virtual Reductions reductions() const { return Reductions(layout()); }
  virtual Capabilities capabilities() const = 0;
  /// Those of some parts of F alone: fluxes may be linear beside a reaction that is not.
  virtual Capabilities capabilities_of(Parts) const { return capabilities(); }
  virtual const std::vector<LedgerLine>& lines() const = 0;

  /// q = Q(y, at): the amount stored in each control volume.
  virtual void storage(const State& y, Real at, State& q) = 0;
  /// The state whose storage is q. `y` holds a first guess.
  virtual void recover(const State& q, Real at, State& y) = 0;
  /// Shortens a proposed change of y where it would change what is stored by far more than Q'·change
  /// (`Storage::limit_change`).
  virtual void limit_change(const State&, State&) {}
  /// f = Σ F over `parts`; the ledger gets the rate on each line. Prescribed unknowns get their F as well, so
  /// that what a boundary must supply to hold them can be told.
  virtual void rate(const State& y, Real at, Parts parts, State& f, Ledger& ledger) = 0;
  /// The matrix a·Q' − b·F' about y.
  virtual void linearise(const State& y, Real at, Real a, Real b, Parts parts, LinearSystem& system) = 0;

  /// Unknowns that take no part, in increasing order: their values are zero and their equations are u = 0.
  virtual std::span<const Index> inactive() const { return {}; }
  /// Unknowns that boundaries hold, in increasing order.
  virtual std::span<const Index> prescribed() const { return {}; }
  /// There are such unknowns, here or on another rank.
  virtual bool prescribes() const { return !prescribed().empty(); }
  /// Unknowns that are neither prescribed nor inactive, on all ranks.
  virtual std::size_t free_count() const {
    return static_cast<std::size_t>(layout().size()) - prescribed().size() - inactive().size();
  }
  /// Sets them to their values at this time.
  virtual void prescribe(Real, State&) {}
  /// Books what the boundaries supplied to hold them: `missing` is ΔQ − step·Σ weights·F, read at prescribed
  /// unknowns.
  virtual void book_prescribed(const State& missing, Ledger& amounts);

  virtual Totals totals(const State& y, Real at) = 0;
  /// The same of each unknown by itself, in the order of the layout's blocks.
  virtual std::vector<Totals> totals_by_unknown(const State& y, Real at) { return {totals(y, at)}; }
  /// What counts the only unknown, for those who make a state piece by piece and count it while it is at
  /// hand; null where totals are not those of one storage.
  virtual const Storage* only_storage() const { return nullptr; }
  /// Of balances of second order in time; throws InputError for others.
  virtual SecondOrderDynamics& dynamics();
  /// Of balances with semi-Lagrangian advection; throws InputError for others.
  virtual SemiLagrangianAdvection& semi_lagrangian();
  /// Of waves as a first-order system; throws InputError for others, and for what that form does not take.
  /// This balance must outlive it.
  virtual std::unique_ptr<FirstOrderForm> first_order_form();
  virtual DataBounds data_bounds(Real) { return {}; }

  /// One explicit step: Q(out) = Q(y) + step·F(y, at), then prescribed values of at + step. `amounts` gets
  /// what crossed each line, the result are the totals of `out`. Balances do this in one pass where they can.
  virtual Totals advance(const State& y, Real at, Real step, State& out, Ledger& amounts);
  /// How many steps `advance_several` takes at the most.
  virtual AtOnce at_once() { return {}; }
  /// Does what as many calls of `advance` do, bit for bit: `last` becomes the state after all steps, `before`
  /// the one before the last step; y stays what it was, its halo aside, which is filled. Three distinct
  /// states, and 2 to `at_once().steps` steps. False where data of one of them are no numbers: nothing was
  /// done then.
  virtual bool advance_several(State& y, const Pass& pass, State& before, State& last);

  /// `advance_in_stages` is there.
  virtual bool steps_in_stages() { return false; }
  /// How many steps it takes in one pass at the most; 1 also where the stages of one step take a few passes.
  virtual AtOnce stages_at_once(const ExplicitStages&) { return {}; }
  /// As many steps by an explicit scheme as the pass has, by the same formulas for each unknown in any case:
  /// stage after stage, or `in_one_pass`. y stays what it was, its halo aside, which is filled, `last`
  /// becomes the state after all steps, `before` that before the last step, if there are two at least; three
  /// distinct states. In one pass false where data of a stage are no numbers, or values became none: nothing
  /// was done then.
  virtual bool advance_in_stages(State& y, const Pass& pass, const ExplicitStages& scheme, bool in_one_pass,
                                 State& before, State& last);

  /// One stage of an explicit scheme in the form of Shu and Osher (1988), in one pass:
  /// out = (1 − fraction)·start + fraction·y + step·C⁻¹F(y, at). `rates` gets the rate on each line; `of_y`
  /// are the totals of y where they are known. For balances with Capabilities::stages.
  virtual Totals stage(const State& start, const State& y, Real fraction, Real step, Real at, State& out,
                       Ledger& rates, const Totals* of_y);
};

/// What flows in on each line of the ledger at this time, per time, from the state at that time. Prescribed
/// unknowns are supplied with what their change and F ask for; their change is the central difference over
/// `window`, forward from `start`, before which data are not asked for.
Ledger flows_at(Balance& balance, const State& y, Real at, Real start, Real window);

}  // namespace williwaw
