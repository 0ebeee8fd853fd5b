// Differences of order 4 as a term: all forces of a state at once.
#pragma once

#include <algorithm>

#include "terms/diffusion/wide_differences.hpp"
#include "williwaw/boundary/boundary_terms.hpp"

namespace williwaw {

class EvaluatedWide final : public EvaluatedTerm {
 public:
  explicit EvaluatedWide(const OfUnknown& of) : of_(of) {}

  /// On every control volume.
  const State& forces() const { return forces_; }
  State& forces() { return forces_; }
  void add(const Line& line, std::span<const LineRates> rates) const override {
    const Index nx = of_.domain->grid().size(0);
    Real* out = rates[static_cast<std::size_t>(of_.number)].flows();
    std::copy_n(forces_.begin() + nx * line.number, nx, out);
  }

 private:
  const OfUnknown& of_;
  State forces_;
};

class WideTerm final : public Term {
 public:
  WideTerm(OfUnknown of, const Problem& problem) : of_(std::move(of)), differences_(problem) {}

  Needs needs() const override {
    Needs result = of_.needs(Parts::fluxes());
    result.halo = 3;
    result.space_order = 4;
    // Differences over four points join more than neighbours.
    result.matrix = false;
    result.writes_first = true;
    return result;
  }
  void evaluate(const Instant& instant, const Evaluation&,
                std::shared_ptr<EvaluatedTerm>& evaluated) const override {
    auto& now = renewed<EvaluatedWide>(evaluated, [&] { return std::make_shared<EvaluatedWide>(of_); });
    if (!instant.y.empty()) differences_.force(of_.in(instant.y), now.forces());
  }
  const WideDifferences& differences() const { return differences_; }

 private:
  OfUnknown of_;
  WideDifferences differences_;
};

}  // namespace williwaw
