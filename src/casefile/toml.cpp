#define TOML_HEADER_ONLY 0
#include <fmt/format.h>
#include <toml++/toml.h>

#include <algorithm>

#include "node.hpp"
#include "williwaw/casefile/error.hpp"

namespace williwaw::casefile {

namespace {

Node convert(const toml::node& node, const std::string& source, const std::string& key) {
  Node result;
  const int line = static_cast<int>(node.source().begin.line);
  result.place = {source, line};
  if (const auto* table = node.as_table()) {
    Node::Table entries;
    for (const auto& [name, value] : *table) {
      const std::string text(name.str());
      const std::string path = key.empty() ? text : key + "." + text;
      entries.push_back({text, std::make_shared<Node>(convert(value, source, path)),
                         static_cast<int>(name.source().begin.line),
                         static_cast<int>(name.source().begin.column)});
    }
    // In the order of the file, which is also the order in which errors are found.
    std::ranges::stable_sort(entries, {}, [](const Entry& e) { return std::pair(e.line, e.column); });
    result.value = std::move(entries);
  } else if (const auto* array = node.as_array()) {
    Node::Array items;
    for (const auto& item : *array) items.push_back(convert(item, source, key));
    result.value = std::move(items);
  } else if (const auto text = node.value_exact<std::string>()) {
    result.value = *text;
  } else if (const auto truth = node.value_exact<bool>()) {
    result.value = *truth;
  } else if (const auto whole = node.value_exact<std::int64_t>()) {
    result.value = *whole;
  } else if (const auto real = node.value_exact<double>()) {
    result.value = *real;
  } else {
    throw CaseError(result.place.text(), key,
                    "dates and times of day are not supported; write a text or a number");
  }
  return result;
}

std::string quoted(const std::string& text) {
  std::string result = "\"";
  for (const char c : text) {
    if (c == '"' || c == '\\')
      result += std::string("\\") + c;
    else if (c == '\n')
      result += "\\n";
    else if (c == '\t')
      result += "\\t";
    else
      result += c;
  }
  return result + "\"";
}

std::string inline_value(const Node& node) {
  if (node.is_table()) {
    std::string result = "{ ";
    for (const auto& e : node.table())
      result += (result.size() > 2 ? ", " : "") + e.key + " = " + inline_value(*e.node);
    return result + " }";
  }
  if (node.is_array()) {
    std::string result = "[";
    for (const auto& item : node.array()) result += (result.size() > 1 ? ", " : "") + inline_value(item);
    return result + "]";
  }
  if (node.is_text()) return quoted(node.text());
  if (const auto* truth = std::get_if<bool>(&node.value)) return *truth ? "true" : "false";
  if (const auto* whole = std::get_if<std::int64_t>(&node.value)) return std::to_string(*whole);
  const std::string real = fmt::format("{}", std::get<Real>(node.value));
  return real.find_first_of(".en") == std::string::npos ? real + ".0" : real;
}

bool is_table_list(const Node& node) {
  return node.is_array() && !node.array().empty() && std::ranges::all_of(node.array(), &Node::is_table);
}

}  // namespace

const Node* Node::find(const std::string& key) const {
  if (!is_table()) return nullptr;
  const auto found = std::ranges::find(table(), key, &Entry::key);
  return found == table().end() ? nullptr : found->node.get();
}

Node parse_toml(const std::string& text, const std::string& source) {
  try {
    return convert(toml::parse(text, source), source, "");
  } catch (const toml::parse_error& e) {
    const auto line = e.source().begin.line;
    throw CaseError(line > 0 ? fmt::format("{}:{}", source, line) : source, "",
                    "this is not TOML: " + std::string(e.description()));
  }
}

std::string write_toml(const Node& root) {
  std::string plain, sections;
  for (const auto& e : root.table()) {
    if (e.node->is_table()) {
      sections += "\n[" + e.key + "]\n";
      for (const auto& inner : e.node->table())
        sections += inner.key + " = " + inline_value(*inner.node) + "\n";
    } else if (is_table_list(*e.node)) {
      for (const auto& item : e.node->array()) {
        sections += "\n[[" + e.key + "]]\n";
        for (const auto& inner : item.table())
          sections += inner.key + " = " + inline_value(*inner.node) + "\n";
      }
    } else {
      plain += e.key + " = " + inline_value(*e.node) + "\n";
    }
  }
  return plain + sections;
}

void override_with(Node& root, const std::string& assignment) {
  const auto equals = assignment.find('=');
  const std::string source = "--set " + assignment;
  if (equals == std::string::npos || equals == 0)
    throw CaseError(source, "", "write a key, an equals sign and a value: --set time.step=\"30 s\"");
  const std::string key = assignment.substr(0, equals), value = assignment.substr(equals + 1);
  // The shell takes quotation marks away, so a value that is no TOML by itself is meant as a text.
  std::optional<Node> parsed;
  try {
    parsed = parse_toml("value = " + value, source);
  } catch (const CaseError&) {
    parsed = parse_toml("value = " + quoted(value), source);
  }
  Node* at = &root;
  std::size_t start = 0;
  for (;;) {
    const auto dot = key.find('.', start);
    const std::string part = key.substr(start, dot == std::string::npos ? dot : dot - start);
    if (!at->is_table())
      throw CaseError(source, "",
                      "'" + key.substr(0, start - 1) + "' is not a table and has no '" + part + "'");
    auto& table = std::get<Node::Table>(at->value);
    auto entry = std::ranges::find(table, part, &Entry::key);
    if (entry == table.end()) {
      Node fresh;
      fresh.value = Node::Table{};
      fresh.place = {source, 0};
      table.push_back({part, std::make_shared<Node>(fresh), 0, 0});
      entry = table.end() - 1;
    }
    at = entry->node.get();
    if (dot == std::string::npos) break;
    start = dot + 1;
  }
  *at = *parsed->find("value");
  // Everything below an override stands on no line of the file.
  const auto unplace = [](auto&& self, Node& n) -> void {
    n.place.line = 0;
    if (n.is_table())
      for (auto& e : std::get<Node::Table>(n.value)) {
        e.line = 0;
        self(self, *e.node);
      }
    if (n.is_array())
      for (auto& item : std::get<Node::Array>(n.value)) self(self, item);
  };
  unplace(unplace, *at);
}

}  // namespace williwaw::casefile
