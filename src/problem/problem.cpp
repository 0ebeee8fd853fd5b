#include "williwaw/problem/problem.hpp"

#include <algorithm>

namespace williwaw {

Problem::Problem(Grid grid, Equation equation, Regions regions)
    : grid_(std::move(grid)),
      equation_(std::move(equation)),
      regions_(std::make_shared<const Regions>(std::move(regions))),
      cut_walls_(static_cast<std::size_t>(regions_->size())) {
  regions_->check(grid_);
}

Problem& Problem::wall(const std::string& name, Wall wall) {
  if (const Index region = regions_->find(name); region >= 0 && !(*regions_)[region].active) {
    cut_walls_[static_cast<std::size_t>(region)] = std::move(wall);
    return *this;
  }
  const auto side = grid_.side(name);
  if (!side) {
    std::string known;
    for (const auto& s : grid_.sides()) known += (known.empty() ? "" : ", ") + grid_.side_name(s);
    for (Index r = 0; r < regions_->size(); ++r)
      if (!(*regions_)[r].active) known += ", " + (*regions_)[r].name;
    throw InputError("this grid has no side called '" + name + "'; its sides are " + known);
  }
  if (periodic(*side))
    throw InputError("side '" + name + "' belongs to a periodic axis and takes no condition");
  walls_[side->number()] = std::move(wall);
  return *this;
}

Problem& Problem::part(WallPart part) {
  if (part.wall.empty()) throw InputError("nothing is said of part '" + part.name + "': give it a condition");
  if (!part.side.empty()) {
    const Index region = regions_->find(part.side);
    const auto side = grid_.side(part.side);
    if (!side && !(region >= 0 && !(*regions_)[region].active))
      throw InputError("part '" + part.name + "' belongs to '" + part.side +
                       "', which is neither a side nor a region that is cut out");
    if (side && periodic(*side))
      throw InputError("part '" + part.name + "': side '" + part.side +
                       "' is periodic and takes no condition");
  }
  if (!part.touching.empty() && regions_->find(part.touching) < 0)
    throw InputError("part '" + part.name + "' touches '" + part.touching + "', which is no region");
  if (part.side.empty() && part.touching.empty() && !part.where)
    throw InputError("part '" + part.name + "': say of what it is a part, by side, touching or where");
  for (const WallPart& other : parts_)
    if (other.name == part.name) throw InputError("two parts are called '" + part.name + "'");
  if (grid_.side(part.name) || regions_->find(part.name) >= 0)
    throw InputError("a part cannot be called '" + part.name + "', which is a side or a region");
  parts_.push_back(std::move(part));
  return *this;
}

Problem& Problem::other_walls(const Wall& wall) {
  for (const auto& side : grid_.sides())
    if (!periodic(side) && walls_[side.number()].empty()) walls_[side.number()] = wall;
  for (auto& cut : cut_walls_)
    if (cut.empty()) cut = wall;
  return *this;
}

namespace {
template <class Test>
bool any_wall(const Problem& problem, const Test& test) {
  for (const auto& side : problem.grid().sides())
    if (test(problem.wall(side))) return true;
  for (Index r = 0; r < problem.regions().size(); ++r)
    if (test(problem.cut_wall(r))) return true;
  return std::ranges::any_of(problem.parts(), [&](const WallPart& p) { return test(p.wall); });
}
}  // namespace

bool Problem::stream_is_nonlinear() const {
  return equation_.stream && (equation_.stream->law || reconstruction != "none");
}

bool Problem::is_nonlinear() const {
  return stream_is_nonlinear() || (equation_.reaction && !equation_.reaction->linear) ||
         any_wall(*this, [](const Wall& w) { return !w.is_linear(); });
}

bool Problem::walls_depend_on_time() const {
  return any_wall(*this, [](const Wall& w) { return w.depends_on_time(); });
}

bool Problem::data_change_in_time() const {
  return equation_.source.depends_on_time() || walls_depend_on_time() ||
         (equation_.stream && equation_.stream->velocity.depends_on_time()) ||
         (equation_.reaction && equation_.reaction->on_time) ||
         std::ranges::any_of(equation_.points, [](const PointSource& p) { return p.rate.depends_on_time(); });
}

void Problem::validate() const {
  if (!equation_.second_order)
    if (any_wall(*this, [](const Wall& w) { return w.needs_motion(); }))
      throw InputError("absorbing ends and impedances belong to equations of second order in time (waves)");
  if (!equation_.stream)
    if (any_wall(*this, [](const Wall& w) { return w.stream_end() && w.stream_end()->outlet(); }))
      throw InputError("outflow belongs to equations with something that carries the unknown");
  if (equation_.second_order) {
    if (equation_.stream) throw InputError("a wave is not carried along");
    if (equation_.reaction) throw InputError("a wave takes no reaction");
    if (any_wall(*this, [](const Wall& w) { return !w.is_linear(); }))
      throw InputError("a wave needs ends whose laws are linear");
    if (equation_.damping.depends_on_time()) throw InputError("damping must not depend on time");
    for (const Function& k : equation_.diffusion.coefficient)
      if (k.depends_on_time()) throw InputError("the speed of a wave must not depend on time");
  }
  for (const auto& side : grid_.sides())
    if (parts_.empty() && !periodic(side) && wall(side).empty())
      throw InputError("nothing is said of side '" + grid_.side_name(side) +
                       "': give it a condition, or a default for all sides not named");
  if (equation_.storage.depends_on_time())
    throw InputError(
        "what is stored (storage, density, heat capacity) must not depend on time: a storage "
        "that changes by itself would create or destroy the amount stored");
  for (const auto& point : equation_.points) {
    try {
      grid_.containing(point.at);
    } catch (const InputError& e) {
      throw InputError("point '" + point.name + "': " + e.what());
    }
    if (!regions_->keeps(regions_->label(point.at)))
      throw InputError("point '" + point.name + "' at " + grid_.place_text(point.at) + " lies in " +
                       regions_->name_of(regions_->label(point.at)) + ", which is cut out of the domain");
  }
}

}  // namespace williwaw
