#include "williwaw/store/checked_file.hpp"

#include <fcntl.h>
#include <unistd.h>
#include <zlib.h>

#include <cerrno>
#include <cstring>
#include <utility>

namespace williwaw::store {

namespace {

constexpr std::size_t buffered = 1u << 16;

[[noreturn]] void fail(const std::filesystem::path& file, const std::string& what, int error) {
  throw StoreError(file.string() + ": " + what + ": " + std::strerror(error));
}

// A name, too, must be on the disk to survive a loss of power. Some file systems cannot do that for folders
// and say so by EINVAL.
void synchronize_folder(const std::filesystem::path& file) {
  const auto folder = file.has_parent_path() ? file.parent_path() : std::filesystem::path(".");
  const int handle = open(folder.c_str(), O_RDONLY | O_DIRECTORY);
  if (handle < 0) return;
  const int status = fsync(handle), error = errno;
  close(handle);
  if (status != 0 && error != EINVAL) fail(folder, "cannot be synchronized", error);
}

}  // namespace

CheckedFile::CheckedFile(std::filesystem::path file) : file_(std::move(file)) {
  handle_ = open(file_.c_str(), O_WRONLY | O_CREAT | O_TRUNC | O_CLOEXEC, 0666);
  if (handle_ < 0) fail(file_, "cannot be written", errno);
}

CheckedFile::CheckedFile(std::filesystem::path file, std::uintmax_t from) : file_(std::move(file)) {
  handle_ = open(file_.c_str(), O_WRONLY | O_CLOEXEC);
  if (handle_ < 0) fail(file_, "cannot be gone on with", errno);
  const off_t end = lseek(handle_, 0, SEEK_END);
  const auto at = static_cast<off_t>(from);
  if (end < at) {
    close();
    throw StoreError(file_.string() + ": shorter than recorded in the checkpoint: cannot be resumed");
  }
  if (ftruncate(handle_, at) != 0 || lseek(handle_, at, SEEK_SET) != at)
    fail(file_, "cannot be cut back", errno);
  bytes_ = from;
}

CheckedFile::CheckedFile(CheckedFile&& other) noexcept
    : file_(std::move(other.file_)),
      handle_(std::exchange(other.handle_, -1)),
      buffer_(std::move(other.buffer_)),
      bytes_(other.bytes_) {}

CheckedFile::~CheckedFile() {
  if (handle_ < 0) return;
  try {
    flush();
  } catch (const StoreError&) {
    // Somebody has been told, or nobody waits for it.
  }
  ::close(handle_);
}

void CheckedFile::write(const void* bytes, std::size_t count) {
  if (handle_ < 0) throw StoreError(file_.string() + ": is closed already");
  const auto* from = static_cast<const char*>(bytes);
  bytes_ += count;
  // Much at once is not copied.
  if (count >= buffered) {
    flush();
    pass_on({from, count});
    return;
  }
  buffer_.insert(buffer_.end(), from, from + count);
  if (buffer_.size() >= buffered) flush();
}

void CheckedFile::pass_on(std::span<const char> bytes) {
  while (!bytes.empty()) {
    const ssize_t written = ::write(handle_, bytes.data(), bytes.size());
    if (written < 0 && errno == EINTR) continue;
    if (written <= 0) fail(file_, "cannot be written", written < 0 ? errno : ENOSPC);
    bytes = bytes.subspan(static_cast<std::size_t>(written));
  }
}

void CheckedFile::flush() {
  pass_on(buffer_);
  buffer_.clear();
}

void CheckedFile::synchronize() {
  flush();
  if (fsync(handle_) != 0 && errno != EINVAL) fail(file_, "cannot be written", errno);
}

void CheckedFile::close() {
  if (handle_ < 0) return;
  synchronize();
  const int status = ::close(handle_);
  handle_ = -1;
  if (status != 0) fail(file_, "cannot be written", errno);
}

void replace(const std::filesystem::path& complete, const std::filesystem::path& file) {
  if (std::rename(complete.c_str(), file.c_str()) != 0) fail(file, "cannot be replaced", errno);
  synchronize_folder(file);
}

void synchronize(const std::filesystem::path& file) {
  const int handle = open(file.c_str(), O_RDONLY | O_CLOEXEC);
  if (handle < 0) fail(file, "cannot be read back", errno);
  const int status = fsync(handle), error = errno;
  close(handle);
  if (status != 0 && error != EINVAL) fail(file, "cannot be written", error);
}

void make_folder(const std::filesystem::path& folder) {
  std::error_code error;
  std::filesystem::create_directories(folder, error);
  if (error) throw StoreError(folder.string() + ": cannot be created: " + error.message());
}

void remove_file(const std::filesystem::path& file) {
  std::error_code error;
  std::filesystem::remove(file, error);
  if (error) throw StoreError(file.string() + ": cannot be removed: " + error.message());
}

void write_file(const std::filesystem::path& file, const std::function<void(CheckedFile&)>& fill,
                const std::string& ending) {
  auto partial = file;
  partial += ending;
  try {
    CheckedFile out(partial);
    fill(out);
    out.close();
  } catch (const StoreError&) {
    std::error_code ignored;
    std::filesystem::remove(partial, ignored);
    throw;
  }
  replace(partial, file);
}

void write_file(const std::filesystem::path& file, const std::string& text) {
  write_file(file, [&](CheckedFile& out) { out.write(text); });
}

std::uint32_t checksum(const void* bytes, std::size_t count, std::uint32_t before) {
  if (count == 0) return before;
  return static_cast<std::uint32_t>(crc32_z(before, static_cast<const unsigned char*>(bytes), count));
}

}  // namespace williwaw::store
