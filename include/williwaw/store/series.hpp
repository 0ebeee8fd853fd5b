// series.csv: numbers over time, one column each, units in the header.
#pragma once

#include <filesystem>
#include <optional>

#include "williwaw/store/fields.hpp"

namespace williwaw::store {

struct Column {
  std::string name;
  std::string unit;  ///< empty: none is written
  int digits = 10;   ///< of its numbers
  std::string header() const { return unit.empty() ? name : name + " [" + unit + "]"; }
};

/// What a writer has left so far: so many bytes, with this checksum.
struct SeriesMark {
  std::uintmax_t bytes = 0;
  std::uint32_t checksum = 0;
};

/// Writes row by row, as RFC 4180 has it: a comma and nothing else between fields, which are quoted where
/// they hold a comma or a quotation mark; lines end in LF; nothing where there is no value. The file appears
/// under its name only when it is complete.
class SeriesWriter {
 public:
  using Mark = SeriesMark;
  /// With `from` that has bytes the writer goes on after them. Throws StoreError where they are not there, or
  /// damaged.
  SeriesWriter(std::filesystem::path file, const std::vector<Column>& columns, Mark from = {});
  /// One value for each column; nothing where there is none.
  void append(const std::vector<std::optional<Real>>& row);
  /// Of everything so far, all of it on the disk.
  Mark mark();
  /// With `keep` what another writer may go on from stays beside the file.
  void finish(bool keep = false);
  void remove_partial();

 private:
  std::filesystem::path file_, partial_;
  std::vector<Column> columns_;
  void write(const std::string& text);
  std::optional<CheckedFile> out_;
  std::uint32_t checksum_ = 0;
};

struct Series {
  std::vector<Column> columns;
  /// One vector for each column; NaN where the file has nothing.
  std::vector<std::vector<Real>> values;
  /// The last line ends as lines do. What a run wrote and does not is cut off, maybe within a number.
  bool complete = true;

  std::optional<std::size_t> find(const std::string& name) const;
};

/// Reads a table with a header such as "t [h], pipe [degC]". Throws StoreError with file and line.
Series read_series(const std::filesystem::path& file);

/// A field of CSV, in quotation marks where it needs them.
std::string quoted(const std::string& text);

}  // namespace williwaw::store
