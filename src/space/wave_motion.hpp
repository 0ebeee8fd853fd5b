// What makes waves of a diffusion balance: its flows are forces, and the rate of change has inertia.
#pragma once

#include "wave_layer.hpp"
#include "williwaw/space/diffusion_balance.hpp"

namespace williwaw {

/// Energy of a wave: ½·Σ C·v² + ½·Σ K·(difference of neighbours)², walls that are springs included. Leapfrog
/// conserves ½·Σ C·((u₊ − u)/step)² + ½·Σ K·(difference of u₊)·(difference of u), which takes one value
/// for each half step.
///
/// A wall that imposes its value w does the work force·dw/dt; one that does not does force·du/dt.
class WaveMotion final : public Motion {
 public:
  explicit WaveMotion(DiffusionBalance& balance);

  void initial_rate(State& v) override;
  std::span<const Real> drag(Real at) override;
  bool needs_leap() const override;
  Totals prepare_leap(const State& now, const State& v, Real at, Real step, const State* correction,
                      const State* data, State& before) override;
  Totals leap(const State& now, Real at, Real step, State& before, Ledger& amounts, const State* correction,
              const State* data) override;
  std::vector<Real> remember() const override;
  void recall(std::span<const Real> numbers) override;
  Totals totals(const State& y, const State& v, Real at) override;
  void book_means(const State& y0, const State& v0, const State& force0, const State& y1, const State& v1,
                  const State& force1, Real at, Real step, Ledger& amounts) override;
  LineId scheme_line() const override { return scheme_line_; }

 private:
  struct Work;
  /// What a wall was before a leap, face by face.
  struct WallMemory {
    bool quiet = false;                       ///< nothing acts there
    std::vector<Real> beside;                 ///< the unknown a step ago
    std::vector<Real> anchor_before, anchor;  ///< where an imposing wall stood, and stands
    std::vector<Real> pull;
    std::vector<std::vector<Real>> inflow;  ///< by condition
  };
  /// What a held unknown was before a leap.
  struct HeldMemory {
    Real before = 0, pair = 0, force = 0;
  };

  void find_drag();
  bool simple(Index line) const;
  Real capacity(Index n) const;
  void pair_line(const DiffusionBalance::Sweep& sweep, Index j, Index k, Real* out) const;
  void pair_forces(const State& u);
  Real pair_force(const DiffusionBalance::Sweep& sweep, Index n) const;
  Real push_on_held(std::size_t held, Real u) const;
  void move_line(Index line, Index j, Index k, Work& work) const;
  void move_simple_line(Index line, Index j, Index k, Work& work) const;
  void move_one(Index n, Real capacity, Real volume, Real pair, Real force, Work& work) const;
  Real spring(const Closure& wall, Index face) const;
  Real anchor_of(const Closure& wall, Index face) const;
  void place_walls(const State& now, const State& v, Real at, Real step);
  void keep_walls(const State& now, const State& before);
  void follow_walls(const State& now, State& after, Real at, Real step);
  Real book_walls(const State& now, const State& after, Real step, Ledger& amounts);
  Totals book_held(const State& now, const State& after, Real step, const State* correction,
                   const State* data, Ledger& amounts) const;
  Index leaf(Index n) const { return balance_.segments_.of_cell(n); }

  DiffusionBalance& balance_;
  std::vector<Real> damping_;    ///< C·damping of every unknown; empty where nothing damps
  std::vector<Real> drag_;       ///< the same with what walls and layers add
  std::vector<char> free_line_;  ///< lines without damping, layers and held unknowns, but at their ends
  std::unique_ptr<WaveLayer> layer_;
  LineId damping_line_, scheme_line_;
  bool ready_ = false, placed_ = false;
  bool even_ = false;  ///< capacities are alike along a line, but for its ends
  std::vector<WallMemory> walls_;
  std::vector<HeldMemory> held_;
  /// Faces of walls that push a held unknown besides the wall that holds it.
  struct Push {
    std::size_t held, closure;
    Index face;
  };
  std::vector<Push> pushes_;
  std::vector<std::size_t> first_push_;  ///< for each held unknown
  State pair_;                           ///< what neighbours exert, where all of it is looked at
  State wide_;                           ///< forces of order 4, where they are wanted
  std::vector<Real> points_before_, layer_forces_, scratch_;
};

}  // namespace williwaw
