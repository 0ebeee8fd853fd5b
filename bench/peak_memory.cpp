// Peak memory of runs, as the library tells it before, over what a process really takes.
#include <malloc.h>
#include <sys/resource.h>
#include <sys/wait.h>
#include <unistd.h>

#include <cstdio>
#include <filesystem>

#include "timing.hpp"
#include "williwaw/study/memory.hpp"
#include "williwaw/study/run.hpp"

namespace {

using namespace williwaw;

struct Kind {
  const char* name;
  int dimension;
  int cells;  ///< along each axis
  const char* equation;
  const char* scheme;  ///< empty: the steady state
};

std::string case_of(const Kind& k) {
  std::string text = "title = \"Peak\"\n[grid]\n";
  for (int a = 0; a < k.dimension; ++a)
    text += std::string(1, "xyz"[a]) + " = { from = 0, to = 1, cells = " + std::to_string(k.cells) + " }\n";
  const std::string equation = k.equation;
  const bool wave = equation.find("wave") != std::string::npos,
             advection = equation.find("transport") != std::string::npos;
  text += "[boundary]\n";
  text +=
      wave ? "west = \"fixed\"\ndefault = \"free\"\n" : "west = { dirichlet = 1 }\ndefault = \"insulated\"\n";
  if (advection) text += "east = \"outflow\"\n";
  text += "[equation]\n" + equation + "\n[initial]\nvalue = 0\n";
  if (*k.scheme == 0) return text + "[steady]\n";
  return text + "[time]\nuntil = 8e-9\nstep = 2e-9\nscheme = \"" + k.scheme + "\"\n";
}

// Of a process that does nothing else: this program with the case as its argument.
int run_alone(const std::string& text) {
  mallopt(M_MMAP_THRESHOLD, 1 << 18);  // as the program does
  const auto folder = std::filesystem::temp_directory_path() / ("williwaw-bench-" + std::to_string(getpid()));
  const casefile::Case given = casefile::read_case_text(text, "case.toml");
  study::Prepared prepared = study::prepare(given);
  study::RunOptions options;
  options.folder = folder;
  options.checkpoint_seconds = 0;
  study::run_case(given, prepared, options);
  std::filesystem::remove_all(folder);
  return 0;
}

double taken(const std::string& text) {
  const pid_t child = fork();
  if (child == 0) {
    execl("/proc/self/exe", "bench_peak_memory", text.c_str(), static_cast<char*>(nullptr));
    _exit(1);
  }
  int status = 0;
  rusage used{};
  wait4(child, &status, 0, &used);
  return status == 0 ? 1024.0 * static_cast<double>(used.ru_maxrss) : 0;
}

}  // namespace

int main(int argc, char** argv) {
  if (argc > 1) return run_alone(argv[1]);
  const char *plain = "kind = \"diffusion\"\ndiffusivity = 1",
             *formula = "kind = \"diffusion\"\ndiffusivity = \"1+x\"";
  std::printf("%-18s %10s %12s %12s %8s %10s\n", "run", "unknowns", "told, MB", "taken, MB", "ratio",
              "vectors");
  for (Kind k : {Kind{"explicit", 1, 1000000, plain, "explicit-euler"},
                 {"Crank-Nicolson", 1, 1000000, plain, "crank-nicolson"},
                 {"explicit", 2, 2000, plain, "explicit-euler"},
                 {"explicit, formula", 2, 1500, formula, "explicit-euler"},
                 {"rk4", 2, 1500, plain, "rk4"},
                 {"Crank-Nicolson", 2, 1500, plain, "crank-nicolson"},
                 {"adi", 2, 1500, plain, "adi"},
                 {"steady", 2, 1500, plain, ""},
                 {"leapfrog", 2, 1500, "kind = \"wave\"\nspeed = 1", "leapfrog"},
                 {"transport", 2, 1500, "kind = \"transport\"\nvelocity = [1, 0]\ndiffusivity = 0", "ssprk3"},
                 {"explicit", 3, 200, plain, "explicit-euler"},
                 {"Crank-Nicolson", 3, 150, plain, "crank-nicolson"},
                 {"adi", 3, 150, plain, "adi"}}) {
    k.cells = bench::at_size(k.cells, 8);
    const std::string text = case_of(k);
    const double told = study::peak_memory(text, "case.toml").value_or(0), real = taken(text);
    Kind tiny = k;
    tiny.cells = 6;
    const double process = taken(case_of(tiny));
    double unknowns = 1;
    for (int a = 0; a < k.dimension; ++a) unknowns *= k.cells;
    std::printf("%-18s %10.3g %12.1f %12.1f %8.3f %10.1f\n", k.name, unknowns, told / 1e6, real / 1e6,
                told / real, (real - process) / 8 / unknowns);
    std::fflush(stdout);
    const std::string work =
        std::string("peak memory of a run, ") + k.name + ", " + std::to_string(k.dimension) + "-D";
    bench::row(work, "doubles an unknown besides what the process takes", (real - process) / 8 / unknowns);
    bench::row(work, "what check tells over what is taken", told / real);
  }
}
