#include "terms/waves/moving_boundary.hpp"

#include <cmath>

namespace williwaw {

MovingBoundary::MovingBoundary(const Grid& grid, const BoundaryClosure& closure)
    : closure_(closure), values_(static_cast<std::size_t>(closure.faces()), 0.0) {
  if (closure.absorbing_order() > 1) outflow_.emplace(grid, closure.section(), closure.absorbing_order());
}

void MovingBoundary::place(std::span<const Real> values, std::span<const Real> rates, Real step,
                           const AbsorbingBoundary::Derivatives& dynamics, const AtBoundary& medium) {
  stand_at(values);
  if (!outflow_) return;
  std::vector<Real> speed(values_.size());
  for (std::size_t f = 0; f < speed.size(); ++f)
    speed[f] = std::sqrt(medium.conductivity[f] / medium.storage[f]);
  outflow_->start(speed, step, dynamics, values_, rates);
}

std::optional<LawLine> MovingBoundary::half_way(const EvaluatedBoundaryClosure& evaluated, Real at,
                                                Real step) const {
  if (!closure_.depends_on_time()) return std::nullopt;
  return evaluated.law_at(at + 0.5 * step);
}

// q + value·w + rate·dw/dt = data with q = (w − u)/resistance, all taken at the middle of the step.
Real MovingBoundary::followed(const EvaluatedBoundaryClosure& evaluated, const LawLine& law, Index face,
                              Real value, Real step, Real before, Real after) const {
  if (closure_.close(face)) return after;
  const auto f = static_cast<std::size_t>(face);
  const Real spring = 1 / evaluated.medium().resistance[f];
  const Real u = 0.5 * (before + after), half = 0.5 * (spring + law.value[f]);
  const Real inertia = law.rate[f] / step;
  return ((inertia - half) * value + law.data[f] + spring * u) / (inertia + half);
}

void MovingBoundary::follow(const EvaluatedBoundaryClosure& evaluated, Real at, Real step,
                            const State& before, const State& after, int corners) {
  if (outflow_) {
    outflow_->go_on(after, corners, values_);
    return;
  }
  if (corners > 0) return;
  const std::optional<LawLine> middle = half_way(evaluated, at, step);
  const LawLine& law = middle ? *middle : evaluated.law();
  for (Index f = 0; f < closure_.faces(); ++f) {
    const Index n = closure_.unknown(f);
    values_[f] = followed(evaluated, law, f, values_[f], step, before[n], after[n]);
  }
}

std::vector<Real> MovingBoundary::remember() const {
  std::vector<Real> result = values_;
  if (outflow_) {
    const auto more = outflow_->remember();
    result.insert(result.end(), more.begin(), more.end());
  }
  return result;
}

void MovingBoundary::recall(std::span<const Real> numbers) {
  stand_at(numbers.first(values_.size()));
  if (outflow_) outflow_->recall(numbers.subspan(values_.size()));
}

}  // namespace williwaw
