#include <algorithm>
#include <cmath>

#include "williwaw/terms/system_terms.hpp"

namespace williwaw {

namespace {

class EvaluatedCrossDiffusion final : public EvaluatedTerm {
 public:
  EvaluatedCrossDiffusion(const CrossDiffusionTerm& term, Real time) : term_(term), time_(time) {}
  void add(const Line& line, std::span<const LineRates> rates) const override {
    term_.add(time_, line, rates);
  }
  void linearise_between(const Evaluation& now, std::span<const Real> y, Real b, Parts parts,
                         std::vector<Triplet>& entries) const override {
    term_.linearise_between(time_, now, y, b, parts, entries);
  }
  void add_through(const Evaluation& now, std::span<const Real> y, std::size_t unknown, std::size_t section,
                   std::span<Real> flows) const override {
    term_.add_through(time_, now, y, unknown, section, flows);
  }
  void bound(std::vector<DataBounds>& pieces) const override { pieces.emplace_back().steady = true; }
  void set(Real time) { time_ = time; }

 private:
  const CrossDiffusionTerm& term_;
  Real time_;
};

}  // namespace

// Diffusivities of a line of unknowns, of those beside it, and places.
struct CrossDiffusionTerm::Workspace final : TermScratch {
  explicit Workspace(Index nx) : places(nx) {
    for (auto& line : diffusivity) line.resize(static_cast<std::size_t>(nx));
  }
  Points places;
  std::array<std::vector<Real>, 5> diffusivity;  ///< here, below and above along y, below and above along z
};

CrossDiffusionTerm::CrossDiffusionTerm(CrossDiffusion cross, std::vector<SystemMember> unknowns,
                                       Conductances geometry, bool crossed)
    : cross_(std::move(cross)), unknowns_(std::move(unknowns)), geometry_(std::move(geometry)) {
  geometry_.update(0, {});
  const SystemMember &of = unknowns_[cross_.of], &by = unknowns_[cross_.by];
  for (const BoundaryClosure& own : of.closures->all())
    for (const BoundaryClosure& other : by.closures->all())
      if (crossed && own.section().boundary.holds() && !other.section().boundary.holds() &&
          own.section().side == other.section().side)
        throw InputError(
            Subject::boundary,
            "'" + own.section().name +
                "': cross diffusion needs the gradient beside a boundary that holds a value, and "
                "the other unknown, which crosses too, holds none there: let both hold values, "
                "or none of them");
}

Needs CrossDiffusionTerm::needs() const {
  Needs result;
  result.unknowns.clear();
  for (const SystemMember& m : unknowns_) result.unknowns.push_back(m.of.number);
  result.linear = result.same_matrix = !cross_.on_unknowns;
  // What values on a boundary do to the diffusivity there is left out of the matrix.
  result.exact_matrix = !cross_.on_unknowns;
  result.steady_matrix = !cross_.on_time;
  result.symmetric = false;
  result.parts = Parts::fluxes();
  return result;
}

std::unique_ptr<TermScratch> CrossDiffusionTerm::scratch() const {
  return std::make_unique<Workspace>(unknowns_.front().of.domain->grid().size(0));
}

void CrossDiffusionTerm::evaluate(const Instant& instant, const Evaluation&,
                                  std::shared_ptr<EvaluatedTerm>& evaluated) const {
  renewed<EvaluatedCrossDiffusion>(evaluated, [&] {
    return std::make_shared<EvaluatedCrossDiffusion>(*this, instant.time);
  }).set(instant.time);
}

void CrossDiffusionTerm::values_of_line(Real time, const Real* y, Index number, Points& places,
                                        std::span<Real> out) const {
  const Grid& g = unknowns_.front().of.domain->grid();
  const Index nx = g.size(0);
  if (cross_.on_place)
    for (Index i = 0; i < nx; ++i) places.set(i, g.point(i, number % g.size(1), number / g.size(1)));
  std::vector<std::span<const Real>> u;
  for (const SystemMember& m : unknowns_)
    u.emplace_back(y + m.of.first + nx * number, static_cast<std::size_t>(nx));
  cross_.diffusivity(places, time, u, out);
}

// The value of an unknown on a face of the boundary of another, by its own conditions there.
Real CrossDiffusionTerm::value_beside(const Evaluation& now, std::size_t unknown, const BoundaryFace& face,
                                      Real inside) const {
  const EvaluatedBoundaryClosures& conditions = now.of(unknowns_[unknown].conditions);
  const Index line = face.unknown / unknowns_[unknown].of.domain->grid().size(0);
  Real sum = 0, area = 0;
  for (const EvaluatedBoundaryClosure& closure : conditions) {
    const BoundaryClosure& fixed = closure.closure();
    for (Index f = fixed.first_of_line(line); f < fixed.first_of_line(line + 1); ++f) {
      const BoundaryFace& own = fixed.face(f);
      if (own.unknown != face.unknown || own.axis != face.axis || own.upper != face.upper ||
          own.on_side != face.on_side)
        continue;
      sum += own.area * closure.boundary_value(f, inside);
      area += own.area;
    }
  }
  return area > 0 ? sum / area : inside;
}

CrossDiffusionTerm::OnBoundary CrossDiffusionTerm::on_boundary(Real time, const Evaluation& now,
                                                               const Real* y, std::size_t section,
                                                               Index number) const {
  const BoundaryFace& face = unknowns_[cross_.of].closures->all()[section].face(number);
  // On the boundary itself the unknown is prescribed, and nothing has to be known of what flows.
  if (face.distance <= 0) return {};
  std::vector<Real> values;
  for (std::size_t m = 0; m < unknowns_.size(); ++m)
    values.push_back(value_beside(now, m, face, y[unknowns_[m].of.first + face.unknown]));
  std::vector<std::span<const Real>> u;
  for (const Real& value : values) u.emplace_back(&value, 1);
  Points place(1);
  place.set(0, face.place);
  Real diffusivity = 0;
  cross_.diffusivity(place, time, u, {&diffusivity, 1});
  return {diffusivity * face.area / face.distance, values[cross_.by]};
}

void CrossDiffusionTerm::add(Real time, const Line& line, std::span<const LineRates> rates) const {
  const Grid& g = unknowns_.front().of.domain->grid();
  if (!line.parts.has(Parts::fluxes())) return;
  auto& workspace = static_cast<Workspace&>(*line.scratch);
  const Index nx = g.size(0), first = nx * line.number;
  const SystemMember& of = unknowns_[cross_.of];
  const LineRates& own = rates[static_cast<std::size_t>(of.of.number)];
  const Real* const w = line.y + unknowns_[cross_.by].of.first;
  auto& here = workspace.diffusivity[0];
  values_of_line(time, line.y, line.number, workspace.places, here);
  for (int axis = 0; axis < g.dimension(); ++axis) {
    if (!line.parts.has(Parts::flux(axis))) continue;
    std::array<const std::vector<Real>*, 2> beside{&here, &here};
    for (std::size_t side = 0; axis > 0 && side < 2; ++side) {
      auto& values = workspace.diffusivity[static_cast<std::size_t>(2 * axis - 1) + side];
      const Index next = g.neighbour(first, axis, side == 1);
      values_of_line(time, line.y, next < 0 ? line.number : next / nx, workspace.places, values);
      beside[side] = &values;
    }
    own.add_each(nx, [&](Index i) {
      const Index n = first + i;
      Real flow = 0;
      for (std::size_t side = 0; side < 2; ++side) {
        const Real conductance = geometry_.conductance(n, axis, side == 1);
        if (conductance == 0) continue;
        const Index m = g.neighbour(n, axis, side == 1);
        const Index place = axis == 0 ? m - first : i;
        flow += 0.5 * conductance * (here[i] + (*beside[side])[place]) * (w[m] - w[n]);
      }
      return flow;
    });
  }
  for (std::size_t c = 0; c < of.closures->all().size(); ++c) {
    const BoundaryClosure& closure = of.closures->all()[c];
    if (!closure.section().boundary.holds()) continue;
    for (Index f = closure.first_of_line(line.number); f < closure.first_of_line(line.number + 1); ++f) {
      if (!line.parts.has(Parts::flux(closure.face(f).axis))) continue;
      const OnBoundary there = on_boundary(time, line.now, line.y, c, f);
      const Index i = closure.unknown(f) - first;
      const Real flow = there.conductance * (there.value - w[closure.unknown(f)]);
      own.add(i, flow);
      if (line.booked)
        line.booked[closure.line()].leaf(of.of.domain->segments().number(line.number, i)) += flow;
    }
  }
}

void CrossDiffusionTerm::linearise_between(Real time, const Evaluation& now, std::span<const Real> y, Real b,
                                           Parts parts, std::vector<Triplet>& entries) const {
  const Grid& g = unknowns_.front().of.domain->grid();
  const Index nx = g.size(0);
  const auto length = static_cast<std::size_t>(g.count());
  const SystemMember &of = unknowns_[cross_.of], &by = unknowns_[cross_.by];
  const std::span<const Real> w = by.of.in(y);
  // Diffusivities everywhere, and their derivatives.
  std::vector<Real> d(length);
  std::vector<std::vector<Real>> slopes(cross_.on_unknowns ? unknowns_.size() : 0, std::vector<Real>(length));
  std::vector<Real> sizes;
  for (const SystemMember& m : unknowns_) {
    sizes.push_back(0);
    for (const Real v : m.of.in(y)) sizes.back() = std::max(sizes.back(), std::abs(v));
  }
  Points places(nx);
  for (Index l = 0; l < g.lines(); ++l) {
    const auto part = [&](auto& values) {
      return std::span(values).subspan(static_cast<std::size_t>(nx * l), static_cast<std::size_t>(nx));
    };
    values_of_line(time, y.data(), l, places, part(d));
    if (slopes.empty()) continue;
    std::vector<std::span<const Real>> u;
    std::vector<std::span<Real>> out;
    for (std::size_t m = 0; m < unknowns_.size(); ++m) {
      const std::span<const Real> values = unknowns_[m].of.in(y);
      u.push_back(part(values));
      out.push_back(part(slopes[m]));
    }
    cross_.differentiate(places, time, u, sizes, out);
  }
  const auto add = [&](Index row, std::size_t unknown, Index column, Real flow_by_column) {
    if (flow_by_column != 0)
      entries.push_back({of.of.first + row, unknowns_[unknown].of.first + column, -b * flow_by_column});
  };
  for (int axis = 0; axis < g.dimension(); ++axis) {
    if (!parts.has(Parts::flux(axis))) continue;
    for (Index n = 0; n < g.count(); ++n)
      for (const bool upwards : {false, true}) {
        const Real conductance = geometry_.conductance(n, axis, upwards);
        if (conductance == 0) continue;
        const Index m = g.neighbour(n, axis, upwards);
        const Real on_face = 0.5 * conductance * (d[n] + d[m]);
        add(n, cross_.by, m, on_face);
        add(n, cross_.by, n, -on_face);
        for (std::size_t k = 0; k < slopes.size(); ++k) {
          const Real difference = 0.5 * conductance * (w[m] - w[n]);
          add(n, k, n, difference * slopes[k][n]);
          add(n, k, m, difference * slopes[k][m]);
        }
      }
  }
  for (std::size_t c = 0; c < of.closures->all().size(); ++c) {
    const BoundaryClosure& closure = of.closures->all()[c];
    if (!closure.section().boundary.holds()) continue;
    for (Index f = 0; f < closure.faces(); ++f) {
      if (!parts.has(Parts::flux(closure.face(f).axis))) continue;
      const Index n = closure.unknown(f);
      const OnBoundary there = on_boundary(time, now, y.data(), c, f);
      // Values on the boundary are affine in those beside it.
      const Real moved = value_beside(now, cross_.by, closure.face(f), w[n] + 1);
      add(n, cross_.by, n, there.conductance * (moved - there.value - 1));
    }
  }
}

void CrossDiffusionTerm::add_through(Real time, const Evaluation& now, std::span<const Real> y,
                                     std::size_t unknown, std::size_t section, std::span<Real> flows) const {
  const BoundaryClosure& closure = unknowns_[cross_.of].closures->all()[section];
  if (unknown != cross_.of || !closure.section().boundary.holds()) return;
  const std::span<const Real> w = unknowns_[cross_.by].of.in(y);
  for (Index f = 0; f < closure.faces(); ++f) {
    const OnBoundary there = on_boundary(time, now, y.data(), section, f);
    flows[f] += there.conductance * (there.value - w[closure.unknown(f)]);
  }
}

}  // namespace williwaw
