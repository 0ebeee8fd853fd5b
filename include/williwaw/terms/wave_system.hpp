// The wave equation as a first-order system in the rate p = du/dt and the stress σ = conductivity·∇u, by
// finite volumes: storage·(dp/dt + damping·p) = ∇·σ + source, dσ/dt = conductivity·∇p.
#pragma once

#include "williwaw/terms/limiter.hpp"
#include "williwaw/terms/problem_balance.hpp"

namespace williwaw {

/// u, which follows from p; p and σ along each axis, at the centres of cells: FirstOrderForm's fields.
struct WaveFields {
  static constexpr std::size_t u = 0, p = 1, stress = 2;
};

/// Flows between cells follow from the characteristics p ∓ σ/Z with Z = √(conductivity·storage) (Godunov,
/// 1959; for this system LeVeque, 2002). A wall lets its own law meet the characteristic that comes from
/// inside: whatever else a condition said is the wave's to decide.
class WaveSystem final : public FirstOrderForm {
 public:
  /// Throws InputError for unknowns at nodes, round coordinates, outlines that are no grid faces, ends of a
  /// higher order or with layers, and numerical fluxes that are not there.
  explicit WaveSystem(ProblemBalance& balance);

  Fields initial(Real at) const override;
  /// Work of walls and sources, and damping, are what acts.
  void rate(const Fields& y, Real at, Real step, Fields& out, Ledger& powers) override;
  Totals totals(const Fields& y) const override;
  /// Σ over axes of speed over spacing, the largest value of any cell, and where.
  std::pair<Real, Index> fastest() const;

  static const std::vector<std::string>& flux_names();

 private:
  struct Ends {
    std::ptrdiff_t closure = -1;
    Index face = 0;
  };
  void sweep(const Fields& y, Real at, Real step, int axis, Fields& out, Ledger& powers);
  void run_along(const Fields& y, Real at, Real step, int axis, const std::vector<Index>& cells, bool closed,
                 Fields& out, Ledger& powers);
  std::pair<Real, Real> between(Real p_low, Real s_low, Index low, Real p_high, Real s_high, Index high,
                                int axis, Real step, Real spacing) const;
  std::pair<Real, Real> at_wall(const Fields& y, Index cell, Real p, Real stress, int axis, bool upper,
                                Real at, Real spacing, Ledger& powers);

  ProblemBalance& balance_;
  Slope slope_;
  enum class Flux { upwind, central, lax_friedrichs, lax_wendroff } flux_;
  std::vector<Real> storage_, damping_;
  std::array<std::vector<Real>, 3> conductivity_;
  std::vector<std::array<Ends, 6>> ends_;  ///< of cells beside walls
  std::vector<LineId> line_of_point_;
  LineId source_line_, damping_line_;
  std::vector<Index> place_of_;  ///< in ends_, -1 inside
};

}  // namespace williwaw
