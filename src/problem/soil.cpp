#include "williwaw/problem/soil.hpp"

#include <cmath>

#include "grid/named.hpp"
#include "problem/soil_models/kinds.hpp"

namespace williwaw {

const std::vector<SoilModel>& soil_models() {
  static const std::vector<SoilModel> models{
#define MODEL(name) soils::name##_model(),
#include "problem/soil_models/list.inc"
#undef MODEL
  };
  return models;
}

const SoilModel& soil_model(const std::string& name) {
  return named(soil_models(), name, Subject::soil, "soil model");
}

Soil soil(const SoilModel& model, const std::map<std::string, Real>& numbers, const SoilNumbers& common) {
  std::map<std::string, Real> all = numbers;
  for (const auto& key : model.keys) {
    if (!all.contains(key.name) && key.otherwise) all[key.name] = *key.otherwise;
    const auto found = all.find(key.name);
    if (found == all.end()) throw InputError(Subject::soil, "model '" + model.name + "' needs " + key.name);
    if (!(found->second > key.lowest && found->second < key.highest))
      throw InputError(Subject::soil, key.name + " of model '" + model.name + "' must lie between " +
                                          to_text(key.lowest) + " and " + to_text(key.highest) + ", but is " +
                                          to_text(found->second));
  }
  if (!(common.residual >= 0 && common.residual < common.saturated && common.saturated <= 1))
    throw InputError(Subject::soil,
                     "residual and saturated contents must be 0 <= residual < saturated <= 1, but are " +
                         to_text(common.residual) + " and " + to_text(common.saturated));
  if (!(common.conductivity > 0))
    throw InputError(Subject::soil, "the conductivity at saturation must be above zero");
  if (!(common.specific_storage >= 0))
    throw InputError(Subject::soil, "specific_storage must not be below zero");
  using Of = Real (*)(const SoilModel::State&, const SoilNumbers&, Real);
  // Above zero everything is saturated.
  const auto function = [at = model.of(all), common](Of of) -> Function::OfUnknown {
    return [at, common, of](const Points&, Real, std::span<const Real> u, std::span<Real> out) {
      for (std::size_t i = 0; i < out.size(); ++i)
        out[i] = of(u[i] < 0 ? at(u[i]) : SoilModel::State{1, 0, 1, 0}, common, u[i]);
    };
  };
  return {Function::of_unknown(function([](const SoilModel::State& s, const SoilNumbers& c, Real u) {
                                 return c.residual + (c.saturated - c.residual) * s.saturation +
                                        (u > 0 ? c.specific_storage * u : 0);
                               }),
                               function([](const SoilModel::State& s, const SoilNumbers& c, Real u) {
                                 return (c.saturated - c.residual) * s.saturation_slope +
                                        (u > 0 ? c.specific_storage : 0);
                               }),
                               false, false),
          Function::of_unknown(function([](const SoilModel::State& s, const SoilNumbers& c, Real) {
                                 return c.conductivity * s.conductivity;
                               }),
                               function([](const SoilModel::State& s, const SoilNumbers& c, Real) {
                                 return c.conductivity * s.conductivity_slope;
                               }),
                               false, false)};
}

Equation unsaturated(const Soil& soil, std::optional<Point> upward, Function source) {
  Equation e;
  e.kind = "unsaturated";
  e.unknown = "head";
  e.content = soil.content;
  e.diffusion.coefficient = {soil.conductivity, soil.conductivity, soil.conductivity};
  e.diffusion.upward = upward;
  e.source = std::move(source);
  e.derived = derived_of_unsaturated(e);
  return e;
}

std::vector<DerivedQuantity> derived_of_unsaturated(const Equation& equation) {
  std::vector<DerivedQuantity> result;
  if (equation.content) result.push_back({"content", *equation.content, false});
  if (const auto up = equation.diffusion.upward)
    result.push_back(
        {"total-head",
         Function::of_unknown(
             [up = *up](const Points& places, Real, std::span<const Real> u, std::span<Real> out) {
               for (Index i = 0; i < places.size(); ++i) {
                 const Point p = places[i];
                 out[static_cast<std::size_t>(i)] =
                     u[static_cast<std::size_t>(i)] + up.x * p.x + up.y * p.y + up.z * p.z;
               }
             },
             {}, true, false),
         true});
  return result;
}

}  // namespace williwaw
