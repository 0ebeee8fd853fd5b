// Fields for other programs: tables, VTK XML and NumPy files.
#pragma once

#include <filesystem>

#include "williwaw/store/fields.hpp"

namespace williwaw::store {

enum class TableLayout {
  tall,  ///< one row for each time and place
  wide   ///< one row for each place, one column for each time
};

/// fields.csv: a header with units, "t [h],x [m],temperature [degC]". Places that are cut out have no row.
/// Returns the files written, here and below. Throws StoreError.
std::vector<std::filesystem::path> export_csv(const FieldReader& fields, const std::vector<Index>& records,
                                              TableLayout layout, const std::filesystem::path& folder);

/// One unstructured grid (VTK XML, .vtu) for each record and a collection (.pvd) that gives their times.
/// Values of cells belong to cells, of nodes to points; what is cut out is left out. Round coordinates stand
/// as a plan.
std::vector<std::filesystem::path> export_vtk(const FieldReader& fields, const std::vector<Index>& records,
                                              const std::filesystem::path& folder);

/// NumPy arrays (format 1.0, float64): the unknown with axes (t, z, y, x), those that there are, and one
/// array for each coordinate. Places that are cut out are not a number.
std::vector<std::filesystem::path> export_npy(const FieldReader& fields, const std::vector<Index>& records,
                                              const std::filesystem::path& folder);

}  // namespace williwaw::store
