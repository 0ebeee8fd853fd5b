// What appears in each unit of volume, line by line.
#pragma once

#include <algorithm>

#include "domain/summing.hpp"
#include "williwaw/balance/term.hpp"
#include "williwaw/boundary/boundary_terms.hpp"

namespace williwaw {

/// All control volumes of a line store the same for each unit of their volume: capacities are known by
/// widths.
inline bool stores_evenly(const Domain& domain, const Storage& storage) {
  const LinearStorage* const linear = storage.linear();
  return domain.outline().whole() && linear && !linear->of_line(0).each();
}

/// Adds what densities make in the control volumes of a line of one unknown, and books it by segments. Where
/// it is not stored evenly densities become amounts; inactive ones count for nothing.
inline void add_made(const Line& line, const OfUnknown& of, const Storage& storage, bool evenly,
                     LineId booked, const LineRates& rates, Real* made) {
  const Domain& domain = *of.domain;
  const Index nx = domain.grid().size(0);
  const auto leaf = [&](Index i) -> Real& {
    return line.booked[booked].leaf(domain.segments().number(line.number, i));
  };
  if (evenly) {
    for (Index begin = 0; begin < nx; begin += segment_cells)
      leaf(begin) += rates.add_densities(begin, std::min(nx, begin + segment_cells), made,
                                         domain.grid().axis(0).measures().data(), domain.across(line.number),
                                         storage.linear()->per_volume());
    return;
  }
  for (Index i = 0; i < nx; ++i) {
    const Index n = nx * line.number + i;
    made[i] = domain.outline().active(n) ? made[i] * storage.volume(n) : 0;
  }
  rates.add_each(nx, [made](Index i) { return made[i]; });
  for (Index begin = 0; begin < nx; begin += segment_cells)
    leaf(begin) +=
        segment_sum(begin, std::min(nx, begin + segment_cells), [made](Index i) { return made[i]; });
}

}  // namespace williwaw
