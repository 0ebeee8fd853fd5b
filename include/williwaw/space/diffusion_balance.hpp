// The balance of heat and diffusion problems.
#pragma once

#include "williwaw/space/balance.hpp"
#include "williwaw/space/closure.hpp"

namespace williwaw {

/// How a balance is carried out, not what it says.
struct Execution {
  int threads = 0;  ///< 0: as many as the machine offers
};

/// One axis of a separable operator −C⁻¹·F', made symmetric by the square roots of the capacities: a
/// tridiagonal matrix with `corner` joining first and last on a periodic axis. The operator's eigenvalues are
/// the sums of one eigenvalue from each axis.
struct AxisOperator {
  std::vector<Real> diagonal;
  std::vector<Real> off_diagonal;
  Real corner = 0;
};

/// The discrete equation of one unknown: capacity·du/dt = Σ coefficient·(neighbour − u) + Σ walls + source.
struct Stencil {
  struct Neighbour {
    std::string towards;  ///< name of the side in whose direction it lies
    Index number;
    Real conductance;
  };
  struct WallTerm {
    std::string name;  ///< as in the ledger
    Real inflow;
    Real pull;
  };
  Index number = 0;
  Point place;
  Real volume = 0;
  Real capacity = 0;
  std::vector<Neighbour> neighbours;
  std::vector<WallTerm> walls;
  Real source = 0;
  bool held = false;
  Real held_value = 0;
};

/// storage·du/dt = ∇·(k∇u) + source, on cells or nodes, with one block of unknowns.
class DiffusionBalance final : public Balance {
 public:
  /// Throws InputError for a problem that is not complete or has coefficients that cannot be used.
  explicit DiffusionBalance(const Problem& problem, Execution execution = {});

  const Problem& problem() const { return problem_; }
  const Grid& grid() const { return problem_.grid(); }

  const Layout& layout() const override { return layout_; }
  Offers offers() const override;
  const std::vector<LedgerLine>& lines() const override { return lines_; }
  void storage(const State& y, Real at, State& q) override;
  void recover(const State& q, Real at, State& y) override;
  void rate(const State& y, Real at, Parts parts, State& f, Ledger& ledger) override;
  void linearise(const State& y, Real at, Real a, Real b, Parts parts, LinearSystem& system) override;
  std::span<const Index> held() const override { return held_; }
  void pin(Real at, State& y) override;
  void book_held(const State& missing, Ledger& amounts) override;
  Totals totals(const State& y, Real at) override;
  Drive drive(Real at) override;
  Totals advance(const State& y, Real at, Real step, State& out, Ledger& amounts) override;

  /// The problem's initial values, before walls set theirs.
  State initial_state() const;
  /// `y` as a field whose halo carries the values that the walls have at this time.
  Field field(const State& y, Real at);
  /// Average flux (per area, into the domain) through a side, from the state alone; not for walls that pin.
  Real wall_flux(Side side, const State& y, Real at);
  /// One operator for each axis, where coefficients do not vary in place and walls do not vary along
  /// themselves; nothing otherwise.
  std::optional<std::vector<AxisOperator>> axis_operators(Real at);
  Stencil stencil(Index number, Real at);
  const Couplings& couplings(Real at);
  /// The closure of a side at this time; null for a periodic one.
  const Closure* closure(Side side, Real at);

 private:
  struct Holder {
    std::size_t closure;
    Index face;
  };
  struct Sweep;
  struct Workspace {
    std::vector<Real> booked, no_flux, missing, held_values;
    std::vector<Totals> totals;
  };

  void prepare(Real at);
  void evaluate_source(Real at);
  void find_held();
  const std::vector<Real>& held_values(Real at);
  void book_shared(const State& y, Parts parts, Real weight, Ledger& ledger) const;
  void book_one_held(std::size_t held, Real amount, Ledger& amounts) const;
  template <class Work>
  void each_line(const Work& work) const;
  template <class Visit>
  void each_capacity(const Visit& visit) const;
  template <class Apply>
  void flow_through_walls(Index j, Index k, Parts parts, const Real* u, const Apply& apply,
                          Real* booked) const;
  template <class Add>
  void add_source(Index j, Index k, const Add& add) const;
  Real across_line(Index j, Index k) const;
  bool beside_wall(Index j, Index k) const;
  bool has_source() const { return !source_.empty() || source_density_ != 0; }

  Problem problem_;
  int threads_;
  Layout layout_;
  Couplings couplings_;
  std::vector<Closure> closures_;
  std::vector<std::size_t> first_line_;
  std::vector<LedgerLine> lines_;
  std::vector<Index> held_;
  std::vector<std::vector<Holder>> holders_;
  std::vector<std::size_t> shared_;      ///< places in held_ of unknowns that walls of several axes hold
  std::vector<std::size_t> held_start_;  ///< for each line, where its held unknowns begin in held_
  bool source_ready_ = false;
  Real source_at_ = 0;
  Real source_density_ = 0;   ///< where it is the same everywhere
  std::vector<Real> source_;  ///< amount per time in each control volume, where it is not
  Real source_total_ = 0;
  Real fastest_rise_ = 0;  ///< of the unknown, by the source alone
  Real fastest_fall_ = 0;
  Workspace workspace_;
};

}  // namespace williwaw
