// A steady plan with two materials and a cut-out, to a residual of 1e-10: what it costs in row-major sparse
// matrix-vector products, in Eigen's Cholesky and conjugate gradients, and how iterations grow with the grid;
// all in one run.
#include <Eigen/IterativeLinearSolvers>
#include <Eigen/SparseCholesky>
#include <algorithm>
#include <cmath>
#include <cstdio>
#include <fstream>
#include <string>

#include "timing.hpp"
#include "williwaw/williwaw.hpp"

namespace {

using namespace williwaw;
using bench::median;
using bench::seconds_of;
using Matrix = Eigen::SparseMatrix<Real, Eigen::RowMajor, int>;

constexpr int threads = 2;
const int repeats = bench::at_size(5, 1);

// Regions are tested line by line, as a program that cares for speed would.
Problem plan(Index side, Real jump) {
  const auto box = [](Real x0, Real x1, Real y0, Real y1) {
    return Where([=](const Points& p, std::span<char> in) {
      for (Index i = 0; i < p.size(); ++i) in[i] = p.x[i] > x0 && p.x[i] < x1 && p.y[i] > y0 && p.y[i] < y1;
    });
  };
  const Regions regions({{"core", box(0.15, 0.45, 0.4, 0.8)}, {"corner", box(0.7, 2, -1, 0.3), false}});
  const auto shared = std::make_shared<const Regions>(regions);
  Problem p(Grid({Axis::uniform("x", 0, 1, side, Unknowns::cells),
                  Axis::uniform("y", 0, 1, side, Unknowns::cells)}),
            diffusion(Function::by_region(shared, {1.0, jump, 1.0}), 1.0, 1.0), regions);
  p.boundary("west", dirichlet(0.0))
      .boundary("north", robin(2.0, 1.0))
      .boundary("corner", dirichlet(1.0))
      .default_boundary(insulated());
  return p;
}

SteadyOutcome solve(ProblemBalance& balance, const std::string& solver) {
  State y = balance.initial_state();
  return solve_steady(balance, y, 0, {.solver = solver, .threads = threads});
}

// The most that this process has taken so far.
double peak_bytes() {
  std::ifstream status("/proc/self/status");
  for (std::string line; std::getline(status, line);)
    if (line.starts_with("VmHWM:")) return 1024 * std::stod(line.substr(6));
  return 0;
}

void against_products(bool quick) {
  const Index side = bench::at_size<Index>(1023, 63);
  const Problem problem = plan(side, 30);
  const double before = peak_bytes();
  {
    ProblemBalance once(problem, {threads});
    solve(once, "multigrid");
  }
  const double prescribed = peak_bytes() - before;
  ProblemBalance balance(problem, {threads});
  LinearSystem system;
  balance.linearise(balance.initial_state(), 0, 0, 1, Parts::all(), system);
  std::vector<Eigen::Triplet<Real, int>> entries;
  for (const Triplet& t : triplets_of(system))
    entries.emplace_back(static_cast<int>(t.row), static_cast<int>(t.column), t.value);
  const int rows = static_cast<int>(side * side);
  Matrix matrix(rows, rows);
  matrix.setFromTriplets(entries.begin(), entries.end());
  Eigen::setNbThreads(threads);
  Eigen::VectorXd x = Eigen::VectorXd::Random(rows), y(rows), right = Eigen::VectorXd::Constant(rows, 1e-6);

  std::vector<double> product, whole, solver_only, layout;
  Index iterations = 0;
  for (int n = 0; n < repeats; ++n) {
    for (int k = 0; k < 5; ++k) product.push_back(seconds_of([&] { y.noalias() = matrix * x; }));
    std::unique_ptr<ProblemBalance> own;
    layout.push_back(
        seconds_of([&] { own = std::make_unique<ProblemBalance>(problem, Execution{threads}); }));
    solver_only.push_back(seconds_of([&] { iterations = solve(*own, "multigrid").iterations(); }));
    whole.push_back(layout.back() + solver_only.back());
    x = y / y.norm();
  }
  const double unit = median(product);
  std::printf("steady plan %td x %td, two materials, a cut-out, residual 1e-10, %d threads, %td iterations\n",
              side, side, threads, iterations);
  std::printf("  multigrid, matrix and hierarchy included : %6.1f products\n", median(solver_only) / unit);
  std::printf("  laying out regions, outline, coefficients: %6.1f products\n", median(layout) / unit);
  std::printf("  all of it                                : %6.1f products\n", median(whole) / unit);
  std::printf("  memory at the peak, everything included  : %6.1f doubles an unknown\n",
              prescribed / 8 / rows);

  if (quick) return;
  std::vector<double> factor(1), cg(1);
  factor[0] = seconds_of([&] {
    Eigen::SimplicialLDLT<Eigen::SparseMatrix<Real>> ldlt{Eigen::SparseMatrix<Real>(matrix)};
    y = ldlt.solve(right);
  });
  long cg_iterations = 0;
  cg[0] = seconds_of([&] {
    Eigen::ConjugateGradient<Matrix, Eigen::Lower | Eigen::Upper> solver;
    solver.setTolerance(1e-10);
    solver.setMaxIterations(20000);
    solver.compute(matrix);
    y = solver.solve(right);
    cg_iterations = solver.iterations();
  });
  std::printf("  Eigen's sparse Cholesky                  : %6.1f times multigrid\n",
              factor[0] / median(solver_only));
  std::printf("  Eigen's conjugate gradients (%ld its)   : %6.1f times multigrid\n", cg_iterations,
              cg[0] / median(solver_only));
}

void as_grids_grow() {
  std::printf("iterations of multigrid to 1e-10\n  %-12s %6s %6s %6s %6s\n", "conductivity", "255", "511",
              "1023", "2047");
  for (const Real jump : {1.0, 30.0, 1000.0}) {
    std::printf("  1 : %-8g", jump);
    for (const Index full : {255, 511, 1023, 2047}) {
      const Index side = bench::at_size<Index>(full, (full + 1) / 8 - 1);
      ProblemBalance balance(plan(side, jump), {threads});
      std::printf(" %6td", solve(balance, "multigrid").iterations());
      std::fflush(stdout);
    }
    std::printf("\n");
  }
}

}  // namespace

// `bench_steady quick` leaves out Eigen's solvers and the growing grids, which take minutes.
int main(int argc, char** argv) {
  const bool quick = argc > 1 && std::string(argv[1]) == "quick";
  against_products(quick);
  if (!quick) as_grids_grow();
}
