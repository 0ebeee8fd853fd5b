#include "launch.hpp"

#include <unistd.h>

#include <algorithm>
#include <charconv>
#include <cstdlib>
#include <thread>

#include "williwaw/ranks/mpi.hpp"

namespace williwaw::cli {

namespace {

bool marching = false;

int number_in(const char* name, int otherwise) {
  const char* const text = std::getenv(name);
  return text ? std::atoi(text) : otherwise;
}

}  // namespace

bool speaks() {
  return ranks::launched_rank() == 0;
}

Communicator* started_together() {
  if (!ranks::launched()) return nullptr;
  static const std::unique_ptr<Communicator> world = ranks::world();
  return world->size() > 1 ? world.get() : nullptr;
}

int threads_of_rank(int wanted) {
  if (wanted > 0) return wanted;
  const int here = std::max(1, number_in("OMPI_COMM_WORLD_LOCAL_SIZE", number_in("MPI_LOCALNRANKS", 1)));
  // Those that a launcher has bound this process to are its own.
  const int mine = static_cast<int>(std::max(1u, std::thread::hardware_concurrency()));
  const int all = static_cast<int>(sysconf(_SC_NPROCESSORS_ONLN));
  return mine * here <= all ? mine : std::max(1, mine / here);
}

std::array<int, 3> boxes_from(const std::string& text) {
  std::array<int, 3> boxes{1, 1, 1};
  const char *next = text.data(), *const end = text.data() + text.size();
  for (std::size_t a = 0; a < boxes.size(); ++a) {
    const auto [after, error] = std::from_chars(next, end, boxes[a]);
    if (error != std::errc() || boxes[a] < 1) break;
    if (after == end) return boxes;
    if (*after != 'x') break;
    next = after + 1;
  }
  throw InputError("--ranks " + text + ": give boxes along each axis, such as 2x2 or 1x2x4");
}

void march_begins() {
  marching = true;
}

void march_ends() {
  marching = false;
}

bool others_wait() {
  return marching;
}

}  // namespace williwaw::cli
