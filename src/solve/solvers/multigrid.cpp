// Multigrid: cycles alone where they suffice, as a preconditioner of conjugate gradients elsewhere.
#include "kinds.hpp"
#include "solve/multigrid/plane_multigrid.hpp"

namespace williwaw {

namespace {

class Multigrid final : public LinearSolver {
 public:
  explicit Multigrid(const SolverRules& rules) : rules_(rules) {}

  std::string name() const override { return by_gradients_ ? gradients_->name() : "multigrid"; }
  const Convergence* convergence() const override {
    return by_gradients_ ? gradients_->convergence() : &convergence_;
  }

  void factor(const LinearSystem& system) override {
    const auto* faces = std::get_if<FaceSystem>(&system);
    if (!faces) throw SolverError("multigrid takes systems of fluxes between two neighbours only");
    gradients_.reset();
    on_planes_ = !faces->box && PlaneMultigrid::takes(*faces);
    by_gradients_ = !on_planes_;
    if (on_planes_)
      planes_.build(*faces, rules_.threads);
    else
      make_gradients(system);
  }

  void solve(std::span<const Real> right, std::span<Real> solution) override {
    solve_from(right, solution, false);
  }
  void improve(std::span<const Real> right, std::span<Real> solution) override {
    solve_from(right, solution, true);
  }

 private:
  // Each right-hand side is tried by cycles alone first, whatever became of the last one: what is found must
  // not depend on what was solved before.
  void solve_from(std::span<const Real> right, std::span<Real> solution, bool guessed) {
    by_gradients_ = !on_planes_ || !planes_.solve(right, solution, guessed, rules_, convergence_);
    if (!by_gradients_) return;
    if (!gradients_) make_gradients(planes_.system());
    gradients_->solve(right, solution);
  }

  void make_gradients(const LinearSystem& system) {
    gradients_ = make_cg_with_multigrid(rules_);
    gradients_->factor(system);
  }

  SolverRules rules_;
  bool on_planes_ = true, by_gradients_ = false;
  PlaneMultigrid planes_;
  Convergence convergence_;
  std::unique_ptr<LinearSolver> gradients_;
};

}  // namespace

std::unique_ptr<LinearSolver> make_multigrid_solver(const SolverRules& rules) {
  return std::make_unique<Multigrid>(rules);
}

SolverKind solvers::multigrid() {
  return {.name = "multigrid", .iterates = true, .on_ranks = true, .make = make_multigrid_solver};
}

}  // namespace williwaw
