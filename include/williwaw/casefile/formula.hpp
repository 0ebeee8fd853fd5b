// Formulas as the core takes them: text, or an expression, to Function, Where and Reaction.
#pragma once

#include "williwaw/casefile/expression.hpp"
#include "williwaw/problem/system.hpp"

namespace williwaw::casefile {

/// Constants that every formula knows: pi, minute, hour, day.
const Constants& common_constants();

/// Parses a formula that knows the common constants besides `constants`, which win.
Expression read_formula(const std::string& formula, const Constants& constants,
                        const std::vector<std::string>& variables, const Curves& curves = {});

/// Of x, y, z (or r), t and u.
Function function_of(const Expression& expression);
/// True (not zero) inside.
Where where_of(const Expression& expression);
/// Of u besides. Affine in u where its derivative is free of u.
Reaction reaction_of(const Expression& expression);

/// One formula for each of several unknowns, of all of them by their names.
SystemReaction system_reaction_of(const std::vector<std::string>& names,
                                  const std::vector<Expression>& rates);

/// What one unknown diffuses down the gradient of another, `of` and `by` by their numbers: a formula of all
/// of them by their names.
CrossDiffusion cross_diffusion_of(const std::vector<std::string>& names, std::size_t of, std::size_t by,
                                  const Expression& diffusivity);

/// A value that follows from all unknowns, by their names.
OfUnknowns of_unknowns(const std::vector<std::string>& names, const Expression& value);

/// A flux along x, y, z for each of several unknowns, of all of them by their names. Speeds are the
/// magnitudes of the eigenvalues of its symbolic Jacobian (SystemFlux). Throws InputError for a formula that
/// cannot be differentiated.
std::shared_ptr<const SystemFlux> system_flux_of(const std::vector<std::string>& names,
                                                 const std::vector<std::array<Expression, 3>>& fluxes);

/// Compiles a formula. `variables` are the names among x, y, z, r, t that it may use. Besides the usual
/// functions there are erf, erfc and sum_over(n, from, to, term). Throws InputError that says what is wrong
/// and where.
Function compile(const std::string& formula, const Constants& constants,
                 const std::vector<std::string>& variables);

/// A formula that is true (not zero) inside: "abs(x - 0.1) < 0.02".
Where compile_where(const std::string& formula, const Constants& constants,
                    const std::vector<std::string>& variables);

/// A formula of u, and of `variables`.
Reaction compile_reaction(const std::string& formula, const Constants& constants,
                          const std::vector<std::string>& variables);

/// The candidate nearest to `name` by number of edits; empty if none is near.
std::string nearest(const std::string& name, const std::vector<std::string>& candidates);

}  // namespace williwaw::casefile
