// The time schemes, one source file each; src/time/schemes.cpp lists them.
#pragma once

#include "williwaw/time/tableau.hpp"

namespace williwaw::schemes {

SchemeKind explicit_euler();
SchemeKind implicit_euler();
SchemeKind crank_nicolson();
SchemeKind theta();
SchemeKind rk4();

}  // namespace williwaw::schemes
