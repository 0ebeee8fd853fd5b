// Storage that is not in proportion to the unknown.
#pragma once

#include "williwaw/balance/storage.hpp"
#include "williwaw/terms/control_volumes.hpp"

namespace williwaw {

/// Q = volume·content(place, u), region by region where several meet in a control volume.
class ContentStorage final : public Storage {
 public:
  ContentStorage(std::shared_ptr<const Domain> domain, Function content, const ControlVolumes& volumes);

  void amount(Index line, const Real* u, Real* q) const override;
  void slope(Index line, const Real* u, Real* slope) const override;
  /// Throws DataError where the content does not change with u.
  void recover(Index line, const Real* q, Real* u) const override;
  bool invertible() const override { return false; }

 private:
  enum class Asked { value, slope };
  void evaluate(Asked asked, Index line, const Real* u, Real* out) const;
  // Unknowns of a line that one material fills.
  struct Run {
    Index first, count;
    int label;
  };

  Function content_;
  std::vector<std::vector<Run>> runs_;  ///< by line; one for all where nothing differs by region
  std::vector<RegionFractions::Part> mixed_;
  std::vector<std::size_t> first_mixed_;  ///< by line
};

/// The content of a problem's equation, stated or from its storage.
Function content_of(const Problem& problem, const Domain& domain);
/// The slopes of a problem's contents at its initial values, for those who ask for capacities before anything
/// has moved. Where it does not change with u they are 1e-12 of the largest.
std::shared_ptr<const LinearStorage> capacities_at_start(const Problem& problem,
                                                         const ContentStorage& contents);
/// The largest magnitude of a function at the unknowns of a domain, on all ranks; 1 where it is 0 everywhere.
Real size_at_unknowns(const Domain& domain, const Function& function);

}  // namespace williwaw
