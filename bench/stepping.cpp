// What steps cost beside what they could: Crank-Nicolson in one dimension against copying its data, budget
// and guard in an explicit run, and the error of every scheme over the time it takes. All ratios are within
// one run.
#include <cmath>
#include <cstdio>
#include <cstring>
#include <fstream>

#include "timing.hpp"
#include "williwaw/williwaw.hpp"

namespace {

using namespace williwaw;
using bench::median;
using bench::seconds_of;

Problem rod(Index cells) {
  Problem p(Grid({Axis::uniform("x", 0, 1, cells, Unknowns::cells)}), diffusion(1.0));
  p.initial = [](Point q) { return std::sin(3 * q.x) + q.x; };
  p.boundary("west", dirichlet(0.0)).boundary("east", robin(2.0, 1.0));
  return p;
}

// A Crank-Nicolson step, its factor reused, with its budget, over ten copies of the data. `number` is
// diffusivity·step/(2·spacing²): how far a cell is heard of grows with its root.
void crank_nicolson(Index cells, Real number) {
  ProblemBalance balance(rod(cells), {2});
  State y = balance.initial_state(), copy(y.size());
  const auto stepper = make_stepper(balance, scheme("crank-nicolson"), {"auto", 2});
  Ledger amounts(balance.lines().size());
  Real at = 0;
  const Real step = 2 * number / static_cast<Real>(cells * cells);
  stepper->advance(y, at, step, amounts);
  std::vector<double> ours, copies;
  for (int n = 0; n < bench::at_size(31, 1); ++n) {
    at += step;
    ours.push_back(seconds_of([&] { stepper->advance(y, at, step, amounts); }));
    copies.push_back(seconds_of([&] {
      for (int c = 0; c < 10; ++c)
        std::memcpy(c % 2 ? y.data() : copy.data(), c % 2 ? copy.data() : y.data(), 8 * y.size());
    }));
  }
  std::printf(
      "Crank-Nicolson, 1-D, %td cells, D step/(2 h^2) = %g: a step takes %.2f times ten copies of the data\n",
      cells, number, median(ours) / median(copies));
  char what[120];
  std::snprintf(what, sizeof what, "Crank-Nicolson step, 1-D, %td cells, D step/(2 h^2) = %g", cells, number);
  bench::row(what, "time over that of ten copies of the data", median(ours) / median(copies));
}

// A plain explicit run through march(), budget and guard on, over the bare steps of the same balance.
void budget_and_guard() {
  const Index side = bench::at_size<Index>(1024, 32);
  const Grid grid(
      {Axis::uniform("x", 0, 1, side, Unknowns::cells), Axis::uniform("y", 0, 1, side, Unknowns::cells)});
  Problem p(grid, diffusion(1.0));
  p.initial = [](Point q) { return q.x * q.y; };
  p.boundary("west", dirichlet(1.0)).default_boundary(insulated());
  const Real step = 0.2 / static_cast<Real>(side * side);
  const Index steps = bench::at_size<Index>(160, 4);
  std::vector<double> whole, bare;
  for (int n = 0; n < bench::at_size(9, 1); ++n) {
    ProblemBalance balance(p, {2});
    State y = balance.initial_state(), next(y.size());
    Ledger amounts(balance.lines().size());
    // What a balance lays out at its first step is no part of either.
    balance.advance(y, 0, step, next, amounts);
    Plan plan;
    plan.scheme = scheme("explicit-euler");
    plan.step = step;
    plan.until = static_cast<Real>(steps) * step;
    plan.series_every = plan.until;
    whole.push_back(seconds_of([&] { march(balance, y, plan); }));
    bare.push_back(seconds_of([&] {
      for (Index s = 0; s < steps; ++s) {
        balance.advance(y, static_cast<Real>(s) * step, step, next, amounts);
        y.swap(next);
      }
    }));
  }
  std::printf("explicit run, %td x %td: budget, guard and schedule cost %.1f %% of the bare steps\n", side,
              side, 100 * (median(whole) / median(bare) - 1));
  bench::row("budget, guard and schedule of an explicit run, " + std::to_string(side) + "^2",
             "time added to the bare steps, in percent", 100 * (median(whole) / median(bare) - 1));
}

struct Work {
  std::string name;
  double seconds, error;
};

// Root mean square distance from the reference, and the median time of three runs.
Work work_of(const Problem& p, const std::string& label, const Plan& plan, const State& reference) {
  std::vector<double> times;
  double error = 0;
  for (int n = 0; n < 3; ++n) {
    ProblemBalance balance(p, {1});
    State y = balance.initial_state();
    times.push_back(seconds_of([&] { march(balance, y, plan); }));
    double sum = 0;
    for (std::size_t i = 0; i < y.size(); ++i) sum += (y[i] - reference[i]) * (y[i] - reference[i]);
    error = std::sqrt(sum / static_cast<double>(y.size()));
  }
  return {label, median(times), error};
}

// Schemes for waves, for the advected quantity and for several axes do not take a rod.
bool takes(const Problem& p, const Scheme& s) {
  ProblemBalance balance(p, {1});
  try {
    make_stepper(balance, s, {});
    return true;
  } catch (const InputError&) {
    return false;
  }
}

std::vector<Work> work_precision(const Problem& p, Real until) {
  const Real limit = verify::stability(p, scheme("explicit-euler"), 1).limit.step;
  ProblemBalance balance(p, {1});
  State reference = balance.initial_state();
  Plan fine;
  fine.scheme = scheme("rk45");
  fine.until = until;
  fine.step = 0.5 * limit;
  fine.trim = true;
  fine.series_every = until;
  march(balance, reference, fine);
  std::vector<Work> all;
  for (const auto& kind : scheme_kinds()) {
    const Scheme s = kind.make(0.6);
    if (!takes(p, s)) continue;
    for (int level = 0; level < bench::at_size(7, 2); ++level) {
      Plan plan;
      plan.scheme = s;
      plan.until = until;
      plan.trim = true;
      plan.series_every = until;
      const Real most = 0.95 * verify::stability(p, s, 1).limit.step;
      plan.step = std::min(std::isinf(most) || kind.name == "stabilized" ? until / 8 : most, until / 2) /
                  (1 << level);
      all.push_back(work_of(p, kind.name, plan, reference));
      if (all.back().seconds > 3) break;
    }
    if (!estimates_error(s)) continue;
    for (int level = 2; level <= bench::at_size(8, 3); ++level) {
      Plan plan;
      plan.scheme = s;
      plan.until = until;
      plan.series_every = until;
      plan.adaptive = Tolerance{std::pow(10, -level), true};
      all.push_back(work_of(p, kind.name + ", adaptive", plan, reference));
    }
  }
  return all;
}

// Time that a scheme takes to an error of 1e-6, between its neighbouring results.
double time_to(const std::vector<Work>& all, const std::string& name, double error) {
  const Work* coarse = nullptr;
  for (const Work& w : all) {
    if (w.name != name) continue;
    if (w.error <= error) {
      if (!coarse || coarse->error <= error) return w.seconds;
      const double fraction = std::log(coarse->error / error) / std::log(coarse->error / w.error);
      return coarse->seconds * std::pow(w.seconds / coarse->seconds, fraction);
    }
    coarse = &w;
  }
  if (!coarse) return NAN;
  // First order goes on as it went.
  return name == "explicit-euler" ? coarse->seconds * coarse->error / error : NAN;
}

void study(const std::string& name, const Problem& p, Real until) {
  const auto all = work_precision(p, until);
  std::ofstream csv("work-precision-" + name + ".csv");
  csv << "scheme,seconds,error\n";
  for (const Work& w : all) csv << w.name << ',' << w.seconds << ',' << w.error << '\n';
  csv.close();
  std::printf("%s: times to an error of 1e-6, explicit Euler over each\n", name.c_str());
  const double euler = time_to(all, "explicit-euler", 1e-6);
  for (const char* one : {"rk4", "rk45, adaptive", "stabilized, adaptive", "crank-nicolson", "bdf2", "sdirk4",
                          "sdirk4, adaptive"}) {
    const double ratio = euler / time_to(all, one, 1e-6);
    if (std::isnan(ratio))
      std::printf("  %-22s  not reached\n", one);
    else
      std::printf("  %-22s %8.1f\n", one, ratio);
  }
  std::ofstream plot("work-precision-" + name + ".gnuplot");
  plot << "set terminal pngcairo size 1280,800 font 'DejaVu Sans,12'\nset output 'work-precision-" << name
       << ".png'\nset logscale xy\nset format '%.0e'\nset xlabel 'time [s]'\nset ylabel 'root mean square "
          "error against the "
          "semi-discrete solution'\nset title 'error over time spent: "
       << name << "'\nset key outside right\nset datafile separator ','\n";
  // The second time round the colours the lines are dashed.
  std::string command, last;
  int curves = 0;
  for (const Work& w : all)
    if (w.name != last) {
      last = w.name;
      command +=
          (command.empty() ? "plot " : ", \\\n  ") +
          ("'< grep \"^" + w.name + ",[0-9]\" work-precision-" + name + ".csv' using " +
           (w.name.find("adaptive") != std::string::npos ? "3:4" : "2:3") + " with linespoints lw 2 dt " +
           std::to_string(1 + curves++ / 8) + " title '" + w.name + "'");
    }
  plot << command << '\n';
  plot.close();
  if (std::system(("gnuplot work-precision-" + name + ".gnuplot").c_str()) != 0)
    std::printf("  (no figure)\n");
}

}  // namespace

// `bench_stepping quick` leaves out the errors of all schemes over their times.
int main(int argc, char** argv) {
  std::setvbuf(stdout, nullptr, _IOLBF, 0);
  for (const Index full : {1000000, 10000000})
    for (const Real number : {0.5, 10.0, 1000.0, 500000.0})
      crank_nicolson(bench::at_size<Index>(full, full / 10000), number);

  budget_and_guard();
  if (argc > 1 && std::string(argv[1]) == "quick") return 0;
  // Stiff: 400 cells over a hundred times the explicit limit's square root; smooth data, and a boundary that
  // swings.
  study("stiff-rod", rod(bench::at_size(400, 20)), 0.05);
  Equation e = diffusion(0.05);
  e.reaction = Reaction::of([](Real u) { return 4 * u * (1 - u); });
  Problem front(Grid({Axis::uniform("x", 0, 4, bench::at_size(200, 20), Unknowns::cells)}), e);
  front.initial = [](Point q) { return 1 / (1 + std::exp(4 * (q.x - 1))); };
  front.default_boundary(insulated());
  study("front", front, 1.0);
}
