// How fields.nc is laid out: what its writer and its reader share.
#pragma once

#include "netcdf.hpp"
#include "williwaw/store/fields.hpp"

namespace williwaw::store {

// A periodic axis with nodes shows its last point as well, which is a copy of the first.
inline Index shown_size(const Axis& axis) {
  return axis.size() + (axis.periodic() && axis.unknowns() == Unknowns::nodes ? 1 : 0);
}

inline std::string boundary_name(const std::string& unknown, const std::string& side) {
  return unknown + "_on_" + side;
}

// Between the names of unknowns in an attribute.
inline const std::string separator = "; ";
/// Between the unit of times and the date that they count from.
inline const std::string date_mark = " since ";
// Before each component of a vector.
inline const std::string component_mark = ", ";

inline std::string velocity_name(const Axis& axis) {
  return "velocity_" + axis.name();
}

// Shown unknowns of one plane of a block, or of all there is in fewer dimensions, x fastest.
template <class Visit>
void each_shown(const Grid& g, Index plane, const Visit& visit) {
  const auto size = [&](int a) { return a < g.dimension() ? shown_size(g.axis(a)) : 1; };
  for (Index j = 0; j < size(1); ++j)
    for (Index i = 0; i < size(0); ++i) visit(i, j, plane);
}

// Of a library that keeps 16 MB of each variable unless told otherwise.
inline void keep_two_chunks(const NetcdfFile& nc, int id) {
  std::vector<std::size_t> chunk(NC_MAX_VAR_DIMS);
  int dimensions = 0;
  nc.check(nc_inq_varndims(nc.id(), id, &dimensions));
  int storage = 0;
  nc.check(nc_inq_var_chunking(nc.id(), id, &storage, chunk.data()));
  std::size_t bytes = 2 * sizeof(Real);
  for (int d = 0; d < dimensions; ++d) bytes *= chunk[static_cast<std::size_t>(d)];
  constexpr std::size_t slots = 11;
  constexpr float written_ones_first = 1;
  if (storage == NC_CHUNKED) nc.check(nc_set_var_chunk_cache(nc.id(), id, bytes, slots, written_ones_first));
}

}  // namespace williwaw::store
