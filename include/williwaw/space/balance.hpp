// The balance: d/dt Q(y, t) = Σ parts F_part(y, t). Every equation becomes one of these, every scheme asks
// one of these, and nothing else stands between them.
#pragma once

#include <limits>
#include <memory>

#include "williwaw/space/layout.hpp"
#include "williwaw/space/ledger.hpp"
#include "williwaw/space/linear_system.hpp"

namespace williwaw {

/// Which parts of F are asked for: fluxes along an axis (their walls included), or what appears inside.
class Parts {
 public:
  static constexpr Parts flux(int axis) { return Parts(1u << axis); }
  static constexpr Parts source() { return Parts(8u); }
  static constexpr Parts all() { return Parts(~0u); }
  constexpr bool has(Parts other) const { return (bits_ & other.bits_) != 0; }
  constexpr Parts operator|(Parts other) const { return Parts(bits_ | other.bits_); }

 private:
  explicit constexpr Parts(unsigned bits) : bits_(bits) {}
  unsigned bits_;
};

/// What a balance offers to schemes and to the analysis.
struct Offers {
  bool linear = false;         ///< Q and F are affine in y
  bool steady_matrix = false;  ///< a·Q' − b·F' does not change in time
  bool matrix = false;         ///< linearise is there
};

/// Sums and extremes of a state, taken in fixed blocks so that threads never change them.
struct Totals {
  Real content = 0;   ///< Σ Q
  Real gross = 0;     ///< Σ |Q|
  Real integral = 0;  ///< Σ volume · u
  Real lowest = std::numeric_limits<Real>::infinity();
  Real highest = -std::numeric_limits<Real>::infinity();

  /// Number that is not finite anywhere shows in the gross content.
  bool finite() const { return gross <= std::numeric_limits<Real>::max(); }
  void add(const Totals& other);
};

/// What data and sources allow: where walls pull the unknown to, and how fast sources and wall fluxes can
/// raise or lower it anywhere. The blow-up guard reads it.
struct Drive {
  Real lowest = std::numeric_limits<Real>::infinity();
  Real highest = -std::numeric_limits<Real>::infinity();
  Real raising = 0;   ///< largest rise of the unknown per time, >= 0
  Real lowering = 0;  ///< largest fall of the unknown per time, >= 0
  bool known = false;
  bool steady = false;  ///< the same at all times
};

/// A balance over control volumes. State vectors have layout().size() entries; amounts Q and rates F belong
/// to the control volume of each unknown.
class Balance {
 public:
  virtual ~Balance() = default;

  virtual const Layout& layout() const = 0;
  virtual Offers offers() const = 0;
  virtual const std::vector<LedgerLine>& lines() const = 0;

  /// q = Q(y, at): the amount stored in each control volume.
  virtual void storage(const State& y, Real at, State& q) = 0;
  /// The state whose storage is q. `y` holds a first guess.
  virtual void recover(const State& q, Real at, State& y) = 0;
  /// f = Σ F over `parts`; the ledger gets the rate on each line. Held unknowns get their F as well, so that
  /// what a wall must supply to hold them can be told.
  virtual void rate(const State& y, Real at, Parts parts, State& f, Ledger& ledger) = 0;
  /// The matrix a·Q' − b·F' about y.
  virtual void linearise(const State& y, Real at, Real a, Real b, Parts parts, LinearSystem& system) = 0;

  /// Unknowns that take no part, in increasing order: their values are zero and their equations are u = 0.
  virtual std::span<const Index> absent() const { return {}; }
  /// Unknowns that walls hold, in increasing order.
  virtual std::span<const Index> held() const { return {}; }
  /// Sets them to their values at this time.
  virtual void pin(Real, State&) {}
  /// Books what the walls supplied to hold them: `missing` is ΔQ − step·Σ weights·F, read at held unknowns.
  virtual void book_held(const State& missing, Ledger& amounts);

  virtual Totals totals(const State& y, Real at) = 0;
  virtual Drive drive(Real) { return {}; }

  /// One explicit step: Q(out) = Q(y) + step·F(y, at), then held values of at + step. `amounts` gets what
  /// crossed each line, the result are the totals of `out`. Balances do this in one pass where they can.
  virtual Totals advance(const State& y, Real at, Real step, State& out, Ledger& amounts);
};

}  // namespace williwaw
