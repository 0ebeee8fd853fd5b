// Equations whose coefficients depend on the unknown: explicit steps are judged over all values that data
// allow.
#include "verify/stability/nonlinear_stability.hpp"

#include <algorithm>
#include <cmath>

#include "verify/stability/spectrum.hpp"

namespace williwaw::verify {

namespace {

constexpr int values_looked_at = 129;

// The largest or smallest of f (or of its derivative) over a range of the unknown, place by place.
Function extreme_of(const Function& f, const Range& range, bool largest, bool of_slope) {
  if (const auto& regions = f.regions()) {
    std::vector<Function> parts;
    for (int label = 0; label <= regions->size(); ++label)
      parts.push_back(extreme_of(f.part(label), range, largest, of_slope));
    return Function::by_region(regions, std::move(parts));
  }
  const auto by_line = [f, range, largest, of_slope](const Points& places, Real time, std::span<Real> out) {
    std::vector<Real> u(out.size()), values(out.size());
    for (int n = 0; n < values_looked_at; ++n) {
      const Real at = range.lowest + (range.highest - range.lowest) * n / (values_looked_at - 1);
      std::ranges::fill(u, at);
      of_slope ? f.slope(places, time, u, values) : f.evaluate(places, time, u, values);
      for (std::size_t i = 0; i < out.size(); ++i)
        out[i] = n == 0 ? values[i] : largest ? std::max(out[i], values[i]) : std::min(out[i], values[i]);
    }
  };
  if (f.depends_on_place() || f.depends_on_time())
    return Function::by_line(by_line, f.depends_on_place(), f.depends_on_time());
  Real value = 0;
  by_line(Points(1), 0, {&value, 1});
  return value;
}

bool anywhere(const Grid& grid, const Function& f, bool (*test)(Real)) {
  std::vector<Real> values(static_cast<std::size_t>(grid.count()));
  evaluate_at_unknowns(grid, f, 0, values);
  return std::ranges::any_of(values, test);
}

// The linear problem with the largest coefficients and the smallest storage that the range has: its operator
// is not below that of any state. Boundaries whose flux has a limit prescribe their value, which is the
// stiffest.
Problem bounding_problem(const Problem& given, const Range& range, const Scheme& scheme) {
  Equation e = given.equation();
  for (Function& k : e.diffusion.coefficient)
    if (k.depends_on_unknown()) k = extreme_of(k, range, true, false);
  e.diffusion.upward.reset();
  if (e.content)
    e.storage = extreme_of(*e.content, range, false, true);
  else if (e.storage.depends_on_unknown())
    e.storage = extreme_of(e.storage, range, false, false);
  e.content.reset();
  e.source = 0.0;
  e.reaction.reset();
  e.points.clear();
  if (anywhere(given.grid(), e.storage, [](Real s) { return !(s > 0); }))
    throw InputError(
        Subject::scheme,
        "scheme '" + scheme.name + "' is explicit, and somewhere between the values " +
            to_text(range.lowest) + " and " + to_text(range.highest) +
            " what is stored does not change with the unknown (saturated): explicit steps cannot tell "
            "the unknown from it; choose an implicit scheme, \"implicit-euler\" for example");
  Problem bound(given.grid(), e, given.regions());
  bound.initial = given.initial;
  bound.default_boundary(insulated());
  const auto linear = [](const Boundary& b) {
    if (const FluxLimit* limit = b.limit()) return dirichlet(limit->value);
    const bool conducts =
        std::ranges::any_of(b.conditions(), [](const auto& c) { return c->kind() == "free-drainage"; });
    return conducts || !b.is_linear() ? insulated() : b;
  };
  for (const Side side : given.grid().sides())
    if (!given.periodic(side) && !given.boundary(side).empty())
      bound.boundary(given.grid().side_name(side), linear(given.boundary(side)));
  for (Index r = 0; r < given.regions().size(); ++r)
    if (!given.regions()[r].active) bound.boundary(given.regions()[r].name, linear(given.cutout_boundary(r)));
  for (BoundaryPart part : given.parts()) {
    part.boundary = linear(part.boundary);
    bound.part(part);
  }
  return bound;
}

}  // namespace

bool varies_with_unknown(const Problem& problem) {
  return problem.equation().diffusion.depends_on_unknown() || problem.equation().stores_nonlinearly();
}

Stability stability_of_nonlinear(Discretization& balance, const Scheme& scheme, Real step, Real from,
                                 Real until) {
  using enum Limit::Standing;
  Stability result;
  result.step = step;
  result.stages = stages(scheme);
  const Real interval = real_stability_interval(scheme);
  if (!is_explicit(scheme) && std::isinf(interval)) {
    result.limit = result.interior = {interval, bound, std::nullopt};
    result.positivity = {scheme.name == "implicit-euler" ? interval : 0, bound, std::nullopt};
    result.method = "not looked for: any step of this scheme is stable about any state";
    return result;
  }
  result.allowed = values_allowed(balance, balance.initial_state(), from, until);
  result.stable_for = result.allowed->values;
  const auto bounding = make_balance(bounding_problem(balance.problem(), result.allowed->values, scheme));
  const Spectrum worst = spectrum(*bounding, from, Parts::all());
  const Limit::Standing standing = result.allowed->bounded ? bound : heuristic;
  result.limit = {interval / worst.largest, standing, std::nullopt};
  result.interior = {interval / worst.interior, heuristic, worst.interior_at};
  const Real radius = balance.capabilities().data_change ? monotonicity_radius_of_tableau(scheme)
                                                         : monotonicity_radius_of_function(scheme);
  result.positivity = {radius / worst.diagonal, bound, worst.diagonal_at};
  result.stages = stages(scheme, worst.largest * step);
  result.largest_eigenvalue = worst.largest;
  result.method = worst.method + ", largest coefficients over the range of values";
  result.diffusion_number = worst.interior * step / 4;
  result.worst = worst.interior_at;
  return result;
}

}  // namespace williwaw::verify
