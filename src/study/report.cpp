#include "williwaw/study/report.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <nlohmann/json.hpp>

namespace williwaw::study {

Report& Report::section(const std::string& title) {
  sections_.push_back({title, {}, {}});
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
          data = value.get<bool>();
          break;
        case 4:
          data = value.get<std::string>();
          break;
        case 5:
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

std::string Report::json() const {
  nlohmann::ordered_json root = nlohmann::ordered_json::object();
  for (const auto& section : sections_) {
    nlohmann::ordered_json object = nlohmann::ordered_json::object();
    for (const auto& row : section.rows) {
      nlohmann::ordered_json value;
      std::visit(
          [&](const auto& data) {
            using T = std::decay_t<decltype(data)>;
            if constexpr (std::is_same_v<T, std::monostate>)
              value = row.text;
            else if constexpr (std::is_same_v<T, Real>)
              value = std::isfinite(data) ? nlohmann::ordered_json(data) : nlohmann::ordered_json(nullptr);
            else
              value = data;
          },
          row.data);
      object[row.label] =
          row.unit.empty() ? value : nlohmann::ordered_json{{"value", value}, {"unit", row.unit}};
    }
    if (!section.notes.empty()) object["notes"] = section.notes;
    root[section.title] = std::move(object);
  }
  return root.dump(2) + "\n";
}

}  // namespace williwaw::study
