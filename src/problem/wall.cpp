#include "williwaw/problem/wall.hpp"

#include <algorithm>

#include "walls/kinds.hpp"

namespace williwaw {

bool Condition::depends_on_time() const {
  return std::ranges::any_of(arguments_, [](const Function& f) { return f.depends_on_time(); });
}

bool Wall::holds() const {
  return std::ranges::any_of(conditions_, [](const auto& c) { return c->holds(); });
}

bool Wall::depends_on_time() const {
  return std::ranges::any_of(conditions_, [](const auto& c) { return c->depends_on_time(); });
}

bool Wall::is_linear() const {
  return std::ranges::all_of(conditions_, [](const auto& c) { return c->is_linear(); });
}

bool Wall::needs_motion() const {
  return std::ranges::any_of(conditions_, [](const auto& c) { return c->has_rate() || c->outgoing(); });
}

const StreamEnd* Wall::stream_end() const {
  for (const auto& c : conditions_)
    if (const StreamEnd* end = c->stream_end()) return end;
  return nullptr;
}

Wall Wall::operator+(const Wall& other) const {
  if (!empty() && !other.empty() && (holds() || other.holds()))
    throw InputError("a wall whose value is held takes no further condition: keep one of the two");
  Wall sum = *this;
  sum.conditions_.insert(sum.conditions_.end(), other.conditions_.begin(), other.conditions_.end());
  return sum;
}

const std::vector<WallKind>& wall_kinds() {
  static const std::vector<WallKind> kinds{
      walls::dirichlet_kind(), walls::flux_kind(),      walls::gradient_kind(),  walls::robin_kind(),
      walls::radiation_kind(), walls::insulated_kind(), walls::fixed_kind(),     walls::free_kind(),
      walls::driven_kind(),    walls::impedance_kind(), walls::absorbing_kind(), walls::diffusive_flux_kind(),
      walls::outflow_kind()};
  return kinds;
}

const WallKind& wall_kind(const std::string& name) {
  const auto& kinds = wall_kinds();
  const auto found = std::ranges::find(kinds, name, &WallKind::name);
  if (found == kinds.end()) throw InputError("there is no condition called '" + name + "'");
  return *found;
}

}  // namespace williwaw
