// Peak memory of a run, from short runs on coarser grids in processes of their own.
#include "williwaw/study/memory.hpp"

#include <fcntl.h>
#include <malloc.h>
#include <sys/mman.h>
#include <sys/resource.h>
#include <unistd.h>

#include <algorithm>
#include <chrono>
#include <cmath>
#include <csignal>
#include <cstdlib>
#include <fstream>
#include <new>

#include "study/wording.hpp"
#include "williwaw/store/apart.hpp"
#include "williwaw/store/checked_file.hpp"
#include "williwaw/study/run.hpp"

namespace williwaw::study {

namespace {

using Clock = std::chrono::steady_clock;

// Unknowns of the largest grid that is run for its memory: enough that vectors drown what a process takes
// besides; and of the smallest, whose solvers must still be those of large grids.
constexpr Real largest_grid = 1.2e6, smallest_grid = 1.2e5;
// Up to here a grid only shows what the process takes besides.
constexpr Real tiny_grid = 100;
// Up to here vectors are little beside the process itself, and when its pages come in does not matter.
constexpr Real small_grid = 2e4;
// Arrays above this size, in bytes, go back to the system when they are freed, as large ones always do.
constexpr int returned_size = 1 << 16;
constexpr Real stage_seconds = 1.5;
constexpr unsigned patience_seconds = 30;

// Bytes at the peaks of a process and of the largest of those that wrote files for it.
struct Peaks {
  Real own = 0, of_writers = 0;

  Real most() const { return std::max(own, of_writers); }
};

struct Look {
  Real unknowns = 0;
  Real faces = 0;  ///< along all sides of the grid
  Peaks peaks;
  Peaks base;           ///< of them, what it took for the few unknowns that it had run before
  bool direct = false;  ///< by direct factors
};

// "VmHWM:   1234 kB", "Threads:   1"
Real of_this_process(const std::string& what) {
  std::ifstream status("/proc/self/status");
  for (std::string line; std::getline(status, line);)
    if (line.starts_with(what + ":")) return std::stod(line.substr(what.size() + 1));
  return 0;
}

}  // namespace

Real peak_of_this_process() {
  return 1024 * of_this_process("VmHWM");
}

namespace {

Peaks peaks_until_now() {
  rusage of_children;
  getrusage(RUSAGE_CHILDREN, &of_children);
  return {peak_of_this_process(), 1024 * static_cast<Real>(of_children.ru_maxrss)};
}

// Pages of the program and its libraries that this process has looked at: a copy of the process begins
// without them. Bit 63 of an entry of pagemap says that a page is there.
std::vector<std::uintptr_t> pages_of_files() {
  const auto size = static_cast<std::uintptr_t>(sysconf(_SC_PAGESIZE));
  std::vector<std::uintptr_t> pages;
  std::ifstream maps("/proc/self/maps");
  const int entries = open("/proc/self/pagemap", O_RDONLY);
  for (std::string line; std::getline(maps, line);) {
    if (line.find(" r") == std::string::npos || line.find(" /") == std::string::npos) continue;
    std::size_t used = 0;
    const std::uintptr_t from = std::stoull(line, &used, 16),
                         to = std::stoull(line.substr(used + 1), nullptr, 16);
    std::vector<std::uint64_t> present((to - from) / size);
    if (pread(entries, present.data(), 8 * present.size(), static_cast<off_t>(8 * (from / size))) < 0) break;
    for (std::size_t n = 0; n < present.size(); ++n)
      if (present[n] >> 63) pages.push_back(from + n * size);
  }
  close(entries);
  return pages;
}

void look_at(const std::vector<std::uintptr_t>& pages) {
  // Addresses come as numbers, from the system's own table of pages.
  // NOLINTNEXTLINE(performance-no-int-to-ptr)
  for (const auto page : pages) static_cast<void>(*reinterpret_cast<const volatile char*>(page));
}

// What the process took at its peak so far, a run of some steps included.
Look run_for_a_while(const std::string& text, const std::filesystem::path& name,
                     const std::vector<std::string>& overrides, const Reading& reading, int threads,
                     const std::filesystem::path& folder) {
  Case given = casefile::read_case_text(text, name, overrides, reading);
  if (given.steady) given.steady->iterations = std::min<Index>(given.steady->iterations, 20);
  Execution execution{threads};
  // A grid that stands for a larger one shares passes over memory between steps where that one does, whose
  // state does not stay in caches.
  const bool stands_for_larger = reading.refinement.coarsen > 1;
  if (stands_for_larger) execution.cache = 4 * given.grid().count();
  Prepared prepared = prepare(given, execution);
  const Grid& g = given.grid();
  Look look;
  look.unknowns = static_cast<Real>(g.count());
  for (int a = 0; a < g.dimension(); ++a)
    look.faces += 2 * static_cast<Real>(g.count()) / static_cast<Real>(g.size(a));
  // Some steps of every stage: of several steps back, of the damped ones and of those after them.
  Index taken = 0;
  auto stage_start = Clock::now();
  const bool two_steps = std::holds_alternative<TwoStep>(prepared.plan.scheme.method);
  // Single steps come first, then a pass of several.
  const bool passes = stands_for_larger && prepared.plan.tiling && is_explicit(prepared.plan.scheme);
  const Index wanted = (passes || two_steps ? 4 : 2) + 2 * prepared.plan.damped_start;
  RunOptions options;
  options.folder = folder;
  options.checkpoint_seconds = 0;
  options.observers.arrived = [&](const StepInfo&) {
    return ++taken >= wanted ||
           std::chrono::duration<Real>(Clock::now() - stage_start).count() > stage_seconds;
  };
  options.observers.looks_at = [](Real) { return false; };
  options.on_stage = [&](const Case&, const Prepared&) {
    taken = 0;
    stage_start = Clock::now();
  };
  run_case(given, prepared, options);
  look.peaks = peaks_until_now();
  const std::string solver = given.steady                     ? prepared.steady->solver
                             : is_explicit(given.plan.scheme) ? ""
                                                              : solver_text(given, prepared);
  look.direct = solver.starts_with("direct");
  return look;
}

void warm_up(const std::string& text, const std::filesystem::path& name,
             const std::vector<std::string>& overrides, const Reading& few, int threads,
             const std::filesystem::path& folder) try {
  run_for_a_while(text, name, overrides, few, threads, folder);
} catch (const InputError&) {
  // A grid so coarse may not hold all regions; then some pages come in later.
} catch (const SolverError&) {
}

// A number that another process writes and this one reads; null where there is no room for it.
template <class T>
std::shared_ptr<T> shared_between_processes() {
  void* const room = mmap(nullptr, sizeof(T), PROT_READ | PROT_WRITE, MAP_SHARED | MAP_ANONYMOUS, -1, 0);
  if (room == MAP_FAILED) return nullptr;
  return {new (room) T, [](T* made) { munmap(made, sizeof(T)); }};
}

// In a process that ends with it: what it takes is given back, and a crash is nobody else's. The few unknowns
// are run first, if given, so that libraries are in place, whose pages would else come in when some vectors
// are gone already.
std::optional<Look> looked_at(const std::string& text, const std::filesystem::path& name,
                              const std::vector<std::string>& overrides, const std::optional<Reading>& few,
                              const Reading& reading) {
  std::string folder = (std::filesystem::temp_directory_path() / "williwaw-memory-XXXXXX").string();
  const auto told = shared_between_processes<Look>();
  if (!told || !mkdtemp(folder.data())) return std::nullopt;
  // Threads that were started do not come along.
  const int threads = of_this_process("Threads") > 1 ? 1 : 0;
  const auto pages = pages_of_files();
  try {
    store::apart(folder, [&] {
      std::signal(SIGINT, SIG_DFL);
      alarm(patience_seconds);
      const int nowhere = open("/dev/null", O_RDWR);
      dup2(nowhere, STDOUT_FILENO);
      dup2(nowhere, STDERR_FILENO);
      mallopt(M_MMAP_THRESHOLD, returned_size);
      look_at(pages);
      if (few) warm_up(text, name, overrides, *few, threads, folder);
      const Peaks base = peaks_until_now();
      malloc_trim(0);
      Look look = run_for_a_while(text, name, overrides, reading, threads, folder);
      look.base = base;
      *told = look;
    });
  } catch (const store::StoreError&) {
    // What is wrong with a case is told by its reader.
  }
  std::error_code left;
  std::filesystem::remove_all(folder, left);
  return told->peaks.own > 0 ? std::optional(*told) : std::nullopt;
}

// base + v·unknowns + s·faces, or, with direct factors, base + v·unknowns + f·fill. The fill of a nested
// dissection is of the order of N log N in 2-D and of N^(4/3) in 3-D (George 1973).
Real put_forward(const Look& small, const Look& large, const Look& whole, int dimension, Real Peaks::*part) {
  const bool fills = dimension > 1 && large.direct;
  const auto grown = [&](const Look& l) { return l.peaks.*part - l.base.*part; };
  const auto other = [&](const Look& l) {
    return !fills           ? l.faces
           : dimension == 2 ? l.unknowns * std::log2(l.unknowns)
                            : std::pow(l.unknowns, 4.0 / 3);
  };
  const Real determinant = large.unknowns * other(small) - small.unknowns * other(large);
  const Real per_unknown = (grown(large) * other(small) - grown(small) * other(large)) / determinant;
  const Real per_other = (large.unknowns * grown(small) - small.unknowns * grown(large)) / determinant;
  return large.base.*part + per_unknown * whole.unknowns + per_other * other(whole);
}

// Bytes that a file holds, which may also be the word "max".
std::optional<Real> bytes_in(const std::filesystem::path& file) {
  std::ifstream in(file);
  Real bytes = 0;
  if (in >> bytes) return bytes;
  return std::nullopt;
}

}  // namespace

Real available_memory() {
  Real bytes = static_cast<Real>(sysconf(_SC_PHYS_PAGES)) * static_cast<Real>(sysconf(_SC_PAGESIZE));
  std::ifstream groups("/proc/self/cgroup");
  for (std::string line; std::getline(groups, line);) {
    if (!line.starts_with("0::/")) continue;
    std::filesystem::path group = std::filesystem::path("/sys/fs/cgroup") / line.substr(4);
    for (; group.string().starts_with("/sys/fs/cgroup"); group = group.parent_path())
      bytes = std::min(bytes, bytes_in(group / "memory.max").value_or(bytes));
  }
  rlimit limit;
  if (getrlimit(RLIMIT_AS, &limit) == 0 && limit.rlim_cur != RLIM_INFINITY)
    bytes = std::min(bytes, static_cast<Real>(limit.rlim_cur));
  return bytes;
}

std::optional<Real> peak_memory(const std::string& text, const std::filesystem::path& name,
                                const std::vector<std::string>& overrides, const Reading& reading) try {
  const auto coarser = [&](Index by) {
    Reading other = reading;
    other.refinement.coarsen *= by;
    return other;
  };
  const auto sizes = casefile::grid_sizes(text, name, overrides, reading);
  if (sizes.empty()) return std::nullopt;
  const int dimension = static_cast<int>(sizes.size());
  Look whole;
  whole.unknowns = casefile::unknowns_of(sizes);
  for (const Real size : sizes) whole.faces += 2 * whole.unknowns / size;
  const auto at_most = [&](Real most, Index from) {
    for (;; from += 1 + from / 16) {
      if (casefile::unknowns_of(casefile::grid_sizes(text, name, overrides, coarser(from))) <= most)
        return from;
    }
  };

  const Index by = at_most(largest_grid, 1);
  std::optional<Reading> few;
  if (whole.unknowns > small_grid) few = coarser(at_most(tiny_grid, by));
  const auto large = looked_at(text, name, overrides, few, coarser(by));
  if (!large || by == 1) return large ? std::optional(large->peaks.most()) : std::nullopt;
  const Index more = at_most(std::max(smallest_grid, large->unknowns / 3), by + 1);
  const auto small = looked_at(text, name, overrides, few, coarser(more));
  if (!small) return std::nullopt;
  return std::max(put_forward(*small, *large, whole, dimension, &Peaks::own),
                  put_forward(*small, *large, whole, dimension, &Peaks::of_writers));
} catch (const InputError&) {
  return std::nullopt;
}

std::optional<Real> peak_memory(const std::filesystem::path& file, const std::vector<std::string>& overrides,
                                const Reading& reading) try {
  return peak_memory(casefile::case_text(file), file, overrides, reading);
} catch (const InputError&) {
  return std::nullopt;
}

MemoryLook::MemoryLook(const std::filesystem::path& file, const std::vector<std::string>& overrides) {
  // Not around the whole constructor, which would throw on.
  try {
    const std::string text = casefile::case_text(file);
    const auto sizes = casefile::grid_sizes(text, file, overrides, {});
    if (sizes.empty()) return;
    if (casefile::unknowns_of(sizes) > small_grid) {
      known_ = peak_memory(text, file, overrides);
      return;
    }
    shared_ = shared_between_processes<Real>();
    if (!shared_) return;
    beside_ = std::make_unique<store::Apart>(file.string(), [&, told = shared_, pages = pages_of_files()] {
      look_at(pages);
      *told = peak_memory(text, file, overrides).value_or(0);
    });
  } catch (const InputError&) {
    // What is wrong with a case is told by its reader.
  } catch (const store::StoreError&) {
    // Without another process nothing is known.
  }
}

std::optional<Real> MemoryLook::bytes() {
  if (!beside_) return known_;
  try {
    beside_->wait();
    if (*shared_ > 0) known_ = *shared_;
  } catch (const store::StoreError&) {
    // Then it is not known.
  }
  beside_.reset();
  return known_;
}

}  // namespace williwaw::study
