#include <algorithm>
#include <cmath>

#include "terms/waves/wave_system_terms.hpp"

namespace williwaw {

Needs WaveFluxTerm::needs() const {
  Needs result;
  result.unknowns = {WaveUnknowns::p};
  for (int a = 0; a < medium_.axes(); ++a) result.unknowns.push_back(WaveUnknowns::stress + a);
  result.halo = 2;
  result.matrix = false;
  return result;
}

namespace {

/// What a boundary says about one of its faces at a time: value·u + q + rate·p = data, or how fast the place
/// moves.
struct BoundaryLaw {
  bool prescribes = false;
  Real value = 0, rate = 0, data = 0;
  Real moves = 0;
};

class EvaluatedWaveFlux final : public EvaluatedTerm {
 public:
  explicit EvaluatedWaveFlux(const WaveMedium& medium) : medium_(medium), laws_(medium.closures().size()) {}

  void add(const Line& line, std::span<const LineRates> rates) const override;
  void update(const Instant& instant);

 private:
  /// One axis of the state that a line belongs to.
  struct Along {
    int axis;
    Index stride, length;
    bool periodic;
    Real spacing;
    const Real *u, *p, *s;
  };
  /// A cell and where it lies along the axis.
  struct Cell {
    Index n, c;
  };

  Along along(int axis, const Real* y) const;
  std::vector<BoundaryLaw> laws_of(const BoundaryClosure& closure, Real time) const;
  LawLine sum_of_laws(const BoundaryClosure& closure, Index first, Index count, Real time) const;

  const WaveMedium::FaceOfClosure* boundary(const Along& a, Cell cell, bool upper) const {
    return medium_.boundary(cell.n, a.axis, upper);
  }
  static Cell next(const Along& a, Cell cell, bool upper);
  Real boundary_slope(const Along& a, const Real* f, Cell cell, bool upper) const;
  RateAndStress slopes(const Along& a, Cell cell) const;
  WaveFace::Side side(const Along& a, Cell cell, Real half) const;
  RateAndStress upper_face(const Along& a, Cell cell, Real& power, LineId& line) const;
  RateAndStress lower_face(const Along& a, Cell cell, Real& power, LineId& line) const;
  RateAndStress at_boundary(const Along& a, Cell cell, bool upper, Real& power, LineId& line) const;

  const WaveMedium& medium_;
  Real step_ = 0;
  std::vector<std::vector<BoundaryLaw>> laws_;  ///< by closure and face
};

EvaluatedWaveFlux::Along EvaluatedWaveFlux::along(int axis, const Real* y) const {
  const Grid& g = medium_.grid();
  Index stride = 1;
  for (int b = 0; b < axis; ++b) stride *= g.size(b);
  return {axis,
          stride,
          g.size(axis),
          g.axis(axis).periodic(),
          medium_.spacing(axis),
          wave_block(medium_, y, WaveUnknowns::u),
          wave_block(medium_, y, WaveUnknowns::p),
          wave_block(medium_, y, WaveUnknowns::stress + axis)};
}

void EvaluatedWaveFlux::update(const Instant& instant) {
  step_ = instant.step;
  for (std::size_t c = 0; c < laws_.size(); ++c) {
    const BoundaryClosure& closure = medium_.closures()[c];
    if (laws_[c].empty() || closure.depends_on_time()) laws_[c] = laws_of(closure, instant.time);
  }
}

// The laws of all conditions on some faces of a boundary, added up.
LawLine EvaluatedWaveFlux::sum_of_laws(const BoundaryClosure& closure, Index first, Index count,
                                       Real time) const {
  const auto faces = static_cast<std::size_t>(count);
  Points places(count);
  std::vector<Real> conductivity, storage;
  for (Index f = 0; f < count; ++f) {
    const BoundaryFace& face = closure.face(first + f);
    places.set(f, face.place);
    conductivity.push_back(medium_.conductivity(face.axis, face.unknown));
    storage.push_back(medium_.storage(face.unknown));
  }
  LawLine sum(faces);
  for (const auto& condition : closure.section().boundary.conditions()) {
    LawLine one(faces);
    condition->law({places, time, conductivity, storage, {}}, one);
    for (std::size_t f = 0; f < faces; ++f) {
      sum.value[f] += one.value[f];
      sum.rate[f] += one.rate[f];
      sum.data[f] += one.data[f];
      sum.flux[f] = one.flux[f];
    }
  }
  return sum;
}

std::vector<BoundaryLaw> EvaluatedWaveFlux::laws_of(const BoundaryClosure& closure, Real time) const {
  const LawLine law = sum_of_laws(closure, 0, closure.faces(), time);
  std::vector<BoundaryLaw> result(static_cast<std::size_t>(closure.faces()));
  for (std::size_t f = 0; f < result.size(); ++f) {
    result[f] = {law.flux[f] == 0, law.value[f], law.rate[f], law.data[f], 0};
    if (!result[f].prescribes || !closure.depends_on_time()) continue;
    // A prescribed place is a prescribed rate; its change in time over a short while.
    const auto face = static_cast<Index>(f);
    const BoundaryFace& where = closure.face(face);
    const Real interval =
        1e-4 * medium_.spacing(where.axis) *
        std::sqrt(medium_.storage(where.unknown) / medium_.conductivity(where.axis, where.unknown));
    const Real later = sum_of_laws(closure, face, 1, time + interval).data[0],
               earlier = sum_of_laws(closure, face, 1, time - interval).data[0];
    result[f].moves = (later - earlier) / (2 * interval * law.value[f]);
  }
  return result;
}

EvaluatedWaveFlux::Cell EvaluatedWaveFlux::next(const Along& a, Cell cell, bool upper) {
  if (upper) {
    if (cell.c + 1 < a.length) return {cell.n + a.stride, cell.c + 1};
    return {cell.n - (a.length - 1) * a.stride, 0};
  }
  if (cell.c > 0) return {cell.n - a.stride, cell.c - 1};
  return {cell.n + (a.length - 1) * a.stride, a.length - 1};
}

// The slope of rate or stress beside a boundary.
Real EvaluatedWaveFlux::boundary_slope(const Along& a, const Real* f, Cell cell, bool upper) const {
  if (boundary(a, cell, !upper)) return 0;
  const Cell inner = next(a, cell, !upper);
  const Real d = upper ? f[cell.n] - f[inner.n] : f[inner.n] - f[cell.n];
  if (medium_.flux().half_step_ahead) {
    // What meets the boundary half a step later is still on its way.
    return d * (1 - step_ / a.spacing * medium_.speed(a.axis, cell.n));
  }
  const bool two_cells = boundary(a, inner, !upper) != nullptr;
  if (medium_.flux().centred || two_cells) return medium_.flux().centred ? d : 0.0;
  // What overshoots at a boundary comes back from it: the slope there is no steeper than the one inside.
  const Cell innermost = next(a, inner, !upper);
  const Real e = upper ? f[inner.n] - f[innermost.n] : f[innermost.n] - f[inner.n];
  return d * e <= 0 ? 0.0 : std::abs(d) < std::abs(e) ? d : e;
}

// What runs up and what runs down are limited each by itself: of limited rates and stresses that are not,
// both together can grow whatever the step (LeVeque, 2002).
RateAndStress EvaluatedWaveFlux::slopes(const Along& a, Cell cell) const {
  const bool low_boundary = boundary(a, cell, false), high_boundary = boundary(a, cell, true);
  if (low_boundary || high_boundary) {
    // Beside a boundary the one difference there is stands for both.
    if (medium_.flux().centred || (low_boundary && high_boundary)) return {};
    return {boundary_slope(a, a.p, cell, high_boundary), boundary_slope(a, a.s, cell, high_boundary)};
  }
  const Index low = next(a, cell, false).n, here = cell.n, high = next(a, cell, true).n;
  const Real z = medium_.impedance(a.axis, here);
  const Real p_before = a.p[here] - a.p[low], p_after = a.p[high] - a.p[here];
  const Real s_before = a.s[here] - a.s[low], s_after = a.s[high] - a.s[here];
  const Slope slope = medium_.slope();
  const Real up = slope(s_before - z * p_before, s_after - z * p_after),
             down = slope(s_before + z * p_before, s_after + z * p_after);
  return {0.5 * (down - up) / z, 0.5 * (down + up)};
}

// One side of a face with the slope that reaches to it.
WaveFace::Side EvaluatedWaveFlux::side(const Along& a, Cell cell, Real half) const {
  const RateAndStress slope = slopes(a, cell);
  return {{a.p[cell.n] + half * slope.p, a.s[cell.n] + half * slope.s},
          medium_.storage(cell.n),
          medium_.conductivity(a.axis, cell.n),
          medium_.impedance(a.axis, cell.n)};
}

// The boundary's law meets the characteristic from inside, q − Z·p* = what comes, with q the force into the
// domain.
RateAndStress EvaluatedWaveFlux::at_boundary(const Along& a, Cell cell, bool upper, Real& power,
                                             LineId& line) const {
  const WaveMedium::FaceOfClosure& found = *boundary(a, cell, upper);
  const BoundaryClosure& closure = medium_.closures()[static_cast<std::size_t>(found.closure)];
  const BoundaryLaw& law =
      laws_[static_cast<std::size_t>(found.closure)][static_cast<std::size_t>(found.face)];
  const Real half = upper ? 0.5 : -0.5;
  const Real p = a.p[cell.n] + half * boundary_slope(a, a.p, cell, upper),
             stress = a.s[cell.n] + half * boundary_slope(a, a.s, cell, upper);
  const Real z = medium_.impedance(a.axis, cell.n);
  const Real comes = (upper ? stress : -stress) - z * p;
  Real moves = law.moves, force = comes + z * moves;
  if (!law.prescribes) {
    const Real pushed = law.data - law.value * a.u[cell.n];
    moves = (pushed - comes) / (law.rate + z);
    force = pushed - law.rate * moves;
  }
  power = closure.area(found.face) * force * moves;
  line = closure.line();
  return {moves, upper ? force : -force};
}

RateAndStress EvaluatedWaveFlux::upper_face(const Along& a, Cell cell, Real& power, LineId& line) const {
  if (boundary(a, cell, true)) return at_boundary(a, cell, true, power, line);
  const Cell above = next(a, cell, true);
  return medium_.flux().between({side(a, cell, 0.5), side(a, above, -0.5), a.spacing, step_});
}

RateAndStress EvaluatedWaveFlux::lower_face(const Along& a, Cell cell, Real& power, LineId& line) const {
  if (boundary(a, cell, false)) return at_boundary(a, cell, false, power, line);
  return upper_face(a, next(a, cell, false), power, line);
}

// Faces along x are gone through once; those across belong to the lines on both sides, which find them alike.
void EvaluatedWaveFlux::add(const Line& line, std::span<const LineRates> rates) const {
  const Grid& g = medium_.grid();
  const Domain& domain = medium_.domain();
  const Index start = g.size(0) * line.number;
  std::array<Along, 3> axes;
  for (int a = 0; a < g.dimension(); ++a) axes[static_cast<std::size_t>(a)] = along(a, line.y);
  Real* const out_p = rates[WaveUnknowns::p].flows();
  for (const auto& run : domain.runs(line.number)) {
    RateAndStress before;
    for (Index i = run.first; i < run.first + run.count; ++i) {
      const Index n = start + i, leaf = domain.segments().number(line.number, i);
      for (int axis = 0; axis < g.dimension(); ++axis) {
        const Along& a = axes[static_cast<std::size_t>(axis)];
        const Cell here{n, axis == 0 ? i : axis == 1 ? line.j : line.k};
        std::array<Real, 2> power{};
        std::array<LineId, 2> booked{};
        const RateAndStress below =
            axis == 0 && i > run.first ? before : lower_face(a, here, power[0], booked[0]);
        const RateAndStress above = upper_face(a, here, power[1], booked[1]);
        if (axis == 0) before = above;
        for (std::size_t side = 0; side < 2; ++side)
          if (power[side] != 0) line.booked[booked[side]].leaf(leaf) += power[side];
        out_p[i] += (above.s - below.s) / (a.spacing * medium_.storage(n));
        rates[static_cast<std::size_t>(WaveUnknowns::stress) + static_cast<std::size_t>(axis)].flows()[i] +=
            medium_.conductivity(axis, n) * (above.p - below.p) / a.spacing;
      }
    }
  }
}

}  // namespace

void WaveFluxTerm::evaluate(const Instant& instant, const Evaluation&,
                            std::shared_ptr<EvaluatedTerm>& evaluated) const {
  renewed<EvaluatedWaveFlux>(evaluated, [&] {
    return std::make_shared<EvaluatedWaveFlux>(medium_);
  }).update(instant);
}

}  // namespace williwaw
