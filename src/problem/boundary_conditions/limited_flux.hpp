// A flux with a limit: 0·u + 1·q = factor·rate until the unknown on the boundary reaches the limiting value.
#pragma once

#include <algorithm>

#include "williwaw/problem/boundary_condition.hpp"

namespace williwaw::boundaries {

class LimitedFlux final : public BoundaryCondition {
 public:
  /// `rate` counts `factor` times into the domain; `arguments` are those that the case gives.
  LimitedFlux(std::string kind, std::vector<Function> arguments, Function rate, Real factor, FluxLimit limit)
      : BoundaryCondition(std::move(kind), std::move(arguments)),
        rate_(std::move(rate)),
        factor_(factor),
        limit_(std::move(limit)) {}
  bool is_linear() const override { return false; }
  const FluxLimit* limit() const override { return &limit_; }
  void law(const BoundaryPlace& place, LawLine& out) const override {
    std::fill(out.value.begin(), out.value.end(), 0.0);
    std::fill(out.flux.begin(), out.flux.end(), 1.0);
    rate_.evaluate(place.points, place.time, out.data);
    for (Real& rate : out.data) rate *= factor_;
  }

 private:
  Function rate_;
  Real factor_;
  FluxLimit limit_;
};

}  // namespace williwaw::boundaries
