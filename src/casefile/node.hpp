// A case file as a tree of values that know where they stand. Only src/casefile/toml.cpp sees the TOML
// library.
#pragma once

#include <filesystem>
#include <memory>
#include <optional>
#include <variant>

#include "williwaw/grid/types.hpp"

namespace williwaw::casefile {

struct Node;

struct Entry {
  std::string key;
  std::shared_ptr<Node> node;
  int line = 0;
  int column = 0;
};

struct Place {
  std::string source;  ///< file, or "--set key=value"
  int line = 0;        ///< 0 where there are no lines
  std::string text() const { return line > 0 ? source + ":" + std::to_string(line) : source; }
};

struct Node {
  using Table = std::vector<Entry>;
  using Array = std::vector<Node>;
  std::variant<bool, std::int64_t, Real, std::string, Array, Table> value;
  Place place;
  /// Written by the program, not by people: formulas are in SI, and their dimensions are not checked.
  bool derived = false;

  bool is_table() const { return std::holds_alternative<Table>(value); }
  bool is_array() const { return std::holds_alternative<Array>(value); }
  bool is_text() const { return std::holds_alternative<std::string>(value); }
  bool is_number() const {
    return std::holds_alternative<Real>(value) || std::holds_alternative<std::int64_t>(value);
  }
  Real number() const {
    return std::holds_alternative<Real>(value) ? std::get<Real>(value)
                                               : static_cast<Real>(std::get<std::int64_t>(value));
  }
  const std::string& text() const { return std::get<std::string>(value); }
  const Table& table() const { return std::get<Table>(value); }
  const Array& array() const { return std::get<Array>(value); }
  /// The entry of a table; null if there is none.
  const Node* find(const std::string& key) const;
};

/// Reads TOML; throws CaseError for text that is not.
Node parse_toml(const std::string& text, const std::string& source);
/// Writes a tree back.
std::string write_toml(const Node& root);
/// Replaces or adds the value that "a.b.c=value" names.
void override_with(Node& root, const std::string& assignment);

}  // namespace williwaw::casefile
