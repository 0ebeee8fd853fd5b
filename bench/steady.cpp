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

#include "problems.hpp"
#include "timing.hpp"
#include "williwaw/williwaw.hpp"

namespace {

using namespace williwaw;
using bench::median;
using bench::plan;
using bench::seconds_of;
using bench::square;
using Matrix = Eigen::SparseMatrix<Real, Eigen::RowMajor, int>;

constexpr int threads = 2;
const int repeats = bench::at_size(5, 1);

SteadyOutcome solve(ProblemBalance& balance, const std::string& solver) {
  State y = balance.initial_state();
  return solve_steady(balance, y, 0, {.solver = solver, .threads = threads});
}

// Cold in the west, an exchange in the north, a source in the middle; what else is there stays insulated.
Problem with(const Grid& grid, Equation equation) {
  equation.source = Function::by_line(
      [](const Points& p, Real, std::span<Real> out) {
        for (Index i = 0; i < p.size(); ++i)
          out[i] = std::abs(p.x[i] - 0.6) < 0.1 && std::abs(p.y[i] - 0.4) < 0.2 ? 1.0 : 0.0;
      },
      true, false);
  Problem p(grid, equation);
  p.boundary("west", dirichlet(0.0)).boundary("north", robin(2.0, 1.0)).default_boundary(insulated());
  return p;
}

Function blocks(Index side, Index cells) {
  return Function::by_line(
      [=](const Points& p, Real, std::span<Real> out) {
        for (Index i = 0; i < p.size(); ++i) {
          const auto at = [&](Real x) {
            return static_cast<std::uint64_t>(x * static_cast<Real>(side)) /
                   static_cast<std::uint64_t>(cells);
          };
          // A number between 0 and 1 that differs from block to block without an order.
          std::uint64_t mix = at(p.x[i]) * 0x9E3779B97F4A7C15u + at(p.y[i]) * 0xC2B2AE3D27D4EB4Fu;
          mix = (mix ^ (mix >> 29)) * 0xBF58476D1CE4E5B9u;
          mix = (mix ^ (mix >> 32)) * 0x94D049BB133111EBu;
          out[i] = std::pow(1000.0, static_cast<Real>(mix >> 11) * 0x1p-53);
        }
      },
      true, false);
}

Problem anisotropic(Index side, Real ratio) {
  Equation e = diffusion(1.0);
  e.diffusion.coefficient = {Function(1.0), Function(ratio), Function(1.0)};
  return with(square(side), e);
}

Problem three_insulated(Index side) {
  Problem p = with(square(side), diffusion(blocks(side, side)));
  p.boundary("north", insulated());
  return p;
}

Problem periodic(Index side) {
  Problem p(square(side, true), diffusion(blocks(side, side / 4)));
  p.boundary("south", dirichlet(1.0)).boundary("north", robin(2.0, 1.0));
  return p;
}

Problem singular(Index side) {
  Equation e = diffusion(blocks(side, side / 4));
  e.source = Function::by_line(
      [](const Points& q, Real, std::span<Real> out) {
        for (Index i = 0; i < q.size(); ++i) out[i] = q.x[i] < 0.25 ? 1.0 : q.x[i] > 0.75 ? -1.0 : 0.0;
      },
      true, false);
  Problem p(square(side), e);
  p.default_boundary(insulated());
  return p;
}

// Intervals that grow to fifty times the first one.
Problem graded(Index side) {
  std::vector<Real> faces{0};
  const Real growth = std::pow(50.0, 1 / static_cast<Real>(side - 1));
  for (Real width = 1; static_cast<Index>(faces.size()) <= side; width *= growth)
    faces.push_back(faces.back() + width);
  const Real all = faces.back();
  for (Real& face : faces) face /= all;
  return with(Grid({Axis("x", faces, Unknowns::cells), Axis("y", faces, Unknowns::cells)}),
              diffusion(blocks(side, side / 4)));
}

// A layer of three cells that conducts a thousandth.
Problem thin_layer(Index side) {
  const Real width = 3 / static_cast<Real>(side);
  return with(square(side), diffusion(Function::by_line(
                                [=](const Points& p, Real, std::span<Real> out) {
                                  for (Index i = 0; i < p.size(); ++i)
                                    out[i] = std::abs(p.x[i] - 0.3) < 0.5 * width ? 1e-3 : 1.0;
                                },
                                true, false)));
}

Problem block(Index side) {
  const auto axis = [&](const char* name) { return Axis::uniform(name, 0, 1, side, Unknowns::cells); };
  Problem p(Grid({axis("x"), axis("y"), axis("z")}),
            diffusion(Function::by_line(
                [](const Points& q, Real, std::span<Real> out) {
                  for (Index i = 0; i < q.size(); ++i)
                    out[i] = q.x[i] > 0.15 && q.x[i] < 0.45 && q.y[i] > 0.4 && q.z[i] < 0.7 ? 30.0 : 1.0;
                },
                true, false)));
  p.boundary("west", dirichlet(0.0)).boundary("top", robin(2.0, 1.0)).default_boundary(insulated());
  return p;
}

// The most that this process has taken so far.
double peak_bytes() {
  std::ifstream status("/proc/self/status");
  for (std::string line; std::getline(status, line);)
    if (line.starts_with("VmHWM:")) return 1024 * std::stod(line.substr(6));
  return 0;
}

Matrix matrix_of(ProblemBalance& balance) {
  LinearSystem system;
  balance.linearise(balance.initial_state(), 0, 0, 1, Parts::all(), system);
  std::vector<Eigen::Triplet<Real, int>> entries;
  for (const Triplet& t : triplets_of(system))
    entries.emplace_back(static_cast<int>(t.row), static_cast<int>(t.column), t.value);
  const int rows = static_cast<int>(rows_of(system));
  Matrix matrix(rows, rows);
  matrix.setFromTriplets(entries.begin(), entries.end());
  return matrix;
}

// The yardstick: a product of the matrix, its rows one after another, with a vector.
double product_time(const Problem& problem) {
  ProblemBalance balance(problem, {threads});
  const Matrix matrix = matrix_of(balance);
  Eigen::setNbThreads(threads);
  Eigen::VectorXd x = Eigen::VectorXd::Random(matrix.rows()), y(matrix.rows());
  std::vector<double> product;
  for (int n = 0; n < bench::at_size(25, 1); ++n)
    product.push_back(seconds_of([&] { y.noalias() = matrix * x; }));
  return median(product);
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
  const Matrix matrix = matrix_of(balance);
  const Index rows = matrix.rows();
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
              prescribed / 8 / static_cast<double>(rows));

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

// Cycles or iterations, and products, of one problem with everything included.
void row(const char* name, const Problem& problem) {
  const double unit = product_time(problem);
  std::vector<double> layout, solving;
  SteadyOutcome outcome;
  for (int n = 0; n < bench::at_size(3, 1); ++n) {
    std::unique_ptr<ProblemBalance> balance;
    layout.push_back(
        seconds_of([&] { balance = std::make_unique<ProblemBalance>(problem, Execution{threads}); }));
    solving.push_back(seconds_of([&] { outcome = solve(*balance, "multigrid"); }));
  }
  std::printf("  %-34s %6td %10.1f %10.1f %10.1f%s\n", name, outcome.iterations(), median(layout) / unit,
              median(solving) / unit, (median(layout) + median(solving)) / unit,
              outcome.reached ? "" : "  not reached");
  std::fflush(stdout);
  bench::row(std::string("steady, residual 1e-10, everything included: ") + name,
             "time in products of the matrix", (median(layout) + median(solving)) / unit);
}

void cautions() {
  const Index side = bench::at_size<Index>(1023, 63);
  std::printf("steady, %td x %td, residual 1e-10, in products\n  %-34s %6s %10s %10s %10s\n", side, side, "",
              "cycles", "layout", "solving", "whole");
  row("two materials, a cut-out", plan(side, 30));
  row("anisotropy 1:10", anisotropic(side, 10));
  row("anisotropy 10:1", anisotropic(side, 0.1));
  row("three insulated sides", three_insulated(side));
  row("blocks of 32 cells, 1:1000", with(square(side), diffusion(blocks(side, 32))));
  row("blocks of 8 cells, 1:1000", with(square(side), diffusion(blocks(side, 8))));
  row("periodic", periodic(side + 1));
  row("singular", singular(side));
  row("graded 1:50", graded(side));
  row("thin layer 1000:1", thin_layer(side));
  row("block of 127^3, two materials", block(bench::at_size<Index>(127, 15)));
}

// Crank-Nicolson with multigrid: a step in products, its matrix and hierarchy reused.
void implicit_steps() {
  const Index side = bench::at_size<Index>(1023, 63);
  std::printf("Crank-Nicolson, %td x %td, two materials, a cut-out, budget on: cycles and products a step\n",
              side, side);
  const Problem problem = plan(side, 30);
  const double unit = product_time(problem);
  for (const Real number : {1.0, 30.0, 1000.0}) {
    ProblemBalance balance(problem, {threads});
    State y = balance.initial_state();
    const auto stepper = make_stepper(balance, scheme("crank-nicolson"), {"multigrid", threads});
    Ledger amounts(balance.lines().size());
    const Real step = number / static_cast<Real>(side * side);
    std::vector<double> times;
    Index before = 0, cycles = 0;
    for (int n = 0; n < bench::at_size(12, 2); ++n) {
      before = stepper->solver_iterations();
      times.push_back(seconds_of([&] { stepper->advance(y, static_cast<Real>(n) * step, step, amounts); }));
      cycles = stepper->solver_iterations() - before;
    }
    std::printf("  D step/h^2 = %-6g %10td %10.1f\n", number, cycles, median(times) / unit);
    char what[120];
    std::snprintf(what, sizeof what, "Crank-Nicolson step, %td^2, two materials, a cut-out, D step/h^2 = %g",
                  side, number);
    bench::row(what, "time in products of the matrix", median(times) / unit);
  }
}

// `bench_steady quick` leaves out Eigen's solvers and the growing grids, which take minutes.
int main(int argc, char** argv) {
  const bool quick = argc > 1 && std::string(argv[1]) == "quick";
  against_products(quick);
  implicit_steps();
  cautions();
  if (!quick) as_grids_grow();
}
