#include <algorithm>
#include <cmath>

#include "grid/named.hpp"
#include "grid/threads.hpp"
#include "solve/solvers/kinds.hpp"
#include "williwaw/grid/expect.hpp"

namespace williwaw {

namespace {
// Up to here a direct solve is over before a hierarchy is built.
constexpr Index direct_limit = 2500, direct_limit_reused = 20000, direct_limit_coupled = 4000;

std::unique_ptr<LinearSolver> make_any(const std::string& name, const LinearSystem& system,
                                       const SolverRules& rules);

#ifdef WILLIWAW_ASSERT
// Any solver, its preconditions asserted.
class AssertingSolver final : public LinearSolver {
 public:
  explicit AssertingSolver(std::unique_ptr<LinearSolver> solver) : solver_(std::move(solver)) {}
  std::string name() const override { return solver_->name(); }
  void factor(const LinearSystem& system) override {
    rows_ = rows_of(system);
    solver_->factor(system);
  }
  void solve(std::span<const Real> right, std::span<Real> solution) override {
    expect(rows_ >= 0, "LinearSolver: factor before solve");
    expect(static_cast<Index>(right.size()) == rows_ && right.size() == solution.size(),
           "LinearSolver: right-hand side and solution have as many entries as the matrix has rows");
    solver_->solve(right, solution);
  }
  void improve(std::span<const Real> right, std::span<Real> solution) override {
    expect(rows_ >= 0, "LinearSolver: factor before improve");
    expect(static_cast<Index>(right.size()) == rows_ && right.size() == solution.size(),
           "LinearSolver: right-hand side and solution have as many entries as the matrix has rows");
    solver_->improve(right, solution);
  }
  const Convergence* convergence() const override { return solver_->convergence(); }

 private:
  std::unique_ptr<LinearSolver> solver_;
  Index rows_ = -1;
};
#endif
}  // namespace

const std::vector<SolverKind>& solver_kinds() {
  static const std::vector<SolverKind> kinds{
#define KIND(name) solvers::name(),
#include "solve/solvers/list.inc"
#undef KIND
  };
  return kinds;
}

const SolverKind* solver_kind(const std::string& name) {
  return name == "auto" ? nullptr : &named(solver_kinds(), name, Subject::solver, "solver");
}

void check_on_ranks(const std::string& name) {
  const SolverKind* const kind = solver_kind(name);
  if (!kind || kind->on_ranks) return;
  std::vector<std::string> there;
  for (const SolverKind& other : solver_kinds())
    if (other.on_ranks) there.push_back(other.name);
  std::string words;
  for (std::size_t n = 0; n < there.size(); ++n)
    words += (n == 0 ? "" : n + 1 == there.size() ? " and " : ", ") + there[n];
  throw InputError(Subject::solver, "solver '" + name + "' works on one rank; on several there are " + words);
}

bool is_symmetric(const FaceSystem& system) {
  const Index length = system.extent[0], rows = system.size() / std::max<Index>(1, length);
  // Whether `count` unknowns from n on agree with their neighbours along an axis, from `above` on.
  const auto agree = [&](int a, Index n, Index above, Index count) {
    int apart = 0;
    for (Index i = 0; i < count; ++i)
      apart |= std::abs(system.upper[a][n + i] - system.lower[a][above + i]) >
               1e-12 * (std::abs(system.diagonal[n + i]) + std::abs(system.diagonal[above + i]));
    return !apart;
  };
  // Rows of a halo are not there to compare with.
  const auto own = [&](Index n) { return !system.box || system.box->owns(n); };
  return all_by_threads(rows, threads_for(system.size(), 0), [&](Index row) {
    const Index first = row * length, last = first + length - 1;
    bool here = agree(0, first, first + 1, length - 1);
    if (system.periodic[0]) here = here && agree(0, last, first, 1);
    for (int a = 1; a < system.dimension(); ++a)
      if (const Index above = system.neighbour(first, a, true); above >= 0 && own(first) && own(above))
        here = here && agree(a, first, above, length);
    return here;
  });
}

namespace {

// A matrix whose parts do not belong together would be read beyond its ends.
void check(const FaceSystem& s) {
  const auto count = static_cast<std::size_t>(s.extent[0] * s.extent[1] * s.extent[2]);
  bool fits = s.diagonal.size() == count && (s.prescribed.empty() || s.prescribed.size() == count);
  for (std::size_t a = 0; a < 3; ++a) {
    const bool there = static_cast<int>(a) < s.dimension();
    fits = fits && s.lower[a].size() == (there ? count : 0) && s.upper[a].size() == s.lower[a].size() &&
           (there || s.extent[a] == 1);
  }
  if (!fits)
    throw InputError("a matrix over faces has one entry for each of the " + std::to_string(count) +
                     " unknowns of its extent in its diagonal, and two for each axis beside it");
}

void check(const SparseSystem& s) {
  for (const Triplet& t : s.entries)
    if (t.row < 0 || t.row >= s.rows || t.column < 0 || t.column >= s.rows)
      throw InputError("a matrix with " + std::to_string(s.rows) + " rows has no entry at row " +
                       std::to_string(t.row) + ", column " + std::to_string(t.column));
}

void check(const BlockSystem& s) {
  if (s.blocks.empty()) throw InputError("a matrix of several unknowns has one block at least");
  SparseSystem joined;
  for (const FaceSystem& block : s.blocks) {
    check(block);
    joined.rows += block.size();
  }
  joined.entries = s.local;
  check(joined);
}

}  // namespace

std::unique_ptr<LinearSolver> make_solver(const std::string& name, const LinearSystem& system,
                                          const SolverRules& rules) {
  std::visit([](const auto& s) { check(s); }, system);
#ifdef WILLIWAW_ASSERT
  return std::make_unique<AssertingSolver>(make_any(name, system, rules));
#else
  return make_any(name, system, rules);
#endif
}

namespace {

// Blocks that nothing joins, each by a solver of its own.
class SolverOfBlocks final : public LinearSolver {
 public:
  SolverOfBlocks(const std::string& kind, const BlockSystem& system, const SolverRules& rules) {
    for (const FaceSystem& block : system.blocks) solvers_.push_back(make_any(kind, block, rules));
  }
  std::string name() const override { return solvers_.front()->name() + ", unknown by unknown"; }
  void factor(const LinearSystem& system) override {
    const auto& several = std::get<BlockSystem>(system);
    sizes_.clear();
    for (std::size_t b = 0; b < solvers_.size(); ++b) {
      solvers_[b]->factor(several.blocks[b]);
      sizes_.push_back(static_cast<std::size_t>(several.blocks[b].size()));
    }
  }
  void solve(std::span<const Real> right, std::span<Real> solution) override {
    slowest_ = nullptr;
    std::size_t first = 0;
    for (std::size_t b = 0; b < solvers_.size(); ++b) {
      solvers_[b]->solve(right.subspan(first, sizes_[b]), solution.subspan(first, sizes_[b]));
      first += sizes_[b];
      const Convergence* own = solvers_[b]->convergence();
      if (own &&
          (!slowest_ || (slowest_->reached && (!own->reached || own->iterations() > slowest_->iterations()))))
        slowest_ = own;
    }
  }
  // Of the block that took longest.
  const Convergence* convergence() const override {
    return slowest_ ? slowest_ : solvers_.front()->convergence();
  }

 private:
  std::vector<std::unique_ptr<LinearSolver>> solvers_;
  std::vector<std::size_t> sizes_;
  const Convergence* slowest_ = nullptr;
};

// What is there for a matrix that several ranks share.
std::unique_ptr<LinearSolver> make_shared(const std::string& name, const FaceSystem& faces, bool joined,
                                          const SolverRules& rules) {
  check_on_ranks(name);
  // One rank's rows do not tell of another's.
  const bool symmetric = !joined && !faces.box->communicator().any(!is_symmetric(faces));
  if (name == "bicgstab" || (name == "auto" && !symmetric)) return make_bicgstab_solver(rules);
  if (!symmetric)
    throw SolverError("conjugate gradients and multigrid take symmetric matrices, which this one is not");
  return name == "cg" ? make_cg_solver(rules) : make_multigrid_solver(rules);
}

std::unique_ptr<LinearSolver> make_any(const std::string& name, const LinearSystem& system,
                                       const SolverRules& rules) {
  if (const auto* shared = std::get_if<FaceSystem>(&system); shared && shared->box)
    return make_shared(name, *shared, false, rules);
  if (const auto* several = std::get_if<BlockSystem>(&system); several && several->local.empty())
    return std::make_unique<SolverOfBlocks>(name, *several, rules);
  if (const auto* several = std::get_if<BlockSystem>(&system); several && several->blocks.front().box)
    return make_shared(name, several->blocks.front(), true, rules);
  if (const SolverKind* kind = solver_kind(name)) return kind->make(rules);
  const auto* faces = std::get_if<FaceSystem>(&system);
  if (const auto* several = std::get_if<BlockSystem>(&system)) {
    // Along a line factors hardly fill up.
    const bool direct = several->blocks.front().dimension() == 1 || rows_of(system) <= direct_limit_coupled;
    return direct ? make_direct_solver() : make_bicgstab_solver(rules);
  }
  if (!faces) return make_direct_solver();
  if (faces->dimension() == 1) return make_tridiagonal_solver();
  if (is_of_lines(*faces)) return make_lines_solver();
  // In a block direct factors fill up too soon for that to pay.
  const Index limit = rules.reused && faces->dimension() == 2 ? direct_limit_reused : direct_limit;
  if (is_separable(system)) return make_transform_solver(rules.threads);
  if (!is_symmetric(*faces))
    return faces->size() <= limit ? make_direct_solver() : make_bicgstab_solver(rules);
  return faces->size() <= limit ? make_direct_solver() : make_multigrid_solver(rules);
}

}  // namespace

}  // namespace williwaw
