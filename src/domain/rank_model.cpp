#include "williwaw/domain/rank_model.hpp"

#include <algorithm>
#include <bit>

namespace williwaw {

Real bytes_sent(const Decomposition& boxes, const StepOnRanks& step) {
  Index sent = 0;
  for (int box = 0; box < boxes.count(); ++box) sent = std::max(sent, boxes.sent(box));
  return static_cast<Real>(sent * step.unknowns * step.stages) * sizeof(Real);
}

Real seconds_of_step(const Decomposition& boxes, const StepOnRanks& step, const Network& network) {
  Index largest = 0;
  for (int box = 0; box < boxes.count(); ++box) largest = std::max(largest, boxes.cells(box));
  const Real own = static_cast<Real>(largest) * step.seconds_of_place;
  if (boxes.count() == 1) return own;
  const auto cut = std::ranges::count_if(boxes.boxes(), [](int along) { return along > 1; });
  const auto rounds = std::bit_width(static_cast<unsigned>(boxes.count() - 1));
  const Real messages = static_cast<Real>(step.stages * (cut + 2 * rounds));
  return own + messages * network.latency + bytes_sent(boxes, step) / network.bandwidth;
}

Real efficiency(const Decomposition& boxes, Index places, const StepOnRanks& step, const Network& network) {
  const Real alone = static_cast<Real>(places) * step.seconds_of_place;
  return alone / static_cast<Real>(boxes.count()) / seconds_of_step(boxes, step, network);
}

}  // namespace williwaw
