// The balance of heat, diffusion, wave and transport problems.
#pragma once

#include "williwaw/balance/balance.hpp"
#include "williwaw/domain/sums.hpp"
#include "williwaw/space/closure.hpp"

namespace williwaw {

class Transport;
struct Range;
class WideDifferences;

/// What is booked on the lines of a ledger while some lines of unknowns are gone through, leaf by leaf. One
/// without a place to book on is false.
class LedgerBlock {
 public:
  explicit LedgerBlock(TreeSum<Real>* sums = nullptr) : sums_(sums) {}
  TreeSum<Real>& operator[](LineId line) const { return sums_[static_cast<std::size_t>(line)]; }
  explicit operator bool() const { return sums_ != nullptr; }

 private:
  TreeSum<Real>* sums_;
};

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
  Real stretching = 0;  ///< of u: net outflow of the stream, through walls included
  Real source = 0;      ///< points included
  Real reaction = 0;    ///< at the state asked about
  bool held = false;
  Real held_value = 0;
};

/// storage·du/dt + ∇·(stream) = ∇·(k∇u) + source + reaction(u) + points, on cells or nodes, with one block of
/// unknowns; for waves the second derivative stands on the left, and motion() says what that adds. Unknowns
/// whose control volumes are cut out of the domain stand in the state as zeros and take no part.
class DiffusionBalance final : public Balance {
 public:
  /// Throws InputError for a problem that is not complete or has coefficients that cannot be used.
  explicit DiffusionBalance(const Problem& problem, Execution execution = {});
  ~DiffusionBalance() override;
  DiffusionBalance(const DiffusionBalance&) = delete;
  DiffusionBalance& operator=(const DiffusionBalance&) = delete;

  const Problem& problem() const { return problem_; }
  const Grid& grid() const { return problem_.grid(); }
  const Outline& outline() const { return outline_; }
  /// Length, area or volume of the domain.
  Real volume() const { return volume_; }

  const Layout& layout() const override { return layout_; }
  Offers offers() const override;
  const std::vector<LedgerLine>& lines() const override { return lines_.all(); }
  void storage(const State& y, Real at, State& q) override;
  void recover(const State& q, Real at, State& y) override;
  void rate(const State& y, Real at, Parts parts, State& f, Ledger& ledger) override;
  void linearise(const State& y, Real at, Real a, Real b, Parts parts, LinearSystem& system) override;
  std::span<const Index> held() const override { return held_; }
  std::span<const Index> absent() const override { return absent_; }
  void pin(Real at, State& y) override;
  void book_held(const State& missing, Ledger& amounts) override;
  Totals totals(const State& y, Real at) override;
  Drive drive(Real at) override;
  Totals advance(const State& y, Real at, Real step, State& out, Ledger& amounts) override;

  Totals stage(const State& start, const State& y, Real share, Real step, Real at, State& out, Ledger& rates,
               const Totals* of_y) override;

  Motion* motion() override;
  Carrier* carrier() override { return carrier_.get(); }
  /// What a stream carries; null where nothing does.
  const Transport* transport() const { return transport_.get(); }
  /// The same, ready for this time and state.
  const Transport* transport(Real at, const State& y);
  /// The same as if values lay anywhere within a range: fastest speeds are those of the range.
  const Transport* transport(Real at, const State& y, const Range& range);

  /// The problem's initial values, before walls set theirs.
  State initial_state() const;
  /// Unknowns are means over control volumes and have to be compared as such: of order above two.
  bool holds_means() const;
  /// What a function is at the unknowns, or its means over their control volumes where these are held (by
  /// Gauss' formula with three points along each axis).
  State values_of(const Function& function, Real at = 0) const;
  /// `y` as a field whose halo carries the values that the walls have at this time; not a number where the
  /// domain is cut out.
  Field field(const State& y, Real at);
  /// Average flux (per area, into the domain) through a side, from the state alone; not for walls that pin.
  Real wall_flux(Side side, const State& y, Real at);
  /// What flows into the domain through every face of a section, area included. Through faces that pin their
  /// unknowns flows what these lack in a steady state.
  std::vector<Real> section_flows(std::size_t section, const State& y, Real at);
  /// One operator for each axis, where coefficients do not vary in place and walls do not vary along
  /// themselves; nothing otherwise.
  std::optional<std::vector<AxisOperator>> axis_operators(Real at);
  /// About the problem's initial values where something depends on the unknown.
  Stencil stencil(Index number, Real at);
  const Couplings& couplings(Real at);
  /// The closure of a side at this time; null for a periodic one.
  const Closure* closure(Side side, Real at);
  /// All closures: sides, cut-outs, parts.
  const std::vector<Closure>& closures() const { return closures_; }

 private:
  struct Holder {
    std::size_t closure;
    Index face;
  };
  struct Sweep;
  friend class WaveMotion;
  struct Workspace {
    std::vector<TreeSum<Real>> booked;  ///< by block of lines and line of the ledger
    std::vector<TreeSum<Real>> by_closure;
    std::vector<TreeSum<Totals>> totals;
    std::vector<Real> no_flux, missing, held_values;
    std::vector<std::vector<Real>> lines;          ///< one for each thread
    std::vector<std::vector<Totals>> of_segments;  ///< one for each thread
  };

  void prepare(Real at, const State& y, const Totals* of_y = nullptr, Real step = 0);
  void flow_into_line(const Sweep& sweep, Index block, Index line, Index j, Index k, Parts parts,
                      const State& y, Real* out);
  void prepare(Real at);
  void evaluate_source(Real at);
  void evaluate_points(Real at);
  void evaluate_reaction(const State& y, Real at);
  void reaction_slope(const State& y, Real at, std::vector<Real>& slope) const;
  void react(const Reaction::ByLine& by_line, const State& y, Real at, std::span<Real> out) const;
  void stream_into(Stencil& stencil, Real at);
  void count_source(Real amount, Index n);
  void find_present();
  void join(FaceSystem& matrix, int axis, Real b) const;
  Index nearest_present(const Point& place) const;
  void find_held();
  const std::vector<Real>& held_values(Real at);
  void book_shared(const State& y, Parts parts, Real weight, Ledger& ledger);
  std::vector<TreeSum<Real>>& cleared_by_closure();
  void book_each_held(const std::function<Real(std::size_t)>& amount, Ledger& amounts);
  template <class Work>
  void each_line(const Work& work) const;
  template <class Visit>
  void each_capacity(const Visit& visit) const;
  template <class Visit>
  void each_run(Index line, const Visit& visit) const;
  template <class Apply>
  void flow_through_walls(Index j, Index k, Parts parts, const Real* u, const Apply& apply,
                          LedgerBlock booked) const;
  template <class Add>
  void add_source(Index j, Index k, const Add& add) const;
  Real across_line(Index j, Index k) const;
  bool has_source(Index line) const;
  void count_line(const Real* line_values, Index line, Index j, Index k, Index first, Index end,
                  Totals* of_segments) const;
  Real choose_held(const std::vector<Holder>& holders) const;

  Problem problem_;
  int threads_;
  Segments segments_;
  Layout layout_;
  Outline outline_;
  std::vector<WallSection> sections_;
  Couplings couplings_;
  std::vector<Closure> closures_;
  LedgerLines lines_;
  LineId source_line_{}, reaction_line_{}, stretching_line_{};
  std::vector<Index> held_;
  std::vector<std::vector<Holder>> holders_;
  std::vector<std::size_t> shared_;      ///< places in held_ of unknowns that walls of several axes hold
  std::vector<std::size_t> held_start_;  ///< for each line, where its held unknowns begin in held_
  bool source_ready_ = false;
  Real source_at_ = 0;
  Real source_density_ = 0;   ///< where it is the same everywhere
  std::vector<Real> source_;  ///< amount per time in each control volume, where it is not
  Real source_total_ = 0;
  struct PointRate {
    Index unknown;
    LineId line;
    Real rate;
  };
  std::vector<PointRate> points_;  ///< in the problem's order
  std::vector<std::vector<std::size_t>> points_of_line_;
  std::vector<Real> reaction_;  ///< amount per time in each control volume
  Real reaction_total_ = 0;
  std::vector<Index> absent_;  ///< unknowns that are cut out
  struct Run {
    Index first, count;
  };
  std::vector<Run> runs_;  ///< of unknowns along x that are there; empty where all are
  std::vector<std::size_t> first_run_;
  std::vector<char> ends_only_;  ///< lines with wall faces at their ends alone
  Real volume_ = 0;
  State initial_;          ///< kept where readings need a state
  Real fastest_rise_ = 0;  ///< of the unknown, by the source alone
  Real fastest_fall_ = 0;
  Workspace workspace_;
  std::unique_ptr<Motion> motion_;
  std::unique_ptr<WideDifferences> wide_;  ///< of order 4; null for order 2
  std::unique_ptr<Transport> transport_;
  std::unique_ptr<Carrier> carrier_;
  bool still_ = false;  ///< nothing diffuses
};

}  // namespace williwaw
