// What forecasts of both orders in time share.
#pragma once

#include "williwaw/verify/forecast.hpp"

namespace williwaw::verify {

/// Shape, place of the peak, changes of sign; `amplitude` becomes the height of `mode` at its peak.
void describe_shape(const Discretization& balance, State mode, Forecast& result);

std::optional<Forecast> forecast_of_wave(Discretization& balance, const Scheme& scheme, Real step, Real at);

}  // namespace williwaw::verify
