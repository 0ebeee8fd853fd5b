// Quantities that follow from an unknown, as fields beside it.
#pragma once

#include "williwaw/store/fields.hpp"
#include "williwaw/study/open_case.hpp"

namespace williwaw::study {

/// Those of a case, as fields.nc lists them after the unknowns.
std::vector<store::Quantity> derived_quantities(const Case& given);
/// One of them from the field of the unknown; its halo has the values on the boundaries.
Field derived_field(const DerivedQuantity& quantity, const Field& of, Real time);

}  // namespace williwaw::study
