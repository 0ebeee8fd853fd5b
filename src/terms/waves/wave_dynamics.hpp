// What makes waves of a diffusion balance: its flows are forces, and the rate of change has inertia.
#pragma once

#include "terms/problem_terms.hpp"
#include "terms/waves/moving_boundary.hpp"
#include "terms/waves/wave_layer.hpp"
#include "williwaw/balance/term_balance.hpp"

namespace williwaw {

/// Energy of a wave: ½·Σ C·v² + ½·Σ K·(difference of neighbours)², boundaries that are springs included.
/// Leapfrog conserves ½·Σ C·((u₊ − u)/step)² + ½·Σ K·(difference of u₊)·(difference of u), which takes one
/// value for each half step.
///
/// A boundary that imposes its value w does the work force·dw/dt; one that does not does force·du/dt.
class WaveDynamics final : public SecondOrderDynamics {
 public:
  /// Over the balance of `parts`, whose room it shares. Boundaries that follow the motion are placed by it.
  WaveDynamics(TermBalance& balance, const ProblemTerms& parts, SweepWorkspace& workspace);

  void initial_rate(State& v) override;
  std::span<const Real> damping(Real at) override;
  bool needs_leapfrog() const override;
  Totals prepare_leapfrog(const State& now, const State& v, Real at, Real step, const State* correction,
                          const State* data, State& before) override;
  Totals leapfrog_step(const State& now, Real at, Real step, State& before, Ledger& amounts,
                       const State* correction, const State* data) override;
  AtOnce at_once() override;
  bool leapfrog_several(State& now, State& before, const Pass& pass, State& second_last,
                        State& last) override;
  std::vector<Real> remember() const override;
  void recall(std::span<const Real> numbers) override;
  std::vector<NumberPlace> memory_places() const override;
  Totals totals(const State& y, const State& v, Real at) override;
  void book_means(const State& y0, const State& v0, const State& force0, const State& y1, const State& v1,
                  const State& force1, Real at, Real step, Ledger& amounts) override;
  LineId scheme_line() const override { return parts_.wave_lines.scheme; }

 private:
  struct Moving;
  struct Work;
  /// A boundary from one step to the next, face by face.
  struct BoundaryMemory {
    std::optional<MovingBoundary> moving = {};
    bool quiet = false;                       ///< nothing acts there
    std::vector<Real> anchor_before, anchor;  ///< where an imposing boundary stood, and stands
    std::vector<Real> pull;
    std::vector<std::vector<Real>> inflow;  ///< by condition
  };
  /// What acts on a prescribed unknown at the start of a step: from its neighbours, and in all.
  struct PrescribedForce {
    Real pair = 0, all = 0;
  };
  /// A state where boundaries, prescribed unknowns and points look at it.
  struct Seen {
    std::vector<std::vector<Real>> faces;  ///< the unknown beside each face, by closure
    std::vector<Real> prescribed, points;
  };
  struct PassLevel;
  struct PassWorkspace;
  /// Faces of boundaries that push a prescribed unknown besides the boundary that holds it.
  struct Push {
    std::size_t prescribed, closure;
    Index face;
  };
  /// What does not change from step to step.
  struct Fixed {
    std::vector<Real> damping;        ///< C·damping of every unknown; empty where nothing damps
    std::vector<Real> total_damping;  ///< the same with what boundaries and layers add
    std::vector<char>
        free_line;  ///< lines without damping, layers and prescribed unknowns, but at their ends
    std::vector<std::size_t> prescribed_start;  ///< for each line, where its prescribed unknowns begin
    bool even = false;                          ///< capacities are alike along a line, but for its ends
    std::vector<Push> pushes;
    std::vector<std::size_t> first_push;  ///< for each prescribed unknown
    std::vector<std::size_t> inner;       ///< terms of what appears inside
    bool moves_prescribed = false;        ///< what a boundary holds follows the motion, on some rank
  };

  const Fixed& fixed();
  void find_damping(Fixed& out) const;
  void find_pushes(Fixed& out) const;
  const EvaluatedBoundaryClosures& closures(const Evaluation& now) const { return now.of(parts_.closures); }
  std::span<const Index> prescribed() const { return parts_.boundary->prescribed(); }
  const Grid& grid() const { return parts_.grid(); }
  bool has_source(const Evaluation& now, Index line) const;
  bool simple(const Evaluation& now, Index line) const;
  Real capacity(Index n) const { return parts_.storage->capacity(n); }
  Index leaf(Index n) const { return parts_.of.domain->segments().of_cell(n); }
  Real source_on(const Evaluation& now, Index n) const;
  void pair_line(const Evaluation& now, const Real* u, Index line, Index j, Index k, Real* out) const;
  void pair_forces(const Evaluation& now, const State& u, State& out) const;
  Real pair_force(const Evaluation& now, const Real* u, Index n) const;
  Real force_on_prescribed(const Evaluation& now, std::size_t prescribed, Real u) const;
  void move_line(Index line, Index j, Index k, Work& work) const;
  void move_simple_line(Index line, Index j, Index k, Work& work) const;
  void move_one(Index n, Real capacity, Real volume, Real pair, Real force, Work& work) const;
  Real spring(const EvaluatedBoundaryClosure& boundary, Index face) const;
  static Real anchor_of(const EvaluatedBoundaryClosure& boundary, Index face);
  std::shared_ptr<const Evaluation> place_boundaries(const State& now, const State& v, Real at, Real step);
  void stand();
  void find_quiet(const Evaluation& evaluated);
  void keep_boundaries(const Evaluation& evaluated);
  PrescribedForce on_prescribed(const Evaluation& evaluated, std::size_t h, const Real* now) const;
  void make_room(Seen& seen) const;
  void see(const Evaluation& evaluated, const State& u, Seen& seen) const;
  void see_line(const Evaluation& evaluated, const Real* u, Index line, Seen& seen) const;
  bool any_moves() const;
  void own_closures(PassLevel& level, Real at, Real step) const;
  void follow_line(std::size_t n, Index line, Real step, const Real* from, const Real* to);
  std::string why_one_by_one() const;
  void make_scratch();
  static Totals energies(Totals t, Real kinetic);
  void move(const Moving& moving, Index line, Index j, Index k, LineSums& sums);
  void follow_boundaries(const Evaluation& evaluated, const State& now, State& after, Real at, Real step);
  const EvaluatedBoundaryClosures& closures_later(const Evaluation& now, Real time);
  /// The states of a step: before it, at its start, and after it.
  struct StepSeen {
    const Seen &before, &now, &after;
  };
  Real book_boundaries(const EvaluatedBoundaryClosures& later, const StepSeen& seen, Real step,
                       Ledger& amounts);
  void book_points(const Evaluation& now, const StepSeen& seen, Ledger& amounts) const;
  Totals book_prescribed(const Evaluation& evaluated, const StepSeen& seen,
                         std::span<const PrescribedForce> forces, Real step, const State* correction,
                         const State* data, Ledger& amounts) const;

  TermBalance& balance_;
  const ProblemTerms& parts_;
  SweepWorkspace& workspace_;
  std::optional<Fixed> fixed_;
  std::unique_ptr<WaveLayer> layer_;
  bool placed_ = false;
  std::vector<BoundaryMemory> boundaries_;
  std::vector<PrescribedForce> prescribed_;
  Seen before_, now_, after_;  ///< of a step by itself
  std::shared_ptr<PassWorkspace> passes_;
  std::shared_ptr<EvaluatedTerm> later_;  ///< closures at the end of a step
  State pairs_;
  std::vector<Real> layer_forces_, scratch_;
};

}  // namespace williwaw
