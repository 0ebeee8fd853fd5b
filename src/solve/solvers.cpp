#include <algorithm>
#include <cmath>

#include "williwaw/solve/linear_solver.hpp"

namespace williwaw {

namespace {
// Up to here a direct solve is over before a hierarchy is built.
constexpr Index direct_limit = 2500, direct_limit_reused = 20000;
}  // namespace

const std::vector<SolverKind>& solver_kinds() {
  const auto relaxation = [](const char* name) {
    return SolverKind{name, true, [name](const SolverRules& r) { return make_relaxation_solver(name, r); }};
  };
  static const std::vector<SolverKind> kinds{
      {"direct", false, [](const SolverRules&) { return make_direct_solver(); }},
      {"multigrid", true, [](const SolverRules& r) { return make_multigrid_solver(r); }},
      {"cg", true, [](const SolverRules& r) { return make_cg_solver(r); }},
      {"bicgstab", true, [](const SolverRules& r) { return make_bicgstab_solver(r); }},
      {"transform", false, [](const SolverRules&) { return make_transform_solver(); }},
      relaxation("jacobi"),
      relaxation("gauss-seidel"),
      relaxation("sor")};
  return kinds;
}

bool is_symmetric(const FaceSystem& system) {
  for (int a = 0; a < system.rank(); ++a)
    for (Index n = 0; n < system.size(); ++n)
      if (const Index above = system.neighbour(n, a, true); above >= 0) {
        const Real up = system.upper[a][n], down = system.lower[a][above];
        if (std::abs(up - down) > 1e-12 * (std::abs(system.diagonal[n]) + std::abs(system.diagonal[above])))
          return false;
      }
  return true;
}

std::unique_ptr<LinearSolver> make_solver(const std::string& name, const LinearSystem& system,
                                          const SolverRules& rules) {
  if (name != "auto") {
    const auto kind = std::ranges::find(solver_kinds(), name, &SolverKind::name);
    if (kind == solver_kinds().end()) throw InputError("there is no solver called '" + name + "'");
    return kind->make(rules);
  }
  const auto* faces = std::get_if<FaceSystem>(&system);
  if (!faces) return make_direct_solver();
  if (faces->rank() == 1) return make_tridiagonal_solver();
  if (is_of_lines(*faces)) return make_lines_solver();
  // In a block direct factors fill up too soon for that to pay.
  const Index limit = rules.reused && faces->rank() == 2 ? direct_limit_reused : direct_limit;
  if (!is_symmetric(*faces))
    return faces->size() <= limit ? make_direct_solver() : make_bicgstab_solver(rules);
  if (is_separable(system)) return make_transform_solver();
  return faces->size() <= limit ? make_direct_solver() : make_multigrid_solver(rules);
}

}  // namespace williwaw
