// [converge]: what a refinement study refines.
#include "casefile/sections/sections.hpp"

namespace williwaw::casefile {

void read_converge(const Context& context, const Node& root, Case& result) {
  // Orders of one are rarer than steps that are to vanish beside the grid's error.
  const Node* node = root.find("converge");
  if (result.steady) result.refinement_study.step = false;
  // Explicit steps of a wave shrink with the spacing.
  if (result.problem.equation().second_order) result.refinement_study.step_power = 1;
  if (!node) return;
  const Section section(context, *node, "converge");
  section.allow({"vary", "step_power", "levels"}, {});
  const std::string vary = section.choice("vary", "both", {"grid", "step", "both"}, {});
  if (result.steady && vary != "grid" && section.has("vary"))
    section.fail("vary", "a steady state has no steps; vary = \"grid\"");
  result.refinement_study.grid = vary != "step";
  result.refinement_study.step = vary != "grid" && !result.steady;
  if (const Node* power = section.find("step_power")) {
    result.refinement_study.step_power =
        read_number(context, *power, "converge.step_power", {Unit(), false, "a plain number"});
    if (!(result.refinement_study.step_power >= 0 && result.refinement_study.step_power <= 4))
      section.fail("step_power", "must lie between 0 and 4");
  }
  if (section.has("levels")) result.refinement_study.levels = section.whole("levels", 3);
  if (result.refinement_study.levels > 8) section.fail("levels", "at most 8 levels");
}

}  // namespace williwaw::casefile
