// Integrals over control volumes, of which cut-outs leave a part and in which regions meet.
#pragma once

#include <memory>
#include <mutex>

#include "williwaw/domain/domain.hpp"
#include "williwaw/grid/region_fractions.hpp"
#include "williwaw/problem/problem.hpp"

namespace williwaw {

class ControlVolumes {
 public:
  ControlVolumes(const Problem& problem, std::shared_ptr<const Domain> domain);

  /// The amount of `density` in every control volume: its mean times the volume; one value for each.
  void integrate(const Function& density, Real time, std::span<Real> out) const;
  /// Where several regions meet in a control volume and `function` or the storage differs by region: the mean
  /// of `function`, weighted by what each part stores, so that storage times the result is the integral of
  /// both.
  void average_by_region(const Function& function, Real time, std::span<Real> out) const;
  /// What is left of every control volume; empty where nothing is cut out.
  std::vector<Real> volumes() const;
  /// The parts of control volumes in which several regions meet.
  const std::vector<RegionFractions::Part>& mixed() const { return region_fractions().mixed(); }

 private:
  const RegionFractions& region_fractions() const;

  std::shared_ptr<const Domain> domain_;
  std::shared_ptr<const Regions> regions_;
  Function storage_;
  mutable std::once_flag asked_;
  mutable std::unique_ptr<RegionFractions> fractions_;
};

/// What a function is at every unknown of a grid.
void evaluate_at_unknowns(const Grid& grid, const Function& function, Real time, std::span<Real> out);

/// The mean of `function` over every control volume times its volume: one value for each unknown. Each piece
/// of a control volume is represented by its middle, where regions meet by the middles of their own parts.
void integrate_over_volumes(const Grid& grid, const Function& function, Real time, std::span<Real> out);

}  // namespace williwaw
