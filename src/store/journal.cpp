#include "williwaw/store/journal.hpp"

#include <algorithm>
#include <cstring>
#include <fstream>
#include <vector>

namespace williwaw::store {

namespace {

// Vectors of so many bytes and more are not copied into archives.
constexpr std::size_t least_lent = 1u << 16;

// What stands behind each row.
using Mark = std::uint64_t;

std::uintmax_t bytes_of_row(std::size_t length) {
  return length * sizeof(Real) + sizeof(Mark);
}

Mark mark_of(std::span<const std::span<const Real>> pieces) {
  std::uint32_t mark = checksum(nullptr, 0);
  for (const auto& piece : pieces) mark = checksum(piece.data(), piece.size_bytes(), mark);
  return mark;
}

// Reads the row that comes next, piece by piece: it need not fit into memory.
bool next_is_whole(std::istream& in, std::size_t length) {
  constexpr std::size_t at_once = 1u << 16;
  std::vector<Real> piece(std::min(at_once, length));
  std::uint32_t sum = checksum(nullptr, 0);
  for (std::size_t done = 0; done < length; done += piece.size()) {
    piece.resize(std::min(at_once, length - done));
    in.read(reinterpret_cast<char*>(piece.data()), static_cast<std::streamsize>(piece.size() * sizeof(Real)));
    sum = checksum(piece.data(), piece.size() * sizeof(Real), sum);
  }
  Mark mark = 0;
  in.read(reinterpret_cast<char*>(&mark), sizeof mark);
  return in && mark == sum;
}

// How many of the first so many rows are whole.
std::size_t count_whole(const std::filesystem::path& file, std::size_t length, std::size_t rows) {
  std::ifstream in(file, std::ios::binary);
  for (std::size_t r = 0; r < rows; ++r)
    if (!next_is_whole(in, length)) return r;
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
  refuse_damaged(file, count_whole(file, length, rows), rows);
  return out;
}

}  // namespace

Journal::Journal(std::filesystem::path file, std::size_t length, std::size_t rows)
    : file_(std::move(file)), length_(length), rows_(rows), out_(opened(file_, length, rows)) {}

std::size_t Journal::whole_rows(const std::filesystem::path& file, std::size_t length) {
  std::error_code none;
  const auto size = std::filesystem::file_size(file, none);
  if (none) return 0;
  return count_whole(file, length, static_cast<std::size_t>(size / bytes_of_row(length)));
}

void Journal::append_pieces(std::span<const std::span<const Real>> pieces) {
  std::size_t count = 0;
  for (const auto& piece : pieces) count += piece.size();
  if (count != length_) throw StoreError(file_.string() + ": a row has the wrong number of values");
  const Mark mark = mark_of(pieces);
  for (const auto& piece : pieces) out_.write(piece.data(), piece.size_bytes());
  out_.write(&mark, sizeof mark);
  ++rows_;
}

void Journal::flush() {
  out_.synchronize();
}

JournalReader::JournalReader(std::filesystem::path file, std::size_t length, std::size_t rows)
    : file_(std::move(file)), length_(length), rows_(rows), in_(file_, std::ios::binary) {
  std::error_code none;
  const auto size = std::filesystem::file_size(file_, none);
  if (!in_ || none) throw StoreError(file_.string() + ": cannot be read");
  refuse_damaged(file_, static_cast<std::size_t>(size / bytes_of_row(length)), rows);
}

std::vector<Real> JournalReader::beginning(const std::filesystem::path& file, std::size_t count) {
  std::ifstream in(file, std::ios::binary);
  std::vector<Real> numbers(count);
  in.read(reinterpret_cast<char*>(numbers.data()), static_cast<std::streamsize>(count * sizeof(Real)));
  numbers.resize(static_cast<std::size_t>(in.gcount()) / sizeof(Real));
  return numbers;
}

void JournalReader::prove(std::size_t row) {
  in_.clear();
  in_.seekg(static_cast<std::streamoff>(row * bytes_of_row(length_)));
  if (!next_is_whole(in_, length_)) refuse_damaged(file_, row, rows_);
}

void JournalReader::read(std::size_t row, std::size_t first, std::span<Real> numbers) {
  in_.clear();
  in_.seekg(static_cast<std::streamoff>(row * bytes_of_row(length_) + first * sizeof(Real)));
  in_.read(reinterpret_cast<char*>(numbers.data()), static_cast<std::streamsize>(numbers.size_bytes()));
  if (!in_) refuse_damaged(file_, row, rows_);
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
  const std::size_t size = values.size() * sizeof(Real);
  if (size < least_lent)
    put_bytes(values.data(), size);
  else
    lent_.push_back({data_.size(), {reinterpret_cast<const char*>(values.data()), size}});
}

void Archive::put(std::vector<Real>&& values) {
  put(static_cast<std::int64_t>(values.size()));
  put_bytes(values.data(), values.size() * sizeof(Real));
}

void Archive::each_piece(const std::function<void(std::string_view)>& visit) const {
  const std::string_view all = data_;
  std::size_t done = 0;
  for (const Lent& lent : lent_) {
    visit(all.substr(done, lent.behind - done));
    visit(lent.bytes);
    done = lent.behind;
  }
  visit(all.substr(done));
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
  std::uint64_t size = 0;
  std::uint32_t sum = checksum(nullptr, 0);
  each_piece([&](std::string_view piece) {
    size += piece.size();
    sum = checksum(piece.data(), piece.size(), sum);
  });
  const std::uint64_t mark = sum;
  write_file(file, [&](CheckedFile& out) {
    out.write("williwaw checkpoint " + version + "\n");
    out.write(&size, sizeof size);
    out.write(&mark, sizeof mark);
    each_piece([&](std::string_view piece) { out.write(piece.data(), piece.size()); });
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
