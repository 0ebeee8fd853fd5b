// What commands say: sections of labelled values, as text for people and as JSON for programs.
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

/// "95 % settled" as "95_percent_settled": small letters and digits of ASCII, one underscore between words.
std::string snake_case(const std::string& label);

class Report {
 public:
  using Data = std::variant<std::monostate, Real, Index, std::string, std::vector<std::string>>;

  /// Starts a section; rows that follow belong to it.
  Report& section(const std::string& title);
  /// A row: a label, what people read, and the value behind it (the text itself if none is given) with its
  /// unit.
  Report& row(const std::string& label, const std::string& text, Data data = {},
              const std::string& unit = "");
  /// Of a section of names that somebody else gave, such as columns: what one of them stands for. Not in the
  /// text.
  Report& name(const std::string& name, const std::string& kind);
  /// A sentence in a list under the section's title.
  Report& note(const std::string& text);
  /// Adds the sections of another report.
  /// `prefix` goes before their titles, so that they stay apart.
  Report& append(const Report& other, const std::string& prefix = "");

  std::string text() const;
  /// One JSON object, as docs/json-schema.json describes it: section -> label -> value, with keys in snake
  /// case; numbers as { value, unit }, "1" where there is no unit; words where a number is not finite;
  /// sentences as "notes", names as "names".
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
    std::vector<std::pair<std::string, std::string>> names;  ///< and their kinds
  };
  std::vector<Section> sections_;
};

}  // namespace williwaw::study
