#include "williwaw/terms/diffusive_flows.hpp"

#include <algorithm>

#include "domain/lines.hpp"
#include "terms/diffusion/kernel_lines.hpp"

namespace williwaw {

EvaluatedDiffusion::EvaluatedDiffusion(const OfUnknown& of, Conductances conductances,
                                       const std::vector<Real>& no_flux, bool adds)
    : of_(of), conductances_(std::move(conductances)), no_flux_(no_flux), adds_(adds) {}

void EvaluatedDiffusion::update(Real time) {
  conductances_.update(time);
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
  flows(line.j, line.k, line.y + of_.first, line.parts, rates[static_cast<std::size_t>(of_.number)].flows());
}

void EvaluatedDiffusion::step(const Line& line, Real step, Real* next, Totals* counted) const {
  const Grid& g = of_.domain->grid();
  const int dimension = g.dimension();
  const KernelLines lines{*this, line.y + of_.first, line.parts};
  const Real* measures = g.axis(0).measures().data();
  const Real across = of_.domain->across(line.number);
  const LinearStorage& storage = conductances_.storage();
  const Index j = line.j, k = line.k;
  if (conductances_.separable()) {
    const Real per_volume = storage.per_volume();
    if (counted)
      kernels::step_separable_counted(lines.separable(j, k), dimension, step / per_volume, measures, across,
                                      per_volume, next, counted);
    else
      kernels::step_separable(lines.separable(j, k), dimension, step / per_volume, next);
    return;
  }
  const Real* capacity = storage.of_line(line.number).each();
  if (counted)
    kernels::step_general_counted(lines.general(j, k), dimension, step, capacity, measures, across, next,
                                  counted);
  else
    kernels::step_general(lines.general(j, k), dimension, step, capacity, next);
}

void EvaluatedDiffusion::linearise(const Evaluation&, std::span<const Real>, Real b, Parts parts,
                                   std::span<FaceSystem> matrices) const {
  for (int axis = 0; axis < of_.domain->grid().dimension(); ++axis)
    if (parts.has(Parts::flux(axis))) join(matrices[static_cast<std::size_t>(of_.number)], axis, b);
}

// Along one axis, line by line: coefficients −b·conductance, their sum on the diagonal.
void EvaluatedDiffusion::join(FaceSystem& matrix, int axis, Real b) const {
  const Grid& g = of_.domain->grid();
  const Index nx = g.size(0), ny = g.size(1);
  const bool separable = conductances_.separable();
  const Real* before = separable ? conductances_.before(axis).data() : nullptr;
  const Real* after = separable ? conductances_.after(axis).data() : nullptr;
  each_line(*of_.domain, [&](Index, Index line, Index j, Index k) {
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
  result.adds = result.writes_first = adds_;
  return result;
}

void DiffusiveFlows::evaluate(const Instant& instant, const Evaluation&,
                              std::shared_ptr<EvaluatedTerm>& evaluated) const {
  if (evaluated && !conductances_.depends_on_time()) return;
  renewed<EvaluatedDiffusion>(evaluated, [&] {
    return std::make_shared<EvaluatedDiffusion>(of_, conductances_, no_flux_, adds_);
  }).update(instant.time);
}

bool DiffusionStep::fits(const std::vector<std::unique_ptr<Term>>& terms, const Storage& storage) {
  if (terms.empty() || !storage.linear()) return false;
  const auto with_advection = [](const std::unique_ptr<Term>& t) {
    return t->needs().parts == Parts::advection();
  };
  return terms.front()->needs().writes_first && std::ranges::none_of(terms, with_advection);
}

}  // namespace williwaw
