// What control volumes store of an unknown: Q(u), line by line.
#pragma once

#include <memory>

#include "williwaw/balance/balance.hpp"
#include "williwaw/domain/domain.hpp"
#include "williwaw/grid/expect.hpp"

namespace williwaw {

class LinearStorage;

/// Lines are those of one block of unknowns along x; `u`, `q` and `slope` begin with the line and have as
/// many values as it has unknowns. Inactive unknowns store nothing that counts.
class Storage {
 public:
  /// `volumes` of all control volumes, or nothing where those of the grid are whole.
  explicit Storage(std::shared_ptr<const Domain> domain, std::vector<Real> volumes = {});
  virtual ~Storage() = default;
  Storage(const Storage&) = delete;
  Storage& operator=(const Storage&) = delete;

  /// q[i] = Q(u[i]). `q` may be `u`.
  virtual void amount(Index line, const Real* u, Real* q) const = 0;
  /// slope[i] = dQ/du at u[i]. `slope` may be `u`.
  virtual void slope(Index line, const Real* u, Real* slope) const = 0;
  /// u[i] so that Q(u[i]) = q[i]; `u` holds first guesses. `u` may not be `q`.
  virtual void recover(Index line, const Real* q, Real* u) const = 0;
  /// Shortens changes of the unknown, as a correction by the slope at `u` proposes them, that would change
  /// the amount by far more than that slope tells: to where the amount changes as told, or by a twentieth of
  /// itself where that is more. Corrections that are small stay as they are.
  void limit_change(Index line, const Real* u, Real* change) const;
  /// Every amount belongs to one value: `recover` is exact.
  virtual bool invertible() const { return true; }
  /// Its capacities where Q = capacity·u; null where the slope depends on u.
  virtual const LinearStorage* linear() const { return nullptr; }
  /// Adds amounts, volumes and extremes of the unknowns from `first` to `end` - 1 of a line to those of its
  /// segments.
  virtual void count(Index line, const Real* u, Index first, Index end, Totals* of_segments) const;

  const Domain& domain() const { return *domain_; }
  const std::shared_ptr<const Domain>& shared_domain() const { return domain_; }
  /// What is left of a control volume.
  Real volume(Index n) const { return volumes_.empty() ? domain_->grid().volume_of(n) : volumes_[n]; }
  /// The same of all; empty where nothing is cut out.
  std::span<const Real> volumes() const { return volumes_; }

 private:
  std::shared_ptr<const Domain> domain_;
  std::vector<Real> volumes_;
};

/// The capacities of a line: one for each unknown, or a factor of the widths along it.
struct LineCapacity {
  const Real* values;  ///< capacities, or widths
  Real factor;         ///< 1 where values are capacities
  bool of_each;
  Real operator()(Index i) const { return factor * values[i]; }
  /// Null where the capacities are a factor of the widths.
  const Real* each() const { return of_each ? values : nullptr; }
};

/// Q = capacity·u.
class LinearStorage final : public Storage {
 public:
  /// The same amount for a unit of the unknown in every unit of volume.
  LinearStorage(std::shared_ptr<const Domain> domain, Real per_volume);
  /// A capacity for each control volume, inactive ones included.
  LinearStorage(std::shared_ptr<const Domain> domain, std::vector<Real> capacities,
                std::vector<Real> volumes);

  void amount(Index line, const Real* u, Real* q) const override;
  void slope(Index line, const Real* u, Real* slope) const override;
  void recover(Index line, const Real* q, Real* u) const override;
  const LinearStorage* linear() const override { return this; }
  void count(Index line, const Real* u, Index first, Index end, Totals* of_segments) const override;

  LineCapacity of_line(Index line) const {
    const Grid& g = domain().grid();
    if (!capacities_.empty()) return {capacities_.data() + g.size(0) * line, 1, true};
    return {g.axis(0).measures().data(), per_volume_ * domain().across(line), false};
  }
  Real capacity(Index n) const {
    return capacities_.empty() ? per_volume_ * domain().grid().volume_of(n) : capacities_[n];
  }
  /// The same of all control volumes; empty where a unit of volume stores the same everywhere.
  std::span<const Real> capacities() const { return capacities_; }
  Real per_volume() const { return per_volume_; }
  /// out[i] = (1 − fraction)·start[i] + fraction·u[i] + step·flow[i]/capacity[i]
  void combine(Index line, const Real* start, const Real* u, Real fraction, Real step, const Real* flow,
               Real* out) const;

 private:
  Real per_volume_ = 1;
  std::vector<Real> capacities_;
};

}  // namespace williwaw
