#include "williwaw/space/closure.hpp"

#include <algorithm>
#include <cmath>

namespace williwaw {

Closure::Closure(const Grid& grid, Side side, const Wall& wall)
    : side_(side), wall_(wall), places_(grid.wall_points(side)), unknowns_(grid.unknowns_at(side)) {
  for (const Index n : unknowns_) areas_.push_back(grid.wall_area(side, n));
  pins_ = wall_.holds() && grid.unknowns() == Unknowns::nodes;
  on_time_ = wall_.depends_on_time();
  left_on_time_ =
      std::ranges::any_of(wall_.conditions(), [](const auto& c) { return c->left_side_depends_on_time(); });
  const std::string name = grid.side_name(side);
  for (const auto& condition : wall_.conditions())
    lines_.push_back({name + ": " + condition->kind(), LedgerLine::Kind::wall, name});
  shares_.resize(lines_.size());
  for (auto* values : {&inflow_, &pull_, &target_, &imposed_}) values->assign(unknowns_.size(), 0.0);
}

void Closure::update(const Couplings& couplings, Real time, bool changed) {
  if (ready_ && !changed && (!on_time_ || time == time_)) return;
  ready_ = true;
  time_ = time;
  const std::size_t count = unknowns_.size();
  const std::vector<Real> conductivity = couplings.wall_conductivity(side_);
  conductance_ = couplings.wall_conductance(side_);

  // Conditions on one wall add up: value and data are sums, the flux coefficient stays 1 (or 0 when held).
  std::vector<LawLine> laws;
  LawLine sum(count);
  for (const auto& condition : wall_.conditions()) {
    LawLine& law = laws.emplace_back(count);
    condition->law({places_, time, conductivity, {}}, law);
    for (std::size_t f = 0; f < count; ++f) {
      if (law.rate[f] != 0)
        throw InputError("condition '" + condition->kind() + "' needs an unknown of its own on the wall, "
                         "which diffusion does not have");
      if (!std::isfinite(law.value[f]) || !std::isfinite(law.data[f]))
        throw InputError("condition '" + condition->kind() + "' is not a finite number at time " +
                         std::to_string(time));
      sum.value[f] += law.value[f];
      sum.data[f] += law.data[f];
      sum.flux[f] = law.flux[f];
    }
  }

  for (auto& share : shares_) {
    share.inflow.assign(count, 0.0);
    share.pull.assign(count, 0.0);
  }
  for (std::size_t f = 0; f < count; ++f) {
    target_[f] = sum.value[f] != 0 ? sum.data[f] / sum.value[f] : std::nan("");
    imposed_[f] = sum.value[f] != 0 ? 0 : areas_[f] * sum.data[f];
    if (pins_) continue;
    // u_wall = u + q/g, put into the law, gives q·(flux + value/g) = data − value·u.
    const Real g = conductance_[f];
    const Real along = sum.flux[f] + sum.value[f] / g;
    const Real alpha = sum.data[f] / along, beta = sum.value[f] / along;
    inflow_[f] = areas_[f] * alpha;
    pull_[f] = areas_[f] * beta;
    for (std::size_t c = 0; c < laws.size(); ++c) {
      if (sum.flux[f] == 0) {  // held: the only condition there is
        shares_[c].inflow[f] = inflow_[f];
        shares_[c].pull[f] = pull_[f];
      } else {
        shares_[c].inflow[f] = areas_[f] * (laws[c].data[f] - laws[c].value[f] * alpha / g);
        shares_[c].pull[f] = areas_[f] * laws[c].value[f] * (1 - beta / g);
      }
    }
  }
  const auto zero = [](Real v) { return v == 0; };
  idle_ = !pins_ && std::ranges::all_of(inflow_, zero) && std::ranges::all_of(pull_, zero);
}

Real Closure::wall_value(Index face, Real u) const {
  if (pins_) return target_[face];
  return u + (inflow_[face] - pull_[face] * u) / (areas_[face] * conductance_[face]);
}

}  // namespace williwaw
