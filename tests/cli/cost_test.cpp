#include "williwaw/study/cost.hpp"

#include <doctest/doctest.h>
#include <sys/resource.h>
#include <sys/wait.h>
#include <unistd.h>

#include "support/folder.hpp"
#include "support/marching.hpp"
#include "support/program.hpp"
#include "williwaw/study/run.hpp"

using namespace williwaw;
using namespace williwaw::casefile;
using namespace williwaw::study;

namespace {

// Nothing but diffusion from a side that is prescribed.
std::string case_of(const std::vector<std::string>& axes, const std::string& until, const std::string& step) {
  std::string text = "\ntitle = \"Plain\"\n[grid]\n";
  for (const auto& axis : axes) text += axis + "\n";
  return text + R"case([boundary]
west = { dirichlet = 1 }
default = "insulated"
[equation]
kind = "diffusion"
diffusivity = 1
[initial]
value = 0
[time]
)case" +
         "until = " + until + "\nscheme = \"explicit-euler\"\nstep = " + step + "\n";
}

std::optional<Real> seconds_of(const std::string& name, const std::vector<std::string>& set) {
  const Case c = read_case(std::string(CASES) + "/" + name, set);
  const Prepared p = prepare(c);
  return measured_seconds(c, p);
}

}  // namespace

TEST_CASE("cost is told from timed steps, and not told where steps are not known") {
  const auto few = seconds_of("ice-deck.toml", {"time.until=\"1 h\"", "figure=[]"}),
             many = seconds_of("ice-deck.toml", {"time.until=\"1000 h\"", "figure=[]"});
  REQUIRE(few);
  REQUIRE(many);
  // A thousand times the steps, on a machine that others use too.
  CHECK(*many > 100 * *few);
  CHECK_FALSE(seconds_of("hut-floor.toml", {"time.scheme=sdirk4", "time.step={adaptive=1e-4}"}));
  CHECK_FALSE(seconds_of("ice-deck-steady.toml", {}));
  // Beyond a hundred thousand unknowns a coarser grid is stepped: no longer than a second or two.
  CHECK(seconds_of("brine-tank.toml",
                   {"grid.x.nodes=193", "grid.y.nodes=129", "grid.z.nodes=97", "figure=[]"}));
}

TEST_CASE("records take no more on the disk than check says, and not much less") {
  for (const char* name : {"hut-floor.toml", "tidal-bore.toml", "brine-tank.toml"}) {
    if (test::instrumented && std::string(name) != "tidal-bore.toml") continue;
    CAPTURE(name);
    const auto folder = test::fresh_folder("recorded");
    const Case c = read_case(std::string(CASES) + "/" + name, {"figure=[]"});
    Prepared p = prepare(c);
    const Real said = recorded_bytes(c, p);
    run_case(c, p, {folder / "out", {}});
    // While fields.nc is completed its journal is there too.
    const Real fields = static_cast<Real>(std::filesystem::file_size(folder / "out" / "fields.nc")),
               series = static_cast<Real>(std::filesystem::file_size(folder / "out" / "series.csv"));
    CHECK(said > 2 * fields + series - 1e5);
    CHECK(said < 2.6 * fields + 2 * series + 2e5);
  }
}

TEST_CASE("a run of more than a day, or whose records do not fit, is started with --force only") {
  const auto folder =
      test::folder_of("costly", case_of({"x = { from = 0, to = 1, cells = 10 }"}, "1000000", "1e-6") +
                                    "[record]\nevery = 100000\nseries = 1000\n");
  const auto run = [&](const std::string& set) {
    return test::williwaw_in(folder, "run case.toml -o out --quiet" + set);
  };
  const auto days = run("");
  CHECK(days.code == 2);
  CHECK(days.error.find("case.toml: 1e+12 steps of 10 unknowns would take ") != std::string::npos);
  CHECK(days.error.find("more than one day; --force runs it all the same") != std::string::npos);
  CHECK(!std::filesystem::exists(folder / "out"));
  CHECK(test::williwaw_in(folder, "check case.toml").out.find("need --force") != std::string::npos);
  // Asked once: a run that goes on from its checkpoint was asked for at its start.
  const auto stopped_soon = [&](const std::string& how) {
    // As soon as it has left a checkpoint.
    const std::string script = "cd '" + folder.string() + "' && { '" + PROGRAM +
                               "' run case.toml -o long --quiet --checkpoint 0.1 " + how +
                               " >/dev/null 2>&1 & }; for i in $(seq 300); do sleep 0.1; "
                               "[ -e long/checkpoint ] && break; kill -0 $! 2>/dev/null || break; done; "
                               "sleep 0.5; kill -INT $! 2>/dev/null; wait $!";
    const int status = std::system(script.c_str());
    return WIFEXITED(status) ? WEXITSTATUS(status) : -1;
  };
  CHECK(stopped_soon("--resume") == 2);  // there is nothing yet to go on from
  CHECK(stopped_soon("--force") != 2);
  REQUIRE(std::filesystem::exists(folder / "long" / "checkpoint"));
  CHECK(stopped_soon("--resume") != 2);
  // A row at each of 10^11 steps.
  const auto rows =
      run(" --set record.series=1e-2 --set time.until=1e6 --set time.step=1e-3 --set grid.x.cells=1000000 "
          "--set time.scheme=implicit-euler --set record.every=1");
  CHECK(rows.code == 2);
  CHECK(rows.error.find("records of ") != std::string::npos);
  CHECK(rows.error.find("has left; --force runs it all the same") != std::string::npos);
  CHECK(run(" --set time.until=0.01 --set record.every=0.01 --set record.series=0.01").code == 0);
}

namespace {

const std::string plan_of_cells = case_of(
    {"x = { from = 0, to = 1, cells = 1000 }", "y = { from = 0, to = 1, cells = 1000 }"}, "4e-9", "1e-9");

}  // namespace

TEST_CASE("what takes more memory than allowed is refused before anything is done") {
  const auto folder = test::folder_of("too-much", plan_of_cells);
#ifdef WILLIWAW_SANITIZED  // what an instrumented program takes tells nothing: less than the vectors of any
                           // run
  const std::string most = "20", need = "need 24 MB at least";
#else
  const std::string most = "40", need = "need about ";
#endif
  for (const std::string start : {"check case.toml --memory ", "run case.toml -o out --memory "}) {
    const std::string command = start + most + "MB";
    CAPTURE(command);
    const auto refused = test::williwaw_in(folder, command);
    CHECK(refused.code == 2);
    CHECK(refused.out.empty());
    CHECK(refused.error.starts_with("case.toml:3: grid: 1e+06 unknowns " + need));
    CHECK(refused.error.find(", but the run may take " + most + " MB; fewer of them need less\n") !=
          std::string::npos);
    CHECK(!std::filesystem::exists(folder / "out"));
  }
  // Far beyond: by the leanest run's vectors, without trying.
  const auto far = test::williwaw_in(
      folder, "check case.toml --set grid.x.cells=40000 --set grid.y.cells=40000 --memory 30GB");
  CHECK(far.code == 2);
  CHECK(far.error.find("1.6e+09 unknowns need 38.4 GB at least, but the run may take 30 GB") !=
        std::string::npos);
  const auto beyond = test::williwaw_in(folder, "run case.toml --set grid.x.cells=100000000");
  CHECK(beyond.code == 2);
  CHECK(beyond.error.find("1e+11 unknowns exceed the limit") != std::string::npos);
  for (const std::string size : {"nothing", "-1", "0", "3parsecs"}) {
    CAPTURE(size);
    CHECK(test::williwaw_in(folder, "check case.toml --memory " + size).code == 2);
  }
#ifndef WILLIWAW_SANITIZED  // whose shadow memory alone is beyond any limit
  CHECK(test::williwaw_in(folder, "check case.toml --memory 2GB").code == 0);
  // A limit of the system counts as what there is.
  const auto limited = [&](const std::string& set) {
    return std::system(("cd '" + folder.string() + "' && (ulimit -v 400000; '" + PROGRAM +
                        "' check case.toml " + set + ") >/dev/null 2>error")
                           .c_str());
  };
  CHECK(limited("") == 0);
  CHECK(WEXITSTATUS(limited("--set grid.x.cells=20000")) == 2);
  CHECK(test::text_of(folder / "error").find("but there are 410 MB") != std::string::npos);
#endif
}

#ifndef WILLIWAW_SANITIZED  // instrumented programs take other amounts

namespace {

// Bytes that `check` tells.
Real memory_said(const std::filesystem::path& folder, const std::string& set) {
  const std::string out = test::williwaw_in(folder, "check case.toml --json" + set).out;
  const auto row = out.find("\"memory\"");
  REQUIRE(row != std::string::npos);
  return std::stod(out.substr(out.find("\"value\":", row) + 8));
}

// Bytes at the peak of a run in a process of its own, and of what it starts.
Real memory_taken(const std::filesystem::path& folder, const std::string& set) {
  const std::string command = "cd '" + folder.string() + "' && exec '" + PROGRAM +
                              "' run case.toml -o out --quiet --checkpoint 0" + set;
  const pid_t child = fork();
  if (child == 0) {
    execl("/bin/sh", "sh", "-c", command.c_str(), nullptr);
    _exit(127);
  }
  int status = 0;
  rusage used;
  REQUIRE(wait4(child, &status, 0, &used) == child);
  CHECK(status == 0);
  return 1024 * static_cast<Real>(used.ru_maxrss);
}

}  // namespace

TEST_CASE("a run takes the memory that check says, on the grid itself and beyond") {
  const std::string &plan = plan_of_cells, steady = plan.substr(0, plan.find("[time]")) + "[steady]\n";
  struct Kind {
    const char* name;
    std::string text, set;
  };
  for (const Kind& kind :
       {Kind{"on its own grid", plan, " --set grid.x.cells=300"}, Kind{"explicit", plan, ""},
        Kind{"explicit, even larger", plan, " --set grid.x.cells=3000"},
        Kind{"implicit", plan, " --set time.scheme=crank-nicolson"}, Kind{"steady", steady, ""},
        Kind{"along axes in turn", plan, " --set time.scheme=adi"},
        Kind{"direct", plan,
             " --set time.scheme=crank-nicolson --set time.solver=direct --set grid.x.cells=600"},
        Kind{"formula", plan, " --set equation.diffusivity=1+x"}}) {
    CAPTURE(kind.name);
    const auto folder = test::folder_of("peak", kind.text);
    const Real said = memory_said(folder, kind.set), taken = memory_taken(folder, kind.set);
    CHECK(said / taken == doctest::Approx(1).epsilon(0.1));
  }
}
#endif
