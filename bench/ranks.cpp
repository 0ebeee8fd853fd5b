// Two ranks of one thread against one rank of two threads, which share the memory of this machine: explicit
// steps of plans and a block, in turns. And what a rank sends in a step, over the least that the surface of
// its box allows.
//
// Started alone it starts its ranks itself, once for each turn.
#include <sys/wait.h>

#include <cmath>
#include <cstdio>
#include <cstdlib>

#include "timing.hpp"
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
};
constexpr Work works[] = {{"explicit step, 2048^2, constant", 2, nullptr},
                          {"explicit step, 192^3, constant", 3, nullptr},
                          {"transport by van Leer, 1024^2", 2, "van-leer"}};

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
  const auto balance = make_balance(problem_of(work), execution);
  Communicator& all = ranks ? *ranks : Communicator::self();
  State y = balance->initial_state(), next(y.size());
  Ledger amounts(balance->lines().size());
  const double h = 1 / static_cast<double>(side_of(work));
  const Real step = work.reconstruction ? 0.2 * h : 0.1 * h * h;
  const int count = bench::at_size(work.dimension == 3 ? 20 : 40, 2);
  const auto take = [&] {
    balance->advance(y, 0, step, next, amounts);
    y.swap(next);
  };
  take();
  const Communicator::Traffic before = all.traffic();
  all.any(false);
  const double seconds = seconds_of([&] {
    for (int n = 0; n < count; ++n) take();
    all.any(false);
  });
  const Communicator::Traffic after = all.traffic();
  return {seconds / count, static_cast<double>(after.messages - before.messages) / count,
          static_cast<double>(after.bytes - before.bytes) / count};
}

// What two ranks took, as the first of them prints it.
bool started(const char* program, std::size_t work, Taken& taken) {
  setenv("OMPI_ALLOW_RUN_AS_ROOT", "1", 1);
  setenv("OMPI_ALLOW_RUN_AS_ROOT_CONFIRM", "1", 1);
  const std::string command =
      std::string("mpirun --oversubscribe -n 2 '") + program + "' " + std::to_string(work);
  std::FILE* out = popen(command.c_str(), "r");
  if (!out) return false;
  const int read = std::fscanf(out, "%lf %lf %lf", &taken.seconds, &taken.messages, &taken.bytes);
  const int status = pclose(out);
  return read == 3 && WIFEXITED(status) && WEXITSTATUS(status) == 0;
}

}  // namespace

int main(int argc, char** argv) {
  if (argc > 1) {
    const auto ranks = ranks::world();
    const Taken taken = steps_of(works[static_cast<std::size_t>(std::atoi(argv[1]))], ranks.get(), 1);
    if (ranks->rank() == 0) std::printf("%.9g %.9g %.9g\n", taken.seconds, taken.messages, taken.bytes);
    return 0;
  }
  for (std::size_t w = 0; w < std::size(works); ++w) {
    const Work& work = works[w];
    std::vector<double> together, threads;
    Taken taken;
    for (int turn = 0; turn < bench::at_size(5, 1); ++turn) {
      if (!started(argv[0], w, taken)) {
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
  return 0;
}
