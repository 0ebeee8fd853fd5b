// [space]: reconstruction, numerical flux and order of differences.
#include "casefile/sections/sections.hpp"
#include "williwaw/terms/face_mean.hpp"
#include "williwaw/terms/numerical_flux.hpp"
#include "williwaw/terms/reconstruction.hpp"
#include "williwaw/terms/wave_flux.hpp"

namespace williwaw::casefile {

void read_space(const Context& context, const Node& root, Case& result) {
  const Node* node = root.find("space");
  if (!node) return;
  const Section section(context, *node, "space");
  const bool system = result.problem.equation().as_system;
  section.allow({"diffusion_order", "reconstruction", "numerical_flux", "face_mean", "variables"}, {});
  if (section.has("face_mean")) {
    Words means;
    for (const auto& kind : face_mean_kinds()) means.push_back(kind.name);
    result.problem.face_mean = section.choice("face_mean", "", means, {});
    if (!result.problem.equation().diffusion.depends_on_unknown())
      section.fail("face_mean",
                   "concerns a conductivity or diffusivity that depends on u; on place it is ∫ds/k anyway");
  }
  const bool advection = result.problem.equation().advection.has_value();
  const bool carried = result.flux != nullptr;  // unknowns by unknowns
  for (const char* key : {"reconstruction", "numerical_flux"})
    if (section.has(key) && !system && !advection && !carried)
      section.fail(key,
                   "belongs to advection (transport, conservation) and to a wave with form = "
                   "\"first-order\"; diffusion takes central differences");
  Words reconstructions, fluxes;
  for (const auto& kind : wave_fluxes()) fluxes.push_back(kind.name);
  for (const auto& kind : limiter_kinds()) reconstructions.push_back(kind.name);
  if (advection) {
    reconstructions.clear();
    fluxes.clear();
    for (const auto& kind : reconstruction_kinds()) reconstructions.push_back(kind.name);
    for (const auto& kind : numerical_fluxes()) fluxes.push_back(kind.name);
  }
  if (carried && section.has("numerical_flux"))
    section.fail(
        "numerical_flux",
        "is chosen by the system: local Lax-Friedrichs for fluxes by formulas, upwind where an unknown "
        "is the velocity");
  if (section.has("variables")) {
    const bool by_formulas = carried && result.flux->components() > 0;
    if (!by_formulas)
      section.fail("variables", "concerns systems of several unknowns with fluxes by formulas");
    result.characteristic =
        section.choice("variables", "conserved", {"conserved", "characteristic"}, {}) == "characteristic";
  }
  result.problem.reconstruction = section.choice("reconstruction", "first-order", reconstructions, {});
  result.problem.numerical_flux = section.choice("numerical_flux", "upwind", fluxes, {});
  for (UnknownOfCase& other : result.others) {
    other.problem.reconstruction = result.problem.reconstruction;
    other.problem.numerical_flux = result.problem.numerical_flux;
    other.problem.face_mean = result.problem.face_mean;
  }
  if (!section.has("diffusion_order")) return;
  const Index order = section.whole("diffusion_order", 1);
  const bool waves = result.problem.equation().second_order;
  if (order != 2 && !(order == 4 && waves))
    section.fail("diffusion_order", waves ? "must be 2 or 4" : "only order 2 is there yet");
  result.problem.space_order = static_cast<int>(order);
}

}  // namespace williwaw::casefile
