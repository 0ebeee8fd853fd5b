#include "williwaw/space/closure.hpp"

#include <algorithm>
#include <cmath>

namespace williwaw {

Closure::Closure(const Grid& grid, Side side, const Wall& wall, const Couplings& couplings)
    : side_(side), wall_(wall), places_(grid.wall_points(side)), unknowns_(grid.unknowns_at(side)) {
  for (const Index n : unknowns_) {
    areas_.push_back(grid.wall_area(side, n));
    capacities_.push_back(couplings.capacity(n));
  }
  pins_ = wall_.holds() && grid.unknowns() == Unknowns::nodes;
  on_time_ = wall_.depends_on_time();
  left_on_time_ =
      std::ranges::any_of(wall_.conditions(), [](const auto& c) { return c->left_side_depends_on_time(); });
  const std::string name = grid.side_name(side);
  for (const auto& condition : wall_.conditions())
    lines_.push_back({name + ": " + condition->kind(), LedgerLine::Kind::wall, name});
  shares_.resize(lines_.size());
  for (auto* values : {&inflow_, &pull_, &target_}) values->assign(unknowns_.size(), 0.0);
}

void Closure::update(const Couplings& couplings, Real time, bool changed) {
  if (ready_ && !changed && (!on_time_ || time == time_)) return;
  if (!ready_ || changed) {
    conductivity_ = couplings.wall_conductivity(side_);
    conductance_ = couplings.wall_conductance(side_);
  }
  ready_ = true;
  time_ = time;
  const std::size_t count = unknowns_.size();

  // Conditions on one wall add up: value and data are sums, the flux coefficient stays 1 (or 0 when held).
  std::vector<LawLine> laws;
  LawLine sum(count);
  for (const auto& condition : wall_.conditions()) {
    LawLine& law = laws.emplace_back(count);
    condition->law({places_, time, conductivity_, {}}, law);
    for (std::size_t f = 0; f < count; ++f) {
      if (law.rate[f] != 0)
        throw InputError("condition '" + condition->kind() +
                         "' needs an unknown of its own on the wall, "
                         "which diffusion does not have");
      if (!std::isfinite(law.value[f]) || !std::isfinite(law.data[f]))
        throw InputError("condition '" + condition->kind() + "' is not a finite number at time " +
                         to_text(time));
      sum.value[f] += law.value[f];
      sum.data[f] += law.data[f];
      sum.flux[f] = law.flux[f];
    }
  }
  if (!pins_) close(laws, sum);
  sum_up(sum);
}

// u_wall = u + q/g, put into the law, gives q·(flux + value/g) = data − value·u.
void Closure::close(const std::vector<LawLine>& laws, const LawLine& sum) {
  const std::size_t count = unknowns_.size();
  for (auto& share : shares_) {
    share.inflow.assign(count, 0.0);
    share.pull.assign(count, 0.0);
  }
  for (std::size_t f = 0; f < count; ++f) {
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
}

void Closure::sum_up(const LawLine& sum) {
  drive_ = {};
  drive_.known = true;
  drive_.steady = !on_time_;
  idle_ = !pins_;
  for (std::size_t f = 0; f < unknowns_.size(); ++f) {
    idle_ = idle_ && inflow_[f] == 0 && pull_[f] == 0;
    // A wall that drives the unknown away from its target bounds nothing.
    drive_.known = drive_.known && pull_[f] >= 0;
    if (sum.value[f] != 0) {
      target_[f] = sum.data[f] / sum.value[f];
      drive_.lowest = std::min(drive_.lowest, target_[f]);
      drive_.highest = std::max(drive_.highest, target_[f]);
    } else {
      const Real change = areas_[f] * sum.data[f] / capacities_[f];
      drive_.raising = std::max(drive_.raising, change);
      drive_.lowering = std::max(drive_.lowering, -change);
    }
  }
}

Real Closure::wall_value(Index face, Real u) const {
  if (pins_) return target_[face];
  return u + (inflow_[face] - pull_[face] * u) / (areas_[face] * conductance_[face]);
}

}  // namespace williwaw
