// Steps of equations whose coefficients depend on the unknown.
#pragma once

#include "williwaw/verify/stability.hpp"

namespace williwaw::verify {

/// Diffusion or storage depends on the unknown otherwise than in proportion.
bool varies_with_unknown(const Problem& problem);
/// Explicit steps over all values that data allow, by the linear problem that bounds them; others by their
/// scheme alone. Throws InputError for explicit steps where what is stored does not change with the unknown.
Stability stability_of_nonlinear(Discretization& balance, const Scheme& scheme, Real step, Real from,
                                 Real until);

}  // namespace williwaw::verify
