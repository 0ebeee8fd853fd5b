#include <Eigen/Dense>
#include <algorithm>
#include <cmath>
#include <optional>

#include "williwaw/terms/system_terms.hpp"

namespace williwaw {

namespace {

using Lines = std::vector<std::span<const Real>>;

// In columns, by increasing eigenvalue, so that neighbouring faces have them alike; the identity where they
// are not real or not independent.
Eigen::MatrixXd eigenvectors_of(const Eigen::MatrixXd& matrix) {
  const Eigen::Index size = matrix.rows();
  const Eigen::EigenSolver<Eigen::MatrixXd> solver(matrix);
  Eigen::MatrixXd result = Eigen::MatrixXd::Identity(size, size);
  if (solver.info() != Eigen::Success || !matrix.allFinite()) return result;
  std::vector<Eigen::Index> order(static_cast<std::size_t>(size));
  for (Eigen::Index m = 0; m < size; ++m) order[static_cast<std::size_t>(m)] = m;
  const auto& values = solver.eigenvalues();
  std::ranges::sort(order, {}, [&](Eigen::Index m) { return values[m].real(); });
  for (Eigen::Index m = 0; m < size; ++m) {
    const Eigen::Index from = order[static_cast<std::size_t>(m)];
    if (values[from].imag() != 0) return Eigen::MatrixXd::Identity(size, size);
    result.col(m) = solver.eigenvectors().col(from).real();
  }
  constexpr Real nearly_dependent = 1e-8;
  if (std::abs(result.determinant()) < nearly_dependent) return Eigen::MatrixXd::Identity(size, size);
  return result;
}

}  // namespace

// Lines that one thread works on: values beyond the ends of a line along x, both sides of its faces, fluxes
// of both and the fastest speeds; fluxes through the faces below and above, and above across a third axis,
// each with a last line for the velocity of unknowns that are advected by one of them.
struct SystemFluxTerm::Workspace final : TermScratch {
  Workspace(Index nx, std::size_t unknowns) {
    const auto faces = static_cast<std::size_t>(nx) + 1;
    for (auto* values : {&left, &right, &low, &high}) values->assign(unknowns, std::vector<Real>(faces));
    for (auto* values : {&below, &above, &beyond}) values->assign(unknowns + 1, std::vector<Real>(faces));
    // Six rows of every unknown: those beyond a boundary are made up, and those along x shifted.
    rows.assign(unknowns, {});
    for (auto& of_unknown : rows)
      for (auto& row : of_unknown) row.resize(faces + 6);
    before.resize(faces);
    after.resize(faces);
    areas.resize(faces);
  }
  void begin() override { line_above = -1; }
  Values left, right, low, high, below, above, beyond;
  /// Where what flows through each face of a section of an unknown is wanted instead of being booked.
  struct Wanted {
    std::size_t unknown, section;
    std::span<Real> flows;
  };
  std::optional<Wanted> wanted = {};
  Index line_above = -1;  ///< whose upper faces along the second axis stand in `above`
  std::vector<std::array<std::vector<Real>, 6>> rows;
  std::vector<Real> before, after;
  std::vector<Real> areas;  ///< of the faces of a line across an axis
};

SystemFluxTerm::SystemFluxTerm(std::vector<OfUnknown> unknowns, std::shared_ptr<const SystemFlux> flux,
                               const std::string& reconstruction, bool characteristic,
                               std::vector<const BoundaryClosures*> closures,
                               std::vector<TermId<EvaluatedBoundaryClosures>> conditions)
    : unknowns_(std::move(unknowns)),
      flux_(std::move(flux)),
      reconstruction_(&reconstruction_kind(reconstruction)),
      characteristic_(characteristic && reconstruction_->order > 1 && unknowns_.size() > 1),
      closures_(std::move(closures)),
      conditions_(std::move(conditions)) {
  for (const OfUnknown& of : unknowns_)
    if (!of.domain->outline().whole())
      throw InputError(Subject::grid, "a system with a flux needs a whole rectangle");
  if (!reconstruction_->slope)
    throw InputError(Subject::reconstruction, "reconstruction '" + reconstruction_->name +
                                                  "' is not for systems; take none or a limited one");
  if (characteristic) {
    // A flux that does not tell its Jacobian says so.
    const std::vector<Real> zero(unknowns_.size(), 0.0);
    std::vector<Real> entries(unknowns_.size() * unknowns_.size());
    Lines u;
    std::vector<std::span<Real>> out;
    for (const Real& v : zero) u.emplace_back(&v, 1);
    for (Real& v : entries) out.emplace_back(&v, 1);
    flux_->jacobian(0, u, out);
  }
  const Grid& g = unknowns_.front().domain->grid();
  for (int a = 0; a < g.dimension(); ++a)
    if (!g.axis(a).is_uniform()) throw InputError(Subject::grid, "a system with a flux needs uniform axes");
}

Needs SystemFluxTerm::needs() const {
  Needs result;
  result.unknowns.clear();
  for (const OfUnknown& of : unknowns_) result.unknowns.push_back(of.number);
  result.halo = 3;
  result.linear = result.exact_matrix = result.symmetric = false;
  result.parts = Parts::advection();
  return result;
}

std::unique_ptr<TermScratch> SystemFluxTerm::scratch() const {
  return std::make_unique<Workspace>(unknowns_.front().domain->grid().size(0), unknowns_.size());
}

namespace {

// Calls visit(section, face) for the faces on a side of one unknown whose conditions let the flux through.
template <class Visit>
void each_open_face(const BoundaryClosures& closures, Index line, Index unknown, Side side,
                    const Visit& visit) {
  for (std::size_t c = 0; c < closures.all().size(); ++c) {
    const BoundaryClosure& closure = closures.all()[c];
    if (!closure.section().boundary.advective_boundary()) continue;
    for (Index f = closure.first_of_line(line); f < closure.first_of_line(line + 1); ++f)
      if (const BoundaryFace& face = closure.face(f);
          face.unknown == unknown && face.axis == side.axis && face.upper == side.upper)
        visit(c, f);
  }
}

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
  void bound(DataBounds& result) const override { result.known = false; }

 private:
  const SystemFluxTerm& term_;
};

}  // namespace

void SystemFluxTerm::evaluate(const Instant&, const Evaluation&,
                              std::shared_ptr<EvaluatedTerm>& evaluated) const {
  if (!evaluated) evaluated = std::make_shared<EvaluatedSystemFlux>(*this);
}

// What stands beyond a side, beside the unknown `inside` with value `u`: the value on the boundary where it
// holds one, else u.
SystemFluxTerm::Beyond SystemFluxTerm::beyond(const Evaluation& now, std::size_t unknown, Side side,
                                              Index inside, Real u) const {
  Beyond result{u, false, false};
  const Index nx = unknowns_[unknown].domain->grid().size(0);
  each_open_face(*closures_[unknown], inside / nx, inside, side, [&](std::size_t c, Index f) {
    const EvaluatedBoundaryClosure& boundary = now.of(conditions_[unknown])[c];
    result.open = true;
    result.holds = boundary.section().boundary.holds();
    result.value = result.holds ? boundary.boundary_value(f, u) : u;
  });
  return result;
}

// Six neighbours of each face: along x of the faces of line (j, k), across it of those below its unknowns.
void SystemFluxTerm::fill_rows(const Line& line, std::size_t unknown, int axis, Index j, Index k,
                               Workspace& workspace, Rows& rows) const {
  const Grid& g = unknowns_[unknown].domain->grid();
  const Axis& along = g.axis(axis);
  const Index nx = g.size(0), size = along.size();
  const Real* u = line.y + unknowns_[unknown].first;
  auto& own = workspace.rows[unknown];
  if (axis == 0) {
    const Index first = g.number(0, j, k);
    Real* padded = own[0].data();
    for (Index i = -3; i < size + 3; ++i) {
      const Index inside = along.periodic() ? (i % size + size) % size : std::clamp<Index>(i, 0, size - 1);
      padded[i + 3] = u[first + inside];
    }
    for (const bool upper : {false, true}) {
      if (along.periodic()) continue;
      const Index n = first + (upper ? size - 1 : 0);
      const Beyond there = beyond(line.now, unknown, {0, upper}, n, u[n]);
      for (Index m = 0; there.open && m < 3; ++m) padded[upper ? size + 3 + m : 2 - m] = there.value;
    }
    for (std::size_t m = 0; m < 6; ++m) rows[m] = padded + m;
    return;
  }
  const Index face = axis == 1 ? j : k;
  const auto row_at = [&](Index row) { return axis == 1 ? g.number(0, row, k) : g.number(0, j, row); };
  for (Index m = 0; m < 6; ++m) {
    Index row = face - 3 + m;
    if (along.periodic()) row = (row % size + size) % size;
    const auto place = static_cast<std::size_t>(m);
    if (row >= 0 && row < size) {
      rows[place] = u + row_at(row);
      continue;
    }
    const bool upper = row >= size;
    const Index inside = row_at(upper ? size - 1 : 0);
    for (Index i = 0; i < nx; ++i)
      own[place][i] = beyond(line.now, unknown, {axis, upper}, inside + i, u[inside + i]).value;
    rows[place] = own[place].data();
  }
}

// Both sides of each face, from six values about it.
void SystemFluxTerm::reconstruct(const std::vector<Rows>& rows, int direction, Index faces,
                                 Workspace& workspace) const {
  const std::size_t count = unknowns_.size();
  if (!characteristic_) {
    for (std::size_t m = 0; m < count; ++m)
      reconstruction_->uniform(rows[m], faces, workspace.left[m].data(), workspace.right[m].data());
    return;
  }
  const auto length = static_cast<std::size_t>(faces);
  const auto size = static_cast<Eigen::Index>(count);
  // The Jacobian at the mean of both neighbours.
  Values mean(count, std::vector<Real>(length)), jacobian(count * count, std::vector<Real>(length));
  for (std::size_t m = 0; m < count; ++m)
    for (std::size_t i = 0; i < length; ++i) mean[m][i] = 0.5 * (rows[m][2][i] + rows[m][3][i]);
  std::vector<std::span<Real>> entries(jacobian.begin(), jacobian.end());
  flux_->jacobian(direction, Lines(mean.begin(), mean.end()), entries);
  std::vector<Eigen::MatrixXd> from(length);  // characteristic variables to unknowns
  std::vector<std::array<std::vector<Real>, 6>> along(count);
  for (auto& six : along)
    for (auto& row : six) row.resize(length);
  Eigen::VectorXd u(size);
  for (std::size_t i = 0; i < length; ++i) {
    Eigen::MatrixXd at(size, size);
    for (Eigen::Index m = 0; m < size; ++m)
      for (Eigen::Index n = 0; n < size; ++n) at(m, n) = jacobian[static_cast<std::size_t>(m * size + n)][i];
    from[i] = eigenvectors_of(at);
    const Eigen::MatrixXd to = from[i].inverse();
    for (std::size_t row = 0; row < 6; ++row) {
      for (std::size_t m = 0; m < count; ++m) u[static_cast<Eigen::Index>(m)] = rows[m][row][i];
      const Eigen::VectorXd w = to * u;
      for (std::size_t m = 0; m < count; ++m) along[m][row][i] = w[static_cast<Eigen::Index>(m)];
    }
  }
  for (std::size_t m = 0; m < count; ++m) {
    Rows six{};
    for (std::size_t row = 0; row < 6; ++row) six[row] = along[m][row].data();
    reconstruction_->uniform(six, faces, workspace.left[m].data(), workspace.right[m].data());
  }
  for (auto* side : {&workspace.left, &workspace.right})
    for (std::size_t i = 0; i < length; ++i) {
      for (std::size_t m = 0; m < count; ++m) u[static_cast<Eigen::Index>(m)] = (*side)[m][i];
      const Eigen::VectorXd back = from[i] * u;
      for (std::size_t m = 0; m < count; ++m) (*side)[m][i] = back[static_cast<Eigen::Index>(m)];
    }
}

// Taken from upwind, with the velocity that stands in the last line.
void SystemFluxTerm::advect(std::size_t i, const Workspace& workspace, Values& flux) const {
  const Real velocity = flux.back()[i];
  for (std::size_t m = 0; m < unknowns_.size(); ++m)
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
void SystemFluxTerm::close(const Evaluation& now, int axis, Index j, Index k, bool upper,
                           Workspace& workspace, Values& flux) const {
  const Grid& g = unknowns_.front().domain->grid();
  const int number = flux_->velocity(g.direction(axis));
  const Index count = axis == 0 ? 1 : g.size(0);
  for (Index i = 0; i < count; ++i) {
    const Index n = axis == 0   ? g.number(upper ? g.size(0) - 1 : 0, j, k)
                    : axis == 1 ? g.number(i, upper ? g.size(1) - 1 : 0, k)
                                : g.number(i, j, upper ? g.size(2) - 1 : 0);
    const auto at = static_cast<std::size_t>(axis == 0 ? (upper ? g.size(0) : 0) : i);
    if (number >= 0) {
      const Beyond there = beyond(now, static_cast<std::size_t>(number), {axis, upper}, n, 0);
      if (!there.open) flux.back()[at] = 0;
      if (there.holds) flux.back()[at] = there.value;
      advect(at, workspace, flux);
    }
    for (std::size_t m = 0; m < unknowns_.size(); ++m)
      if (!beyond(now, m, {axis, upper}, n, 0).open) flux[m][at] = 0;
  }
}

// Through the faces of a line along x, or those below (j, k) across another axis.
void SystemFluxTerm::fluxes(const Line& line, int axis, Index j, Index k, Workspace& workspace,
                            Values& flux) const {
  const Grid& g = unknowns_.front().domain->grid();
  const Axis& along = g.axis(axis);
  std::vector<Rows> rows(unknowns_.size());
  for (std::size_t m = 0; m < unknowns_.size(); ++m) fill_rows(line, m, axis, j, k, workspace, rows[m]);
  reconstruct(rows, g.direction(axis), g.size(0) + (axis == 0 ? 1 : 0), workspace);
  between(g.direction(axis), workspace, flux);
  if (along.periodic()) return;
  const Index face = axis == 1 ? j : k;
  if (axis == 0 || face == 0) close(line.now, axis, j, k, false, workspace, flux);
  if (axis == 0 || face == along.size()) close(line.now, axis, j, k, true, workspace, flux);
}

void SystemFluxTerm::add(const Line& line, std::span<const LineRates> rates) const {
  if (!line.parts.has(Parts::advection())) return;
  auto& workspace = static_cast<Workspace&>(*line.scratch);
  const Grid& g = unknowns_.front().domain->grid();
  const Index nx = g.size(0);
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
    const Index here = g.number(0, line.j, line.k);
    // Of the first control volume along the axis: all of them are alike.
    const Index first = axis == 0 ? here : axis == 1 ? g.number(0, 0, line.k) : g.number(0, line.j, 0);
    const Real measure = g.axis(axis).measures()[0];
    for (Index i = 0; i < nx; ++i)
      workspace.areas[static_cast<std::size_t>(i)] =
          axis == 0 && i > 0 ? workspace.areas[0] : g.volume_of(first + i) / measure;
    const auto area = [&](Index i) { return workspace.areas[static_cast<std::size_t>(i)]; };
    const bool advective = flux_->advective();
    for (std::size_t m = 0; m < unknowns_.size(); ++m) {
      const LineRates& own = rates[static_cast<std::size_t>(unknowns_[m].number)];
      const auto book = [&](Index i, bool at_upper, Real inflow) {
        Real open = 0;
        const Side side{axis, at_upper};
        const Index n = here + i, leaf = unknowns_[m].domain->segments().number(line.number, i);
        const auto& all = closures_[m]->all();
        each_open_face(*closures_[m], line.number, n, side,
                       [&](std::size_t c, Index f) { open += all[c].area(f); });
        each_open_face(*closures_[m], line.number, n, side, [&](std::size_t c, Index f) {
          if (const auto& wanted = workspace.wanted) {
            if (wanted->unknown == m && wanted->section == c)
              wanted->flows[static_cast<std::size_t>(f)] += inflow * all[c].area(f) / open;
            return;
          }
          line.booked[all[c].line(all[c].advective_condition())].leaf(leaf) += inflow * all[c].area(f) / open;
        });
      };
      for (Index i = 0; i < nx; ++i) {
        const auto l = static_cast<std::size_t>(i), h = static_cast<std::size_t>(i + shift);
        const Real low = workspace.below[m][l], high = upper[m][h];
        own.add(i, -area(i) * (high - low));
        const Index at = axis == 0 ? i : axis == 1 ? line.j : line.k;
        const bool ends = !g.axis(axis).periodic();
        const bool first_face = ends && at == 0, last_face = ends && at + 1 == g.size(axis);
        if (advective) {
          const auto velocity = [&](bool boundary, bool at_upper, Real of_face) {
            return boundary && !beyond(line.now, m, {axis, at_upper}, here + i, 0).open ? 0 : of_face;
          };
          const Real given_back = area(i) * line.y[unknowns_[m].first + here + i] *
                                  (velocity(last_face, true, upper.back()[h]) -
                                   velocity(first_face, false, workspace.below.back()[l]));
          own.add(i, given_back);
          if (!workspace.wanted)
            line.booked[divergence_lines_[m]].leaf(unknowns_[m].domain->segments().number(line.number, i)) +=
                given_back;
        }
        if (first_face) book(i, false, area(i) * low);
        if (last_face) book(i, true, -area(i) * high);
      }
    }
  }
}

namespace {

// What advects along an axis through the faces below and above an unknown: the mean of both sides, on a
// boundary the value inside.
struct VelocityAlong {
  const Grid& g;
  int axis;
  std::span<const Real> v;
  Index stride() const { return axis == 0 ? 1 : axis == 1 ? g.size(0) : g.size(0) * g.size(1); }
  Index neighbour(Index n, bool upper) const {
    const Index size = g.size(axis), along = n / stride() % size;
    if (upper ? along + 1 < size : along > 0) return upper ? n + stride() : n - stride();
    if (!g.axis(axis).periodic()) return n;
    return upper ? n - along * stride() : n + (size - 1) * stride();
  }
  Real at(Index n, bool upper) const {
    return 0.5 * (v[static_cast<std::size_t>(n)] + v[static_cast<std::size_t>(neighbour(n, upper))]);
  }
  Real area(Index n) const { return g.volume_of(n) / g.axis(axis).measures()[0]; }
};

}  // namespace

// Of the first order from upwind, with the velocity as it is.
void SystemFluxTerm::linearise(std::span<const Real> y, Real b, std::span<FaceSystem> matrices) const {
  const Grid& g = unknowns_.front().domain->grid();
  for (int axis = 0; axis < g.dimension(); ++axis) {
    const int number = flux_->velocity(g.direction(axis));
    if (number < 0) continue;
    const VelocityAlong velocity{g, axis, unknowns_[static_cast<std::size_t>(number)].in(y)};
    for (const OfUnknown& of : unknowns_) {
      FaceSystem& matrix = matrices[static_cast<std::size_t>(of.number)];
      for (Index n = 0; n < g.count(); ++n) {
        const Real below = velocity.at(n, false), above = velocity.at(n, true), area = b * velocity.area(n);
        Real& diagonal = matrix.diagonal[static_cast<std::size_t>(n)];
        diagonal += area * (std::max(above, 0.0) - std::min(below, 0.0));
        if (flux_->advective()) diagonal -= area * (above - below);
        if (velocity.neighbour(n, true) != n)
          matrix.upper[static_cast<std::size_t>(axis)][static_cast<std::size_t>(n)] +=
              area * std::min(above, 0.0);
        if (velocity.neighbour(n, false) != n)
          matrix.lower[static_cast<std::size_t>(axis)][static_cast<std::size_t>(n)] -=
              area * std::max(below, 0.0);
      }
    }
  }
}

// What a change of the velocity in a control volume makes of the unknowns there, by central differences.
void SystemFluxTerm::linearise_locally(std::span<const Real> y, Real b, LocalEntries& local) const {
  const Grid& g = unknowns_.front().domain->grid();
  for (int axis = 0; axis < g.dimension(); ++axis) {
    const int number = flux_->velocity(g.direction(axis));
    if (number < 0) continue;
    const OfUnknown& along = unknowns_[static_cast<std::size_t>(number)];
    for (const OfUnknown& of : unknowns_) {
      const VelocityAlong carried{g, axis, of.in(y)};
      auto& entries = local.of(static_cast<std::size_t>(of.number), static_cast<std::size_t>(along.number));
      for (Index n = 0; n < g.count(); ++n)
        entries[static_cast<std::size_t>(n)] +=
            0.5 * b * carried.area(n) * (carried.at(n, true) - carried.at(n, false));
    }
  }
}

void SystemFluxTerm::add_through(const Evaluation& now, std::span<const Real> y, std::size_t unknown,
                                 std::size_t section, std::span<Real> flows) const {
  const Grid& g = unknowns_.front().domain->grid();
  Workspace workspace(g.size(0), unknowns_.size());
  workspace.wanted = {unknown, section, flows};
  std::vector<Real> ignored(static_cast<std::size_t>(g.size(0)));
  const std::vector<LineRates> rates(unknowns_.size(), LineRates(ignored.data()));
  for (Index l = 0; l < g.lines(); ++l)
    add({now, l, l % g.size(1), l / g.size(1), y.data(), Parts::advection(), LedgerBlock(), &workspace},
        rates);
}

void SystemFluxTerm::declare(LedgerLines& lines) {
  if (!flux_->advective()) return;
  for (const OfUnknown& of : unknowns_)
    divergence_lines_.push_back(
        lines.declare({of.prefix + "divergence", LedgerLine::Kind::source, "", of.number}));
}

}  // namespace williwaw
