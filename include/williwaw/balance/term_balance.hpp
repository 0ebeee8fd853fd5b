// The balance that is put together from terms: one sweep over lines, to which every term adds.
#pragma once

#include <functional>
#include <optional>

#include "williwaw/balance/line_sums.hpp"
#include "williwaw/balance/term.hpp"

namespace williwaw {

/// One unknown of a balance: a block of the state.
struct Unknown {
  std::string name;
  std::shared_ptr<const Storage> storage;
};

/// What a stage of an explicit scheme makes of a line of an unknown, k being C⁻¹F there.
struct StageOfLine {
  /// next = (1 − fraction)·start + fraction·u + weight·k, or, with `before`, which may be `next`, start +
  /// fraction·(u − start) + of_before·(before − start) + weight·k + of_first·first_rate
  Real* next = nullptr;  ///< null where there is none
  const Real* start = nullptr;
  Real fraction = 0, weight = 0;
  const Real *before = nullptr, *first_rate = nullptr;
  Real of_before = 0, of_first = 0;
  /// sum = from + of_step·k; `from` may be `sum`, or null for zeros
  Real* sum = nullptr;  ///< null where there is none
  const Real* from = nullptr;
  Real of_step = 0;
};

/// A sweep that does the term that writes an unknown first and the step at once, for combinations that run
/// most. It is chosen once, when the balance is built.
class FusedStep {
 public:
  virtual ~FusedStep() = default;
  /// The term that it takes the place of.
  virtual std::size_t term() const = 0;
  /// `step` adds what another term makes in each volume.
  virtual bool takes_densities(const Evaluation&) const { return false; }
  /// next[i] = u[i] + step·(what that term adds, and volume·densities[i])/capacity[i] for a line of its
  /// unknown; without `densities` where they are null. With `counted`, sums and extremes of next[1] ..
  /// next[count − 2] are added to those of its segments, and Σ widths·densities of all unknowns to `made`.
  virtual void step(const Line&, Real step, Real* next, Totals* counted, const Real* densities,
                    Real* made) const = 0;
  /// What that term alone makes of a line of its unknown in a stage.
  virtual void stage(const Line&, const StageOfLine&) const = 0;
};

/// Room for sweeps, kept so that stepping allocates nothing.
struct SweepWorkspace {
  std::vector<LineSums> threads;  ///< sums of the block of lines that a thread is at
  /// What came out of each block, and for each line of the ledger; nothing where none was counted.
  std::vector<std::optional<Totals>> sums;
  std::vector<std::optional<Real>> of_blocks;
  std::vector<std::vector<Real>> lines;  ///< one for each thread, as are all below
  std::vector<std::vector<LineRates>> rates;
  std::vector<std::vector<LineDensities>> densities;
  std::vector<std::vector<Real>> made;                             ///< of densities, by segment of a line
  std::vector<std::vector<std::unique_ptr<TermScratch>>> scratch;  ///< and for each term
};

/// What a sweep over a grid reads and writes.
struct SweepLoad {
  Index reach = 1;       ///< lines, and planes, beside the one that is written
  int states = 2;        ///< numbers for each place that steps write in turn
  int coefficients = 0;  ///< and those that they read besides
};

/// Which terms have something to do at an instant.
struct ActingTerms {
  std::vector<std::size_t> active;  ///< that have something to add
  /// Of fused steps one that they take the densities of, instead of letting it add.
  std::optional<std::size_t> taken;
};

/// d/dt Q(y) = Σ terms. Every term is evaluated at an instant in the order in which terms are given, and adds
/// to the flows of a line in the same order. Unknowns follow each other in the state; they share the axes of
/// the grid, and may stand at different places of it.
class TermBalance : public Balance {
 public:
  /// `lines` where whoever made the terms let them declare theirs already, in an order of his own. Throws
  /// InputError for terms that write first and are not the first of their unknown to add anything.
  TermBalance(std::vector<Unknown> unknowns, std::vector<std::unique_ptr<Term>> terms, LedgerLines lines = {},
              std::vector<std::unique_ptr<FusedStep>> fused = {});

  /// All terms at an instant; what did not change since the last call is shared with it. State and totals
  /// that the instant refers to must be there while the result is looked at.
  std::shared_ptr<const Evaluation> at(const Instant& instant);
  /// f = Σ F over `parts` at an instant with a state of the balance's size, for terms that look at its step;
  /// the ledger gets the rate on each line.
  void rate(const Instant& instant, Parts parts, State& f, Ledger& ledger);

  const std::vector<Unknown>& unknowns() const { return unknowns_; }
  const Domain& domain(std::size_t unknown = 0) const { return unknowns_[unknown].storage->domain(); }
  const Grid& grid(std::size_t unknown = 0) const { return domain(unknown).grid(); }
  /// All unknowns stand at the same places.
  bool is_at_one_place() const { return arranged_.grids.size() == 1; }

  const Layout& layout() const override { return arranged_.layout; }
  Reductions reductions() const override { return Reductions(layout(), domain().threads()); }
  Capabilities capabilities() const override { return arranged_.capabilities; }
  Capabilities capabilities_of(Parts parts) const override;
  const std::vector<LedgerLine>& lines() const override { return lines_.all(); }
  void storage(const State& y, Real at, State& q) override;
  void recover(const State& q, Real at, State& y) override;
  void limit_change(const State& y, State& change) override;
  void rate(const State& y, Real at, Parts parts, State& f, Ledger& ledger) override;
  void linearise(const State& y, Real at, Real a, Real b, Parts parts, LinearSystem& system) override;
  std::span<const Index> prescribed() const override { return arranged_.prescribed; }
  bool prescribes() const override { return !arranged_.prescribing.empty(); }
  std::size_t free_count() const override { return arranged_.free; }
  std::span<const Index> inactive() const override { return arranged_.inactive; }
  void prescribe(Real at, State& y) override;
  void book_prescribed(const State& missing, Ledger& amounts) override;
  Totals totals(const State& y, Real at) override;
  std::vector<Totals> totals_by_unknown(const State& y, Real at) override;
  const Storage* only_storage() const override {
    return unknowns_.size() == 1 ? unknowns_.front().storage.get() : nullptr;
  }
  DataBounds data_bounds(Real at) override;
  Totals advance(const State& y, Real at, Real step, State& out, Ledger& amounts) override;
  AtOnce at_once() override;
  bool advance_several(State& y, const Pass& pass, State& before, State& last) override;
  bool steps_in_stages() override;
  AtOnce stages_at_once(const ExplicitStages& scheme) override;
  bool advance_in_stages(State& y, const Pass& pass, const ExplicitStages& scheme, bool in_one_pass,
                         State& before, State& last) override;
  Totals stage(const State& start, const State& y, Real fraction, Real step, Real at, State& out,
               Ledger& rates, const Totals* of_y) override;
  /// Why lines cannot take several steps one after the other while the rest of the state, or another rank, is
  /// steps behind; empty where they can.
  std::string why_not_line_by_line() const;
  /// What a sweep reads and writes of all unknowns.
  SweepLoad load_of_sweep() const;
  /// Values that are prescribed at a time, in the order of `prescribed`, until the next call.
  const std::vector<Real>& prescribed_at(Real time);
  /// Fills the halos of a state, or of something else with its layout, from the boxes beside this one.
  void exchange(State& y) const;
  /// The same as far as passes of several steps read.
  void exchange_all(State& y) const;
  /// False where the data of any rank are no numbers, for evaluations which throw DataError then.
  bool data_are_numbers(const std::function<void()>& evaluations) const;

 protected:
  /// The state that stands in where something depends on the unknown and no state is given.
  void set_reference(State reference) {
    reference_ = std::move(reference);
    at_reference_ = false;
  }
  const State& reference() const { return reference_; }
  /// What a derived balance offers besides.
  Capabilities& offered() { return arranged_.capabilities; }
  LineId declare(LedgerLine line) { return lines_.declare(std::move(line)); }
  SweepWorkspace& workspace() { return workspace_; }

 private:
  /// Where the unknowns that a term prescribes begin among all that are prescribed.
  struct Prescribing {
    std::size_t term, first;
  };
  /// Unknowns at the same places, whose lines are gone through together.
  struct OnGrid {
    std::vector<std::size_t> unknowns;
  };
  /// What follows from unknowns and terms.
  struct Arrangement {
    std::vector<OnGrid> grids;
    std::vector<std::size_t> grid_of_term;
    Layout layout;
    Capabilities capabilities;
    std::string on_step;  ///< what looks at the length of a step of explicit Euler
    std::vector<Index> prescribed, inactive;
    std::size_t free = 0;                       ///< of all ranks
    std::vector<std::size_t> first_prescribed;  ///< of each line, in prescribed; of one unknown only
    std::vector<Prescribing> prescribing;
    std::vector<char> written_first;  ///< by unknown
  };
  void arrange_unknowns();
  void arrange_terms(bool declared);
  std::size_t grid_of(const Needs& needs) const;
  void make_workspace(std::size_t grid, std::size_t lines);
  void find_acting(std::size_t grid, const Evaluation& now, bool fused, ActingTerms& acting) const;
  FaceSystem matrix_of_storage(std::size_t unknown, Real a, const State& about) const;
  bool steps_linearly() const;
  void add_terms_of(const ActingTerms& acting, Line& line, std::span<const LineRates> rates) const;
  // Sweeps over the lines of the unknowns at one place.
  void sweep_rates(std::size_t grid, const Evaluation& now, const Real* y, Parts parts, State& f,
                   Ledger& ledger);
  Totals sweep_stage(std::size_t grid, const Evaluation& now, const State& start, const State& y,
                     Real fraction, Real step, State& out, Ledger& rates);
  /// One step of explicit Euler by fused steps.
  struct EulerStep {
    const Evaluation& now;
    const ActingTerms& acting;
    const Real* y;
    Real* out;
    Real step;
    std::span<const Real> ahead;  ///< what is prescribed at its end
    std::span<Real> missing;      ///< to hold that
  };
  void step_line(std::size_t grid, const EulerStep& one, Index number, Index j, Index k, LineSums& sums);
  Totals sweep_step(std::size_t grid, const EulerStep& one, Ledger& amounts);
  struct StageLevel;
  struct PassWorkspace;
  PassWorkspace& passes();
  void lay_out_stages(const State& y, std::size_t steps, const ExplicitStages& scheme, State& before,
                      State& last);
  void take_stages(const State& y, const Pass& pass);
  bool take_stages_in_one_pass(State& y, const Pass& pass, State& before, State& last);
  void evaluate_stage(const State& y, Real from, Real step, StageLevel& level);
  void stage_line(const StageLevel& level, Real step, Index number, Index j, Index k, LineSums& sums);
  void prescribe_stage(const StageLevel& level, Real step, Index number, Real* next, Real* sum) const;
  void finish_stage(const StageLevel& level, std::span<const Real> y, Real step, Ledger& rates,
                    Ledger& amounts);
  void book_missing(std::span<const Real> missing, Ledger& amounts);
  Index start_of(std::size_t unknown) const { return arranged_.layout.start(unknown); }
  /// Where a line of an unknown begins in the state.
  Index first_of(std::size_t unknown, Index line) const {
    return start_of(unknown) + grid(unknown).size(0) * line;
  }
  bool steps_fused() const;
  /// Nothing in a line of these unknowns takes part, nor in the lines beside it: it is passed over.
  bool is_idle(std::span<const std::size_t> unknowns, Index line) const;
  /// Where those of a line begin and end among the prescribed unknowns; of one unknown only.
  std::pair<std::size_t, std::size_t> prescribed_on(Index line) const;
  std::size_t count_free() const;

  std::vector<Unknown> unknowns_;
  std::vector<std::unique_ptr<Term>> terms_;
  std::vector<std::unique_ptr<FusedStep>> fused_;  ///< one for each unknown, or none
  LedgerLines lines_;
  Arrangement arranged_;
  State reference_;
  bool at_reference_ = false;  ///< it is what was evaluated last
  std::shared_ptr<Evaluation> now_;
  std::vector<std::shared_ptr<EvaluatedTerm>> ahead_;  ///< of terms that prescribe, at another time
  std::optional<Real> ahead_time_;
  SweepWorkspace workspace_;
  ActingTerms acting_;
  std::shared_ptr<PassWorkspace> passes_;
  std::vector<Real> values_, missing_;
};

}  // namespace williwaw
