#include <algorithm>
#include <cmath>

#include "terms/systems/member_lines.hpp"

namespace williwaw {

// Lines that one thread works on: both sides of the faces of a line, velocities on them, and fluxes through
// the faces below, above, and above across a third axis.
struct FaceAdvectionTerm::Workspace final : TermScratch {
  explicit Workspace(Index nx) : rows(rows_of_member(nx)) {
    const auto faces = static_cast<std::size_t>(nx) + 1;
    for (auto* line : {&left, &right, &areas}) line->resize(faces);
    for (auto* lines : {&velocity, &flux})
      for (auto& line : *lines) line.resize(faces);
  }
  void begin() override { line_above = -1; }
  RowsOfMember rows;
  std::vector<Real> left, right, areas;
  std::array<std::vector<Real>, 3> velocity, flux;
  Index line_above = -1;  ///< whose upper faces along the second axis stand in [1]
  std::optional<WantedFlows> wanted = {};
};

namespace {

// The grid of the faces of control volumes across an axis that have a neighbour on each side.
Grid grid_of_faces(const Grid& g, int across) {
  std::vector<Axis> axes;
  for (int a = 0; a < g.dimension(); ++a) {
    const bool cells = g.axis(a).unknowns() == Unknowns::cells;
    axes.push_back(a == across ? g.axis(a).with(cells ? Unknowns::nodes : Unknowns::cells) : g.axis(a));
  }
  return Grid(std::move(axes));
}

class EvaluatedFaceAdvection final : public EvaluatedTerm {
 public:
  EvaluatedFaceAdvection(const FaceAdvectionTerm& term, std::size_t unknown)
      : term_(term), unknown_(unknown) {}
  void add(const Line& line, std::span<const LineRates> rates) const override { term_.add(line, rates); }
  void linearise(const Evaluation&, std::span<const Real> y, Real b, Parts parts,
                 std::span<FaceSystem> matrices) const override {
    if (parts.has(Parts::advection())) term_.linearise(y, b, matrices);
  }
  void add_through(const Evaluation& now, std::span<const Real> y, std::size_t unknown, std::size_t section,
                   std::span<Real> flows) const override {
    if (unknown == unknown_) term_.add_through(now, y, section, flows);
  }
  void bound(std::vector<DataBounds>& pieces) const override { pieces.emplace_back().steady = true; }

 private:
  const FaceAdvectionTerm& term_;
  std::size_t unknown_;
};

}  // namespace

FaceAdvectionTerm::FaceAdvectionTerm(SystemMember member, std::array<std::optional<OfUnknown>, 3> velocity,
                                     bool advective, const std::string& reconstruction)
    : member_(std::move(member)),
      advective_(advective),
      reconstruction_(&reconstruction_kind(reconstruction)),
      distances_(distances_for_flux(member_, *reconstruction_)) {
  const Grid& g = grid();
  for (int a = 0; a < g.dimension(); ++a) {
    const auto axis = static_cast<std::size_t>(a);
    if (!velocity[axis]) continue;
    const Grid& of = velocity[axis]->domain->grid();
    if (!(of == g.on_faces(a)))
      throw InputError(Subject::velocity, "what advects along " + g.axis(a).name() +
                                              " stands on the faces normal to " + g.axis(a).name() +
                                              ": give the component of a vector along it");
    along_[axis] = Along{*velocity[axis], MeansBetween(grid_of_faces(g, a), of), MeansBetween(g, of)};
  }
}

Needs FaceAdvectionTerm::needs() const {
  Needs result = member_.of.needs(Parts::advection());
  result.halo = 3;
  result.linear = result.same_matrix = result.exact_matrix = result.symmetric = false;
  return result;
}

std::unique_ptr<TermScratch> FaceAdvectionTerm::scratch() const {
  return std::make_unique<Workspace>(grid().size(0));
}

void FaceAdvectionTerm::evaluate(const Instant&, const Evaluation&,
                                 std::shared_ptr<EvaluatedTerm>& evaluated) const {
  if (!evaluated)
    evaluated = std::make_shared<EvaluatedFaceAdvection>(*this, static_cast<std::size_t>(member_.of.number));
}

void FaceAdvectionTerm::declare(LedgerLines& lines) {
  if (advective_)
    divergence_line_ =
        lines.declare({member_.of.prefix + "divergence", LedgerLine::Kind::source, "", member_.of.number});
}

// On the faces of a line along x, or those below (j, k) across another axis.
void FaceAdvectionTerm::velocities(const Real* y, int axis, Index j, Index k, std::span<Real> out) const {
  const Along& along = *along_[static_cast<std::size_t>(axis)];
  const Grid& g = grid();
  const Axis& own = g.axis(axis);
  const Real* const v = y + along.of.first;
  const bool nodes = own.unknowns() == Unknowns::nodes;
  const Index faces = along.on_faces.to().size(axis), last = own.size();
  // Face f of cells is node f, that of nodes cell f − 1.
  const auto place = [&](Index f) {
    return own.periodic() ? (f - (nodes ? 1 : 0) + faces) % faces : f - (nodes ? 1 : 0);
  };
  const auto on_side = [&](Index f) { return nodes && !own.periodic() && (f == 0 || f == last); };
  if (axis == 0) {
    // Written one to the right for nodes, whose first face lies on the side or across the seam.
    Real* const first = out.data() + (nodes ? 1 : 0);
    along.on_faces.line(v, j, k, first);
    if (own.periodic()) {
      if (nodes)
        out[0] = out[static_cast<std::size_t>(last)];
      else
        out[static_cast<std::size_t>(last)] = out[0];
    } else if (nodes) {
      out[0] = along.here.at(v, 0, j, k);
      out[static_cast<std::size_t>(last)] = along.here.at(v, last - 1, j, k);
    }
    return;
  }
  const Index face = axis == 1 ? j : k;
  const auto index = [&](Index f) { return axis == 1 ? std::pair{f, k} : std::pair{j, f}; };
  if (on_side(face)) {
    const auto [row, plane] = index(face == 0 ? 0 : last - 1);
    along.here.line(v, row, plane, out.data());
    return;
  }
  const auto [row, plane] = index(place(face));
  along.on_faces.line(v, row, plane, out.data());
}

void FaceAdvectionTerm::fluxes(const Line& line, int axis, Index j, Index k, Workspace& workspace,
                               std::size_t into) const {
  const Grid& g = grid();
  const Index nx = g.size(0), count = axis == 0 ? nx + 1 : nx, face = axis == 0 ? 0 : axis == 1 ? j : k;
  const Rows rows = fill_rows(line, member_, axis, j, k, workspace.rows);
  reconstruct_line(*reconstruction_, rows, distances_[static_cast<std::size_t>(axis)], face, axis == 0, count,
                   workspace.left.data(), workspace.right.data());
  settle_sides(line, member_, axis, j, k, workspace.left.data(), workspace.right.data());
  std::vector<Real>&velocity = workspace.velocity[into], &flux = workspace.flux[into];
  velocities(line.y, axis, j, k, velocity);
  for (Index i = 0; i < count; ++i)
    flux[i] = velocity[i] * (velocity[i] > 0 ? workspace.left : workspace.right)[i];
  // Through sides whose conditions let nothing pass nothing flows.
  each_face_on_side(g, axis, j, k, [&](Side side, Index n, Index at) {
    if (!beyond_side(line.now, member_, side, n, 0).open) flux[at] = 0;
  });
}

void FaceAdvectionTerm::add(const Line& line, std::span<const LineRates> rates) const {
  if (!line.parts.has(Parts::advection())) return;
  auto& workspace = static_cast<Workspace&>(*line.scratch);
  const Grid& g = grid();
  for (int axis = 0; axis < g.dimension(); ++axis) {
    if (!along_[static_cast<std::size_t>(axis)]) continue;
    // The faces above the line before are those below this one.
    if (axis == 1 && line.j > 0 && workspace.line_above == line.number - 1) {
      workspace.flux[0].swap(workspace.flux[1]);
      workspace.velocity[0].swap(workspace.velocity[1]);
    } else {
      fluxes(line, axis, line.j, line.k, workspace, 0);
    }
    const std::size_t upper = static_cast<std::size_t>(axis);
    if (axis == 1) {
      fluxes(line, axis, line.j + 1, line.k, workspace, 1);
      workspace.line_above = line.number;
    } else if (axis == 2) {
      fluxes(line, axis, line.j, line.k + 1, workspace, 2);
    }
    const Index shift = axis == 0 ? 1 : 0;
    fill_areas(g, line, axis, workspace.areas);
    add_flows_of_faces(
        line, member_, static_cast<std::size_t>(member_.of.number), axis,
        {workspace.flux[0].data(), workspace.flux[upper].data() + shift, workspace.velocity[0].data(),
         workspace.velocity[upper].data() + shift, advective_ ? &divergence_line_ : nullptr, workspace.areas},
        rates[static_cast<std::size_t>(member_.of.number)], workspace.wanted);
  }
}

// Of the first order from upwind, with the velocities as they are.
void FaceAdvectionTerm::linearise(std::span<const Real> y, Real b, std::span<FaceSystem> matrices) const {
  const Grid& g = grid();
  FaceSystem& matrix = matrices[static_cast<std::size_t>(member_.of.number)];
  const Index nx = g.size(0);
  std::vector<Real> below(static_cast<std::size_t>(nx) + 1), above(below);
  for (int axis = 0; axis < g.dimension(); ++axis) {
    if (!along_[static_cast<std::size_t>(axis)]) continue;
    const Index shift = axis == 0 ? 1 : 0;
    for (Index l = 0; l < g.lines(); ++l) {
      const Index j = l % g.size(1), k = l / g.size(1);
      velocities(y.data(), axis, j, k, below);
      if (axis > 0) velocities(y.data(), axis, axis == 1 ? j + 1 : j, axis == 2 ? k + 1 : k, above);
      const std::vector<Real>& upper = axis == 0 ? below : above;
      for (Index i = 0; i < nx; ++i)
        add_upwind(g, axis, nx * l + i, below[static_cast<std::size_t>(i)],
                   upper[static_cast<std::size_t>(i + shift)], b, advective_, matrix);
    }
  }
}

void FaceAdvectionTerm::add_through(const Evaluation& now, std::span<const Real> y, std::size_t section,
                                    std::span<Real> flows) const {
  const Grid& g = grid();
  Workspace workspace(g.size(0));
  const auto number = static_cast<std::size_t>(member_.of.number);
  workspace.wanted = {number, section, flows};
  std::vector<Real> ignored(static_cast<std::size_t>(g.size(0)));
  const std::vector<LineRates> rates(number + 1, LineRates(ignored.data()));
  for (Index l = 0; l < g.lines(); ++l)
    add({now, l, l % g.size(1), l / g.size(1), y.data(), Parts::advection(), LedgerBlock(), &workspace},
        rates);
}

}  // namespace williwaw
