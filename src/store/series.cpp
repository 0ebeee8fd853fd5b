#include "williwaw/store/series.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <charconv>
#include <cmath>

namespace williwaw::store {

std::string quoted(const std::string& text) {
  if (text.find_first_of(",\"\n") == std::string::npos) return text;
  std::string result = "\"";
  for (const char c : text) result += c == '"' ? std::string("\"\"") : std::string(1, c);
  return result + "\"";
}

SeriesWriter::SeriesWriter(std::filesystem::path file, const std::vector<Column>& columns,
                           std::uintmax_t from)
    : file_(std::move(file)), partial_(file_), columns_(columns) {
  partial_ += ".partial";
  if (from > 0) {
    if (!std::filesystem::exists(partial_) || std::filesystem::file_size(partial_) < from)
      throw StoreError(partial_.string() + ": holds less than the checkpoint says: it cannot be resumed");
    std::filesystem::resize_file(partial_, from);
    out_.open(partial_, std::ios::app);
    return;
  }
  out_.open(partial_);
  std::string header;
  for (const auto& c : columns) header += (header.empty() ? "" : ",") + quoted(c.header());
  out_ << header << '\n';
  if (!out_) throw StoreError(partial_.string() + ": cannot be written");
}

void SeriesWriter::append(const std::vector<std::optional<Real>>& row) {
  if (row.size() != columns_.size())
    throw StoreError(file_.string() + ": a row has the wrong number of values");
  std::string line;
  for (std::size_t c = 0; c < row.size(); ++c) {
    if (c > 0) line += ",";
    if (row[c]) line += fmt::format("{:.{}g}", *row[c], columns_[c].digits);
  }
  out_ << line << '\n';
  if (!out_) throw StoreError(partial_.string() + ": cannot be written: is the disk full?");
}

std::uintmax_t SeriesWriter::bytes() {
  out_.flush();
  return std::filesystem::file_size(partial_);
}

void SeriesWriter::finish(bool keep) {
  if (!out_.is_open()) return;
  out_.close();
  if (!out_) throw StoreError(partial_.string() + ": cannot be written: is the disk full?");
  if (!keep) {
    std::filesystem::rename(partial_, file_);
    return;
  }
  auto copy = file_;
  copy += ".copy";
  std::filesystem::copy_file(partial_, copy, std::filesystem::copy_options::overwrite_existing);
  std::filesystem::rename(copy, file_);
}

void SeriesWriter::remove_partial() {
  std::filesystem::remove(partial_);
}

std::optional<std::size_t> Series::find(const std::string& name) const {
  const auto found = std::ranges::find(columns, name, &Column::name);
  if (found == columns.end()) return std::nullopt;
  return static_cast<std::size_t>(found - columns.begin());
}

namespace {

// Of tables that people write too: spaces around fields are left out.
std::vector<std::string> cut(const std::string& line) {
  std::vector<std::string> cells{""};
  bool quotes = false;
  for (std::size_t i = 0; i < line.size(); ++i) {
    const char c = line[i];
    if (c == '"' && quotes && i + 1 < line.size() && line[i + 1] == '"')
      cells.back() += line[++i];
    else if (c == '"')
      quotes = !quotes;
    else if (c == ',' && !quotes)
      cells.emplace_back();
    else if (c != '\r')
      cells.back() += c;
  }
  for (auto& cell : cells) {
    const auto first = cell.find_first_not_of(" \t");
    cell = first == std::string::npos ? "" : cell.substr(first, cell.find_last_not_of(" \t") - first + 1);
  }
  return cells;
}

}  // namespace

Series read_series(const std::filesystem::path& file) {
  std::ifstream in(file);
  std::string line;
  if (!in || !std::getline(in, line)) throw StoreError(file.string() + ": cannot be read");
  Series result;
  for (const auto& header : cut(line)) {
    const auto open = header.rfind(" [");
    const bool with_unit = open != std::string::npos && header.back() == ']';
    result.columns.push_back(
        with_unit ? Column{header.substr(0, open), header.substr(open + 2, header.size() - open - 3)}
                  : Column{header, ""});
  }
  result.values.resize(result.columns.size());
  for (int number = 2; std::getline(in, line); ++number) {
    if (line.empty()) continue;
    const auto cells = cut(line);
    if (cells.size() != result.columns.size())
      throw StoreError(fmt::format("{}:{}: {} values, but the header has {} columns", file.string(), number,
                                   cells.size(), result.columns.size()));
    for (std::size_t c = 0; c < cells.size(); ++c) {
      Real value = std::nan("");
      const char* end = cells[c].data() + cells[c].size();
      if (!cells[c].empty() && std::from_chars(cells[c].data(), end, value).ptr != end)
        throw StoreError(fmt::format("{}:{}: '{}' is not a number", file.string(), number, cells[c]));
      result.values[c].push_back(value);
    }
  }
  return result;
}

void write_file(const std::filesystem::path& file, const std::string& text) {
  auto partial = file;
  partial += ".partial";
  {
    std::ofstream out(partial);
    out << text;
    out.close();
    if (!out) throw StoreError(file.string() + ": cannot be written");
  }
  std::filesystem::rename(partial, file);
}

}  // namespace williwaw::store
