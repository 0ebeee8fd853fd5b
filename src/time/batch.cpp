#include "williwaw/time/batch.hpp"

namespace williwaw {

std::vector<Outcome> march_batch(Balance& balance, std::vector<State>& batch, const Plan& plan,
                                 const std::function<Observers(std::size_t)>& observers) {
  std::vector<Outcome> outcomes;
  for (std::size_t sample = 0; sample < batch.size(); ++sample)
    outcomes.push_back(march(balance, batch[sample], plan, observers ? observers(sample) : Observers{}));
  return outcomes;
}

}  // namespace williwaw
