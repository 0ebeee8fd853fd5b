// The least change, by the sum of squares over faces, that makes a velocity free of divergence: the gradient
// of a potential (Chorin, 1968), found by conjugate gradients.
#include <algorithm>
#include <cmath>

#include "domain/summing.hpp"
#include "williwaw/terms/face_velocities.hpp"

namespace williwaw {

namespace {

// A face between two unknowns, or between one and what lies beyond an open boundary (second < 0).
struct Link {
  Index first, second;
  Real conductance;
  Real* velocity;  ///< through the face, or inwards as a volume for boundaries
  Real area;
};

// Σ over links of conductance·(φ_first − φ_second), for each unknown.
void apply(const std::vector<Link>& links, const std::vector<Real>& phi, std::vector<Real>& out) {
  std::fill(out.begin(), out.end(), 0.0);
  for (const Link& l : links) {
    const Real flow = l.conductance * (phi[l.first] - (l.second < 0 ? 0 : phi[l.second]));
    out[l.first] += flow;
    if (l.second >= 0) out[l.second] -= flow;
  }
}

// Conjugate gradients with the diagonal; `right` sums to nothing where no link leads outside.
std::vector<Real> potential(const Grid& grid, const std::vector<Link>& links, std::vector<Real> r) {
  const Layout layout({grid.size(0), grid.size(1), grid.size(2)});
  const auto dot = [over = Reductions(layout)](const std::vector<Real>& a, const std::vector<Real>& b) {
    return over.dot(a, b);
  };
  const std::size_t count = r.size();
  std::vector<Real> diagonal(count, 0.0), x(count, 0.0), z(count), p(count, 0.0), ap(count);
  for (const Link& l : links) {
    diagonal[l.first] += l.conductance;
    if (l.second >= 0) diagonal[l.second] += l.conductance;
  }
  Real last = 1;
  const Real goal = 1e-26 * dot(r, r);
  for (std::size_t k = 0; k < 20 * count && dot(r, r) > goal; ++k) {
    for (std::size_t n = 0; n < count; ++n) z[n] = diagonal[n] > 0 ? r[n] / diagonal[n] : 0;
    const Real product = dot(r, z), beta = k == 0 ? 0 : product / last;
    last = product;
    for (std::size_t n = 0; n < count; ++n) p[n] = z[n] + beta * p[n];
    apply(links, p, ap);
    const Real curvature = dot(p, ap);
    if (!(curvature > 0)) break;
    const Real length = product / curvature;
    for (std::size_t n = 0; n < count; ++n) {
      x[n] += length * p[n];
      r[n] -= length * ap[n];
    }
  }
  return x;
}

}  // namespace

void FaceVelocities::correct(Sample& sample) {
  const Grid& g = problem_.grid();
  std::vector<Link> links;
  for (int a = 0; a < g.dimension(); ++a)
    for (Index n = 0; n < g.count(); ++n) {
      auto at = g.position(n);
      // Across the seam the last face is a copy of the first.
      const bool first = at[a] == 0;
      if (first && !g.axis(a).periodic()) continue;
      auto below = at;
      below[a] = first ? g.size(a) - 1 : at[a] - 1;
      const Areas row = areas(a, at[1], at[2]);
      const Real area = row.factor * row.values[at[0]];
      if (area > 0)
        links.push_back({g.number(below[0], below[1], below[2]), n, area / g.axis(a).gaps()[at[a]],
                         &sample.faces[a][face_number(a, at[0], at[1], at[2])], area});
    }
  const std::size_t inner = links.size();
  for (std::size_t s = 0; s < closures_.size(); ++s)
    for (std::size_t f = 0; adjustable_[s] && f < closures_[s].section().faces.size(); ++f) {
      const BoundaryFace& face = closures_[s].section().faces[f];
      const Real width = g.axis(face.axis).widths()[g.position(face.unknown)[face.axis]];
      links.push_back({face.unknown, -1, face.area / (0.5 * width), &sample.inward[s][f], face.area});
    }
  std::vector<Real> excess(static_cast<std::size_t>(g.count()), 0.0);
  for (std::size_t l = 0; l < inner; ++l) {
    excess[links[l].first] += *links[l].velocity * links[l].area;
    excess[links[l].second] -= *links[l].velocity * links[l].area;
  }
  Real present = 0;
  for (std::size_t s = 0; s < closures_.size(); ++s)
    for (std::size_t f = 0; f < closures_[s].section().faces.size(); ++f)
      excess[closures_[s].section().faces[f].unknown] -= sample.inward[s][f];
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
  const std::vector<Real> phi = potential(g, links, std::move(excess));
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
