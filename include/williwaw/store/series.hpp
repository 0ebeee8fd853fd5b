// series.csv: numbers over time, one column each, units in the header.
#pragma once

#include <filesystem>
#include <fstream>
#include <optional>

#include "williwaw/store/fields.hpp"

namespace williwaw::store {

struct Column {
  std::string name;
  std::string unit;  ///< empty: none is written
  int digits = 10;   ///< of its numbers
  std::string header() const { return unit.empty() ? name : name + " [" + unit + "]"; }
};

/// Writes row by row, as RFC 4180 has it: a comma and nothing else between fields, which are quoted where
/// they hold a comma or a quotation mark; lines end in LF; nothing where there is no value. The file appears
/// under its name only when it is complete.
class SeriesWriter {
 public:
  /// With `from` > 0 the writer goes on after so many bytes of what an earlier one left.
  SeriesWriter(std::filesystem::path file, const std::vector<Column>& columns, std::uintmax_t from = 0);
  /// One value for each column; nothing where there is none.
  void append(const std::vector<std::optional<Real>>& row);
  /// Bytes so far, all of them on their way to the disk.
  std::uintmax_t bytes();
  /// With `keep` what another writer may go on from stays beside the file.
  void finish(bool keep = false);
  void remove_partial();

 private:
  std::filesystem::path file_, partial_;
  std::vector<Column> columns_;
  std::ofstream out_;
};

struct Series {
  std::vector<Column> columns;
  /// One vector for each column; NaN where the file has nothing.
  std::vector<std::vector<Real>> values;

  std::optional<std::size_t> find(const std::string& name) const;
};

/// Reads a table with a header such as "t [h], pipe [degC]". Throws StoreError with file and line.
Series read_series(const std::filesystem::path& file);

/// A field of CSV, in quotation marks where it needs them.
std::string quoted(const std::string& text);

/// Writes a text file so that it appears complete or not at all.
void write_file(const std::filesystem::path& file, const std::string& text);

}  // namespace williwaw::store
