// `compare`: a run against another one, a table, a formula or its exact solution.
#pragma once

#include "williwaw/store/fields.hpp"
#include "williwaw/store/series.hpp"
#include "williwaw/study/open_case.hpp"
#include "williwaw/study/report.hpp"

namespace williwaw::study {

/// One place and time at which both are known, in the run's shown units.
struct ComparedValue {
  Real time = 0;
  Point place;
  bool placed = true;  ///< false for values of a probe, which have no place of their own here
  Real run = 0, other = 0;
  Real weight = 1;  ///< volume of its control volume; 1 for values of a table
  Real difference() const { return run - other; }
};

/// All values at one time.
struct ComparedTime {
  Real time = 0;
  Norms norms;  ///< weighted by volume, as those that a run gives; `where` counts `values`
  std::vector<ComparedValue> values;
};

struct Comparing {
  std::string unknown;
  std::string run, other;  ///< what is compared, in words
  std::string time_unit, length_unit, value_unit;
  std::vector<std::string> axes;
  std::vector<ComparedTime> times;
  std::vector<std::string> notes;
};

/// `other` is a result folder, a CSV table or the word "exact"; with `formula` it is a formula in SI of x, y,
/// z, r and t. Tables have columns for time (t) and coordinates, or time alone where `probe` (or the name of
/// the value column) is a probe, and one of values. Times that only one of both has are found between the
/// other's records, linearly. Throws InputError or StoreError.
Comparing compare(const std::filesystem::path& run, const std::string& other, bool formula = false);

/// Norms for every time, where both differ most, and values side by side with so many digits, at most so many
/// rows.
Report comparing_report(const Comparing& result);
std::string comparing_table(const Comparing& result, int digits, Index rows);

/// Values of a run and of others (result folders, CSV tables, the word "exact") at the unknowns of the first:
/// a row for each of its records and places, with the time, the coordinates, its own value and those of the
/// others there, all in its shown units. Nothing where another one has nothing.
struct NodeTable {
  std::vector<store::Column> columns;
  std::vector<std::vector<std::optional<Real>>> rows;
  std::vector<std::string> notes;
  std::size_t places = 1;  ///< columns before the values: the time and the coordinates
};
/// At these records of the first run; without any at those that a CSV table has the times of, else at its
/// last one. Throws InputError where they cannot be compared.
NodeTable node_table(const std::filesystem::path& run, const std::vector<std::string>& others,
                     const std::vector<Index>& records);
/// The table in columns, values with so many digits behind the point; at most so many rows, 0: all.
std::string node_text(const NodeTable& table, int digits, Index most);

}  // namespace williwaw::study
