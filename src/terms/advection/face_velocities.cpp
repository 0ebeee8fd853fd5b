#include "williwaw/terms/face_velocities.hpp"

#include <algorithm>
#include <cmath>

#include "grid/threads.hpp"
#include "terms/advection/velocity_of_whole.hpp"

namespace williwaw {

namespace {

// Numbers of all instants that are kept at once.
constexpr Index most_kept = 20'000'000;

Real middle(const Axis& axis, Index i) {
  return 0.5 * (axis.bounds()[i] + axis.bounds()[i + 1]);
}

}  // namespace

FaceVelocities::FaceVelocities(const Problem& problem, const Domain& domain,
                               const std::vector<BoundaryClosure>& closures)
    : FaceVelocities(problem, domain, [&] {
        Sections sections;
        for (const BoundaryClosure& c : closures) sections.push_back(&c.section());
        return sections;
      }()) {}

FaceVelocities::FaceVelocities(const Problem& problem, const Domain& domain, Sections sections)
    : problem_(problem),
      outline_(domain.outline()),
      box_(domain.shared_box()),
      threads_(threads_for(problem.grid().count(), domain.threads())),
      sections_(std::move(sections)),
      velocity_(problem.equation().advection->velocity) {
  const Grid& g = problem_.grid();
  if (velocity_.stream_function && g.dimension() != 2)
    throw InputError(Subject::velocity,
                     "a stream function gives a velocity in a plane of two axes, and this grid has " +
                         std::to_string(g.dimension()));
  for (int a = 0; a < g.dimension(); ++a)
    if (velocity_.stream_function && g.axis(a).coordinates() != Coordinates::cartesian)
      throw InputError(Subject::velocity, "a stream function is for straight axes");
  even_ = outline_.whole() && !velocity_.depends_on_place() && !velocity_.divergence_free;
  const bool outlets = std::ranges::any_of(sections_, [](const BoundarySection* section) {
    const AdvectiveBoundary* end = section->boundary.advective_boundary();
    return end && end->outlet();
  });
  for (const BoundarySection* section : sections_) {
    const AdvectiveBoundary* end = section->boundary.advective_boundary();
    open_.push_back(end ? 1 : 0);
    adjustable_.push_back(end && (end->outlet() || !outlets) ? 1 : 0);
  }
  Fixed fixed{areas_of_faces(), std::vector<Real>(static_cast<std::size_t>(g.count()))};
  for (Index n = 0; n < g.count(); ++n) fixed.volumes[n] = g.volume_of(n) * outline_.volume_fraction(n);
  fixed_ = std::make_shared<const Fixed>(std::move(fixed));
  if (velocity_.divergence_free && !box_->whole()) of_whole_ = std::make_shared<OfWhole>(*this, domain);
}

Index FaceVelocities::faces(int axis) const {
  const Grid& g = problem_.grid();
  Index count = 1;
  for (int a = 0; a < 3; ++a) count *= g.size(a) + (a == axis ? 1 : 0);
  return count;
}

Index FaceVelocities::face_number(int axis, Index i, Index j, Index k) const {
  const Grid& g = problem_.grid();
  return i + (g.size(0) + (axis == 0 ? 1 : 0)) * (j + (g.size(1) + (axis == 1 ? 1 : 0)) * k);
}

// Of a face below unknown (i, j, k), or above the last one: 0 at boundaries.
Real FaceVelocities::area_of(int axis, Index i, Index j, Index k) const {
  const Grid& g = problem_.grid();
  const std::array<Index, 3> at{i, j, k};
  const Axis& along = g.axis(axis);
  const Index size = along.size(), f = at[axis];
  if (!along.periodic() && (f == 0 || f == size)) return 0;
  Real area = along.area(along.bounds()[f]);
  for (int a = 0; a < g.dimension(); ++a)
    if (a != axis) area *= g.axis(a).measures()[at[a]];
  std::array<Index, 3> below = at, above = at;
  below[axis] = f == 0 ? size - 1 : f - 1;
  above[axis] = f == size ? 0 : f;
  const Index low = g.number(below[0], below[1], below[2]), high = g.number(above[0], above[1], above[2]);
  if (outline_.whole()) return area;
  // Across the seam the face belongs to the unknown before it.
  return area *
         (f == 0 || f == size ? outline_.open(low, axis, true) : outline_.open_between(low, high, axis));
}

std::array<std::vector<Real>, 3> FaceVelocities::areas_of_faces() const {
  std::array<std::vector<Real>, 3> result;
  const Grid& g = problem_.grid();
  for (int a = 0; a < g.dimension(); ++a) {
    if (outline_.whole()) {
      // The factor of line (j, k) is left out.
      for (Index i = 0; i < g.size(0) + (a == 0 ? 1 : 0); ++i) {
        const bool boundary = a == 0 && !g.axis(0).periodic() && (i == 0 || i == g.size(0));
        result[a].push_back(boundary ? 0
                            : a == 0 ? g.axis(0).area(g.axis(0).bounds()[i])
                                     : g.axis(0).measures()[i]);
      }
      continue;
    }
    result[a].resize(static_cast<std::size_t>(faces(a)));
    for (Index k = 0; k < g.size(2) + (a == 2 ? 1 : 0); ++k)
      for (Index j = 0; j < g.size(1) + (a == 1 ? 1 : 0); ++j)
        for (Index i = 0; i < g.size(0) + (a == 0 ? 1 : 0); ++i)
          result[a][face_number(a, i, j, k)] = area_of(a, i, j, k);
  }
  return result;
}

FaceVelocities::Areas FaceVelocities::areas(int axis, Index j, Index k) const {
  const Grid& g = problem_.grid();
  if (!outline_.whole()) return {fixed_->areas[axis].data() + face_number(axis, 0, j, k), 1, 0};
  Real factor = 1;
  const std::array<Index, 3> at{0, j, k};
  for (int a = 1; a < g.dimension(); ++a) {
    const Axis& other = g.axis(a);
    if (a != axis)
      factor *= other.measures()[at[a]];
    else
      factor *=
          !other.periodic() && (at[a] == 0 || at[a] == other.size()) ? 0 : other.area(other.bounds()[at[a]]);
  }
  const Real* const values = fixed_->areas[axis].data();
  const bool even = g.axis(0).is_uniform() && g.axis(0).unknowns() == Unknowns::cells;
  return {values, factor, even ? factor * values[g.size(0) / 2] : 0};
}

const Real* FaceVelocities::row(int axis, Index j, Index k) const {
  return now_.faces[axis].data() + (even_ ? 0 : face_number(axis, 0, j, k));
}

void FaceVelocities::evaluate_faces(Real at, int axis, std::vector<Real>& out) const {
  const Grid& g = problem_.grid();
  const Function& v = velocity_.along[g.direction(axis)];
  if (even_) {
    out.assign(static_cast<std::size_t>(g.size(0)) + 1, v(Point{}, at));
    return;
  }
  out.resize(static_cast<std::size_t>(faces(axis)));
  const Index nx = g.size(0) + (axis == 0 ? 1 : 0);
  Points line(nx);
  const auto place = [&](int a, Index i) { return a == axis ? g.axis(a).bounds()[i] : middle(g.axis(a), i); };
  for (Index k = 0; k < g.size(2) + (axis == 2 ? 1 : 0); ++k)
    for (Index j = 0; j < g.size(1) + (axis == 1 ? 1 : 0); ++j) {
      for (Index i = 0; i < nx; ++i) {
        Point p;
        p[g.direction(0)] = place(0, i);
        if (g.dimension() > 1) p[g.direction(1)] = place(1, j);
        if (g.dimension() > 2) p[g.direction(2)] = place(2, k);
        line.set(i, p);
      }
      v.evaluate(line, at, {out.data() + face_number(axis, 0, j, k), static_cast<std::size_t>(nx)});
    }
}

// The flow through a face is the difference of the stream function between its corners, so that what leaves a
// control volume sums to nothing but round-off.
void FaceVelocities::evaluate_stream_function(Real at, Sample& out) const {
  const Grid& g = problem_.grid();
  const Index nx = g.size(0), ny = g.size(1);
  std::vector<Real> psi(static_cast<std::size_t>((nx + 1) * (ny + 1)));
  on_all_threads(
      ny + 1, threads_, [nx] { return Points(nx + 1); },
      [&](Points& line, Index j) {
        for (Index i = 0; i <= nx; ++i) {
          Point p;
          p[g.direction(0)] = g.axis(0).bounds()[i];
          p[g.direction(1)] = g.axis(1).bounds()[j];
          line.set(i, p);
        }
        velocity_.stream_function->evaluate(line, at,
                                            {psi.data() + (nx + 1) * j, static_cast<std::size_t>(nx + 1)});
      });
  for (int a = 0; a < 2; ++a) out.faces[a].resize(static_cast<std::size_t>(faces(a)));
  for (Index j = 0; j < ny; ++j)
    for (Index i = 0; i <= nx; ++i)
      out.faces[0][face_number(0, i, j, 0)] =
          (psi[i + (nx + 1) * (j + 1)] - psi[i + (nx + 1) * j]) / g.axis(1).widths()[j];
  for (Index j = 0; j <= ny; ++j)
    for (Index i = 0; i < nx; ++i)
      out.faces[1][face_number(1, i, j, 0)] =
          -(psi[i + 1 + (nx + 1) * j] - psi[i + (nx + 1) * j]) / g.axis(0).widths()[i];
}

// Both ends of a periodic axis are one face.
void FaceVelocities::join_seams(Sample& sample) const {
  const Grid& g = problem_.grid();
  if (even_) return;
  for (int a = 0; a < g.dimension(); ++a) {
    if (!g.axis(a).periodic()) continue;
    for (Index n = 0; n < g.count(); ++n)
      if (auto at = g.position(n); at[a] == 0) {
        const Index from = face_number(a, at[0], at[1], at[2]);
        at[a] = g.size(a);
        sample.faces[a][face_number(a, at[0], at[1], at[2])] = sample.faces[a][from];
      }
  }
}

void FaceVelocities::evaluate_boundaries(Real at, Sample& out) {
  const Grid& g = problem_.grid();
  out.inward.resize(sections_.size());
  measured_.against_boundaries = 0;
  for (std::size_t s = 0; s < sections_.size(); ++s) {
    const auto& faces_of = sections_[s]->faces;
    auto& inward = out.inward[s];
    inward.assign(faces_of.size(), 0.0);
    for (std::size_t f = 0; f < faces_of.size(); ++f) {
      const BoundaryFace& face = faces_of[f];
      const auto at_unknown = g.position(face.unknown);
      Real outward = 0;
      for (int a = 0; a < g.dimension(); ++a) {
        const Real n = face.normal[g.direction(a)];
        if (n == 0) continue;
        if (face.on_side && !even_) {
          // The face is one of those that were evaluated.
          auto i = at_unknown;
          if (face.upper) ++i[a];
          outward += n * out.faces[a][face_number(a, i[0], i[1], i[2])];
        } else if (velocity_.stream_function) {
          auto i = at_unknown;
          const Real low = out.faces[a][face_number(a, i[0], i[1], i[2])];
          ++i[a];
          const Real high = out.faces[a][face_number(a, i[0], i[1], i[2])];
          outward += n * (face.normal[g.direction(a)] > 0 ? high : low);
        } else {
          outward += n * velocity_.along[g.direction(a)](face.place, at);
        }
      }
      if (open_[s])
        inward[f] = -outward * face.area;
      else
        measured_.against_boundaries = std::max(measured_.against_boundaries, std::abs(outward));
    }
  }
}

void FaceVelocities::evaluate(Real at, Sample& out) {
  const Grid& g = problem_.grid();
  if (out.ready && out.time == at) return;
  if (velocity_.stream_function)
    evaluate_stream_function(at, out);
  else
    for (int a = 0; a < g.dimension(); ++a) evaluate_faces(at, a, out.faces[a]);
  join_seams(out);
  evaluate_boundaries(at, out);
  out.time = at;
  out.ready = true;
  for (int a = 0; a < g.dimension(); ++a)
    for (std::size_t f = 0; f < out.faces[a].size(); ++f)
      if (!std::isfinite(out.faces[a][f])) {
        // Behind an outline nothing need be known.
        if (outline_.whole() || fixed_->areas[a][f] > 0)
          throw DataError(Subject::velocity, "",
                          "the velocity along " + g.axis(a).name() +
                              " is not a finite number everywhere at time " + to_text(at));
        out.faces[a][f] = 0;
      }
  if (of_whole_)
    of_whole_->take(*this, at, out);
  else if (velocity_.divergence_free)
    correct(out);
}

std::shared_ptr<const FaceVelocities::Sample> FaceVelocities::sample_at(
    Real at, const std::shared_ptr<const Sample>& known) {
  if (known) return known;
  const auto sample = std::make_shared<Sample>();
  evaluate(at, *sample);
  return sample;
}

void FaceVelocities::interpolate(Real at) {
  const auto& instants = velocity_.instants;
  const auto count = static_cast<Index>(instants.size());
  Real t = at, offset = 0;
  if (velocity_.period > 0) {
    offset = velocity_.period * std::floor((at - instants.front()) / velocity_.period);
    t = at - offset;
  }
  const Index next = std::ranges::upper_bound(instants, t) - instants.begin();
  const bool round = next == count && velocity_.period > 0;
  const Index first = next == 0 ? 0 : next - 1, second = round ? 0 : std::min(next, count - 1);
  const Real low = instants[first], high = instants[second] + (round ? velocity_.period : 0);
  samples_.resize(static_cast<std::size_t>(count));
  samples_[first] = sample_at(instants[first], samples_[first]);
  samples_[second] = sample_at(instants[second], samples_[second]);
  // As many as there is room for are kept for the next cycle.
  if (count * grid_count() > most_kept)
    for (Index n = 0; n < count; ++n)
      if (n != first && n != second) samples_[n] = {};
  const Sample &before = *samples_[first], &after = *samples_[second];
  const Real weight = high > low ? std::clamp((t - low) / (high - low), 0.0, 1.0) : 0;
  const auto mix = [weight](const std::vector<Real>& a, const std::vector<Real>& b, std::vector<Real>& out) {
    out.resize(a.size());
    for (std::size_t n = 0; n < a.size(); ++n) out[n] = (1 - weight) * a[n] + weight * b[n];
  };
  for (int a = 0; a < problem_.grid().dimension(); ++a) mix(before.faces[a], after.faces[a], now_.faces[a]);
  now_.inward.resize(before.inward.size());
  for (std::size_t s = 0; s < before.inward.size(); ++s)
    mix(before.inward[s], after.inward[s], now_.inward[s]);
}

bool FaceVelocities::update(Real at) {
  if (now_.ready && (!depends_on_time() || at == now_.time)) return false;
  if (velocity_.instants.empty()) {
    now_.ready = false;
    evaluate(at, now_);
  } else {
    interpolate(at);
  }
  now_.ready = true;
  now_.time = at;
  measure();
  return true;
}

// Through the faces below and above an unknown. Closed faces carry nothing, whatever is known there.
std::pair<Real, Real> FaceVelocities::beside(int axis, Index n) const {
  const Grid& g = problem_.grid();
  const auto p = g.position(n);
  const auto through = [&](Index i, Index j, Index k) {
    const Areas area = areas(axis, j, k);
    const Index size = g.size(axis), at = axis == 0 ? i : axis == 1 ? j : k;
    const bool side = !g.axis(axis).periodic() && (at == 0 || at == size);
    // Sides of the grid are boundaries, whose areas count elsewhere.
    return side || area.factor * area.values[i] > 0 ? row(axis, j, k)[i] : 0;
  };
  return {through(p[0], p[1], p[2]), through(p[0] + (axis == 0), p[1] + (axis == 1), p[2] + (axis == 2))};
}

std::array<Real, 3> FaceVelocities::at(Index n) const {
  std::array<Real, 3> result{0, 0, 0};
  for (int a = 0; a < problem_.grid().dimension(); ++a) {
    const auto [low, high] = beside(a, n);
    result[a] = std::max(std::abs(low), std::abs(high));
  }
  return result;
}

void FaceVelocities::at_unknowns(int axis, std::span<Real> out) const {
  for (Index n = 0; n < problem_.grid().count(); ++n) {
    const auto [low, high] = beside(axis, n);
    out[static_cast<std::size_t>(n)] = outline_.active(n) ? 0.5 * (low + high) : 0;
  }
}

// What leaves the control volumes of a line, and what is largest there.
FaceVelocities::OfLine FaceVelocities::measure_line(Index j, Index k) {
  const Grid& g = problem_.grid();
  const Index nx = g.size(0), start = nx * (j + g.size(1) * k);
  OfLine line;
  std::array<const Real*, 3> low{}, high{};
  std::array<Areas, 3> low_area{}, high_area{};
  for (int a = 0; a < g.dimension(); ++a) {
    low[a] = row(a, j, k);
    high[a] = a == 0 ? low[0] + 1 : row(a, j + (a == 1), k + (a == 2));
    low_area[a] = areas(a, j, k);
    high_area[a] = a == 0 ? low_area[0].after() : areas(a, j + (a == 1), k + (a == 2));
  }
  for (Index i = 0; i < nx; ++i) {
    if (!outline_.active(start + i)) continue;
    const bool own = box_->owns(start + i);
    Real rate = 0;
    const std::array<Index, 3> at{i, j, k};
    for (int a = 0; a < g.dimension(); ++a) {
      const bool open_low = low_area[a].values[i] > 0, open_high = high_area[a].values[i] > 0;
      const Real v = std::max(open_low ? std::abs(low[a][i]) : 0, open_high ? std::abs(high[a][i]) : 0);
      if (own) line.largest[a] = std::max(line.largest[a], v);
      rate += v / g.axis(a).widths()[at[a]];
      measured_.divergence[start + i] += high_area[a].factor * high_area[a].values[i] * high[a][i] -
                                         low_area[a].factor * low_area[a].values[i] * low[a][i];
    }
    if (own && rate > line.fastest) {
      line.fastest = rate;
      line.fastest_at = start + i;
    }
  }
  return line;
}

void FaceVelocities::measure() {
  const Grid& g = problem_.grid();
  measured_.divergence.assign(static_cast<std::size_t>(g.count()), 0.0);
  std::vector<OfLine> lines(static_cast<std::size_t>(g.lines()));
  const auto each_line = [&](const auto& work) {
    on_all_threads(
        g.lines(), threads_, [] { return 0; },
        [&](int, Index l) { work(l, lines[static_cast<std::size_t>(l)]); });
  };
  each_line([&](Index l, OfLine& line) { line = measure_line(l % g.size(1), l / g.size(1)); });
  for (std::size_t s = 0; s < sections_.size(); ++s)
    for (std::size_t f = 0; f < now_.inward[s].size(); ++f)
      measured_.divergence[sections_[s]->faces[f].unknown] -= now_.inward[s][f];
  each_line([&](Index l, OfLine& line) {
    for (Index n = g.size(0) * l; n < g.size(0) * (l + 1); ++n) {
      if (!outline_.active(n) || !box_->owns(n)) continue;
      const Real out = measured_.divergence[n] / fixed_->volumes[n];
      line.expanding = std::max(line.expanding, out);
      line.compressing = std::max(line.compressing, -out);
    }
  });
  measured_.largest = {0, 0, 0};
  measured_.fastest = measured_.expanding = measured_.compressing = 0;
  for (const OfLine& line : lines) {
    for (int a = 0; a < 3; ++a) measured_.largest[a] = std::max(measured_.largest[a], line.largest[a]);
    measured_.expanding = std::max(measured_.expanding, line.expanding);
    measured_.compressing = std::max(measured_.compressing, line.compressing);
    if (line.fastest > measured_.fastest) {
      measured_.fastest = line.fastest;
      measured_.fastest_at = line.fastest_at;
    }
  }
  std::array<Real, 7> most{measured_.largest[0],        measured_.largest[1], measured_.largest[2],
                           measured_.fastest,           measured_.expanding,  measured_.compressing,
                           measured_.against_boundaries};
  box_->communicator().highest(most);
  measured_.largest = {most[0], most[1], most[2]};
  measured_.fastest = most[3];
  measured_.expanding = most[4];
  measured_.compressing = most[5];
  measured_.against_boundaries = most[6];
}

bool FaceVelocities::compresses() const {
  return std::max(measured_.expanding, measured_.compressing) > 1e-9 * measured_.fastest;
}

}  // namespace williwaw
