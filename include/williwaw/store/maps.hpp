// Maps: values over places, read from NetCDF files.
#pragma once

#include <atomic>
#include <functional>

#include "williwaw/store/fields.hpp"

namespace williwaw::store {

/// The values of a variable, the last dimension fastest. They are read when they are asked for, some lines of
/// the file at once, and kept: a rank that has a part of the grid reads a part of its maps. Several threads
/// may ask at once.
class MapValues {
 public:
  /// Throws StoreError where the first of them cannot be read.
  MapValues(std::filesystem::path file, std::string variable);

  const std::vector<std::size_t>& shape() const { return shape_; }
  std::size_t size() const { return size_; }
  /// Throws StoreError where it cannot be read, or where the file is not what it was when the first values
  /// were.
  Real operator[](std::size_t number) const {
    const std::size_t line = number / line_, plane = line / lines_, row = line % lines_;
    const std::size_t block = plane * blocks_of_plane_ + row / rows_;
    const Real* const values = blocks_[block].load(std::memory_order_acquire);
    return (values ? values : read(block))[number - (plane * lines_ + row / rows_ * rows_) * line_];
  }
  /// So many are in memory.
  std::size_t count_read() const { return count_read_; }

 private:
  const Real* read(std::size_t block) const;

  std::filesystem::path file_;
  std::string variable_;
  std::vector<std::size_t> shape_;
  std::size_t size_ = 1;
  /// The last two dimensions make up planes of lines, which are read in blocks of so many rows.
  std::size_t line_ = 1, lines_ = 1, rows_ = 1, blocks_of_plane_ = 1;
  std::uintmax_t bytes_ = 0;
  std::filesystem::file_time_type written_;
  mutable std::vector<std::atomic<const Real*>> blocks_;
  mutable std::vector<std::vector<Real>> kept_;  ///< by block
  mutable std::atomic<std::size_t> count_read_ = 0;
};

/// A variable with the coordinates of its dimensions.
struct Map {
  struct Along {
    std::string name;  ///< of the dimension
    std::size_t size = 0;
    std::vector<Real> points;  ///< in increasing order; empty where the file has no coordinate variable
    std::string unit;
  };
  std::vector<Along> axes;  ///< the last one fastest
  std::shared_ptr<const MapValues> values;
  std::size_t first = 0;               ///< number of its first value among them
  std::function<Real(Real)> measured;  ///< what a value of the file stands for; empty: itself
  std::string unit;

  /// Linear between points; places up to half a spacing beyond the ends take the end's value, others too
  /// where `nearest` says so. Missing values count for nothing. `place` has one coordinate for each axis.
  /// Throws StoreError for a place outside, or where all values around it are missing, or cannot be read.
  Real at(std::span<const Real> place, bool nearest) const;
  /// The value at the point nearest to a place.
  Real nearest_to(std::span<const Real> place) const;
  /// That of a number, the last axis fastest.
  Real value(std::size_t number) const {
    const Real written = (*values)[first + number];
    return measured ? measured(written) : written;
  }
  /// One of the maps that its first axis counts.
  Map at_first(std::size_t number) const;
};

/// Throws StoreError for a file or variable that cannot be read, or coordinates that do not increase.
Map read_map(const std::filesystem::path& file, const std::string& variable);

}  // namespace williwaw::store
