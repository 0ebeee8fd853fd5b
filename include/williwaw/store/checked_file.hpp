// Files that are written with every step looked at: open, write, flush, synchronize, close, rename.
#pragma once

#include <cstdint>
#include <filesystem>
#include <functional>
#include <span>
#include <stdexcept>
#include <string>
#include <vector>

namespace williwaw::store {

/// A file cannot be read or written; the message names it.
class StoreError : public std::runtime_error {
 public:
  using std::runtime_error::runtime_error;
};

/// A file that is written from its beginning, or on from a point of what is there. Every member but the
/// destructor throws StoreError, with the system's reason, as soon as anything fails.
class CheckedFile {
 public:
  /// Starts anew.
  explicit CheckedFile(std::filesystem::path file);
  /// Cuts the file back to so many bytes and goes on behind them. Throws for a file that holds fewer.
  CheckedFile(std::filesystem::path file, std::uintmax_t from);
  CheckedFile(CheckedFile&& other) noexcept;
  CheckedFile(const CheckedFile&) = delete;
  CheckedFile& operator=(const CheckedFile&) = delete;
  /// Flushes and closes without a word about what fails.
  ~CheckedFile();

  void write(const void* bytes, std::size_t count);
  void write(const std::string& text) { write(text.data(), text.size()); }
  /// Bytes so far, those before `from` included.
  std::uintmax_t bytes() const { return bytes_; }
  /// Everything so far is with the system after this.
  void flush();
  /// Everything so far is on the disk after this.
  void synchronize();
  /// Synchronizes and closes.
  void close();
  bool is_open() const { return handle_ >= 0; }

 private:
  void pass_on(std::span<const char> bytes);

  std::filesystem::path file_;
  int handle_ = -1;
  std::vector<char> buffer_;
  std::uintmax_t bytes_ = 0;
};

/// Puts a complete file in the place of another one, so that a loss of power leaves the one or the other.
/// Throws StoreError.
void replace(const std::filesystem::path& complete, const std::filesystem::path& file);
/// What another program wrote is on the disk after this. Throws StoreError.
void synchronize(const std::filesystem::path& file);
/// Creates a folder and those above it where they are not there. Throws StoreError.
void make_folder(const std::filesystem::path& folder);
/// Removes a file if it is there. Throws StoreError where that fails.
void remove_file(const std::filesystem::path& file);

/// Writes a file so that it appears complete or not at all: under its name and `ending` first.
void write_file(const std::filesystem::path& file, const std::function<void(CheckedFile&)>& fill,
                const std::string& ending = ".partial");
void write_file(const std::filesystem::path& file, const std::string& text);

/// CRC-32 (ISO 3309) of some bytes, going on from that of what came before.
std::uint32_t checksum(const void* bytes, std::size_t count, std::uint32_t before = 0);

}  // namespace williwaw::store
