// [steady], [settled] and [cycle]: what a run leads to.
#include "casefile/sections/sections.hpp"

namespace williwaw::casefile {

Words solver_names() {
  Words names{"auto"};
  for (const auto& kind : solver_kinds()) names.push_back(kind.name);
  return names;
}

void read_steady(const Context& context, const Node& node, Case& result) {
  const Section section(context, node, "steady");
  section.allow({"solver", "tolerance", "iterations", "relaxation"}, {});
  SteadyRules& rules = result.steady.emplace();
  rules.solver = section.choice("solver", "auto", solver_names(), {});
  if (const Node* tolerance = section.find("tolerance")) {
    rules.tolerance = read_number(context, *tolerance, "steady.tolerance", {Unit(), false, "a plain number"});
    if (!(rules.tolerance > 0 && rules.tolerance < 1)) section.fail("tolerance", "must lie between 0 and 1");
  }
  if (section.has("iterations")) rules.iterations = section.whole("iterations", 1);
  if (const Node* relaxation = section.find("relaxation")) {
    const SolverKind* kind = solver_kind(rules.solver);
    if (!kind || !kind->takes_relaxation) {
      Words takers;
      for (const SolverKind& k : solver_kinds())
        if (k.takes_relaxation) takers.push_back('"' + k.name + '"');
      section.fail("relaxation",
                   "belongs to solver = " + listed(takers, "or") + ", not to '" + rules.solver + "'");
    }
    rules.relaxation =
        read_number(context, *relaxation, "steady.relaxation", {Unit(), false, "a plain number"});
    if (!(rules.relaxation > 0 && rules.relaxation < 2))
      section.fail("relaxation", "must lie between 0 and 2");
  }
}

void read_settled(const Context& context, const Node& root, Case& result) {
  const Node* node = root.find("settled");
  if (!node) return;
  const Section section(context, *node, "settled");
  if (result.steady) throw CaseError(node->place.text(), "settled", "belongs to [time], not to [steady]");
  section.allow({"fraction"}, {});
  if (const Node* fraction = section.find("fraction"))
    result.settled.fraction =
        read_number(context, *fraction, "settled.fraction", {Unit(), false, "a plain number"});
  if (!(result.settled.fraction > 0 && result.settled.fraction < 1))
    section.fail("fraction", "must lie between 0 and 1");
}

// [cycle]: data that repeat.
void read_cycle(const Context& context, const Node& root, const Dimensions& dimensions, Case& result) {
  const Node* node = root.find("cycle");
  if (!node) return;
  const Section section(context, *node, "cycle");
  if (result.steady)
    throw CaseError(node->place.text(), "cycle", "belongs to [time]: a steady state has no cycles");
  section.allow({"period", "tolerance"}, {});
  result.cycle = Case::Cycle();
  Case::Cycle& cycle = *result.cycle;
  cycle.period =
      read_number(context, section.need("period", "how long a cycle takes"), "cycle.period", a_time());
  if (!(cycle.period > 0)) section.fail("period", "must be above zero");
  cycle.tolerance = read_number(
      context, section.need("tolerance", "the largest change from one cycle to the next that counts as none"),
      "cycle.tolerance", {dimensions.unknown, true, "a difference of the unknown"});
  if (!(cycle.tolerance > 0)) section.fail("tolerance", "must be above zero");
}

}  // namespace williwaw::casefile
