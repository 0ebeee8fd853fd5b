// [exact]: the exact solution of a case.
#include "casefile/sections/sections.hpp"

namespace williwaw::casefile {

void read_exact(const Context& context, const Node& root, const Dimensions& dimensions, Case& result) {
  const Node* node = root.find("exact");
  if (!node) return;
  const Section section(context, *node, "exact");
  section.allow({"value", "solution", "manufactured"}, {"steady"});
  if (section.has("solution")) {
    if (section.has("value")) section.fail("solution", "give one of value and solution");
    result.exact = named_exact(section, result);
    return;
  }
  const Node& value = section.need("value", "the exact solution, or \"initial\"");
  if (value.is_text() && value.text() == "initial") {
    result.exact_is_initial = true;
    result.exact = result.initial;
    return;
  }
  Words variables = context.variables;
  variables.push_back("t");
  result.exact = read_value(context, value, "exact.value", dimensions.a_value(), variables);
}

}  // namespace williwaw::casefile
