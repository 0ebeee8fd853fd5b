#include "williwaw/problem/problem.hpp"

#include <algorithm>

namespace williwaw {

Problem::Problem(Grid grid, Equation equation, Regions regions)
    : grid_(std::move(grid)),
      equation_(std::move(equation)),
      regions_(std::make_shared<const Regions>(std::move(regions))),
      cutout_boundaries_(static_cast<std::size_t>(regions_->size())) {
  // Regions may pass by a part.
  if (!grid_.is_part()) regions_->check(grid_);
}

Problem Problem::on(const Grid& part) const {
  Problem result = *this;
  result.grid_ = part;
  return result;
}

Problem& Problem::boundary(const std::string& name, Boundary boundary) {
  if (const Index region = regions_->find(name); region >= 0 && !(*regions_)[region].active) {
    cutout_boundaries_[static_cast<std::size_t>(region)] = std::move(boundary);
    return *this;
  }
  const auto side = grid_.side(name);
  if (!side) {
    std::string known;
    for (const auto& s : grid_.sides()) known += (known.empty() ? "" : ", ") + grid_.side_name(s);
    for (Index r = 0; r < regions_->size(); ++r)
      if (!(*regions_)[r].active) known += ", " + (*regions_)[r].name;
    throw InputError(Subject::boundary,
                     "this grid has no side called '" + name + "'; its sides are " + known);
  }
  if (periodic(*side))
    throw InputError(Subject::boundary,
                     "side '" + name + "' belongs to a periodic axis and takes no condition");
  boundaries_[side->number()] = std::move(boundary);
  return *this;
}

Problem& Problem::part(BoundaryPart part) {
  if (part.boundary.empty())
    throw InputError(Subject::boundary, "no condition for part '" + part.name + "': give it a condition");
  if (!part.side.empty()) {
    const Index region = regions_->find(part.side);
    const auto side = grid_.side(part.side);
    if (!side && !(region >= 0 && !(*regions_)[region].active))
      throw InputError(Subject::boundary, "part '" + part.name + "' belongs to '" + part.side +
                                              "', which is neither a side nor an inactive region");
    if (side && periodic(*side))
      throw InputError(Subject::boundary, "part '" + part.name + "': side '" + part.side +
                                              "' is periodic and takes no condition");
  }
  if (!part.touching.empty() && regions_->find(part.touching) < 0)
    throw InputError(Subject::boundary,
                     "part '" + part.name + "' touches '" + part.touching + "', which is no region");
  if (part.side.empty() && part.touching.empty() && !part.where)
    throw InputError(Subject::boundary, "part '" + part.name + "': give its side, touching or where");
  for (const BoundaryPart& other : parts_)
    if (other.name == part.name)
      throw InputError(Subject::boundary, "two parts are called '" + part.name + "'");
  if (grid_.side(part.name) || regions_->find(part.name) >= 0)
    throw InputError(Subject::boundary,
                     "a part cannot be called '" + part.name + "', which is a side or a region");
  parts_.push_back(std::move(part));
  return *this;
}

Problem& Problem::default_boundary(const Boundary& boundary) {
  for (const auto& side : grid_.sides())
    if (!periodic(side) && boundaries_[side.number()].empty()) boundaries_[side.number()] = boundary;
  for (auto& cut : cutout_boundaries_)
    if (cut.empty()) cut = boundary;
  return *this;
}

namespace {
template <class Test>
bool any_boundary(const Problem& problem, const Test& test) {
  for (const auto& side : problem.grid().sides())
    if (test(problem.boundary(side))) return true;
  for (Index r = 0; r < problem.regions().size(); ++r)
    if (test(problem.cutout_boundary(r))) return true;
  return std::ranges::any_of(problem.parts(), [&](const BoundaryPart& p) { return test(p.boundary); });
}
}  // namespace

bool Problem::advection_is_nonlinear() const {
  return equation_.advection && (equation_.advection->law || reconstruction != "first-order");
}

bool Problem::is_nonlinear() const {
  return advection_is_nonlinear() || equation_.diffusion.depends_on_unknown() ||
         equation_.stores_nonlinearly() || equation_.source.depends_on_unknown() ||
         (equation_.reaction && !equation_.reaction->linear) ||
         any_boundary(*this, [](const Boundary& w) { return !w.is_linear(); });
}

bool Problem::limits_fluxes() const {
  return any_boundary(*this, [](const Boundary& w) { return w.limit() != nullptr; });
}

bool Problem::boundaries_depend_on_time() const {
  return any_boundary(*this, [](const Boundary& w) { return w.depends_on_time(); });
}

bool Problem::data_change_in_time() const {
  return equation_.source.depends_on_time() || boundaries_depend_on_time() ||
         (equation_.advection && equation_.advection->velocity.depends_on_time()) ||
         (equation_.reaction && equation_.reaction->on_time) ||
         std::ranges::any_of(equation_.points, [](const PointSource& p) { return p.rate.depends_on_time(); });
}

void Problem::validate() const {
  if (!equation_.second_order)
    if (any_boundary(*this, [](const Boundary& w) { return w.needs_second_order(); }))
      throw InputError(
          Subject::boundary,
          "absorbing boundaries and impedances belong to equations of second order in time (waves)");
  if (!equation_.advection && !shares_flux)
    if (any_boundary(*this, [](const Boundary& w) {
          return w.advective_boundary() && w.advective_boundary()->outlet();
        }))
      throw InputError(Subject::boundary, "outflow needs advection");
  if (equation_.second_order) {
    if (equation_.advection) throw InputError(Subject::velocity, "a wave is not advected");
    if (equation_.reaction) throw InputError(Subject::reaction, "a wave takes no reaction");
    if (any_boundary(*this, [](const Boundary& w) { return !w.is_linear(); }))
      throw InputError(Subject::boundary, "a wave takes linear boundary conditions only");
    if (is_nonlinear())
      throw InputError(Subject::diffusion, "the coefficients of a wave must not depend on the unknown");
    if (equation_.damping.depends_on_time())
      throw InputError(Subject::damping, "damping must not depend on time");
    for (const Function& k : equation_.diffusion.coefficient)
      if (k.depends_on_time())
        throw InputError(Subject::diffusion, "the speed of a wave must not depend on time");
  }
  for (const auto& side : grid_.sides())
    if (parts_.empty() && !periodic(side) && boundary(side).empty())
      throw InputError(Subject::boundary, "no condition for side '" + grid_.side_name(side) +
                                              "': give it a condition, or a default for all sides not named");
  if (equation_.storage.depends_on_time())
    throw InputError(
        Subject::storage,
        "storage, density and heat capacity must not depend on time: the stored amount would not be "
        "conserved");
  if (equation_.content && equation_.content->depends_on_time())
    throw InputError(Subject::storage,
                     "content must not depend on time: the stored amount would not be conserved");
  if (initial.depends_on_unknown())
    throw InputError(Subject::initial, "the initial value must not depend on the unknown");
  for (const auto& point : equation_.points) {
    if (point.rate.depends_on_unknown())
      throw InputError(Subject::points,
                       "point '" + point.name + "': its rate must not depend on the unknown");
    try {
      grid_.whole().containing(point.at);
    } catch (const InputError& e) {
      throw InputError(Subject::points, "point '" + point.name + "': " + e.what());
    }
    if (!regions_->keeps(regions_->label(point.at)))
      throw InputError(Subject::points, "point '" + point.name + "' at " + grid_.place_text(point.at) +
                                            " lies in " + regions_->name_of(regions_->label(point.at)) +
                                            ", which is inactive");
  }
}

}  // namespace williwaw
