#include <algorithm>
#include <cmath>

#include "terms/systems/system_flux_workspace.hpp"

namespace williwaw {

namespace {

using Lines = std::vector<std::span<const Real>>;

}  // namespace

SystemFluxTerm::SystemFluxTerm(std::vector<SystemMember> members, std::shared_ptr<const SystemFlux> flux,
                               const std::string& reconstruction, bool characteristic)
    : members_(std::move(members)),
      flux_(std::move(flux)),
      reconstruction_(&reconstruction_kind(reconstruction)),
      characteristic_(characteristic && reconstruction_->order > 1 && members_.size() > 1) {
  distances_ = distances_for_flux(members_.front(), *reconstruction_);
  if (characteristic) {
    // A flux that does not tell its Jacobian says so.
    const std::vector<Real> zero(members_.size(), 0.0);
    std::vector<Real> entries(members_.size() * members_.size());
    Lines u;
    std::vector<std::span<Real>> out;
    for (const Real& v : zero) u.emplace_back(&v, 1);
    for (Real& v : entries) out.emplace_back(&v, 1);
    flux_->jacobian(0, u, out);
  }
}

Needs SystemFluxTerm::needs() const {
  Needs result;
  result.unknowns.clear();
  for (const SystemMember& m : members_) result.unknowns.push_back(m.of.number);
  result.halo = 3;
  result.linear = result.exact_matrix = result.symmetric = false;
  result.parts = Parts::advection();
  return result;
}

std::unique_ptr<TermScratch> SystemFluxTerm::scratch() const {
  return std::make_unique<Workspace>(grid().size(0), members_.size());
}

namespace {

class EvaluatedSystemFlux final : public EvaluatedTerm {
 public:
  explicit EvaluatedSystemFlux(const SystemFluxTerm& term) : term_(term) {}
  void add(const Line& line, std::span<const LineRates> rates) const override { term_.add(line, rates); }
  void linearise(const Evaluation&, std::span<const Real> y, Real b, Parts parts,
                 std::span<FaceSystem> matrices) const override {
    if (parts.has(Parts::advection())) term_.linearise(y, b, matrices);
  }
  void linearise_locally(const Evaluation&, std::span<const Real> y, Real b, Parts parts,
                         LocalEntries& local) const override {
    if (parts.has(Parts::advection())) term_.linearise_locally(y, b, local);
  }
  void add_through(const Evaluation& now, std::span<const Real> y, std::size_t unknown, std::size_t section,
                   std::span<Real> flows) const override {
    term_.add_through(now, y, unknown, section, flows);
  }
  void bound(std::vector<DataBounds>& pieces) const override { pieces.emplace_back().steady = true; }

 private:
  const SystemFluxTerm& term_;
};

}  // namespace

void SystemFluxTerm::evaluate(const Instant&, const Evaluation&,
                              std::shared_ptr<EvaluatedTerm>& evaluated) const {
  if (!evaluated) evaluated = std::make_shared<EvaluatedSystemFlux>(*this);
}

// Taken from upwind, with the velocity that stands in the last line.
void SystemFluxTerm::advect(std::size_t i, const Workspace& workspace, Values& flux) const {
  const Real velocity = flux.back()[i];
  for (std::size_t m = 0; m < members_.size(); ++m)
    flux[m][i] = velocity * (velocity > 0 ? workspace.left : workspace.right)[m][i];
}

void SystemFluxTerm::between(int direction, Workspace& workspace, Values& flux) const {
  const std::size_t faces = workspace.before.size();
  if (const int number = flux_->velocity(direction); number >= 0) {
    const auto along = static_cast<std::size_t>(number);
    for (std::size_t i = 0; i < faces; ++i) {
      flux.back()[i] = 0.5 * (workspace.left[along][i] + workspace.right[along][i]);
      advect(i, workspace, flux);
    }
    return;
  }
  std::ranges::fill(flux.back(), 0.0);
  const Lines l(workspace.left.begin(), workspace.left.end()),
      r(workspace.right.begin(), workspace.right.end());
  std::vector<std::span<Real>> of_low(workspace.low.begin(), workspace.low.end()),
      of_high(workspace.high.begin(), workspace.high.end());
  flux_->flux(direction, l, of_low);
  flux_->flux(direction, r, of_high);
  flux_->speed(direction, l, workspace.before);
  flux_->speed(direction, r, workspace.after);
  for (std::size_t m = 0; m < l.size(); ++m)
    for (std::size_t i = 0; i < faces; ++i)
      flux[m][i] = 0.5 * (workspace.low[m][i] + workspace.high[m][i] -
                          std::max(workspace.before[i], workspace.after[i]) *
                              (workspace.right[m][i] - workspace.left[m][i]));
}

// Through boundaries that let nothing pass nothing flows; a velocity that they hold is the one on the face.
void SystemFluxTerm::close(const Evaluation& now, int axis, Index j, Index k, Workspace& workspace,
                           Values& flux) const {
  const int number = flux_->velocity(grid().direction(axis));
  each_face_on_side(grid(), axis, j, k, [&](Side side, Index n, Index place) {
    const auto at = static_cast<std::size_t>(place);
    if (number >= 0) {
      const BeyondSide there = beyond_side(now, members_[static_cast<std::size_t>(number)], side, n, 0);
      if (!there.open) flux.back()[at] = 0;
      if (there.holds) flux.back()[at] = there.value;
      advect(at, workspace, flux);
    }
    for (std::size_t m = 0; m < members_.size(); ++m)
      if (!beyond_side(now, members_[m], side, n, 0).open) flux[m][at] = 0;
  });
}

// Through the faces of a line along x, or those below (j, k) across another axis.
void SystemFluxTerm::fluxes(const Line& line, int axis, Index j, Index k, Workspace& workspace,
                            Values& flux) const {
  const Grid& g = grid();
  std::vector<Rows> rows(members_.size());
  for (std::size_t m = 0; m < members_.size(); ++m)
    rows[m] = fill_rows(line, members_[m], axis, j, k, workspace.rows[m]);
  const Index face = axis == 0 ? 0 : axis == 1 ? j : k;
  reconstruct(rows, axis, face, g.size(0) + (axis == 0 ? 1 : 0), workspace);
  for (std::size_t m = 0; m < members_.size(); ++m)
    settle_sides(line, members_[m], axis, j, k, workspace.left[m].data(), workspace.right[m].data());
  between(g.direction(axis), workspace, flux);
  close(line.now, axis, j, k, workspace, flux);
}

void SystemFluxTerm::add(const Line& line, std::span<const LineRates> rates) const {
  if (!line.parts.has(Parts::advection())) return;
  auto& workspace = static_cast<Workspace&>(*line.scratch);
  const Grid& g = grid();
  for (int axis = 0; axis < g.dimension(); ++axis) {
    // The faces above the line before are those below this one.
    if (axis == 1 && line.j > 0 && workspace.line_above == line.number - 1)
      workspace.below.swap(workspace.above);
    else
      fluxes(line, axis, line.j, line.k, workspace, workspace.below);
    if (axis == 1) {
      fluxes(line, axis, line.j + 1, line.k, workspace, workspace.above);
      workspace.line_above = line.number;
    } else if (axis == 2) {
      fluxes(line, axis, line.j, line.k + 1, workspace, workspace.beyond);
    }
    const Index shift = axis == 0 ? 1 : 0;
    const Values& upper = axis == 0 ? workspace.below : axis == 1 ? workspace.above : workspace.beyond;
    fill_areas(g, line, axis, workspace.areas);
    for (std::size_t m = 0; m < members_.size(); ++m)
      add_flows_of_faces(line, members_[m], m, axis,
                         {workspace.below[m].data(), upper[m].data() + shift, workspace.below.back().data(),
                          upper.back().data() + shift, flux_->advective() ? &divergence_lines_[m] : nullptr,
                          workspace.areas},
                         rates[static_cast<std::size_t>(members_[m].of.number)], workspace.wanted);
  }
}

namespace {

// The mean of both sides of a face of a control volume, on a side the value inside.
Real between_neighbours(const Grid& g, int axis, std::span<const Real> v, Index n, bool upper) {
  const Index other = g.neighbour(n, axis, upper);
  return 0.5 * (v[static_cast<std::size_t>(n)] + v[static_cast<std::size_t>(other < 0 ? n : other)]);
}

}  // namespace

// Of the first order from upwind, with the velocity as it is.
void SystemFluxTerm::linearise(std::span<const Real> y, Real b, std::span<FaceSystem> matrices) const {
  const Grid& g = grid();
  for (int axis = 0; axis < g.dimension(); ++axis) {
    const int number = flux_->velocity(g.direction(axis));
    if (number < 0) continue;
    const std::span<const Real> v = members_[static_cast<std::size_t>(number)].of.in(y);
    for (const SystemMember& m : members_) {
      FaceSystem& matrix = matrices[static_cast<std::size_t>(m.of.number)];
      for (Index n = 0; n < g.count(); ++n)
        add_upwind(g, axis, n, between_neighbours(g, axis, v, n, false),
                   between_neighbours(g, axis, v, n, true), b, flux_->advective(), matrix);
    }
  }
}

// What a change of the velocity in a control volume makes of the unknowns there, by central differences.
void SystemFluxTerm::linearise_locally(std::span<const Real> y, Real b, LocalEntries& local) const {
  const Grid& g = grid();
  for (int axis = 0; axis < g.dimension(); ++axis) {
    const int number = flux_->velocity(g.direction(axis));
    if (number < 0) continue;
    const OfUnknown& along = members_[static_cast<std::size_t>(number)].of;
    for (const SystemMember& m : members_) {
      const std::span<const Real> u = m.of.in(y);
      auto& entries = local.of(static_cast<std::size_t>(m.of.number), static_cast<std::size_t>(along.number));
      for (Index n = 0; n < g.count(); ++n)
        entries[static_cast<std::size_t>(n)] +=
            0.5 * b * area_across(g, axis, n) *
            (between_neighbours(g, axis, u, n, true) - between_neighbours(g, axis, u, n, false));
    }
  }
}

void SystemFluxTerm::add_through(const Evaluation& now, std::span<const Real> y, std::size_t unknown,
                                 std::size_t section, std::span<Real> flows) const {
  const Grid& g = grid();
  Workspace workspace(g.size(0), members_.size());
  workspace.wanted = {unknown, section, flows};
  std::vector<Real> ignored(static_cast<std::size_t>(g.size(0)));
  const std::vector<LineRates> rates(members_.size(), LineRates(ignored.data()));
  for (Index l = 0; l < g.lines(); ++l)
    add({now, l, l % g.size(1), l / g.size(1), y.data(), Parts::advection(), LedgerBlock(), &workspace},
        rates);
}

void SystemFluxTerm::declare(LedgerLines& lines) {
  if (!flux_->advective()) return;
  for (const SystemMember& m : members_)
    divergence_lines_.push_back(
        lines.declare({m.of.prefix + "divergence", LedgerLine::Kind::source, "", m.of.number}));
}

}  // namespace williwaw
