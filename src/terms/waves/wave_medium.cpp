#include "terms/waves/wave_medium.hpp"

#include <algorithm>
#include <cmath>

#include "grid/named.hpp"
#include "terms/waves/fluxes/kinds.hpp"
#include "williwaw/terms/reconstruction.hpp"

namespace williwaw {

namespace {

void refuse(const Problem& problem) {
  const Grid& g = problem.grid();
  if (g.unknowns() != Unknowns::cells)
    throw InputError("form 'first-order' needs unknowns at cells, whose means it follows");
  for (int a = 0; a < g.dimension(); ++a)
    if (!g.axis(a).is_uniform())
      throw InputError("form 'first-order' needs uniform spacing, which axis " + g.axis(a).name() +
                       " has not");
  if (!problem.parts().empty() || problem.space_order != 2)
    throw InputError("form 'first-order' takes whole sides and differences of order 2");
}

}  // namespace

const std::vector<WaveFlux>& wave_fluxes() {
  static const std::vector<WaveFlux> all{
#define KIND(name) wave_fluxes_of::name(),
#include "terms/waves/fluxes/list.inc"
#undef KIND
  };
  return all;
}

const WaveFlux& wave_flux(const std::string& name) {
  return named(wave_fluxes(), name, Subject::numerical_flux, "numerical flux");
}

WaveMedium::WaveMedium(const ProblemTerms& parts)
    : parts_(parts), flux_(wave_flux(parts.problem->numerical_flux)) {
  const Problem& problem = *parts.problem;
  refuse(problem);
  if (flux_.half_step_ahead && problem.grid().dimension() > 1)
    throw InputError(
        Subject::numerical_flux,
        "numerical flux '" + flux_.name + "' is available in 1-D only; in 2-D use upwind with a limiter");
  slope_ = limiter_kind(problem.reconstruction).slope;
  const Grid& g = grid();
  const Equation& e = problem.equation();
  for (Index n = 0; n < g.count(); ++n) {
    const Point at = g.point_of(n);
    storage_.push_back(e.storage(at));
    damping_.push_back(e.damping(at));
    for (int a = 0; a < g.dimension(); ++a) {
      conductivity_[a].push_back(e.diffusion.coefficient[g.direction(a)](at));
      impedance_[a].push_back(std::sqrt(conductivity_[a].back() * storage_.back()));
    }
  }
  find_boundary();
}

void WaveMedium::find_boundary() {
  place_of_.assign(storage_.size(), -1);
  for (std::size_t c = 0; c < closures().size(); ++c) {
    const BoundarySection& section = closures()[c].section();
    for (const auto& condition : section.boundary.conditions())
      if (const Absorption* out = condition->absorption(); out && (out->order > 1 || out->layer > 0))
        throw InputError(
            Subject::boundary,
            "'" + section.name +
                "': absorbing boundaries of order 2 and 3 and layers need form 'second-order'; form "
                "'first-order' has order 1");
    for (Index f = 0; f < closures()[c].faces(); ++f) {
      const BoundaryFace& face = closures()[c].face(f);
      if (std::abs(std::abs(face.normal[grid().direction(face.axis)]) - 1) > 1e-9)
        throw InputError(Subject::boundary,
                         "'" + section.name + "': form 'first-order' takes outlines along grid faces only");
      // Beside a corner of an outline a face may lie within a cell whose neighbour is there.
      if (neighbour(face.unknown, face.axis, face.upper)) continue;
      if (place_of_[face.unknown] < 0) {
        place_of_[face.unknown] = static_cast<Index>(faces_.size());
        faces_.emplace_back();
      }
      faces_[place_of_[face.unknown]][2 * face.axis + (face.upper ? 1 : 0)] = {static_cast<std::ptrdiff_t>(c),
                                                                               f};
    }
  }
  for (Index n = 0; n < grid().count(); ++n)
    for (int a = 0; domain().outline().active(n) && domain().box().owns(n) && a < axes(); ++a)
      for (const bool upper : {false, true})
        if (!neighbour(n, a, upper) && !boundary(n, a, upper))
          throw InputError("form 'first-order' takes outlines along grid faces only");
}

// An active cell follows along the axis.
bool WaveMedium::neighbour(Index cell, int axis, bool upper) const {
  const Grid& g = grid();
  auto place = g.position(cell);
  Index& along = place[static_cast<std::size_t>(axis)];
  along += upper ? 1 : -1;
  if (g.axis(axis).periodic()) along = (along + g.size(axis)) % g.size(axis);
  if (along < 0 || along >= g.size(axis)) return false;
  return domain().outline().active(g.number(place[0], place[1], place[2]));
}

}  // namespace williwaw
