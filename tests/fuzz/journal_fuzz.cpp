// Journals: whatever stands in a file, and rows behind checksums that fit, cut off or changed anywhere.
#include <unistd.h>

#include <cstdint>
#include <fstream>
#include <string>
#include <vector>

#include "counted.hpp"
#include "williwaw/store/journal.hpp"

using namespace williwaw;

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  if (size < 4) return 0;
  const std::string file = "/tmp/williwaw-fuzz-journal-" + std::to_string(getpid());
  ++fuzz::count().tried;
  const std::size_t length = 1 + data[0] % 5, change = data[1];
  std::string bytes(reinterpret_cast<const char*>(data + 3), size - 3);
  if (data[2] % 8 != 0 && bytes.size() >= length * sizeof(Real)) {
    // As if they were rows of ours.
    std::string rows;
    for (std::size_t at = 0; at + length * sizeof(Real) <= bytes.size(); at += length * sizeof(Real)) {
      const std::uint64_t mark = store::checksum(bytes.data() + at, length * sizeof(Real));
      rows += bytes.substr(at, length * sizeof(Real)) +
              std::string(reinterpret_cast<const char*>(&mark), sizeof mark);
    }
    bytes = rows;
    if (data[2] & 2 && !bytes.empty())
      bytes[change % bytes.size()] = static_cast<char>(bytes[change % bytes.size()] ^ 4);
    if (data[2] & 4) bytes.resize(bytes.size() - std::min<std::size_t>(bytes.size(), change % 16));
  }
  std::ofstream(file, std::ios::binary).write(bytes.data(), static_cast<std::streamsize>(bytes.size()));
  const std::size_t whole = store::Journal::whole_rows(file, length);
  if (whole > 0) ++fuzz::count().accepted;
  try {
    // What is whole can be gone on from, read in order, and added to; what lies behind it goes.
    store::Journal journal(file, length, whole);
    journal.append(std::vector<Real>(length, 1.5));
    journal.flush();
    store::JournalReader reader(file, length, whole + 1);
    for (std::size_t row = 0; row <= whole; ++row) reader.prove(row);
    if (store::Journal::whole_rows(file, length) != whole + 1) __builtin_trap();
  } catch (const store::StoreError&) {
    __builtin_trap();
  }
  try {
    const store::Journal more(file, length, whole + 2);
    __builtin_trap();
  } catch (const store::StoreError&) {
  }
  return 0;
}
