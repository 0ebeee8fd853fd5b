// Formulas, through muParser: text to Function.
#pragma once

#include <map>
#include <string>

#include "williwaw/problem/equation.hpp"

namespace williwaw::casefile {

/// Names with fixed values that formulas may use.
using Constants = std::map<std::string, Real>;

/// Constants that every formula knows: pi, minute, hour, day.
const Constants& common_constants();

/// Compiles a formula. `variables` are the names among x, y, z, r, t that it may use. Besides the usual
/// functions there are erf, erfc and sum_over(n, from, to, term). Throws InputError that says what is wrong
/// and where.
Function compile(const std::string& formula, const Constants& constants,
                 const std::vector<std::string>& variables);

/// A formula that is true (not zero) inside: "abs(x - 0.1) < 0.02".
Where compile_where(const std::string& formula, const Constants& constants,
                    const std::vector<std::string>& variables);

/// A formula of u, and of `variables`. It is found to be affine in u by trial at many places and values.
Reaction compile_reaction(const std::string& formula, const Constants& constants,
                          const std::vector<std::string>& variables);

/// The candidate nearest to `name` by number of edits; empty if none is near.
std::string nearest(const std::string& name, const std::vector<std::string>& candidates);

}  // namespace williwaw::casefile
