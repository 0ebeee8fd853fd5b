#include "williwaw/study/report.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <nlohmann/json.hpp>

namespace williwaw::study {

Report& Report::section(const std::string& title) {
  sections_.push_back({title, {}, {}, {}});
  return *this;
}

Report& Report::row(const std::string& label, const std::string& text, Data data, const std::string& unit) {
  sections_.back().rows.push_back({label, text, std::move(data), unit});
  return *this;
}

Report& Report::note(const std::string& text) {
  sections_.back().notes.push_back(text);
  return *this;
}

Report& Report::append(const Report& other, const std::string& prefix) {
  for (Section section : other.sections_) {
    section.title = prefix + section.title;
    sections_.push_back(std::move(section));
  }
  return *this;
}

std::size_t width_of(const std::string& text) {
  return static_cast<std::size_t>(
      std::ranges::count_if(text, [](char c) { return (static_cast<unsigned char>(c) & 0xC0) != 0x80; }));
}

std::string Report::text() const {
  std::string result;
  for (const auto& section : sections_) {
    if (section.rows.empty() && section.notes.empty()) continue;
    if (!result.empty()) result += '\n';
    result += section.title + "\n";
    std::size_t widest = 0;
    for (const auto& row : section.rows) widest = std::max(widest, width_of(row.label));
    for (const auto& row : section.rows)
      result += "  " + row.label + std::string(widest - width_of(row.label) + 2, ' ') + row.text + "\n";
    for (const auto& note : section.notes) result += "  - " + note + "\n";
  }
  return result;
}

Report& Report::name(const std::string& name, const std::string& kind) {
  sections_.back().names.emplace_back(name, kind);
  return *this;
}

std::string Report::remember() const {
  nlohmann::json all = nlohmann::json::array();
  for (const auto& section : sections_) {
    nlohmann::json rows = nlohmann::json::array();
    for (const auto& row : section.rows) {
      nlohmann::json value;
      std::visit(
          [&](const auto& data) {
            if constexpr (!std::is_same_v<std::decay_t<decltype(data)>, std::monostate>) value = data;
          },
          row.data);
      rows.push_back({row.label, row.text, row.data.index(), value, row.unit});
    }
    all.push_back({section.title, rows, section.notes});
  }
  // MessagePack keeps the bits of numbers, infinite ones too.
  const auto bytes = nlohmann::json::to_msgpack(all);
  return {bytes.begin(), bytes.end()};
}

Report Report::recall(const std::string& text) try {
  Report report;
  for (const auto& section : nlohmann::json::from_msgpack(text)) {
    report.section(section.at(0));
    for (const auto& row : section.at(1)) {
      const auto& value = row.at(3);
      Data data;
      switch (row.at(2).get<std::size_t>()) {
        case 1:
          data = value.get<Real>();
          break;
        case 2:
          data = value.get<Index>();
          break;
        case 3:
          data = value.get<std::string>();
          break;
        case 4:
          data = value.get<std::vector<std::string>>();
          break;
        default:
          break;
      }
      report.row(row.at(0), row.at(1), data, row.at(4));
    }
    for (const auto& note : section.at(2)) report.note(note);
  }
  return report;
} catch (const nlohmann::json::exception& e) {
  throw std::out_of_range(e.what());
}

std::string snake_case(const std::string& label) {
  std::string result;
  const auto begin_word = [&] {
    if (!result.empty() && result.back() != '_') result += '_';
  };
  for (std::size_t n = 0; n < label.size(); ++n) {
    const auto c = static_cast<unsigned char>(label[n]);
    if (c < 128 && std::isalnum(c)) {
      result += static_cast<char>(std::tolower(c));
    } else if (c == '%') {
      begin_word();
      result += "percent_";
    } else {
      // Other letters take several bytes; together they part words.
      begin_word();
    }
  }
  while (!result.empty() && result.back() == '_') result.pop_back();
  return result.empty() ? "value" : result;
}

namespace {

using nlohmann::ordered_json;

ordered_json with_unit(const ordered_json& number, const std::string& unit) {
  return {{"value", number}, {"unit", unit.empty() ? "1" : unit}};
}

ordered_json value_of(const Report::Data& data, const std::string& text, const std::string& unit) {
  return std::visit(
      [&](const auto& value) -> ordered_json {
        using T = std::decay_t<decltype(value)>;
        if constexpr (std::is_same_v<T, std::monostate>) return text;
        if constexpr (std::is_same_v<T, Real>)
          if (!std::isfinite(value))
            return std::isnan(value) ? "not known" : value > 0 ? "unlimited" : "none";
        if constexpr (std::is_arithmetic_v<T>) return with_unit(value, unit);
        if constexpr (!std::is_same_v<T, std::monostate> && !std::is_arithmetic_v<T>) return value;
      },
      data);
}

// The key of a label in an object; labels that only differ in what keys leave out are counted.
std::string free_key(const ordered_json& object, const std::string& label) {
  const std::string key = snake_case(label);
  std::string result = key;
  for (int n = 2; object.contains(result); ++n) result = key + "_" + std::to_string(n);
  return result;
}

}  // namespace

std::string Report::json() const {
  ordered_json root = ordered_json::object();
  for (const auto& section : sections_) {
    ordered_json object = ordered_json::object();
    for (const auto& row : section.rows)
      object[free_key(object, row.label)] = value_of(row.data, row.text, row.unit);
    for (const auto& [name, kind] : section.names)
      object["names"].push_back({{"name", name}, {"kind", kind}});
    if (!section.notes.empty()) object["notes"] = section.notes;
    root[free_key(root, section.title)] = std::move(object);
  }
  return root.dump(2) + "\n";
}

}  // namespace williwaw::study
