// Batches: several samples of one problem advanced by one plan.
#pragma once

#include "williwaw/time/march.hpp"

namespace williwaw {

/// Marches every state of a batch by the same plan, one after the other on one balance, so that what does not
/// change from sample to sample is prepared once. `observers` may tell samples apart by the number they are
/// given. Returns an outcome for each; throws as `march` does.
std::vector<Outcome> march_batch(Balance& balance, std::vector<State>& batch, const Plan& plan,
                                 const std::function<Observers(std::size_t)>& observers = {});

}  // namespace williwaw
