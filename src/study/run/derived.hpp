// Quantities that follow from the unknowns, as fields beside them, and what probes see of all of these.
#pragma once

#include "williwaw/study/check.hpp"
#include "williwaw/study/open_case.hpp"

namespace williwaw::study {

/// The fields of a state, in SI: on the grid that results are shown on, and where unknowns stand on faces
/// also at their own places. Halos have the values on the boundaries.
struct FieldsOfState {
  Discretization& balance;
  const State& y;
  Real time;
  std::vector<Field> shown = {}, own = {};
  std::span<const Field> at_unknowns() const { return own.empty() ? shown : own; }
};
/// The state must outlive the result.
FieldsOfState fields_of(const Case& given, Discretization& balance, const State& y, Real time);

/// A field that follows from a state, in SI.
struct DerivedField {
  std::string name;
  store::Scale scale;
  std::function<Field(const FieldsOfState&)> from;
};

/// By a formula of all fields; beyond sides from the values that they have there.
Field field_by(const OfUnknowns& value, std::span<const Field> of, Real time);

/// Those that fields.nc lists after the unknowns: of the equation, then of [derived].
std::vector<DerivedField> derived_fields(const Case& given);

/// What a probe sees of an unknown, or of what follows from them.
struct Sight {
  const casefile::Probe* probe;
  std::string label;  ///< of its column
  store::Scale scale;
  std::optional<std::size_t> unknown = {};   ///< what it sees, or else
  std::optional<DerivedField> derived = {};  ///< that

  /// The field that it samples, in SI.
  Field field(const FieldsOfState& of) const { return unknown ? of.shown[*unknown] : derived->from(of); }
};

/// All that the probes of a case see: unknown after unknown, then what follows from them.
std::vector<Sight> sights_of(const Case& given);

}  // namespace williwaw::study
