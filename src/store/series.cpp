#include "williwaw/store/series.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <charconv>
#include <cmath>
#include <fstream>
#include <sstream>

namespace williwaw::store {

std::string quoted(const std::string& text) {
  if (text.find_first_of(",\"\n") == std::string::npos) return text;
  std::string result = "\"";
  for (const char c : text) result += c == '"' ? std::string("\"\"") : std::string(1, c);
  return result + "\"";
}

namespace {

std::string bytes_of(const std::filesystem::path& file) {
  std::ifstream in(file, std::ios::binary);
  std::ostringstream all;
  all << in.rdbuf();
  if (!in) throw StoreError(file.string() + ": cannot be read back");
  return all.str();
}

std::uint32_t checksum_of(const std::filesystem::path& file) {
  const std::string bytes = bytes_of(file);
  return checksum(bytes.data(), bytes.size());
}

}  // namespace

SeriesWriter::SeriesWriter(std::filesystem::path file, const std::vector<Column>& columns, Mark from)
    : file_(std::move(file)), partial_(file_), columns_(columns) {
  partial_ += ".partial";
  if (from.bytes > 0) {
    out_.emplace(partial_, from.bytes);
    if (checksum_of(partial_) != from.checksum)
      throw StoreError(partial_.string() + ": is damaged: it is not what was written to it");
    checksum_ = from.checksum;
    return;
  }
  out_.emplace(partial_);
  std::string header;
  for (const auto& c : columns) header += (header.empty() ? "" : ",") + quoted(c.header());
  write(header + "\n");
}

void SeriesWriter::write(const std::string& text) {
  out_->write(text);
  checksum_ = checksum(text.data(), text.size(), checksum_);
}

void SeriesWriter::append(const std::vector<std::optional<Real>>& row) {
  if (row.size() != columns_.size())
    throw StoreError(file_.string() + ": a row has the wrong number of values");
  std::string line;
  for (std::size_t c = 0; c < row.size(); ++c) {
    if (c > 0) line += ",";
    if (row[c]) line += fmt::format("{:.{}g}", *row[c], columns_[c].digits);
  }
  write(line + "\n");
}

SeriesWriter::Mark SeriesWriter::mark() {
  out_->synchronize();
  return {out_->bytes(), checksum_};
}

void SeriesWriter::finish(bool keep) {
  if (!out_->is_open()) return;
  out_->close();
  if (!keep) {
    replace(partial_, file_);
    return;
  }
  // The partial file stays for others to go on from.
  const std::string text = bytes_of(partial_);
  write_file(
      file_, [&](CheckedFile& out) { out.write(text); }, ".copy");
}

void SeriesWriter::remove_partial() {
  remove_file(partial_);
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
    result.complete = !in.eof();
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

}  // namespace williwaw::store
