// The least change, by the sum of squares over faces, that makes a velocity free of divergence: the gradient
// of a potential (Chorin, 1968), found by conjugate gradients.
#include <omp.h>

#include <algorithm>
#include <cmath>

#include "balance/face_kernels.hpp"
#include "domain/summing.hpp"
#include "grid/threads.hpp"
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

// The matrix of all links: Σ conductance·(φ_first − φ_second) for each unknown.
class Joined {
 public:
  Joined(const Grid& grid, const std::vector<Link>& links)
      : layout_({grid.size(0), grid.size(1), grid.size(2)}),
        threads_(grid.count() < worth_threads ? 1 : omp_get_max_threads()),
        dimension_(grid.dimension()) {
    const auto count = static_cast<std::size_t>(grid.count());
    diagonal_.assign(count, 0.0);
    for (int a = 0; a < dimension_; ++a) {
      low_[a].assign(count, 0.0);
      periodic_[a] = grid.axis(a).periodic();
    }
    for (const Link& l : links) {
      diagonal_[l.first] += l.conductance;
      if (l.second < 0) continue;
      diagonal_[l.second] += l.conductance;
      low_[l.axis][l.second] = l.conductance;
    }
    // What no link reaches stays where it is.
    for (Real& d : diagonal_) d = d > 0 ? d : 1;
  }

  // Conjugate gradients with the diagonal; `r` sums to nothing where no link leads outside.
  std::vector<Real> potential(std::vector<Real> r) const {
    const std::size_t count = r.size();
    std::vector<Real> x(count, 0.0), p(count, 0.0), ap(count);
    const faces::View<double> view{layout_.blocks().front().extent,
                                   periodic_,
                                   dimension_,
                                   diagonal_.data(),
                                   {low_[0].data(), low_[1].data(), low_[2].data()}};
    Real square = sum([&](std::size_t n) { return r[n] * r[n]; }), last = 1;
    const Real goal = 1e-26 * square;
    for (std::size_t k = 0; k < 20 * count && square > goal; ++k) {
      const Real product = sum([&](std::size_t n) { return r[n] * r[n] / diagonal_[n]; });
      const Real beta = k == 0 ? 0 : product / last;
      last = product;
      for (std::size_t n = 0; n < count; ++n) p[n] = r[n] / diagonal_[n] + beta * p[n];
      const Real curvature = faces::multiply(view, p.data(), ap.data(), threads_);
      if (!(curvature > 0)) break;
      const Real length = product / curvature;
      square = sum([&](std::size_t n) {
        x[n] += length * p[n];
        r[n] -= length * ap[n];
        return r[n] * r[n];
      });
    }
    return x;
  }

 private:
  template <class Term>
  Real sum(const Term& term) const {
    return sum_over(Reductions(layout_, threads_),
                    [&](Index n) { return term(static_cast<std::size_t>(n)); });
  }

  Layout layout_;
  int threads_, dimension_;
  std::array<bool, 3> periodic_{};
  std::vector<Real> diagonal_;
  std::array<std::vector<Real>, 3> low_;
};

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
  for (std::size_t s = 0; s < closures_.size(); ++s)
    for (std::size_t f = 0; adjustable_[s] && f < closures_[s].section().faces.size(); ++f) {
      const BoundaryFace& face = closures_[s].section().faces[f];
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
  const std::vector<Real> phi = Joined(g, links).potential(std::move(excess));
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
