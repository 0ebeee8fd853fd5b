// The least change, by the sum of squares over faces, that makes a velocity free of divergence: the gradient
// of a potential (Chorin, 1968).
#include <algorithm>
#include <cmath>

#include "domain/summing.hpp"
#include "solve/floating_pieces.hpp"
#include "williwaw/solve/linear_solver.hpp"
#include "williwaw/terms/face_velocities.hpp"

namespace williwaw {

namespace {

// A face between two unknowns, or between one and what lies beyond an open boundary (second < 0).
struct Link {
  Index first, second;
  Real conductance;
  Real* velocity;  ///< through the face, or inwards as a volume for boundaries
  Real area;
  int axis;
};

// Σ over links of conductance·(φ_first − φ_second) for each unknown.
FaceSystem system_of(const Grid& grid, const std::vector<Link>& links) {
  FaceSystem result;
  const auto count = static_cast<std::size_t>(grid.count());
  result.extent = {grid.size(0), grid.size(1), grid.size(2)};
  result.diagonal.assign(count, 0.0);
  for (int a = 0; a < grid.dimension(); ++a) {
    result.periodic[a] = grid.axis(a).periodic();
    for (auto* side : {&result.lower[a], &result.upper[a]}) side->assign(count, 0.0);
  }
  for (const Link& l : links) {
    result.diagonal[l.first] += l.conductance;
    if (l.second < 0) continue;
    result.diagonal[l.second] += l.conductance;
    result.lower[l.axis][l.second] = result.upper[l.axis][l.first] = -l.conductance;
  }
  // What no link reaches stays where it is.
  for (Real& d : result.diagonal) d = d > 0 ? d : 1;
  return result;
}

// The right-hand side sums to nothing where no link leads outside.
std::vector<Real> potential(const Grid& grid, const std::vector<Link>& links,
                            const std::vector<Real>& right) {
  const LinearSystem system = system_of(grid, links);
  const FloatingPieces floating = find_floating(std::get<FaceSystem>(system));
  const bool one = floating.pieces.empty() || floating.whole;
  const auto solver =
      make_solver(grid.dimension() > 1 && one ? "multigrid" : "cg", system, {.tolerance = 1e-13});
  solver->factor(system);
  std::vector<Real> phi(right.size());
  solver->solve(right, phi);
  return phi;
}

}  // namespace

void FaceVelocities::correct(Sample& sample) {
  const Grid& g = problem_.grid();
  std::vector<Link> links;
  for (int a = 0; a < g.dimension(); ++a) {
    Index stride = 1;
    for (int b = 0; b < a; ++b) stride *= g.size(b);
    for (Index k = 0, n = 0; k < g.size(2); ++k)
      for (Index j = 0; j < g.size(1); ++j) {
        const Areas row = areas(a, j, k);
        for (Index i = 0; i < g.size(0); ++i, ++n) {
          const Index at = a == 0 ? i : a == 1 ? j : k;
          // Across the seam the last face is a copy of the first.
          const bool first = at == 0;
          if (first && !g.axis(a).periodic()) continue;
          const Index below = first ? n + (g.size(a) - 1) * stride : n - stride;
          if (const Real area = row.factor * row.values[i]; area > 0)
            links.push_back(
                {below, n, area / g.axis(a).gaps()[at], &sample.faces[a][face_number(a, i, j, k)], area, a});
        }
      }
  }
  const std::size_t inner = links.size();
  for (std::size_t s = 0; s < sections_.size(); ++s)
    for (std::size_t f = 0; adjustable_[s] && f < sections_[s]->faces.size(); ++f) {
      const BoundaryFace& face = sections_[s]->faces[f];
      const Real width = g.axis(face.axis).widths()[g.position(face.unknown)[face.axis]];
      links.push_back(
          {face.unknown, -1, face.area / (0.5 * width), &sample.inward[s][f], face.area, face.axis});
    }
  std::vector<Real> excess(static_cast<std::size_t>(g.count()), 0.0);
  for (std::size_t l = 0; l < inner; ++l) {
    excess[links[l].first] += *links[l].velocity * links[l].area;
    excess[links[l].second] -= *links[l].velocity * links[l].area;
  }
  Real present = 0;
  for (std::size_t s = 0; s < sections_.size(); ++s)
    for (std::size_t f = 0; f < sections_[s]->faces.size(); ++f)
      excess[sections_[s]->faces[f].unknown] -= sample.inward[s][f];
  for (Index n = 0; n < g.count(); ++n)
    if (outline_.active(n)) {
      present += 1;
      correction_.divergence_before =
          std::max(correction_.divergence_before, std::abs(excess[n]) / fixed_->volumes[n]);
    }
  const Layout layout({g.size(0), g.size(1), g.size(2)});
  const Real closed =
      sum_over(Reductions(layout), [&](Index n) { return outline_.active(n) ? excess[n] : 0.0; });
  // Without an outlet that can give way, what comes in too much is spread evenly.
  if (links.size() == inner)
    for (Index n = 0; n < g.count(); ++n)
      if (outline_.active(n)) excess[n] -= closed / present;
  for (Real& e : excess) e = -e;
  const std::vector<Real> phi = potential(g, links, excess);
  Real changed = 0, whole = 0;
  for (std::size_t l = 0; l < links.size(); ++l) {
    const Link& link = links[l];
    const bool boundary = l >= inner;
    const Real flow = link.conductance * (phi[link.first] - (boundary ? 0 : phi[link.second]));
    const Real before = boundary ? *link.velocity / link.area : *link.velocity, change = flow / link.area;
    if (boundary)
      *link.velocity -= flow;
    else
      *link.velocity += change;
    changed += link.area * change * change;
    whole += link.area * before * before;
    correction_.largest = std::max(correction_.largest, std::abs(change));
  }
  join_seams(sample);
  if (whole > 0) correction_.fraction = std::max(correction_.fraction, std::sqrt(changed / whole));
}

}  // namespace williwaw
