#include "williwaw/terms/diffusive_flows.hpp"

#include <algorithm>

#include "domain/lines.hpp"
#include "terms/diffusion/kernel_lines.hpp"

namespace williwaw {

EvaluatedDiffusion::EvaluatedDiffusion(const OfUnknown& of, Conductances conductances,
                                       const std::vector<Real>& no_flux, bool adds)
    : of_(of), conductances_(std::move(conductances)), no_flux_(no_flux), adds_(adds) {}

void EvaluatedDiffusion::update(Real time, std::span<const Real> u) {
  conductances_.update(time, u);
  still_ = conductances_.separable();
  for (int a = 0; still_ && a < of_.domain->grid().dimension(); ++a)
    still_ = conductances_.conductivity(a) == 0;
}

void EvaluatedDiffusion::flows(Index j, Index k, const Real* u, Parts parts, Real* out) const {
  const Grid& g = of_.domain->grid();
  const KernelLines lines{*this, u, parts};
  if (still_)
    std::fill_n(out, g.size(0), 0.0);
  else if (conductances_.separable())
    kernels::rate_separable(lines.separable(j, k), g.dimension(), of_.domain->across(j + g.size(1) * k),
                            g.axis(0).measures().data(), out);
  else
    kernels::rate_general(lines.general(j, k), g.dimension(), out);
}

void EvaluatedDiffusion::add(const Line& line, std::span<const LineRates> rates) const {
  if (!adds_) return;
  Real* const into = rates[static_cast<std::size_t>(of_.number)].flows();
  flows(line.j, line.k, line.y + of_.first, line.parts, into);
  if (conductances_.depends_on_state()) add_gravity(line, into);
}

// Through a face flows conductance·(difference of the unknowns + rise) downwards.
void EvaluatedDiffusion::add_gravity(const Line& line, Real* flows) const {
  const Grid& g = of_.domain->grid();
  for (int axis = 0; axis < g.dimension(); ++axis) {
    if (!line.parts.has(Parts::flux(axis)) || conductances_.rise(axis, axis == 0 ? 1 : 0) == 0) continue;
    const auto faces = conductances_.faces(axis);
    for (Index i = 0; i < g.size(0); ++i) {
      std::array<Index, 3> at{i, line.j, line.k};
      const Index along = at[static_cast<std::size_t>(axis)];
      const Index low = conductances_.face(axis, at[0], at[1], at[2]);
      ++at[static_cast<std::size_t>(axis)];
      const Index high = conductances_.face(axis, at[0], at[1], at[2]);
      flows[i] += faces[static_cast<std::size_t>(high)] * conductances_.rise(axis, along + 1) -
                  faces[static_cast<std::size_t>(low)] * conductances_.rise(axis, along);
    }
  }
}

// Gravity piles up what it moves.
void EvaluatedDiffusion::bound(std::vector<DataBounds>& pieces) const {
  DataBounds& result = pieces.emplace_back(DataBounds::nothing());
  for (int axis = 0; axis < of_.domain->grid().dimension(); ++axis)
    result.known = result.known && conductances_.rise(axis, 1) == 0;
}

void EvaluatedDiffusion::step(const Line& line, Real step, Real* next, Totals* counted, const Real* densities,
                              Real* sums) const {
  const Grid& g = of_.domain->grid();
  const int dimension = g.dimension();
  const KernelLines lines{*this, line.y + of_.first, line.parts};
  const Real* measures = g.axis(0).measures().data();
  const Real across = of_.domain->across(line.number);
  const LinearStorage& storage = conductances_.storage();
  const Index j = line.j, k = line.k;
  if (conductances_.separable()) {
    const Real per_volume = storage.per_volume(), scale = step / per_volume;
    const kernels::Made made{densities, scale, sums};
    if (counted)
      kernels::step_separable_counted(lines.separable(j, k), dimension, scale, made, measures, across,
                                      per_volume, next, counted);
    else
      kernels::step_separable(lines.separable(j, k), dimension, scale, made, next);
    return;
  }
  expect(densities == nullptr, "EvaluatedDiffusion::step: densities where coefficients do not vary");
  const LineCapacity of_line = storage.of_line(line.number);
  const kernels::Capacity capacity{of_line.values, of_line.factor,
                                   !of_line.of_each && g.axis(0).is_uniform() && g.size(0) > 2};
  if (counted)
    kernels::step_general_counted(lines.general(j, k), dimension, step, capacity, measures, across, next,
                                  counted);
  else
    kernels::step_general(lines.general(j, k), dimension, step, capacity, next);
}

void EvaluatedDiffusion::stage(const Line& line, const StageOfLine& stage) const {
  const Grid& g = of_.domain->grid();
  const KernelLines lines{*this, line.y + of_.first, line.parts};
  const LinearStorage& storage = conductances_.storage();
  if (conductances_.separable()) {
    kernels::stage_separable(lines.separable(line.j, line.k), g.dimension(), stage, storage.per_volume());
    return;
  }
  const LineCapacity of_line = storage.of_line(line.number);
  kernels::stage_general(lines.general(line.j, line.k), g.dimension(), stage,
                         {of_line.values, of_line.factor, false});
}

void EvaluatedDiffusion::linearise(const Evaluation&, std::span<const Real> y, Real b, Parts parts,
                                   std::span<FaceSystem> matrices) const {
  FaceSystem& matrix = matrices[static_cast<std::size_t>(of_.number)];
  for (int axis = 0; axis < of_.domain->grid().dimension(); ++axis) {
    if (!parts.has(Parts::flux(axis))) continue;
    join(matrix, axis, b);
    if (conductances_.depends_on_unknown()) join_slopes(matrix, axis, of_.in(y), b);
  }
}

// What the conductances themselves change: through a face from unknown l to unknown h flows G·D with
// D = l − h − rise, and besides ±G this has the derivatives D·dG/dl and D·dG/dh.
void EvaluatedDiffusion::join_slopes(FaceSystem& matrix, int axis, std::span<const Real> u, Real b) const {
  const Grid& g = of_.domain->grid();
  const auto by_low = conductances_.by_low(axis), by_high = conductances_.by_high(axis);
  each_line(*of_.domain, [&](std::size_t, Index line, Index j, Index k) {
    for (Index i = 0; i < g.size(0); ++i) {
      const Index n = g.size(0) * line + i;
      std::array<Index, 3> at{i, j, k};
      const Index along = at[static_cast<std::size_t>(axis)];
      const auto below = static_cast<std::size_t>(conductances_.face(axis, at[0], at[1], at[2]));
      ++at[static_cast<std::size_t>(axis)];
      const auto above = static_cast<std::size_t>(conductances_.face(axis, at[0], at[1], at[2]));
      if (const Index other = matrix.neighbour(n, axis, false); other >= 0) {
        const Real drop = u[static_cast<std::size_t>(other)] - u[static_cast<std::size_t>(n)] -
                          conductances_.rise(axis, along);
        matrix.lower[axis][n] -= b * drop * by_low[below];
        matrix.diagonal[n] -= b * drop * by_high[below];
      }
      if (const Index other = matrix.neighbour(n, axis, true); other >= 0) {
        const Real drop = u[static_cast<std::size_t>(n)] - u[static_cast<std::size_t>(other)] -
                          conductances_.rise(axis, along + 1);
        matrix.diagonal[n] += b * drop * by_low[above];
        matrix.upper[axis][n] += b * drop * by_high[above];
      }
    }
  });
}

// Along one axis, line by line: coefficients −b·conductance, their sum on the diagonal.
void EvaluatedDiffusion::join(FaceSystem& matrix, int axis, Real b) const {
  const Grid& g = of_.domain->grid();
  const Index nx = g.size(0), ny = g.size(1);
  const bool separable = conductances_.separable();
  const Real* before = separable ? conductances_.before(axis).data() : nullptr;
  const Real* after = separable ? conductances_.after(axis).data() : nullptr;
  each_line(*of_.domain, [&](std::size_t, Index line, Index j, Index k) {
    const Real volume = separable ? conductances_.conductivity(axis) * of_.domain->across(line) : 0;
    const Real* measures = g.axis(0).measures().data();
    const std::array<Index, 3> at{0, j, k};
    // Across lines the faces above stand a line or a plane further on.
    const Index step = axis == 0 ? 1 : axis == 1 ? nx : nx * ny;
    const Real* faces =
        separable ? nullptr : conductances_.faces(axis).data() + conductances_.face(axis, 0, j, k);
    for (Index i = 0; i < nx; ++i) {
      const Index n = nx * line + i, along = axis == 0 ? i : at[axis];
      const Real low = separable ? volume * measures[i] * before[along] : faces[i];
      const Real high = separable ? volume * measures[i] * after[along] : faces[i + step];
      matrix.lower[axis][n] = -b * low;
      matrix.upper[axis][n] = -b * high;
      matrix.diagonal[n] += b * (low + high);
    }
  });
}

DiffusiveFlows::DiffusiveFlows(OfUnknown of, Conductances conductances, bool adds)
    : of_(std::move(of)), conductances_(std::move(conductances)), adds_(adds) {
  if (!conductances_.separable())
    no_flux_.assign(static_cast<std::size_t>(of_.domain->grid().size(0)) + 1, 0.0);
}

Needs DiffusiveFlows::needs() const {
  Needs result = of_.needs(Parts::fluxes());
  result.steady_matrix = !conductances_.depends_on_time();
  // A conductance for the faces along each axis, and perhaps a capacity.
  if (!conductances_.separable())
    result.coefficients =
        of_.domain->grid().dimension() + (conductances_.storage().capacities().empty() ? 0 : 1);
  result.laid_out_anew = conductances_.depends_on_time() && !conductances_.separable();
  result.linear = result.same_matrix = !conductances_.depends_on_unknown();
  result.about_state = conductances_.depends_on_unknown();
  result.adds = result.writes_first = adds_;
  return result;
}

void DiffusiveFlows::evaluate(const Instant& instant, const Evaluation&,
                              std::shared_ptr<EvaluatedTerm>& evaluated) const {
  if (evaluated && !conductances_.depends_on_time() &&
      (!conductances_.depends_on_unknown() || instant.same_state))
    return;
  renewed<EvaluatedDiffusion>(evaluated, [&] {
    return std::make_shared<EvaluatedDiffusion>(of_, conductances_, no_flux_, adds_);
  }).update(instant.time, of_.in(instant.y));
}

bool DiffusionStep::fits(const std::vector<std::unique_ptr<Term>>& terms,
                         TermId<EvaluatedDiffusion> diffusion, const Storage& storage) {
  const auto with_advection = [](const std::unique_ptr<Term>& t) {
    return t->needs().parts == Parts::advection();
  };
  return storage.linear() && terms[diffusion.number]->needs().writes_first &&
         std::ranges::none_of(terms, with_advection);
}

}  // namespace williwaw
