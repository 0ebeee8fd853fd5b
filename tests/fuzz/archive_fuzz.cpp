// Checkpoints: whatever stands in a file, and what stands behind a checksum that fits.
#include <unistd.h>

#include <cstdint>
#include <fstream>
#include <string>

#include "counted.hpp"
#include "williwaw/store/journal.hpp"

using namespace williwaw;

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  const std::string file = "/tmp/williwaw-fuzz-archive-" + std::to_string(getpid());
  ++fuzz::count().tried;
  if (size == 0) return 0;
  {
    std::ofstream out(file, std::ios::binary);
    if (data[0] & 1) {
      // As if it were a checkpoint of ours: only what is in it is wrong.
      const std::uint64_t count = size - 1, mark = store::checksum(data + 1, size - 1);
      out << "williwaw checkpoint 1\n";
      out.write(reinterpret_cast<const char*>(&count), sizeof count);
      out.write(reinterpret_cast<const char*>(&mark), sizeof mark);
    }
    out.write(reinterpret_cast<const char*>(data + 1), static_cast<std::streamsize>(size - 1));
  }
  try {
    store::Archive archive = store::Archive::load(file, "1");
    ++fuzz::count().accepted;
    for (int n = 0;; n = (n + 1) % 4) {
      if (n == 0) archive.reals();
      if (n == 1) archive.text();
      if (n == 2) archive.whole();
      if (n == 3) archive.count(8);
    }
  } catch (const store::StoreError&) {
  }
  store::Journal::whole_rows(file, 3);
  return 0;
}
