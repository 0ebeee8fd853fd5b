// Two ranks of one thread against one rank of two threads, which share the memory of this machine: explicit
// steps of plans and a block, one by one and several in a pass, in turns. And what a rank sends in a step,
// over the least that the surface of its box allows.
//
// Then a model of what ranks tell each other, for many of them, and two ranks whose messages go through the
// kernel's network (TCP) against what the model says of them.
//
// Started alone it starts its ranks itself, once for each turn.
#include <sys/wait.h>

#include <cmath>
#include <cstdio>
#include <cstdlib>

#include "timing.hpp"
#include "williwaw/domain/rank_model.hpp"
#include "williwaw/ranks/mpi.hpp"
#include "williwaw/williwaw.hpp"

namespace {

using namespace williwaw;
using bench::median;
using bench::seconds_of;

struct Work {
  const char* name;
  int dimension;
  const char* reconstruction;  ///< of transport; null for diffusion
  bool in_passes = false;      ///< several steps in one pass over memory
};
constexpr Work works[] = {{"explicit step, 2048^2, constant", 2, nullptr},
                          {"explicit step, 192^3, constant", 3, nullptr},
                          {"transport by van Leer, 1024^2", 2, "van-leer"},
                          {"explicit steps in passes, 2048^2, constant", 2, nullptr, true}};

Index side_of(const Work& work) {
  return work.dimension == 3   ? bench::at_size<Index>(192, 12)
         : work.reconstruction ? bench::at_size<Index>(1024, 40)
                               : bench::at_size<Index>(2048, 40);
}

Problem problem_of(const Work& work) {
  const Index side = side_of(work);
  std::vector<Axis> axes;
  for (const char* name : {"x", "y", "z"})
    if (static_cast<int>(axes.size()) < work.dimension)
      axes.push_back(Axis::uniform(name, 0, 1, side, Unknowns::cells));
  Problem p(Grid(axes), work.reconstruction ? transport(Velocity(1.0, 0.5), 0.0) : diffusion(1.0));
  if (work.reconstruction) p.reconstruction = work.reconstruction;
  p.initial = [](Point q) { return q.x * (1 - q.y); };
  p.boundary("west", dirichlet(0.2));
  work.reconstruction ? p.default_boundary(outflow()) : p.default_boundary(insulated());
  return p;
}

struct Taken {
  double seconds = 0;  ///< of a step
  double messages = 0, bytes = 0;
};

Taken steps_of(const Work& work, Communicator* ranks, int threads) {
  Execution execution;
  execution.threads = threads;
  execution.communicator = ranks;
  execution.in_passes = work.in_passes;
  const auto balance = make_balance(problem_of(work), execution);
  Communicator& all = ranks ? *ranks : Communicator::self();
  State y = balance->initial_state(), next(y.size());
  Ledger amounts(balance->lines().size());
  const double h = 1 / static_cast<double>(side_of(work));
  const Real step = work.reconstruction ? 0.2 * h : 0.1 * h * h;
  int count = bench::at_size(work.dimension == 3 ? 20 : 40, 2);
  // Where the grid stays in the caches anyway there are no passes.
  const int each = work.in_passes ? std::max(1, balance->at_once().steps) : 1;
  count = std::max(1, count / each) * each;
  const std::vector<Real> times(static_cast<std::size_t>(each), 0.0);
  std::vector<Ledger> of_steps(times.size(), amounts);
  std::vector<Totals> totals(times.size());
  State second_last(each > 1 ? y.size() : 0);
  const auto take = [&] {
    if (each > 1)
      balance->advance_several(y, {times, step, of_steps, totals}, second_last, next);
    else
      balance->advance(y, 0, step, next, amounts);
    y.swap(next);
  };
  take();
  const Communicator::Traffic before = all.traffic();
  all.any(false);
  const double seconds = seconds_of([&] {
    for (int n = 0; n < count; n += each) take();
    all.any(false);
  });
  const Communicator::Traffic after = all.traffic();
  return {seconds / count, static_cast<double>(after.messages - before.messages) / count,
          static_cast<double>(after.bytes - before.bytes) / count};
}

// What lies between two ranks, by messages of one value and of many.
Network network_between(Communicator& ranks) {
  const auto fastest = [&](std::size_t values, int repeats) {
    const std::vector<Real> sent(values, 1.0);
    std::vector<Real> received(values);
    const Communicator::Message message{1 - ranks.rank(), sent, received};
    double least = 1e300;
    for (int n = 0; n < repeats; ++n)
      least = std::min(least, seconds_of([&] { ranks.exchange(std::span(&message, 1)); }));
    return ranks.highest(least);
  };
  constexpr std::size_t many = 1 << 16;
  fastest(many, 2);
  const double one = fastest(1, 400), long_one = fastest(many, 30);
  return {one, static_cast<double>(many * sizeof(Real)) / std::max(long_one - one, 1e-12)};
}

// A small plan, for which telling weighs as much as computing, by two ranks: the seconds of a step and what
// lies between the ranks.
Problem small_plan() {
  const Index side = bench::at_size<Index>(256, 40);
  Problem p(Grid({Axis::uniform("x", 0, 1, side, Unknowns::cells),
                  Axis::uniform("y", 0, 1, side, Unknowns::cells)}),
            diffusion(1.0));
  p.initial = [](Point q) { return q.x * (1 - q.y); };
  p.default_boundary(insulated());
  return p;
}

double seconds_of_small_step(Communicator* ranks) {
  Execution execution;
  execution.threads = 1;
  execution.communicator = ranks;
  const auto balance = make_balance(small_plan(), execution);
  State y = balance->initial_state(), next(y.size());
  Ledger amounts(balance->lines().size());
  std::vector<double> seconds;
  for (int n = 0; n < bench::at_size(2000, 3); ++n) {
    seconds.push_back(seconds_of([&] { balance->advance(y, 0, 1e-7, next, amounts); }));
    y.swap(next);
  }
  return median(seconds);
}

// What two ranks took, as the first of them prints it.
bool started(const char* program, const std::string& work, Taken& taken, const char* through = "") {
  setenv("OMPI_ALLOW_RUN_AS_ROOT", "1", 1);
  setenv("OMPI_ALLOW_RUN_AS_ROOT_CONFIRM", "1", 1);
  const std::string command =
      std::string("mpirun --oversubscribe ") + through + " -n 2 '" + program + "' " + work;
  std::FILE* out = popen(command.c_str(), "r");
  if (!out) return false;
  const int read = std::fscanf(out, "%lf %lf %lf", &taken.seconds, &taken.messages, &taken.bytes);
  const int status = pclose(out);
  return read == 3 && WIFEXITED(status) && WEXITSTATUS(status) == 0;
}

// Efficiency of many ranks of one thread each, as the model has it for what a place takes here.
void model(double seconds_of_place) {
  struct Size {
    const char* name;
    int dimension;
    Index side;
  };
  // A fast network of a cluster, and a plain one.
  const std::pair<const char*, Network> networks[] = {{"2 us and 10 GB/s", {2e-6, 1e10}},
                                                      {"30 us and 1 GB/s", {3e-5, 1e9}}};
  for (const Size& size : {Size{"32768^2", 2, 32768}, Size{"1024^3", 3, 1024}}) {
    std::vector<Axis> axes;
    for (const char* name : {"x", "y", "z"})
      if (static_cast<int>(axes.size()) < size.dimension)
        axes.push_back(Axis::uniform(name, 0, 1, size.side, Unknowns::cells));
    const Grid grid(axes);
    for (const auto& [name, network] : networks)
      for (const int ranks : {16, 256, 1024, bench::at_size(10000, 1000)}) {
        const Decomposition boxes = Decomposition::choose(grid, ranks, 1);
        const double share = efficiency(boxes, grid.count(), {seconds_of_place, 1, 1}, network);
        std::printf("model: explicit step, %s, %d ranks in boxes of %td cells, %s: efficiency %.3g\n",
                    size.name, boxes.count(), boxes.cells(0), name, share);
        bench::row(std::string("model: explicit step, ") + size.name + ", " + std::to_string(boxes.count()) +
                       " ranks, " + name,
                   "speed over so many times that of one rank", share);
      }
  }
}

// What the model says of two ranks against what they took.
bool check_model(const char* program) {
  for (const auto& [name, through] :
       {std::pair("shared memory", ""), std::pair("TCP", "--mca btl tcp,self")}) {
    std::vector<double> over;
    for (int turn = 0; turn < bench::at_size(5, 1); ++turn) {
      // Seconds of a step, latency and bandwidth.
      Taken taken;
      if (!started(program, "model", taken, through)) return false;
      const Grid grid = small_plan().grid();
      const Decomposition boxes = Decomposition::choose(grid, 2, 1);
      const StepOnRanks step{seconds_of_small_step(nullptr) / static_cast<double>(grid.count()), 1, 1};
      over.push_back(taken.seconds / seconds_of_step(boxes, step, {taken.messages, taken.bytes}));
    }
    std::printf("explicit step, 256^2, 2 ranks by %s: %.3g times what the model says\n", name, median(over));
    bench::row(std::string("explicit step, 256^2, 2 ranks by ") + name, "time over that of the model",
               median(over));
  }
  return true;
}

}  // namespace

int main(int argc, char** argv) {
  if (argc > 1) {
    const auto ranks = ranks::world();
    if (std::string(argv[1]) == "model") {
      const Network network = network_between(*ranks);
      const double seconds = ranks->highest(seconds_of_small_step(ranks.get()));
      if (ranks->rank() == 0) std::printf("%.9g %.9g %.9g\n", seconds, network.latency, network.bandwidth);
      return 0;
    }
    const Taken taken = steps_of(works[static_cast<std::size_t>(std::atoi(argv[1]))], ranks.get(), 1);
    if (ranks->rank() == 0) std::printf("%.9g %.9g %.9g\n", taken.seconds, taken.messages, taken.bytes);
    return 0;
  }
  for (std::size_t w = 0; w < std::size(works); ++w) {
    const Work& work = works[w];
    std::vector<double> together, threads;
    Taken taken;
    for (int turn = 0; turn < bench::at_size(5, 1); ++turn) {
      if (!started(argv[0], std::to_string(w), taken)) {
        std::fprintf(stderr, "two ranks could not be started\n");
        return 1;
      }
      together.push_back(taken.seconds);
      threads.push_back(steps_of(work, nullptr, 2).seconds);
    }
    const double surface = std::pow(static_cast<double>(side_of(work)), work.dimension - 1) * sizeof(Real) *
                           (work.reconstruction ? 3 : 1);
    const double speed = median(threads) / median(together);
    std::printf(
        "%s: speed of 2 ranks over 2 threads %.3g, %.3g messages and %.4g times the surface sent by a rank\n",
        work.name, speed, taken.messages, taken.bytes / surface);
    bench::row(work.name, "speed of 2 ranks of 1 thread over 1 of 2", speed);
    bench::row(work.name, "bytes sent by a rank over the surface of its box", taken.bytes / surface);
  }
  model(steps_of(works[0], nullptr, 1).seconds / std::pow(static_cast<double>(side_of(works[0])), 2));
  return check_model(argv[0]) ? 0 : 1;
}
