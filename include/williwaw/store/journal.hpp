// What a run has recorded so far, in files that can be cut back to any earlier point: a crash costs nothing
// that was recorded before the last checkpoint.
#pragma once

#include <cstdint>
#include <filesystem>
#include <fstream>
#include <functional>
#include <span>
#include <string>
#include <string_view>
#include <vector>

#include "williwaw/grid/types.hpp"
#include "williwaw/store/checked_file.hpp"

namespace williwaw::store {

/// Rows of numbers of equal length, appended one by one, each with its checksum.
class Journal {
 public:
  /// Starts anew, or goes on after `rows` rows of what is there. Throws StoreError for a file that holds
  /// fewer, or in which one of them is damaged.
  Journal(std::filesystem::path file, std::size_t length, std::size_t rows = 0);
  /// How many rows of this length stand whole at the beginning of a file.
  static std::size_t whole_rows(const std::filesystem::path& file, std::size_t length);
  void append(std::span<const Real> row) { append_pieces({&row, 1}); }
  /// A row in pieces, so that nobody needs to copy them together.
  void append_pieces(std::span<const std::span<const Real>> pieces);
  std::size_t rows() const { return rows_; }
  /// Everything so far is on the disk after this.
  void flush();

 private:
  std::filesystem::path file_;
  std::size_t length_, rows_;
  CheckedFile out_;
};

/// A journal that is not written any more, read where it is asked for: rows need not fit into memory.
class JournalReader {
 public:
  /// Throws StoreError for a file that cannot be read, or that ends before so many rows of this length.
  JournalReader(std::filesystem::path file, std::size_t length, std::size_t rows);
  /// The numbers at the beginning of the first row of a file, whatever its length; fewer where it ends.
  static std::vector<Real> beginning(const std::filesystem::path& file, std::size_t count);
  /// Throws StoreError where a row is damaged.
  void prove(std::size_t row);
  /// Numbers of a row from `first` on, unproven.
  void read(std::size_t row, std::size_t first, std::span<Real> numbers);

 private:
  std::filesystem::path file_;
  std::size_t length_, rows_;
  std::ifstream in_;
};

/// Numbers and texts in the order in which they are put in, for checkpoints; the bits of numbers are kept.
/// Read by the same build on the same machine.
class Archive {
 public:
  Archive() = default;
  /// Throws StoreError for a file that is not there, damaged or written by another version.
  static Archive load(const std::filesystem::path& file, const std::string& version);
  /// The file appears complete or not at all, and an earlier one stays until then.
  void save(const std::filesystem::path& file, const std::string& version) const;

  void put(Real value) { put_bytes(&value, sizeof value); }
  void put(std::int64_t value) { put_bytes(&value, sizeof value); }
  void put(const std::string& text);
  /// Many values are not copied: they must outlive `save`.
  void put(const std::vector<Real>& values);
  void put(std::vector<Real>&& values);
  Real real();
  std::int64_t whole();
  std::string text();
  std::vector<Real> reals();
  /// A number of things that follow, each of which takes at least this many bytes.
  std::size_t count(std::size_t least_bytes);

 private:
  std::size_t left() const { return data_.size() - at_; }
  void put_bytes(const void* bytes, std::size_t count);
  void each_piece(const std::function<void(std::string_view)>& visit) const;
  void take_bytes(void* bytes, std::size_t count);
  std::string data_;
  /// What is written behind so many bytes of `data_` without having been copied to it.
  struct Lent {
    std::size_t behind;
    std::string_view bytes;
  };
  std::vector<Lent> lent_;
  std::size_t at_ = 0;
};

}  // namespace williwaw::store
