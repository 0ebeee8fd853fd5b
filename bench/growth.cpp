// How the time of each kind of work grows with the number of unknowns, over four sizes: the exponent b of
// time = a·unknowns^b by least squares, 1 for work that grows with its unknowns alone. What threads gain
// where several unknowns travel, and how many cycles multigrid takes as grids grow.
#include <algorithm>
#include <cmath>
#include <functional>
#include <map>
#include <memory>

#include "problems.hpp"
#include "timing.hpp"
#include "williwaw/williwaw.hpp"

namespace {

using namespace williwaw;
using bench::median;
using bench::plan;
using bench::seconds_of;
using bench::square;

constexpr int threads = 2;
const int repeats = bench::at_size(9, 1);

Real hill(Point p) {
  return std::exp(-50 * ((p.x - 0.5) * (p.x - 0.5) + (p.y - 0.4) * (p.y - 0.4)));
}

Function differing() {
  return Function::by_line(
      [](const Points& p, Real, std::span<Real> out) {
        for (Index i = 0; i < p.size(); ++i) out[i] = 1 + 0.5 * p.x[i] * p.y[i];
      },
      true, false);
}

Problem with(const Grid& grid, const Equation& equation) {
  Problem p(grid, equation);
  p.initial = hill;
  if (!grid.axis(0).periodic()) p.default_boundary(equation.second_order ? free_boundary() : insulated());
  return p;
}

Problem block(Index side) {
  std::vector<Axis> axes;
  for (const char* name : {"x", "y", "z"}) axes.push_back(Axis::uniform(name, 0, 1, side, Unknowns::cells));
  Problem p(Grid(axes), diffusion(differing(), 1.0, 1.0));
  p.boundary("west", dirichlet(0.0)).default_boundary(insulated());
  return p;
}

using Work = std::function<void()>;

// Steps of one problem, their state kept from one call to the next.
Work steps(const std::vector<Problem>& problems, const SystemReaction& reaction, const char* name, Real step,
           bool semi_lagrangian = false) {
  struct Kept {
    std::unique_ptr<ProblemBalance> balance;
    std::unique_ptr<Stepper> stepper;
    State y;
    Ledger amounts;
    Real at = 0;
  };
  auto kept = std::make_shared<Kept>();
  const Execution execution{threads, semi_lagrangian};
  kept->balance = problems.size() > 1
                      ? std::make_unique<ProblemBalance>(System{problems, reaction}, execution)
                      : std::make_unique<ProblemBalance>(problems.front(), execution);
  kept->stepper = make_stepper(*kept->balance, scheme(name), {"auto", threads});
  kept->y = kept->balance->initial_state();
  kept->amounts = Ledger(kept->balance->lines().size());
  return [kept, step] {
    kept->stepper->advance(kept->y, kept->at, step, kept->amounts);
    kept->at += step;
  };
}

Work leapfrog_steps(const Problem& problem, Real step) {
  struct Kept {
    explicit Kept(const Problem& of) : balance(of, {threads}) {}
    ProblemBalance balance;
    State now = {}, before = {};
    Ledger amounts = Ledger(0);
  };
  auto kept = std::make_shared<Kept>(problem);
  kept->now = kept->balance.initial_state();
  kept->amounts = Ledger(kept->balance.lines().size());
  State rate;
  kept->balance.dynamics().initial_rate(rate);
  kept->balance.dynamics().prepare_leapfrog(kept->now, rate, 0, step, nullptr, nullptr, kept->before);
  return [kept, step] {
    kept->balance.dynamics().leapfrog_step(kept->now, 0, step, kept->before, kept->amounts, nullptr, nullptr);
    kept->now.swap(kept->before);
  };
}

Work steady(const Problem& problem) {
  return [problem] {
    ProblemBalance balance(problem, {threads});
    State y = balance.initial_state();
    solve_steady(balance, y, 0, {.threads = threads});
  };
}

struct Kind {
  const char* name;
  std::vector<Index> sizes;
  int dimension;
  std::function<Work(Index)> make;
};

// Sizes take turns, so that what else the machine does meets all of them.
void growth_of(const Kind& kind) {
  std::vector<Work> works;
  for (const Index size : kind.sizes) {
    works.push_back(kind.make(size));
    works.back()();
  }
  std::vector<std::vector<double>> times(works.size());
  for (int n = 0; n < repeats; ++n)
    for (std::size_t s = 0; s < works.size(); ++s) times[s].push_back(seconds_of(works[s]));
  double x = 0, y = 0, xx = 0, xy = 0;
  const auto count = static_cast<double>(works.size());
  std::printf("  %-34s", kind.name);
  for (std::size_t s = 0; s < works.size(); ++s) {
    const double unknowns = std::pow(static_cast<double>(kind.sizes[s]), kind.dimension),
                 t = median(times[s]);
    std::printf(" %8.2f", 1e9 * t / unknowns);
    const double a = std::log(unknowns), b = std::log(t);
    x += a;
    y += b;
    xx += a * a;
    xy += a * b;
  }
  const double exponent = (count * xy - x * y) / (count * xx - x * x);
  std::printf("   %.3f\n", exponent);
  std::fflush(stdout);
  bench::row(std::string("growth with the unknowns, four sizes: ") + kind.name, "exponent", exponent);
}

void growth() {
  const auto sizes = [](std::vector<Index> full, Index divisor) {
    for (Index& size : full) size = bench::at_size<Index>(size, std::max<Index>(8, size / divisor));
    return full;
  };
  const std::vector<Index> planes = sizes({1024, 1448, 2048, 2896}, 64),
                           plans = sizes({767, 1023, 1535, 2047}, 16),
                           lines = sizes({1000000, 2000000, 4000000, 8000000}, 1000),
                           blocks = sizes({95, 111, 127, 159}, 8), even = sizes({768, 1024, 1536, 2048}, 16);
  const auto h = [](Index side) { return 1 / static_cast<Real>(side); };
  const SystemReaction exchange = reaction_by_values<2>([](const std::array<Real, 2>& u) {
    const Real met = u[0] * u[0] * u[1];
    return std::array<Real, 2>{0.1 - u[0] + met, 0.9 - met};
  });
  std::printf("nanoseconds an unknown at four sizes, and the exponent of growth\n");
  for (const Kind& kind : std::vector<Kind>{
           {"explicit step, constant", planes, 2,
            [&](Index n) {
              return steps({with(square(n), diffusion(1.0))}, {}, "explicit-euler", 0.2 * h(n) * h(n));
            }},
           {"explicit step, varying conductances", planes, 2,
            [&](Index n) {
              return steps({with(square(n), diffusion(differing()))}, {}, "explicit-euler",
                           0.1 * h(n) * h(n));
            }},
           {"leapfrog", planes, 2,
            [&](Index n) { return leapfrog_steps(with(square(n), wave(1.0)), 0.4 * h(n)); }},
           {"van Leer and ssprk3", planes, 2,
            [&](Index n) {
              Problem p = with(square(n, true, true), conservation(quadratic_flux()));
              p.reconstruction = "van-leer";
              return steps({p}, {}, "ssprk3", 0.2 * h(n));
            }},
           {"semi-Lagrangian", planes, 2,
            [&](Index n) {
              return steps({with(square(n, true, true), transport(Velocity(1.0, 0.5)))}, {},
                           "semi-lagrangian", 3 * h(n), true);
            }},
           {"two reacting unknowns", planes, 2,
            [&](Index n) {
              Equation of_u = diffusion(1e-6), of_v = diffusion(4e-5);
              of_u.unknown = "u";
              of_v.unknown = "v";
              const Problem u = with(square(n), of_u), v = with(square(n), of_v);
              return steps({u, v}, exchange, "explicit-euler", 1e3 * h(n) * h(n));
            }},
           {"Crank-Nicolson, 1-D", lines, 1,
            [&](Index n) {
              return steps({with(Grid({Axis::uniform("x", 0, 1, n, Unknowns::cells)}), diffusion(1.0))}, {},
                           "crank-nicolson", 20 * h(n) * h(n));
            }},
           {"Crank-Nicolson, 2-D, D step/h^2 = 30", plans, 2,
            [&](Index n) { return steps({plan(n, 30)}, {}, "crank-nicolson", 30 * h(n) * h(n)); }},
           {"steady, everything included, 2-D", plans, 2, [](Index n) { return steady(plan(n, 30)); }},
           {"steady, everything included, 3-D", blocks, 3, [](Index n) { return steady(block(n)); }},
           {"steady, by fast transforms", even, 2, [](Index n) {
              Problem p = with(square(n), diffusion(1.0, 1.0, 1.0));
              for (const char* side : {"west", "east", "south", "north"}) p.boundary(side, dirichlet(0.0));
              return steady(p);
            }}})
    growth_of(kind);
}

// Speed with two threads over that with one.
void gain_of_threads() {
  const Index side = bench::at_size<Index>(1024, 24);
  const Real h = 1 / static_cast<Real>(side);
  Equation equation = wave(1.0);
  equation.as_system = true;
  const Problem p = with(square(side), equation);
  const auto march_with = [&](int with_threads) -> Work {
    return [&p, h, with_threads] {
      ProblemBalance balance(p, {with_threads});
      State y = balance.initial_state();
      Plan plan;
      plan.scheme = scheme("ssprk3");
      plan.step = 0.2 * h;
      plan.until = 6 * h;
      plan.threads = with_threads;
      march(balance, y, plan);
    };
  };
  const Work one = march_with(1), all = march_with(threads);
  std::vector<double> alone, together;
  for (int n = 0; n < bench::at_size(3, 1); ++n) {
    alone.push_back(seconds_of(one));
    together.push_back(seconds_of(all));
  }
  const double gain = median(alone) / median(together);
  std::printf("waves as a first-order system, %td^2: two threads are %.2f times as fast as one\n", side,
              gain);
  bench::row("waves as a first-order system, " + std::to_string(side) + "^2",
             "speed with two threads over one", gain);
}

void cycles() {
  std::printf("cycles of multigrid to 1e-10\n");
  for (const auto& [name, make] : std::map<std::string, std::function<Problem(Index)>>{
           {"two materials, a cut-out", [](Index n) { return plan(n, 30); }},
           {"one material varying", [](Index n) {
              Problem p = with(square(n), diffusion(differing(), 1.0, 1.0));
              p.boundary("west", dirichlet(0.0));
              return p;
            }}}) {
    std::printf("  %-34s", name.c_str());
    std::vector<double> counts;
    for (const Index full : {255, 511, 1023, 2047}) {
      const Index side = bench::at_size<Index>(full, (full + 1) / 16 - 1);
      ProblemBalance balance(make(side), {threads});
      State y = balance.initial_state();
      const auto found = solve_steady(balance, y, 0, {.solver = "multigrid", .threads = threads});
      counts.push_back(static_cast<double>(found.iterations()));
      std::printf(" %6td", found.iterations());
    }
    std::printf("\n");
    bench::row("cycles of multigrid at 2047^2, " + name, "over those at 255^2",
               counts.back() / counts.front());
  }
}

}  // namespace

int main() {
  growth();
  gain_of_threads();
  cycles();
}
