// What columns of freezing share.
#pragma once

#include <algorithm>

#include "williwaw/study/series_columns.hpp"

namespace williwaw::study {

inline bool freezes(const Discretization& balance) {
  const auto& derived = balance.problem().equation().derived;
  return std::ranges::find(derived, "frozen", &DerivedQuantity::name) != derived.end();
}

/// The frozen part of every control volume.
inline std::vector<Real> frozen_part(const Measured& m) {
  const Equation& e = m.balance.problem().equation();
  const auto found = std::ranges::find(e.derived, "frozen", &DerivedQuantity::name);
  std::vector<Real> result(static_cast<std::size_t>(m.balance.grid().count()));
  found->value.evaluate(Points(m.balance.grid().count()), 0, std::span(m.state).first(result.size()), result);
  return result;
}

}  // namespace williwaw::study
