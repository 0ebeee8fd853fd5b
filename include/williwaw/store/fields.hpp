// fields.nc: whole fields over time in NetCDF-4 with CF conventions, written and read.
#pragma once

#include <filesystem>
#include <memory>
#include <optional>

#include "williwaw/grid/field.hpp"
#include "williwaw/store/checked_file.hpp"
#include "williwaw/store/scale.hpp"

namespace williwaw::store {

/// What the file says of itself.
struct Description {
  std::string title;
  std::string unknown;
  Scale length, time, value;
  std::string case_text;
  std::string version;
  bool steady = false;                   ///< a steady state rather than a time of a run
  std::vector<std::string> stages = {};  ///< titles of those that follow the first
  /// Something is carried along by a velocity, which is written beside the unknown, in this unit.
  bool velocity = false;
  std::string velocity_unit = {};
};

/// Writes records one by one. The file appears under its name only when it is complete.
class FieldWriter {
 public:
  /// `shares` tells how much of every control volume is left where regions are cut out; empty where none is.
  FieldWriter(const std::filesystem::path& file, const Grid& grid, const Description& description,
              const std::vector<Real>& shares = {});
  FieldWriter(const FieldWriter&) = delete;
  FieldWriter& operator=(const FieldWriter&) = delete;
  ~FieldWriter();

  /// Appends one record; `time` and the field are in SI. With unknowns at cells the walls' own values, which
  /// the halo carries, are kept as well.
  /// `velocity` has one value at every unknown for each axis, component after component, where the
  /// description says so.
  void append(Real time, const Field& field, int stage = 0, std::span<const Real> velocity = {});
  /// Completes the file, and reads its last record back from the disk before it takes the place of an earlier
  /// one. Without this call nothing is left.
  void finish();

 private:
  struct Open;
  std::unique_ptr<Open> open_;
};

/// Reads what a FieldWriter wrote, everything in the units shown.
class FieldReader {
 public:
  explicit FieldReader(const std::filesystem::path& file);
  FieldReader(const FieldReader&) = delete;
  FieldReader& operator=(const FieldReader&) = delete;
  ~FieldReader();

  const Description& description() const { return description_; }
  /// Coordinates in the units shown.
  const Grid& grid() const { return *grid_; }
  const std::vector<Real>& times() const { return times_; }
  /// The stage of every record: 0 for the first, and where there are none.
  const std::vector<int>& stages() const { return stages_; }
  Field field(Index record) const;
  /// The velocity along each axis at the unknowns; nothing where none was written.
  std::optional<std::vector<Field>> velocity(Index record) const;
  /// How much of every control volume is left; nothing where no region is cut out.
  std::optional<Field> shares() const;
  /// Lowest and highest finite value over all records; the first above the second where there is none.
  std::pair<Real, Real> range() const;

 private:
  struct Open;
  std::unique_ptr<Open> open_;
  Description description_;
  std::unique_ptr<Grid> grid_;
  std::vector<Real> times_;
  std::vector<int> stages_;
};

/// A variable of a NetCDF file: its values, the last dimension fastest.
struct Table {
  std::vector<std::size_t> shape;
  std::vector<Real> values;
};
/// Throws StoreError for a file or variable that cannot be read.
Table read_table(const std::filesystem::path& file, const std::string& variable);

}  // namespace williwaw::store
