#include "williwaw/store/journal.hpp"

#include <cstring>
#include <fstream>
#include <vector>

namespace williwaw::store {

namespace {

// What stands behind each row.
using Mark = std::uint64_t;

std::uintmax_t bytes_of_row(std::size_t length) {
  return length * sizeof(Real) + sizeof(Mark);
}

Mark mark_of(std::span<const Real> head, std::span<const Real> rest) {
  return checksum(rest.data(), rest.size_bytes(), checksum(head.data(), head.size_bytes()));
}

// Reads so many rows; returns how many of them are whole.
std::size_t read_rows(const std::filesystem::path& file, std::size_t length, std::size_t rows,
                      const std::function<void(std::span<const Real>)>& visit) {
  std::ifstream in(file, std::ios::binary);
  std::vector<Real> row(length);
  for (std::size_t r = 0; r < rows; ++r) {
    Mark mark = 0;
    in.read(reinterpret_cast<char*>(row.data()), static_cast<std::streamsize>(length * sizeof(Real)));
    in.read(reinterpret_cast<char*>(&mark), sizeof mark);
    if (!in || mark != mark_of(row, {})) return r;
    if (visit) visit(row);
  }
  return rows;
}

void refuse_damaged(const std::filesystem::path& file, std::size_t whole, std::size_t rows) {
  if (whole < rows)
    throw StoreError(file.string() + ": is damaged at record " + std::to_string(whole + 1) + " of " +
                     std::to_string(rows));
}

CheckedFile opened(const std::filesystem::path& file, std::size_t length, std::size_t rows) {
  if (rows == 0) return CheckedFile(file);
  CheckedFile out(file, rows * bytes_of_row(length));
  refuse_damaged(file, read_rows(file, length, rows, {}), rows);
  return out;
}

}  // namespace

Journal::Journal(std::filesystem::path file, std::size_t length, std::size_t rows)
    : file_(std::move(file)), length_(length), rows_(rows), out_(opened(file_, length, rows)) {}

std::size_t Journal::whole_rows(const std::filesystem::path& file, std::size_t length) {
  std::error_code none;
  const auto size = std::filesystem::file_size(file, none);
  if (none) return 0;
  return read_rows(file, length, static_cast<std::size_t>(size / bytes_of_row(length)), {});
}

void Journal::append(std::span<const Real> head, std::span<const Real> rest) {
  if (head.size() + rest.size() != length_)
    throw StoreError(file_.string() + ": a row has the wrong number of values");
  const Mark mark = mark_of(head, rest);
  for (const auto piece : {head, rest}) out_.write(piece.data(), piece.size_bytes());
  out_.write(&mark, sizeof mark);
  ++rows_;
}

void Journal::flush() {
  out_.synchronize();
}

void Journal::each(const std::function<void(std::span<const Real>)>& visit) {
  out_.flush();
  refuse_damaged(file_, read_rows(file_, length_, rows_, visit), rows_);
}

void Journal::remove() {
  out_.close();
  remove_file(file_);
}

void Archive::put_bytes(const void* bytes, std::size_t count) {
  if (count > 0) data_.append(static_cast<const char*>(bytes), count);
}

void Archive::take_bytes(void* bytes, std::size_t count) {
  if (count > left()) throw StoreError("a checkpoint ends too soon");
  // An empty vector has no place to copy to.
  if (count > 0) std::memcpy(bytes, data_.data() + at_, count);
  at_ += count;
}

std::size_t Archive::count(std::size_t least_bytes) {
  const std::int64_t number = whole();
  if (number < 0 || static_cast<std::uint64_t>(number) > left() / least_bytes)
    throw StoreError("a checkpoint ends too soon");
  return static_cast<std::size_t>(number);
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
  const std::size_t length = count(1);
  at_ += length;
  return data_.substr(at_ - length, length);
}

std::vector<Real> Archive::reals() {
  std::vector<Real> values(count(sizeof(Real)));
  take_bytes(values.data(), values.size() * sizeof(Real));
  return values;
}

void Archive::save(const std::filesystem::path& file, const std::string& version) const {
  const std::uint64_t size = data_.size(), mark = checksum(data_.data(), data_.size());
  write_file(file, [&](CheckedFile& out) {
    out.write("williwaw checkpoint " + version + "\n");
    out.write(&size, sizeof size);
    out.write(&mark, sizeof mark);
    out.write(data_.data(), data_.size());
  });
}

Archive Archive::load(const std::filesystem::path& file, const std::string& version) {
  std::ifstream in(file, std::ios::binary);
  if (!in) throw StoreError(file.string() + ": cannot be read");
  const auto damaged = [&](const std::string& where) {
    return StoreError(file.string() + ": is damaged at " + where);
  };
  std::string head;
  std::getline(in, head);
  if (!head.starts_with("williwaw checkpoint ")) throw damaged("its first line");
  if (head != "williwaw checkpoint " + version)
    throw StoreError(file.string() + ": is no checkpoint of this version (" + version + ")");
  std::uint64_t size = 0, mark = 0;
  in.read(reinterpret_cast<char*>(&size), sizeof size);
  in.read(reinterpret_cast<char*>(&mark), sizeof mark);
  const std::uint64_t before = head.size() + 1 + sizeof size + sizeof mark;
  if (!in || before + size != std::filesystem::file_size(file)) throw damaged("its length");
  Archive archive;
  archive.data_.resize(size);
  in.read(archive.data_.data(), static_cast<std::streamsize>(size));
  if (!in || checksum(archive.data_.data(), size) != mark) throw damaged("its contents (checksum)");
  return archive;
}

}  // namespace williwaw::store
