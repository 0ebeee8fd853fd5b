// The time schemes, one source file each; src/time/schemes.cpp lists them.
#pragma once

#include "williwaw/time/scheme.hpp"

namespace williwaw::schemes {

SchemeKind explicit_euler();
SchemeKind rk2();
SchemeKind ssprk3();
SchemeKind rk4();
SchemeKind rk45();
SchemeKind stabilized();
SchemeKind implicit_euler();
SchemeKind crank_nicolson();
SchemeKind theta();
SchemeKind bdf2();
SchemeKind sdirk4();
SchemeKind adi();
SchemeKind implicit_explicit();
SchemeKind semi_lagrangian();
SchemeKind leapfrog();
SchemeKind corrected_leapfrog();
SchemeKind newmark();

}  // namespace williwaw::schemes
