#include "williwaw/problem/problem.hpp"

namespace williwaw {

Problem& Problem::wall(const std::string& name, Wall wall) {
  const auto side = grid_.side(name);
  if (!side) {
    std::string known;
    for (const auto& s : grid_.sides()) known += (known.empty() ? "" : ", ") + grid_.side_name(s);
    throw InputError("this grid has no side called '" + name + "'; its sides are " + known);
  }
  if (periodic(*side))
    throw InputError("side '" + name + "' belongs to a periodic axis and takes no condition");
  walls_[side->number()] = std::move(wall);
  return *this;
}

Problem& Problem::other_walls(const Wall& wall) {
  for (const auto& side : grid_.sides())
    if (!periodic(side) && walls_[side.number()].empty()) walls_[side.number()] = wall;
  return *this;
}

void Problem::validate() const {
  for (const auto& side : grid_.sides())
    if (!periodic(side) && wall(side).empty())
      throw InputError("nothing is said of side '" + grid_.side_name(side) +
                       "': give it a condition, or a default for all sides not named");
  if (equation_.storage.depends_on_time())
    throw InputError(
        "what is stored (storage, density, heat capacity) must not depend on time: a storage "
        "that changes by itself would create or destroy the amount stored");
}

}  // namespace williwaw
