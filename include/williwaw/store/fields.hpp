// fields.nc: whole fields over time in NetCDF-4 with CF conventions, written and read.
#pragma once

#include <filesystem>
#include <memory>
#include <optional>

#include "williwaw/grid/field.hpp"
#include "williwaw/store/checked_file.hpp"
#include "williwaw/store/scale.hpp"

namespace williwaw::store {

/// An unknown by name, and how its values are shown.
struct Quantity {
  std::string name;
  Scale scale = {};
};

/// A vector by name: the unknowns that are its components, along the axes in their order.
struct VectorQuantity {
  std::string name;
  std::vector<std::string> components;
};

/// Where a region of a plan ends: straight pieces, x and y of one end and of the other for each, with the
/// region to the left.
struct RegionOutline {
  std::string region;
  bool active = true;  ///< not cut out of the domain
  std::vector<Real> pieces = {};
};

/// What the file says of itself.
struct Description {
  std::string title;
  std::string unknown;  ///< the first one; of a reader the one that it reads
  Scale length, time, value;
  std::string case_text;
  std::string version;
  bool steady = false;  ///< a steady state rather than a time of a run
  /// When the run starts, "2026-01-15 18:00:00"; empty: times are durations since its start.
  std::string start_date = {};
  std::vector<std::string> stages = {};  ///< titles of those that follow the first
  /// There is a velocity field, which is written beside the unknown, in this unit.
  bool velocity = false;
  std::string velocity_unit = {};
  /// Unknowns that follow the first one in a state; of a reader all but the one that it reads.
  std::vector<Quantity> others = {};
  std::vector<VectorQuantity> vectors = {};
  /// In SI; of a reader in the units shown.
  std::vector<RegionOutline> outlines = {};
};

/// A record to be written, in SI, told piece by piece: nobody needs to have all of it at once.
class RecordSource {
 public:
  RecordSource(Real at, int of_stage) : time(at), stage(of_stage) {}
  virtual ~RecordSource() = default;
  /// Values of an unknown, by its number in the description, or of a component of the velocity, whose numbers
  /// follow: whole lines along x, of one plane of a block, from `line` on, which is counted along y and z.
  virtual void read(std::size_t quantity, Index line, std::span<Real> values) = 0;
  /// What an unknown is on a side, of a grid with unknowns at cells, in the order of `Grid::unknowns_at`.
  virtual std::vector<Real> on_boundary(std::size_t unknown, Side side) = 0;

  Real time;
  int stage;
};

/// Boundaries whose own values are kept: of grids with unknowns at cells those that are no seam.
std::vector<Side> kept_boundaries(const Grid& grid);

/// Writes records one by one. The file appears under its name only when it is complete.
class FieldWriter {
 public:
  /// `fractions` tells how much of every control volume is left where regions are cut out; empty where none
  /// is.
  FieldWriter(const std::filesystem::path& file, const Grid& grid, const Description& description,
              const std::vector<Real>& fractions = {});
  FieldWriter(const FieldWriter&) = delete;
  FieldWriter& operator=(const FieldWriter&) = delete;
  ~FieldWriter();

  /// Appends one record; `time` and the field are in SI. With unknowns at cells the boundaries' own values,
  /// which the halo carries, are kept as well. `velocity` has one value at every unknown for each axis,
  /// component after component, where the description says so.
  void append(Real time, const Field& field, int stage = 0, std::span<const Real> velocity = {});
  /// The same with a field for each unknown, in the order of the description. Throws StoreError for another
  /// number of them.
  void append(Real time, std::span<const Field> fields, int stage = 0, std::span<const Real> velocity = {});
  void append(RecordSource& record);
  /// Completes the file, and reads its last record back from the disk before it takes the place of an earlier
  /// one. Without this call nothing is left.
  void finish();

 private:
  struct Open;
  std::unique_ptr<Open> open_;
};

/// A file has no unknown of this name.
class UnknownName : public StoreError {
 public:
  UnknownName(const std::filesystem::path& file, const std::string& name, std::string known)
      : StoreError(file.string() + ": has no unknown '" + name + "'; it has " + known),
        known_(std::move(known)) {}
  /// "'u', 'v'", or "'u' only".
  const std::string& known() const { return known_; }

 private:
  std::string known_;
};

/// Reads what a FieldWriter wrote, everything in the units shown: one of the unknowns, or what follows from a
/// vector: "wind", its magnitude, "wind.divergence" or, in a plane, "wind.rotation", by central differences.
class FieldReader {
 public:
  /// `unknown` by name; the first one unless it is given. Throws StoreError for a file that cannot be read,
  /// UnknownName for an unknown that it has not.
  explicit FieldReader(const std::filesystem::path& file, const std::string& unknown = {});
  FieldReader(const FieldReader&) = delete;
  FieldReader& operator=(const FieldReader&) = delete;
  ~FieldReader();

  const Description& description() const { return description_; }
  /// The names of all unknowns, in the order of a state.
  const std::vector<std::string>& unknowns() const { return unknowns_; }
  /// These and what follows from vectors.
  std::vector<std::string> quantities() const;
  const std::filesystem::path& file() const { return file_; }
  /// Coordinates in the units shown.
  const Grid& grid() const { return *grid_; }
  const std::vector<Real>& times() const { return times_; }
  /// The record nearest to a time, in the unit shown.
  Index nearest_record(Real time) const;
  /// The record at that time but for rounding, in the unit shown; nothing where there is none.
  std::optional<Index> record_at(Real time) const;
  /// The stage of every record: 0 for the first, and where there are none.
  const std::vector<int>& stages() const { return stages_; }
  Field field(Index record) const;
  /// The velocity along each axis at the unknowns, of a vector its components; nothing where none was
  /// written.
  std::optional<std::vector<Field>> velocity(Index record) const;
  /// How much of every control volume is left; nothing where no region is cut out.
  std::optional<Field> volume_fractions() const;
  /// Lowest and highest finite value over all records; the first above the second where there is none.
  std::pair<Real, Real> range() const;

 private:
  Field field_of_vector(Index record) const;
  struct Open;
  std::filesystem::path file_;
  std::unique_ptr<Open> open_;
  Description description_;
  std::vector<std::string> unknowns_;
  std::unique_ptr<Grid> grid_;
  std::vector<Real> times_;
  std::vector<int> stages_;
};

/// How a derivative of a quantity along a length is shown.
Scale scale_of_slope(const Scale& value, const Scale& length);

/// "wind.divergence"
std::string divergence_name(const std::string& vector);
/// "wind", "wind.divergence" and, in a plane, "wind.rotation".
std::vector<std::string> quantities_of(const VectorQuantity& vector);

}  // namespace williwaw::store
