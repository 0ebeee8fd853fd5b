#include "williwaw/problem/boundary_condition.hpp"

#include <algorithm>

#include "grid/named.hpp"
#include "problem/boundary_conditions/kinds.hpp"

namespace williwaw {

bool BoundaryCondition::depends_on_time() const {
  return std::ranges::any_of(arguments_, [](const Function& f) { return f.depends_on_time(); });
}

bool BoundaryCondition::is_linear() const {
  return std::ranges::none_of(arguments_, [](const Function& f) { return f.depends_on_unknown(); });
}

const FluxLimit* Boundary::limit() const {
  return conditions_.size() == 1 ? conditions_.front()->limit() : nullptr;
}

bool Boundary::holds() const {
  return std::ranges::any_of(conditions_, [](const auto& c) { return c->holds(); });
}

bool Boundary::depends_on_time() const {
  return std::ranges::any_of(conditions_, [](const auto& c) { return c->depends_on_time(); });
}

bool Boundary::is_linear() const {
  return std::ranges::all_of(conditions_, [](const auto& c) { return c->is_linear(); });
}

bool Boundary::needs_second_order() const {
  return std::ranges::any_of(conditions_, [](const auto& c) { return c->has_rate() || c->absorption(); });
}

const AdvectiveBoundary* Boundary::advective_boundary() const {
  for (const auto& c : conditions_)
    if (const AdvectiveBoundary* end = c->advective_boundary()) return end;
  return nullptr;
}

Boundary Boundary::operator+(const Boundary& other) const {
  if (!empty() && !other.empty() && (holds() || other.holds()))
    throw InputError("a boundary whose value is prescribed takes no further condition: keep one of the two");
  const auto limited = [](const Boundary& b) {
    return std::ranges::any_of(b.conditions_, [](const auto& c) { return c->limit() != nullptr; });
  };
  if (!empty() && !other.empty() && (limited(*this) || limited(other)))
    throw InputError(
        "a flux with a limit (rain, evaporation, seepage) takes no further condition: keep one of the two");
  Boundary sum = *this;
  sum.conditions_.insert(sum.conditions_.end(), other.conditions_.begin(), other.conditions_.end());
  return sum;
}

const std::vector<BoundaryConditionKind>& boundary_condition_kinds() {
  static const std::vector<BoundaryConditionKind> kinds{
#define KIND(name) boundaries::name##_kind(),
#include "problem/boundary_conditions/list.inc"
#undef KIND
  };
  return kinds;
}

const BoundaryConditionKind& boundary_condition_kind(const std::string& name) {
  return named(boundary_condition_kinds(), name, Subject::boundary, "boundary condition");
}

}  // namespace williwaw
