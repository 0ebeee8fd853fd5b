#include "williwaw/store/journal.hpp"

#include <fcntl.h>
#include <unistd.h>

#include <cstring>
#include <vector>

#include "williwaw/store/fields.hpp"

namespace williwaw::store {

namespace {

// A name that survives a loss of power must be written through.
void write_through(const std::filesystem::path& file) {
  const int handle = open(file.c_str(), O_RDONLY);
  if (handle < 0) return;
  fsync(handle);
  close(handle);
}

}  // namespace

Journal::Journal(std::filesystem::path file, std::size_t length, std::size_t rows)
    : file_(std::move(file)), length_(length), rows_(rows) {
  const auto bytes = static_cast<std::uintmax_t>(rows * length * sizeof(Real));
  if (rows > 0) {
    if (!std::filesystem::exists(file_) || std::filesystem::file_size(file_) < bytes)
      throw StoreError(file_.string() + ": holds less than the checkpoint says: it cannot be resumed");
    std::filesystem::resize_file(file_, bytes);
  }
  out_.open(file_, rows > 0 ? std::ios::binary | std::ios::app : std::ios::binary | std::ios::trunc);
  if (!out_) throw StoreError(file_.string() + ": cannot be written");
}

void Journal::append(std::span<const Real> head, std::span<const Real> rest) {
  for (const auto piece : {head, rest})
    out_.write(reinterpret_cast<const char*>(piece.data()), static_cast<std::streamsize>(piece.size_bytes()));
  ++rows_;
  if (head.size() + rest.size() != length_ || !out_)
    throw StoreError(file_.string() + ": cannot be written: is the disk full?");
}

void Journal::flush() {
  out_.flush();
  if (!out_) throw StoreError(file_.string() + ": cannot be written: is the disk full?");
  write_through(file_);
}

void Journal::each(const std::function<void(std::span<const Real>)>& visit) {
  out_.flush();
  std::ifstream in(file_, std::ios::binary);
  std::vector<Real> row(length_);
  for (std::size_t r = 0; r < rows_; ++r) {
    in.read(reinterpret_cast<char*>(row.data()), static_cast<std::streamsize>(length_ * sizeof(Real)));
    if (!in) throw StoreError(file_.string() + ": is shorter than what was written to it");
    visit(row);
  }
}

void Journal::remove() {
  out_.close();
  std::filesystem::remove(file_);
}

void Archive::put_bytes(const void* bytes, std::size_t count) {
  if (count > 0) data_.append(static_cast<const char*>(bytes), count);
}

void Archive::take_bytes(void* bytes, std::size_t count) {
  if (at_ + count > data_.size()) throw StoreError("a checkpoint ends too soon");
  // An empty vector has no place to copy to.
  if (count > 0) std::memcpy(bytes, data_.data() + at_, count);
  at_ += count;
}

void Archive::put(const std::string& text) {
  put(static_cast<std::int64_t>(text.size()));
  put_bytes(text.data(), text.size());
}

void Archive::put(const std::vector<Real>& values) {
  put(static_cast<std::int64_t>(values.size()));
  put_bytes(values.data(), values.size() * sizeof(Real));
}

Real Archive::real() {
  Real value = 0;
  take_bytes(&value, sizeof value);
  return value;
}

std::int64_t Archive::whole() {
  std::int64_t value = 0;
  take_bytes(&value, sizeof value);
  return value;
}

std::string Archive::text() {
  const auto count = static_cast<std::size_t>(whole());
  if (at_ + count > data_.size()) throw StoreError("a checkpoint ends too soon");
  at_ += count;
  return data_.substr(at_ - count, count);
}

std::vector<Real> Archive::reals() {
  const auto count = static_cast<std::size_t>(whole());
  if (count > data_.size() / sizeof(Real)) throw StoreError("a checkpoint ends too soon");
  std::vector<Real> values(count);
  take_bytes(values.data(), count * sizeof(Real));
  return values;
}

void Archive::save(const std::filesystem::path& file, const std::string& version) const {
  auto partial = file;
  partial += ".partial";
  {
    std::ofstream out(partial, std::ios::binary);
    const std::string head = "williwaw checkpoint " + version + "\n";
    const auto size = static_cast<std::int64_t>(data_.size());
    out << head;
    out.write(reinterpret_cast<const char*>(&size), sizeof size);
    out.write(data_.data(), static_cast<std::streamsize>(data_.size()));
    out.close();
    if (!out) throw StoreError(file.string() + ": cannot be written: is the disk full?");
  }
  write_through(partial);
  std::filesystem::rename(partial, file);
}

Archive Archive::load(const std::filesystem::path& file, const std::string& version) {
  std::ifstream in(file, std::ios::binary);
  if (!in) throw StoreError(file.string() + ": cannot be read");
  std::string head;
  std::getline(in, head);
  if (head != "williwaw checkpoint " + version)
    throw StoreError(file.string() + ": is no checkpoint of this version (" + version + ")");
  std::int64_t size = 0;
  in.read(reinterpret_cast<char*>(&size), sizeof size);
  Archive archive;
  if (in && size >= 0) {
    archive.data_.resize(static_cast<std::size_t>(size));
    in.read(archive.data_.data(), static_cast<std::streamsize>(size));
  }
  if (!in) throw StoreError(file.string() + ": is broken");
  return archive;
}

}  // namespace williwaw::store
