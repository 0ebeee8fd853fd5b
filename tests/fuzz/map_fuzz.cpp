// Maps in NetCDF files: any sizes, coordinates and values.
#include <netcdf.h>
#include <unistd.h>

#include <cmath>
#include <cstdint>
#include <cstring>
#include <string>
#include <vector>

#include "counted.hpp"
#include "williwaw/store/maps.hpp"

using namespace williwaw;

namespace {

// Takes bytes one after another, zeros where none are left.
class Bytes {
 public:
  Bytes(const std::uint8_t* data, std::size_t size) : data_(data), size_(size) {}
  std::uint8_t next() { return at_ < size_ ? data_[at_++] : 0; }
  Real number() {
    if (next() % 4 > 0) return static_cast<Real>(static_cast<std::int8_t>(next())) / 8;
    std::uint64_t bits = 0;
    for (int n = 0; n < 8; ++n) bits = bits << 8 | next();
    Real value = 0;
    std::memcpy(&value, &bits, sizeof value);
    return value;
  }

 private:
  const std::uint8_t* data_;
  std::size_t size_, at_ = 0;
};

}  // namespace

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  const std::string file = "/tmp/williwaw-fuzz-map-" + std::to_string(getpid()) + ".nc";
  ++fuzz::count().tried;
  Bytes bytes(data, size);
  int nc = 0, variable = 0;
  if (nc_create(file.c_str(), NC_CLOBBER, &nc) != NC_NOERR) return 0;
  const int dimension = 1 + bytes.next() % 3;
  std::vector<int> dimensions(static_cast<std::size_t>(dimension));
  std::vector<std::vector<Real>> points(dimensions.size());
  std::size_t count = 1;
  for (std::size_t d = 0; d < dimensions.size(); ++d) {
    const std::size_t length = 1 + bytes.next() % 5;
    const std::string name(1, "zyx"[d]);
    nc_def_dim(nc, name.c_str(), length, &dimensions[d]);
    count *= length;
    Real at = bytes.next();
    for (std::size_t i = 0; i < length; ++i) {
      points[d].push_back(at);
      // Mostly increasing.
      at += bytes.next() % 64 == 63 ? bytes.number() : 0.25;
    }
  }
  nc_def_var(nc, "depth", NC_DOUBLE, dimension, dimensions.data(), &variable);
  if (bytes.next() % 2) nc_put_att_text(nc, variable, "units", 1, "m");
  std::vector<int> coordinates(dimensions.size(), -1);
  for (std::size_t d = 0; d < dimensions.size(); ++d)
    if (bytes.next() % 32 != 31)
      nc_def_var(nc, std::string(1, "zyx"[d]).c_str(), NC_DOUBLE, 1, &dimensions[d], &coordinates[d]);
  nc_enddef(nc);
  for (std::size_t d = 0; d < dimensions.size(); ++d)
    if (coordinates[d] >= 0) nc_put_var_double(nc, coordinates[d], points[d].data());
  std::vector<Real> values(count);
  for (Real& v : values) v = bytes.number();
  nc_put_var_double(nc, variable, values.data());
  nc_close(nc);
  try {
    const store::Map map = store::read_map(file, "depth");
    std::vector<Real> place(map.axes.size());
    bool placed = true;
    for (std::size_t a = 0; a < map.axes.size(); ++a) {
      placed = placed && !map.axes[a].points.empty();
      place[a] = placed ? map.axes[a].points.front() + 0.1 * bytes.number() : 0;
    }
    if (!placed) return 0;
    ++fuzz::count().accepted;
    map.at(place, true);
    map.nearest_to(place);
    map.at(place, false);
  } catch (const store::StoreError&) {
  }
  return 0;
}
