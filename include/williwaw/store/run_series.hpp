// The series of a run by what its columns hold: one table of names for those who write and those who read.
#pragma once

#include "williwaw/store/series.hpp"

namespace williwaw::store {

/// What a column of a run's series holds, in the order of the file.
enum class SeriesRole {
  time,
  probe,    ///< named by the case
  measure,  ///< of the whole field: "minimum", "mean" and others that the writer knows
  content,  ///< "total", or "energy" of waves
  flow,     ///< one for each line of the ledger
  amount,   ///< as many, in the same order
  budget_residual,
  interpolated
};

/// The role as summary.json says it; measures are told apart by the writer's own words.
std::string kind_of(SeriesRole role);
/// The title of the section that says it of every column of series.csv, and its key in summary.json, where
/// "names" has { name, kind } for each.
inline constexpr const char* columns_of_series = "columns of series.csv";
inline constexpr const char* columns_of_series_key = "columns_of_series_csv";
/// The header of a role that has one name; empty for the others.
std::string name_of(SeriesRole role);
/// The first measure of an unknown, by which readers tell where probes end.
inline constexpr const char* first_measure = "minimum";
/// The header of a column of one unknown among several: "u: minimum".
std::string name_of_unknown(const std::string& unknown, const std::string& column);
/// "minimum" of "u: minimum": what stands behind the name of an unknown, where one stands before it.
std::string without_unknown(const std::string& header);
/// The header of the amount of a line of the ledger, such as "amount west: dirichlet".
std::string amount_name(const std::string& line);
/// The header of the flow of a line: "flow NAME" where it is a boundary's, otherwise the name alone.
std::string flow_name(const std::string& line, bool boundary);
/// True for names that no probe or measure can have, because the series has such a column of its own.
bool reserved_in_series(const std::string& name);

/// The series of a run, read and checked.
class RunSeries {
 public:
  /// Columns have the roles that the run's summary.json says, wherever they stand; where there is none yet,
  /// those that their names and order say. Throws StoreError with file and column where a column is not one
  /// of a run's, where there are no rows, or where a row has no time or an earlier one than the row before.
  explicit RunSeries(const std::filesystem::path& file);

  struct Line {
    std::string name;  ///< of the ledger, such as "west: dirichlet"
    bool boundary = false;
    std::size_t flow = 0, amount = 0;  ///< columns
  };

  const Series& table() const { return table_; }
  const std::vector<Real>& values(std::size_t column) const { return table_.values[column]; }
  const Column& column(std::size_t column) const { return table_.columns[column]; }
  std::size_t rows() const { return table_.values[0].size(); }
  SeriesRole role(std::size_t column) const { return roles_[column]; }
  /// All columns of a role, in the order of the file.
  std::vector<std::size_t> all(SeriesRole role) const;
  /// The column of a role that there is once.
  std::size_t only(SeriesRole role) const { return all(role).at(0); }
  /// Columns of a measure, one for each unknown.
  std::vector<std::size_t> measures(const std::string& name) const;
  const std::vector<Line>& lines() const { return lines_; }
  /// The column of a probe. Throws StoreError with the names that there are.
  std::size_t probe(const std::string& name) const;
  /// "pipe, minimum, mean": all columns but the time.
  std::string names() const;

 private:
  std::filesystem::path file_;
  Series table_;
  std::vector<SeriesRole> roles_;
  std::vector<Line> lines_;
};

/// Header and role of every column of a series that a run has just written, by names and order alone: a
/// summary.json beside it may be that of an earlier run.
std::vector<std::pair<std::string, SeriesRole>> written_columns(const std::filesystem::path& file);

/// Headers of the other tables that a run writes; those of probes follow in spectrum.csv.
inline const std::vector<std::string> residual_headers{"iteration", "relative residual"};
inline const std::vector<std::string> step_headers{"t", "step", "error over tolerance", "taken"};
inline const std::vector<std::string> spectrum_headers{"frequency"};
inline const std::vector<std::string> mode_headers{"mode frequency"};

/// Reads another table that a run wrote, whose headers are known; `more` columns may follow those. Throws
/// StoreError where a header differs, a number is missing or there are fewer than `rows` rows.
Series read_run_table(const std::filesystem::path& file, const std::vector<std::string>& headers,
                      std::size_t rows = 1, bool more = false);

}  // namespace williwaw::store
