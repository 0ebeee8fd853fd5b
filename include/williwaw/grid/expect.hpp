// Preconditions of public functions, asserted in builds with WILLIWAW_ASSERT.
#pragma once

#include <stdexcept>

namespace williwaw {

/// A caller broke a precondition: an error of the program that calls, not of its input.
struct PreconditionError : std::logic_error {
  using std::logic_error::logic_error;
};

/// Throws PreconditionError in builds that assert; does nothing in others.
constexpr void expect([[maybe_unused]] bool holds, [[maybe_unused]] const char* what) {
#ifdef WILLIWAW_ASSERT
  if (!holds) throw PreconditionError(what);
#endif
}

}  // namespace williwaw
