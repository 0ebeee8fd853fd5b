// Formulas as expressions that can be differentiated, through GiNaC.
#pragma once

#include <ginac/ginac.h>

#include <string>

#include "williwaw/casefile/formula.hpp"

namespace williwaw::casefile {

/// Reads a formula; names in `table` are its symbols and constants, besides those that every formula knows.
/// Throws InputError for one that cannot be differentiated.
GiNaC::ex read_expression(const std::string& formula, const Constants& constants, GiNaC::symtab table);
/// As a formula that `compile` reads.
std::string written(const GiNaC::ex& expression);

}  // namespace williwaw::casefile
