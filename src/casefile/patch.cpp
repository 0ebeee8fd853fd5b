#include "patch.hpp"

#include <algorithm>

#include "williwaw/casefile/error.hpp"

namespace williwaw::casefile {

namespace {

Node::Table& table_of(Node& node) {
  return std::get<Node::Table>(node.value);
}

Node* entry_in(Node& table, const std::string& key) {
  const auto found = std::ranges::find(table_of(table), key, &Entry::key);
  return found == table_of(table).end() ? nullptr : found->node.get();
}

std::string name_of(const Node& entry) {
  const Node* name = entry.find("name");
  return name && name->is_text() ? name->text() : "";
}

// Entries with the same name are replaced key by key, others are added.
void lay_over_list(Node& list, const Node& changes) {
  auto& entries = std::get<Node::Array>(list.value);
  for (const Node& change : changes.array()) {
    const std::string name = name_of(change);
    const auto same = std::ranges::find_if(
        entries, [&](const Node& e) { return !name.empty() && e.is_table() && name_of(e) == name; });
    if (same == entries.end()) {
      entries.push_back(change);
      continue;
    }
    for (const auto& e : change.table()) {
      erase_key(*same, e.key);
      table_of(*same).push_back(e);
    }
  }
}

bool is_list_of_named(const Node& node) {
  return node.is_array() && !node.array().empty() &&
         std::ranges::all_of(node.array(), [](const Node& e) { return e.is_table() && !name_of(e).empty(); });
}

// Tables whose keys are replaced one by one; all others are values.
bool is_section(const std::string& path) {
  const auto dot = path.find('.');
  if (dot == std::string::npos) return true;
  const std::string first = path.substr(0, dot), rest = path.substr(dot + 1);
  return (first == "grid" && (rest == "x" || rest == "y" || rest == "z" || rest == "r")) ||
         (first == "region" && rest.find('.') == std::string::npos) ||
         (first == "equation" && rest.starts_with("unknowns") && std::ranges::count(rest, '.') <= 1);
}

void lay_over_table(Node& at, const Node& changes, const std::string& path) {
  for (const auto& change : changes.table()) {
    const std::string key = path.empty() ? change.key : path + "." + change.key;
    if (key == "name") continue;
    Node* there = entry_in(at, change.key);
    if (!there) {
      table_of(at).push_back({change.key, std::make_shared<Node>(*change.node), change.line, change.column});
    } else if (there->is_table() && change.node->is_table() && is_section(key)) {
      lay_over_table(*there, *change.node, key);
    } else if (is_list_of_named(*there) && is_list_of_named(*change.node)) {
      lay_over_list(*there, *change.node);
    } else {
      *there = *change.node;
    }
  }
}

// Keys that say the same thing in other ways go when one of them comes.
void drop_rivals(Node& root, const Node& changes) {
  static const std::vector<std::pair<std::string, std::vector<std::string>>> rivals{
      {"time", {"until", "lasts"}}, {"record", {"every", "times", "every_steps"}}};
  for (const auto& [section, keys] : rivals) {
    const Node* change = changes.find(section);
    Node* there = entry_in(root, section);
    if (!change || !there || !change->is_table() || !there->is_table()) continue;
    if (std::ranges::any_of(keys, [&](const std::string& k) { return change->find(k) != nullptr; }))
      for (const auto& k : keys) erase_key(*there, k);
  }
  if (const Node* grid = changes.find("grid"); grid && grid->is_table())
    for (const auto& axis : grid->table())
      if (Node* there = entry_in(*entry_in(root, "grid"), axis.key); there && axis.node->is_table())
        for (const char* count : {"cells", "nodes", "spacing"})
          if (axis.node->find(count))
            for (const char* k : {"cells", "nodes", "spacing"}) erase_key(*there, k);
  if (changes.find("steady"))
    for (const char* k : {"time", "record", "settled"}) erase_key(root, k);
  if (changes.find("time")) erase_key(root, "steady");
}

}  // namespace

void erase_key(Node& table, const std::string& key) {
  std::erase_if(table_of(table), [&](const Entry& e) { return e.key == key; });
}

void lay_over(Node& root, const Node& changes) {
  drop_rivals(root, changes);
  lay_over_table(root, changes, "");
}

std::vector<const Node*> entries_of(const Node& root, const std::string& list) {
  std::vector<const Node*> result;
  const Node* node = root.find(list);
  if (!node) return result;
  if (!node->is_array()) throw CaseError(node->place.text(), list, "write [[" + list + "]], once for each");
  for (const Node& entry : node->array()) {
    title_of_entry(entry, list);
    result.push_back(&entry);
  }
  return result;
}

std::string title_of_entry(const Node& entry, const std::string& list) {
  const Node* title = entry.is_table() ? entry.find("title") : nullptr;
  if (!title || !title->is_text() || title->text().empty())
    throw CaseError(entry.place.text(), list, "a title is needed here, such as title = \"insulated\"");
  return title->text();
}

}  // namespace williwaw::casefile
