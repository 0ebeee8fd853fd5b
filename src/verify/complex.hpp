// Complex numbers of symbols and amplification factors.
#pragma once

#include <complex>

#include "williwaw/grid/types.hpp"

namespace williwaw::verify {

using Complex = std::complex<Real>;

}  // namespace williwaw::verify
