#include "williwaw/terms/system_terms.hpp"

#include <algorithm>
#include <cmath>

namespace williwaw {

namespace {

using Lines = std::vector<std::span<const Real>>;

class SelfAdvecting final : public SystemFlux {
 public:
  explicit SelfAdvecting(int components) : components_(components) {}
  std::size_t components() const override { return static_cast<std::size_t>(components_); }
  void flux(int direction, std::span<const std::span<const Real>> u,
            std::span<std::span<Real>> out) const override {
    const auto semi_lagrangian = u[static_cast<std::size_t>(std::min(direction, components_ - 1))];
    for (std::size_t c = 0; c < u.size(); ++c)
      for (std::size_t i = 0; i < semi_lagrangian.size(); ++i) out[c][i] = u[c][i] * semi_lagrangian[i];
  }
  // The eigenvalues are u_a and 2·u_a.
  void speed(int direction, std::span<const std::span<const Real>> u, std::span<Real> out) const override {
    const auto semi_lagrangian = u[static_cast<std::size_t>(std::min(direction, components_ - 1))];
    for (std::size_t i = 0; i < out.size(); ++i) out[i] = 2 * std::abs(semi_lagrangian[i]);
  }

 private:
  int components_;
};

}  // namespace

std::shared_ptr<const SystemFlux> self_advecting_flux(int components) {
  if (components < 1) throw InputError("a flux needs one component at least");
  return std::make_shared<SelfAdvecting>(components);
}

// What reactions make of a line: the places, and a line of amounts for each unknown.
struct SystemReactionTerm::Workspace final : TermScratch {
  Workspace(Index nx, std::size_t unknowns)
      : places(nx), made(unknowns, std::vector<Real>(static_cast<std::size_t>(nx))) {}
  Points places;
  std::vector<std::vector<Real>> made;
};

void SystemReactionTerm::add_unknown(OfUnknown of, std::shared_ptr<const Storage> storage,
                                     LedgerLines& lines) {
  // The prefix ends with a space.
  lines_.push_back(lines.declare({of.prefix + "reaction", LedgerLine::Kind::source, "", of.number}));
  unknowns_.push_back(std::move(of));
  storages_.push_back(std::move(storage));
}

Needs SystemReactionTerm::needs() const {
  Needs result;
  result.unknowns.clear();
  for (const OfUnknown& of : unknowns_) result.unknowns.push_back(of.number);
  result.halo = 0;
  result.linear = result.exact_matrix = result.symmetric = false;
  result.parts = Parts::source();
  return result;
}

std::unique_ptr<TermScratch> SystemReactionTerm::scratch() const {
  return std::make_unique<Workspace>(unknowns_.front().domain->grid().size(0), unknowns_.size());
}

void SystemReactionTerm::add(Real time, const Line& line, std::span<const LineRates> rates) const {
  if (!line.parts.has(Parts::source())) return;
  auto& workspace = static_cast<Workspace&>(*line.scratch);
  const Grid& g = unknowns_.front().domain->grid();
  const Index nx = g.size(0);
  for (Index i = 0; i < nx; ++i) workspace.places.set(i, g.point(i, line.j, line.k));
  Lines u;
  for (const OfUnknown& of : unknowns_)
    u.emplace_back(line.y + of.first + nx * line.number, static_cast<std::size_t>(nx));
  std::vector<std::span<Real>> out(workspace.made.begin(), workspace.made.end());
  reaction_(workspace.places, time, u, out);
  for (std::size_t m = 0; m < unknowns_.size(); ++m) {
    const OfUnknown& of = unknowns_[m];
    for (Index i = 0; i < nx; ++i) {
      const Index n = nx * line.number + i;
      if (!of.domain->outline().active(n)) continue;
      const Real amount = workspace.made[m][static_cast<std::size_t>(i)] * storages_[m]->volume(n);
      rates[static_cast<std::size_t>(of.number)].add(i, amount);
      line.booked[lines_[m]].leaf(of.domain->segments().number(line.number, i)) += amount;
    }
  }
}

namespace {
class EvaluatedSystemReaction final : public EvaluatedTerm {
 public:
  EvaluatedSystemReaction(const SystemReactionTerm& term, Real time) : term_(term), time_(time) {}
  void add(const Line& line, std::span<const LineRates> rates) const override {
    term_.add(time_, line, rates);
  }
  void bound(DataBounds& result) const override { result.known = false; }
  void set(Real time) { time_ = time; }

 private:
  const SystemReactionTerm& term_;
  Real time_;
};
}  // namespace

void SystemReactionTerm::evaluate(const Instant& instant, const Evaluation&,
                                  std::shared_ptr<EvaluatedTerm>& evaluated) const {
  renewed<EvaluatedSystemReaction>(evaluated, [&] {
    return std::make_shared<EvaluatedSystemReaction>(*this, instant.time);
  }).set(instant.time);
}

// Lines that one thread works on: values beyond the ends of a line along x, both sides of its faces, fluxes
// of both and the fastest speeds; fluxes through the faces below and above, and above across a third axis.
struct SystemFluxTerm::Workspace final : TermScratch {
  Workspace(Index nx, std::size_t unknowns) {
    const auto faces = static_cast<std::size_t>(nx) + 1;
    for (auto* values : {&left, &right, &low, &high, &below, &above, &beyond})
      values->assign(unknowns, std::vector<Real>(faces));
    // Six rows of every unknown: those beyond a boundary are made up, and those along x shifted.
    rows.assign(unknowns, {});
    for (auto& of_unknown : rows)
      for (auto& row : of_unknown) row.resize(faces + 6);
    before.resize(faces);
    after.resize(faces);
  }
  void begin() override { line_above = -1; }
  Values left, right, low, high, below, above, beyond;
  Index line_above = -1;  ///< whose upper faces along the second axis stand in `above`
  std::vector<std::array<std::vector<Real>, 6>> rows;
  std::vector<Real> before, after;
};

SystemFluxTerm::SystemFluxTerm(std::vector<OfUnknown> unknowns, std::shared_ptr<const SystemFlux> flux,
                               const std::string& reconstruction,
                               std::vector<const BoundaryClosures*> closures,
                               std::vector<TermId<EvaluatedBoundaryClosures>> conditions)
    : unknowns_(std::move(unknowns)),
      flux_(std::move(flux)),
      reconstruction_(&reconstruction_kind(reconstruction)),
      closures_(std::move(closures)),
      conditions_(std::move(conditions)) {
  for (const OfUnknown& of : unknowns_)
    if (!of.domain->outline().whole()) throw InputError("a system with a flux needs a whole rectangle");
  if (!reconstruction_->slope)
    throw InputError(Subject::reconstruction, "reconstruction '" + reconstruction_->name +
                                                  "' is not for systems; take none or a limited one");
  const Grid& g = unknowns_.front().domain->grid();
  for (int a = 0; a < g.dimension(); ++a)
    if (!g.axis(a).is_uniform()) throw InputError("a system with a flux needs uniform axes");
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
  void bound(DataBounds& result) const override { result.known = false; }

 private:
  const SystemFluxTerm& term_;
};

}  // namespace

void SystemFluxTerm::evaluate(const Instant&, const Evaluation&,
                              std::shared_ptr<EvaluatedTerm>& evaluated) const {
  if (!evaluated) evaluated = std::make_shared<EvaluatedSystemFlux>(*this);
}

// The value beyond a side, beside the unknown `inside` with value `u`: that on the boundary where it holds
// one. `open` tells whether the flux passes there.
Real SystemFluxTerm::beyond(const Evaluation& now, std::size_t unknown, Side side, Index inside, Real u,
                            bool& open) const {
  Real value = u;
  open = false;
  const Index nx = unknowns_[unknown].domain->grid().size(0);
  each_open_face(*closures_[unknown], inside / nx, inside, side, [&](std::size_t c, Index f) {
    const EvaluatedBoundaryClosure& boundary = now.of(conditions_[unknown])[c];
    open = true;
    value = boundary.section().boundary.holds() ? boundary.boundary_value(f, u) : u;
  });
  return value;
}

// Six neighbours of each face: along x of the faces of line (j, k), across it of those below its unknowns.
void SystemFluxTerm::fill_rows(const Line& line, std::size_t unknown, int axis, Index j, Index k,
                               Workspace& workspace, Rows& rows) const {
  const Grid& g = unknowns_[unknown].domain->grid();
  const Axis& along = g.axis(axis);
  const Index nx = g.size(0), size = along.size();
  const Real* u = line.y + unknowns_[unknown].first;
  auto& own = workspace.rows[unknown];
  bool open = false;
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
      const Real value = beyond(line.now, unknown, {0, upper}, n, u[n], open);
      for (Index m = 0; open && m < 3; ++m) padded[upper ? size + 3 + m : 2 - m] = value;
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
      own[place][i] = beyond(line.now, unknown, {axis, upper}, inside + i, u[inside + i], open);
    rows[place] = own[place].data();
  }
}

void SystemFluxTerm::between(int direction, Workspace& workspace, Values& flux) const {
  const Lines l(workspace.left.begin(), workspace.left.end()),
      r(workspace.right.begin(), workspace.right.end());
  std::vector<std::span<Real>> of_low(workspace.low.begin(), workspace.low.end()),
      of_high(workspace.high.begin(), workspace.high.end());
  flux_->flux(direction, l, of_low);
  flux_->flux(direction, r, of_high);
  flux_->speed(direction, l, workspace.before);
  flux_->speed(direction, r, workspace.after);
  for (std::size_t m = 0; m < l.size(); ++m)
    for (std::size_t i = 0; i < workspace.before.size(); ++i)
      flux[m][i] = 0.5 * (workspace.low[m][i] + workspace.high[m][i] -
                          std::max(workspace.before[i], workspace.after[i]) *
                              (workspace.right[m][i] - workspace.left[m][i]));
}

// Through boundaries that let nothing pass nothing flows.
void SystemFluxTerm::close(const Evaluation& now, int axis, Index j, Index k, bool upper,
                           Values& flux) const {
  const Grid& g = unknowns_.front().domain->grid();
  bool open = false;
  for (std::size_t m = 0; m < unknowns_.size(); ++m) {
    const Index count = axis == 0 ? 1 : g.size(0);
    for (Index i = 0; i < count; ++i) {
      const Index n = axis == 0   ? g.number(upper ? g.size(0) - 1 : 0, j, k)
                      : axis == 1 ? g.number(i, upper ? g.size(1) - 1 : 0, k)
                                  : g.number(i, j, upper ? g.size(2) - 1 : 0);
      beyond(now, m, {axis, upper}, n, 0, open);
      if (!open) flux[m][static_cast<std::size_t>(axis == 0 ? (upper ? g.size(0) : 0) : i)] = 0;
    }
  }
}

// Through the faces of a line along x, or those below (j, k) across another axis.
void SystemFluxTerm::fluxes(const Line& line, int axis, Index j, Index k, Workspace& workspace,
                            Values& flux) const {
  const Grid& g = unknowns_.front().domain->grid();
  const Axis& along = g.axis(axis);
  for (std::size_t m = 0; m < unknowns_.size(); ++m) {
    Rows rows{};
    fill_rows(line, m, axis, j, k, workspace, rows);
    reconstruction_->uniform(rows, g.size(0) + (axis == 0 ? 1 : 0), workspace.left[m].data(),
                             workspace.right[m].data());
  }
  between(g.direction(axis), workspace, flux);
  if (along.periodic()) return;
  const Index face = axis == 1 ? j : k;
  if (axis == 0 || face == 0) close(line.now, axis, j, k, false, flux);
  if (axis == 0 || face == along.size()) close(line.now, axis, j, k, true, flux);
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
    for (std::size_t m = 0; m < unknowns_.size(); ++m) {
      const LineRates& own = rates[static_cast<std::size_t>(unknowns_[m].number)];
      // Of the first unknown along the axis: all of them are alike.
      const Index first = axis == 0 ? here : axis == 1 ? g.number(0, 0, line.k) : g.number(0, line.j, 0);
      const auto area = [&](Index i) {
        return g.volume_of(axis == 0 ? first : first + i) / g.axis(axis).measures()[0];
      };
      const auto book = [&](Index i, bool at_upper, Real inflow) {
        Real open = 0;
        const Side side{axis, at_upper};
        const Index n = here + i, leaf = unknowns_[m].domain->segments().number(line.number, i);
        const auto& all = closures_[m]->all();
        each_open_face(*closures_[m], line.number, n, side,
                       [&](std::size_t c, Index f) { open += all[c].area(f); });
        each_open_face(*closures_[m], line.number, n, side, [&](std::size_t c, Index f) {
          line.booked[all[c].line(all[c].advective_condition())].leaf(leaf) += inflow * all[c].area(f) / open;
        });
      };
      for (Index i = 0; i < nx; ++i) {
        const Real low = workspace.below[m][static_cast<std::size_t>(i)],
                   high = upper[m][static_cast<std::size_t>(i + shift)];
        own.add(i, -area(i) * (high - low));
        if (g.axis(axis).periodic()) continue;
        const Index at = axis == 0 ? i : axis == 1 ? line.j : line.k;
        if (at == 0) book(i, false, area(i) * low);
        if (at + 1 == g.size(axis)) book(i, true, -area(i) * high);
      }
    }
  }
}

}  // namespace williwaw
