// Multigrid: cycles alone where they suffice, as a preconditioner of conjugate gradients elsewhere.
#include "kinds.hpp"
#include "solve/multigrid/plane_multigrid.hpp"

namespace williwaw {

namespace {

class Multigrid final : public LinearSolver {
 public:
  explicit Multigrid(const SolverRules& rules) : rules_(rules) {}

  std::string name() const override { return with_gradients_ ? with_gradients_->name() : "multigrid"; }
  const Convergence* convergence() const override {
    return with_gradients_ ? with_gradients_->convergence() : &convergence_;
  }

  void factor(const LinearSystem& system) override {
    const auto* faces = std::get_if<FaceSystem>(&system);
    if (!faces) throw SolverError("multigrid takes systems of fluxes between two neighbours only");
    with_gradients_.reset();
    if (PlaneMultigrid::takes(*faces)) {
      planes_.build(*faces, rules_.threads);
      return;
    }
    with_gradients_ = make_cg_with_multigrid(rules_);
    with_gradients_->factor(system);
  }

  void solve(std::span<const Real> right, std::span<Real> solution) override {
    solve_from(right, solution, false);
  }
  void improve(std::span<const Real> right, std::span<Real> solution) override {
    solve_from(right, solution, true);
  }

 private:
  void solve_from(std::span<const Real> right, std::span<Real> solution, bool guessed) {
    if (!with_gradients_ && planes_.solve(right, solution, guessed, rules_, convergence_)) return;
    if (!with_gradients_) {
      const LinearSystem system = planes_.system();
      planes_ = {};
      with_gradients_ = make_cg_with_multigrid(rules_);
      with_gradients_->factor(system);
    }
    with_gradients_->solve(right, solution);
  }

  SolverRules rules_;
  PlaneMultigrid planes_;
  Convergence convergence_;
  std::unique_ptr<LinearSolver> with_gradients_;
};

}  // namespace

std::unique_ptr<LinearSolver> make_multigrid_solver(const SolverRules& rules) {
  return std::make_unique<Multigrid>(rules);
}

SolverKind solvers::multigrid() {
  return {.name = "multigrid", .iterates = true, .make = make_multigrid_solver};
}

}  // namespace williwaw
