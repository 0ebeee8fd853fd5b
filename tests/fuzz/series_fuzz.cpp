// Tables with a header, ours and those of other people.
#include <unistd.h>

#include <cstdint>
#include <fstream>
#include <string>

#include "counted.hpp"
#include "williwaw/store/series.hpp"

using namespace williwaw;

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  const std::string file = "/tmp/williwaw-fuzz-series-" + std::to_string(getpid()) + ".csv";
  std::ofstream(file, std::ios::binary)
      .write(reinterpret_cast<const char*>(data), static_cast<std::streamsize>(size));
  ++fuzz::count().tried;
  try {
    const store::Series series = store::read_series(file);
    for (const auto& column : series.values)
      if (column.size() != series.values.front().size()) __builtin_trap();
    ++fuzz::count().accepted;
  } catch (const store::StoreError&) {
  }
  return 0;
}
