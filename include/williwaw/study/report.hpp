// What commands say: sections of labelled values, as text for people and as JSON with the same words.
#pragma once

#include <optional>
#include <string>
#include <variant>
#include <vector>

#include "williwaw/casefile/readable.hpp"

namespace williwaw::study {

using casefile::readable;
using casefile::readable_bytes;
using casefile::readable_wait;

/// Characters of a text, not bytes: labels and titles hold letters such as 'Δ'.
std::size_t width_of(const std::string& text);

class Report {
 public:
  using Data = std::variant<std::monostate, Real, Index, bool, std::string, std::vector<std::string>>;

  /// Starts a section; rows that follow belong to it.
  Report& section(const std::string& title);
  /// A row: a label, what people read, and the value behind it (the text itself if none is given) with its
  /// unit.
  Report& row(const std::string& label, const std::string& text, Data data = {},
              const std::string& unit = "");
  /// A sentence in a list under the section's title.
  Report& note(const std::string& text);
  /// Adds the sections of another report.
  /// `prefix` goes before their titles, so that they stay apart.
  Report& append(const Report& other, const std::string& prefix = "");

  std::string text() const;
  /// One JSON object: section -> label -> value, { value, unit } where there is a unit; sentences -> "notes".
  std::string json() const;
  /// Everything in it as one text, and the report of such a text; throws std::out_of_range for another one.
  std::string remember() const;
  static Report recall(const std::string& text);

 private:
  struct Row {
    std::string label, text;
    Data data;
    std::string unit;
  };
  struct Section {
    std::string title;
    std::vector<Row> rows;
    std::vector<std::string> notes;
  };
  std::vector<Section> sections_;
};

}  // namespace williwaw::study
