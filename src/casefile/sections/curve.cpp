// [curve.NAME]: a table that formulas call as a function.
#include "williwaw/casefile/curve.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cctype>

#include "casefile/formula/expression_functions.hpp"
#include "casefile/sections/sections.hpp"
#include "williwaw/store/series.hpp"

namespace williwaw::casefile {

namespace {

Measure measure_of_column(const Section& section, const store::Column& column, std::vector<Real>& values) {
  if (column.unit.empty()) return {};
  const auto unit = Unit::parse(column.unit);
  if (!unit) section.fail("table", fmt::format("column '{}': '{}' is not a unit", column.name, column.unit));
  for (Real& v : values) v = unit->to_si(v);
  const bool absolute = unit->same_dimension(Unit::of("K"));
  return {Dimension(*unit), absolute ? Measure::Origin::absolute : Measure::Origin::none};
}

std::shared_ptr<const Curve> read_curve(const Context& context, const Node& node, const std::string& name) {
  const Section section(context, node, "curve." + name);
  section.allow({"table", "columns", "interpolation"}, {});
  section.need("table", "the name of a CSV table, units in its header");
  section.choice("interpolation", "monotone", {"monotone"}, {});
  const std::string file = section.word("table", "");
  store::Series table;
  try {
    table = store::read_series(context.folder / file);
  } catch (const store::StoreError& e) {
    section.fail("table", e.what());
  }
  std::array<std::size_t, 2> chosen{0, 1};
  if (const Node* columns = section.find("columns")) {
    if (!columns->is_array() || columns->array().size() != 2 || !columns->array()[0].is_text() ||
        !columns->array()[1].is_text())
      section.fail("columns", "the names of two columns are needed here, [\"u\", \"value\"]");
    for (std::size_t c = 0; c < 2; ++c) {
      const std::string& wanted = columns->array()[c].text();
      const auto found = table.find(wanted);
      Words names;
      for (const auto& column : table.columns) names.push_back(column.name);
      if (!found)
        refuse_word(columns->array()[c].place.text(), section.key_path("columns"), "column", wanted, names,
                    {});
      chosen[c] = *found;
    }
  } else if (table.columns.size() != 2) {
    section.fail("table", fmt::format("'{}' has {} column{}: name two of them, columns = [\"u\", \"value\"]",
                                      file, table.columns.size(), table.columns.size() == 1 ? "" : "s"));
  }
  std::vector<Real> places = table.values[chosen[0]], values = table.values[chosen[1]];
  const Measure argument = measure_of_column(section, table.columns[chosen[0]], places),
                result = measure_of_column(section, table.columns[chosen[1]], values);
  try {
    return std::make_shared<const Curve>(name, std::move(places), std::move(values), argument, result);
  } catch (const InputError& e) {
    section.fail("table", fmt::format("'{}': {}", file, e.what()));
  }
}

}  // namespace

void read_curves(const Node& root, Context& context) {
  const Node* node = root.find("curve");
  if (!node) return;
  const Section curves(context, *node, "curve");
  for (const auto& e : node->table()) {
    const bool name = !e.key.empty() && !std::isdigit(static_cast<unsigned char>(e.key[0])) &&
                      std::ranges::all_of(e.key, [](char c) {
                        return std::isalnum(static_cast<unsigned char>(c)) || c == '_';
                      });
    if (!name)
      throw CaseError(e.node->place.text(), "curve." + e.key,
                      "a name of letters, digits and '_' is needed, not starting with a digit");
    if (formula_functions().contains(e.key) || e.key == "sum_over")
      throw CaseError(e.node->place.text(), "curve." + e.key, "is the name of a function of formulas");
    if (!e.node->is_table())
      throw CaseError(e.node->place.text(), "curve." + e.key, "a table is needed here: [curve.NAME]");
    context.curves[e.key] = read_curve(context, *e.node, e.key);
  }
}

}  // namespace williwaw::casefile
