// [constants]: named numbers of a case; [samples]: one that differs from sample to sample.
#include <fmt/format.h>

#include <algorithm>
#include <cctype>

#include "casefile/sections/sections.hpp"

namespace williwaw::casefile {

namespace {

void take_constants(const Node& table, Context& context, const std::string& path) {
  for (const auto& e : table.table()) {
    if (e.key == "include") continue;
    const std::string key = path + "." + e.key;
    if (e.key.empty() ||
        !std::ranges::all_of(
            e.key, [](char c) { return std::isalnum(static_cast<unsigned char>(c)) || c == '_'; }) ||
        std::isdigit(static_cast<unsigned char>(e.key[0])))
      throw CaseError(e.node->place.text(), key,
                      "a name of letters, digits and '_' is needed, not starting with a digit");
    for (const char* taken : {"x", "y", "z", "t", "r", "u"})
      if (e.key == taken)
        throw CaseError(e.node->place.text(), key, "is the name of a variable and cannot be a constant");
    if (e.key == "sample")
      throw CaseError(e.node->place.text(), key, "is the number of a sample and cannot be a constant");
    Constant constant;
    take_constant(context, *e.node, key, constant);
    context.constants.insert_or_assign(e.key, constant);
  }
}

}  // namespace

Index read_samples(const Node& root, Context& context) {
  const Node* node = root.find("samples");
  if (!node) return 1;
  const Section section(context, *node, "samples");
  section.allow({"count"}, {});
  section.need("count", "how many samples are run");
  const Index count = section.whole("count", 1);
  constexpr Index most = 10000;
  if (count > most) section.fail("count", fmt::format("at most {} samples are run", most));
  if (context.sample >= count) throw InputError("there are not so many samples");
  Constant number;
  number.value = static_cast<Real>(context.sample);
  number.text = std::to_string(context.sample);
  context.constants.insert_or_assign("sample", number);
  return count;
}

void read_constants(const Node& root, Context& context) {
  const Node* node = root.find("constants");
  if (!node) return;
  const Section section(context, *node, "constants");
  if (section.has("include")) {
    const std::string name = section.word("include", "");
    const auto file = context.folder / name;
    const Node included = parse_toml(
        read_text(file, section.find("include")->place.text(), "constants.include: '" + name + "'"), name);
    context.dimensional = context.dimensional || carries_units(included);
    const Node* inner = included.find("constants");
    take_constants(inner ? *inner : included, context, "constants");
  }
  take_constants(*node, context, "constants");
}

}  // namespace williwaw::casefile
