// The program on several ranks: the same results to the last bit, resumed on other numbers of them, ended
// together.
#include <doctest/doctest.h>
#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <cstdlib>
#include <sstream>
#include <utility>
#include <vector>

#include "support/program.hpp"
#include "williwaw/store/fields.hpp"

using namespace williwaw::test;

namespace {

// A machine with fewer cores than ranks will do, and so will a container whose only user is root.
std::string on_ranks(int ranks, const std::string& arguments) {
  setenv("OMPI_ALLOW_RUN_AS_ROOT", "1", 1);
  setenv("OMPI_ALLOW_RUN_AS_ROOT_CONFIRM", "1", 1);
  return fmt::format("timeout 300 '{}' --oversubscribe -n {} '{}' {}", MPIRUN, ranks, PROGRAM, arguments);
}
Printed together(int ranks, const std::filesystem::path& folder, const std::string& arguments) {
  return run_in(folder, on_ranks(ranks, arguments));
}

// What a run on ranks left in "together" is what one process left in "alone".
void check_same_results(const std::filesystem::path& folder) {
  for (const char* file : {"fields.nc", "series.csv", "boundaries.csv"}) {
    CAPTURE(std::string(file));
    CHECK(text_of(folder / "together" / file) == text_of(folder / "alone" / file));
  }
}

const std::string plan = R"case(
[grid]
x = { from = 0, to = 1.3, cells = 37 }
y = { from = 0, to = 1, cells = 29 }
)case";
const std::string nodes = R"case(
[grid]
unknowns = "nodes"
x = { from = 0, to = 1.3, nodes = 33 }
y = { from = 0, to = 1, nodes = 26 }
)case";
const std::string block = R"case(
[grid]
x = { from = 0, to = 1.3, cells = 17 }
y = { from = 0, to = 1, cells = 13 }
z = { from = 0, to = 0.8, cells = 14 }
)case";
const std::string swell = R"case(
[initial]
value = "exp(-20*(x - 0.5)^2 - 30*(y - 0.4)^2)"
)case";

struct OfKind {
  const char* name;
  std::string text;
};

std::vector<OfKind> all_kinds() {
  const auto timed = [](const char* scheme, const char* step, const char* until, const char* every) {
    return fmt::format(
        "[time]\nuntil = {}\nscheme = \"{}\"\nstep = {}\n[record]\nevery = {}\nseries = "
        "{}\n",
        until, scheme, step, every, every);
  };
  const std::string probe = "[[probe]]\nname = \"buoy\"\nat = [0.7, 0.52]\n";
  const std::string heated = R"case(
[equation]
kind = "diffusion"
diffusivity = "(1 + 0.3*x)"
source = "0.2*sin(30*t)*y"
points = [{ name = "heater", at = [0.31, 0.52], rate = "0.4*cos(40*t)" }]
)case";
  std::vector<OfKind> all;
  all.push_back({"explicit diffusion with points",
                 "title = \"a\"" + plan + heated + swell +
                     "[boundary]\nwest = { dirichlet = \"sin(20*t)\" }\ndefault = \"insulated\"\n" +
                     timed("explicit-euler", "{ of_limit = 0.9 }", "0.02", "0.005") + probe});
  all.push_back(
      {"nodes by four stages",
       "title = \"a\"" + nodes + heated + swell +
           "[boundary]\nwest = { dirichlet = \"sin(20*t)\" }\nsouth = { dirichlet = \"x\" }\ndefault = "
           "{ robin = { coefficient = 2, ambient = 0.3 } }\n" +
           timed("rk4", "{ of_limit = 0.8 }", "0.02", "0.005") + probe});
  all.push_back({"adaptive steps", "title = \"a\"" + nodes + heated + swell +
                                       "[boundary]\ndefault = { dirichlet = 0.2 }\n" +
                                       timed("rk45", "{ adaptive = 1e-4 }", "0.01", "0.002") + probe});
  all.push_back({"a hole and stabilized stages", "title = \"a\"" + plan + heated + swell + R"case(
[region.rock]
where = "(x - 0.9)^2 + (y - 0.6)^2 < 0.04"
active = false
[boundary]
rock = { dirichlet = 0.5 }
default = "insulated"
)case" + timed("stabilized", "0.002", "0.02", "0.004")});
  all.push_back({"a block", "title = \"a\"" + block + R"case(
[equation]
kind = "diffusion"
diffusivity = "(1 + 0.3*z)"
)case" + swell + "[boundary]\nbottom = { dirichlet = 1 }\ndefault = \"insulated\"\n" +
                                timed("ssprk3", "{ of_limit = 0.7 }", "0.01", "0.005")});
  const std::string carried = R"case(
[equation]
kind = "transport"
velocity = ["1", "0.5 - 0.3*x"]
diffusivity = 0.002
)case";
  for (const char* reconstruction : {"van-leer", "weno5"})
    all.push_back({reconstruction, "title = \"a\"" + plan + carried + swell +
                                       "[boundary]\nwest = { dirichlet = 0.1 }\ndefault = \"outflow\"\n"
                                       "[space]\nreconstruction = \"" +
                                       reconstruction + "\"\n" +
                                       timed("ssprk3", "{ courant = 0.4 }", "0.3", "0.1") + probe});
  all.push_back(
      {"a law of two directions",
       "title = \"a\"" + plan + R"case(
[equation]
kind = "conservation"
flux = { x = "u^2/2", y = "u^3/3" }
)case" + swell +
           "[boundary]\ndefault = \"outflow\"\n[space]\nreconstruction = \"minmod\"\nnumerical_flux = "
           "\"lax-friedrichs\"\n" +
           timed("rk2", "{ courant = 0.4 }", "0.2", "0.1")});
  const std::string wave = "\n[equation]\nkind = \"wave\"\nspeed = \"(1 + 0.2*y)\"\n";
  all.push_back(
      {"leapfrog with absorbing sides", "title = \"a\"" + nodes + wave + swell +
                                            "[boundary]\nnorth = { absorbing = { order = 2 } }\nwest = "
                                            "\"fixed\"\ndefault = \"absorbing\"\n" +
                                            timed("leapfrog", "{ courant = 0.6 }", "0.6", "0.2") + probe});
  all.push_back({"leapfrog with a layer", "title = \"a\"" + plan + wave + swell +
                                              "[boundary]\nnorth = { absorbing = { layer = 8 } }\ndefault = "
                                              "\"free\"\n" +
                                              timed("leapfrog", "{ courant = 0.6 }", "0.6", "0.2")});
  all.push_back({"a wave by stages", "title = \"a\"" + plan + wave + swell +
                                         "[boundary]\ndefault = \"free\"\n" +
                                         timed("rk4", "{ courant = 0.6 }", "0.6", "0.2")});
  all.push_back(
      {"advection around a plan that is periodic", R"case(title = "a"
[grid]
x = { from = 0, to = 1.3, cells = 37 }
y = { from = 0, to = 1, cells = 44 }
[boundary]
default = "periodic"
)case" + carried + swell + "[space]\nreconstruction = \"weno5\"\n" +
                                                       timed("ssprk3", "{ courant = 0.4 }", "0.3", "0.1") +
                                                       probe});
  all.push_back({"two that react", "title = \"a\"" + plan + R"case(
[equation]
kind = "system"
[equation.unknowns.ice]
diffusivity = 0.5
reaction = "0.1 - ice + ice^2*brine"
cross_diffusivity = { brine = 0.1 }
[equation.unknowns.brine]
diffusivity = 1
reaction = "0.9 - ice^2*brine"
[initial.ice]
value = "1 + 0.1*sin(9*x)*cos(7*y)"
[initial.brine]
value = 0.9
[boundary]
default = "insulated"
)case" + timed("explicit-euler", "{ of_limit = 0.8 }", "0.02", "0.005")});
  all.push_back(
      {"fluxes, what follows from the unknown, and probes of both",
       "title = \"a\"" + nodes + R"case(
[equation]
kind = "diffusion"
diffusivity = "(1 + 0.3*x)"
[derived]
square = { value = "u^2 + x*t" }
[[probe]]
name = "high"
of = "flux.y"
at = [0.7, 0.97]
[[probe]]
name = "out"
of = "flux.x"
at = [0.01, 0.2]
[[probe]]
name = "deep"
of = "square"
at = [0.2, 0.501]
)case" + swell +
           "[boundary]\nwest = { dirichlet = \"sin(20*t)\" }\nnorth = { dirichlet = \"x\" }\ndefault = "
           "\"insulated\"\n" +
           timed("explicit-euler", "{ of_limit = 0.9 }", "0.01", "0.0023") + probe});
  all.push_back({"ground that freezes", R"case(title = "a"
[grid]
x = { from = "0 m", to = "1.3 m", cells = 37 }
y = { from = "0 m", to = "1 m", cells = 29 }
[equation]
kind = "heat"
conductivity = "2 W/m/K"
density = "1000 kg/m^3"
heat_capacity = "2000 J/kg/K"
phase_change = { latent_heat = "200 kJ/kg", temperature = "0 degC", range = "0.4 K", fraction = 0.5 }
[initial]
value = { formula = "0.2 + 0.5*y - 0.1*x", unit = "degC" }
[boundary]
south = { dirichlet = "-3 degC" }
default = "insulated"
[time]
until = "20 h"
scheme = "explicit-euler"
step = { of_limit = 0.5 }
[record]
every = "5 h"
series = "2.2 h"
)case"});
  all.push_back({"a conductivity of the unknown", "title = \"a\"" + plan + R"case(
[equation]
kind = "diffusion"
diffusivity = "(1 + u^2)"
)case" + swell + "[boundary]\nnorth = { dirichlet = 0.4 }\ndefault = \"insulated\"\n" +
                                                      timed("explicit-euler", "0.0001", "0.01", "0.002")});
  // The boundary's value is one at which tables of such conductivities are cut.
  all.push_back({"a conductivity of the unknown by adaptive steps",
                 "title = \"a\"" + plan + R"case(
[equation]
kind = "diffusion"
diffusivity = "(1 + u^2)"
)case" + swell + "[boundary]\nwest = { dirichlet = 1 }\ndefault = \"insulated\"\n" +
                     timed("rk45", "{ adaptive = 1e-4 }", "0.003", "0.001")});
  all.push_back({"a block by multigrid",
                 "title = \"a\"" + block +
                     "\n[equation]\nkind = \"diffusion\"\ndiffusivity = \"(1 + 0.3*x)\"\nsource = "
                     "\"0.2*sin(30*t)*y\"\n" +
                     swell + "[boundary]\ntop = { dirichlet = 0.3 }\ndefault = \"insulated\"\n" +
                     timed("crank-nicolson", "0.01\nsolver = \"multigrid\"", "0.04", "0.02")});
  all.push_back({"implicit steps by conjugate gradients",
                 "title = \"a\"" + nodes + heated + swell +
                     "[boundary]\nwest = { dirichlet = 0.3 }\ndefault = \"insulated\"\n" +
                     timed("crank-nicolson", "0.001\nsolver = \"cg\"", "0.02", "0.005") + probe});
  all.push_back({"a steady state by conjugate gradients", "title = \"a\"" + plan + R"case(
[region.rock]
where = "(x - 0.9)^2 + (y - 0.6)^2 < 0.04"
active = false
[equation]
kind = "diffusion"
diffusivity = "1 + 0.3*x"
source = "y"
[initial]
value = 0
[boundary]
rock = { dirichlet = 0.5 }
west = { robin = { coefficient = 2, ambient = 0.3 } }
default = "insulated"
[steady]
solver = "cg"
)case"});
  const auto rod = [](const char* unknowns, const char* cells) {
    return fmt::format("title = \"a\"\n[grid]\nunknowns = \"{}\"\nx = {{ from = 0, to = 2, {} }}\n", unknowns,
                       cells);
  };
  const std::string hump = "[initial]\nvalue = \"exp(-30*(x - 0.5)^2)\"\n";
  all.push_back({"a rod", rod("cells", "cells = 1000") + R"case(
[equation]
kind = "diffusion"
diffusivity = "(1 + 0.3*x)"
source = "0.2*sin(30*t)*x"
points = [{ name = "heater", at = [1.03], rate = "0.4*cos(40*t)" }]
[[probe]]
name = "buoy"
at = [1.021]
)case" + hump + "[boundary]\nwest = { dirichlet = \"sin(20*t)\" }\ndefault = \"insulated\"\n" +
                              timed("explicit-euler", "{ of_limit = 0.9 }", "0.0003", "0.0001")});
  all.push_back(
      {"a rod of nodes by adaptive steps",
       rod("nodes", "nodes = 1025") + R"case(
[equation]
kind = "diffusion"
diffusivity = "(1 + u^2)"
)case" + hump +
           "[boundary]\nwest = { dirichlet = 1 }\neast = { robin = { coefficient = 2, ambient = 0.3 } }\n" +
           timed("rk45", "{ adaptive = 1e-4 }", "0.0003", "0.0001")});
  all.push_back({"advection around", rod("cells", "cells = 1800") + R"case(
[equation]
kind = "transport"
velocity = ["1"]
[space]
reconstruction = "weno5"
[boundary]
default = "periodic"
)case" + hump + timed("ssprk3", "{ courant = 0.6 }", "0.3", "0.1")});
  all.push_back({"a string", rod("nodes", "nodes = 900") + R"case(
[equation]
kind = "wave"
speed = "(1 + 0.2*x)"
[boundary]
west = "fixed"
east = "absorbing"
)case" + hump + timed("leapfrog", "{ courant = 0.6 }", "0.6", "0.2")});
  return all;
}

// The same things on a grid of long lines, with what happens about where they are cut.
std::string with_long_lines(std::string text) {
  const std::pair<const char*, const char*> words[] = {{"to = 1.3, cells = 37", "to = 56.2, cells = 1600"},
                                                       {"to = 1.3, nodes = 33", "to = 56.2, nodes = 1601"},
                                                       {"to = 1.3, cells = 17", "to = 56.2, cells = 1600"},
                                                       {"cells = 29", "cells = 20"},
                                                       {"cells = 44", "cells = 20"},
                                                       {"nodes = 26", "nodes = 13"},
                                                       {"cells = 13", "cells = 5"},
                                                       {"cells = 14", "cells = 6"},
                                                       {"x - 0.5", "x - 27"},
                                                       {"x - 0.9", "x - 27.3"},
                                                       {"[0.31, 0.52]", "[27.01, 0.52]"},
                                                       {"[0.7, 0.5", "[27.1, 0.5"},
                                                       {"[0.7, 0.97]", "[27.1, 0.97]"}};
  for (const auto& [word, meant] : words)
    for (std::size_t at = 0; (at = text.find(word, at)) != std::string::npos; at += 1)
      text.replace(at, std::string(word).size(), meant);
  return text;
}

}  // namespace

TEST_CASE("runs on one to four ranks leave the same files, of cases of all kinds") {
  const auto kinds = all_kinds();
  CHECK(kinds.size() >= 12);
  for (const OfKind& kind : kinds) {
    CAPTURE(std::string(kind.name));
    const auto folder = folder_of("ranks", kind.text);
    const Printed alone = williwaw_in(folder, "run case.toml --quiet -o alone");
    CAPTURE(alone.error);
    REQUIRE(alone.code == 0);
    for (int ranks = 1; ranks <= 4; ++ranks) {
      CAPTURE(ranks);
      const Printed p = together(ranks, folder, "run case.toml --quiet -o together");
      CAPTURE(p.error);
      REQUIRE(p.code == 0);
      CHECK(p.out.empty());
      check_same_results(folder);
    }
  }
}

TEST_CASE("lines are cut as well where that is asked for, and explicit steps stay the same") {
  int cut = 0;
  for (const OfKind& kind : all_kinds()) {
    const std::string text = with_long_lines(kind.text);
    if (text.find(" = 160") == std::string::npos || text.find("solver") != std::string::npos) continue;
    CAPTURE(std::string(kind.name));
    ++cut;
    const auto folder = folder_of("ranks", text);
    const Printed alone = williwaw_in(folder, "run case.toml --quiet -o alone");
    CAPTURE(alone.error);
    REQUIRE(alone.code == 0);
    const bool both = text.find("z = ") != std::string::npos || cut % 2 == 0;
    const Printed p =
        together(both ? 4 : 2, folder,
                 fmt::format("run case.toml --quiet -o together --ranks {}", both ? "2x2" : "2x1"));
    CAPTURE(p.error);
    REQUIRE(p.code == 0);
    check_same_results(folder);
  }
  CHECK(cut >= 12);
}

TEST_CASE(
    "a run of which a rank is killed ends everywhere, and goes on with others as if nothing had happened") {
  const std::string long_case = R"case(
title = "a"
[grid]
unknowns = "nodes"
x = { from = 0, to = 1.3, nodes = 130 }
y = { from = 0, to = 1, nodes = 101 }
[equation]
kind = "KIND"
PROPERTY
[initial]
value = "exp(-20*(x - 0.5)^2 - 30*(y - 0.4)^2)"
[boundary]
SIDES
[time]
until = UNTIL
scheme = "SCHEME"
step = STEP
[record]
every = EVERY
series = EVERY
)case";
  const std::vector<std::vector<std::pair<std::string, std::string>>> all{
      {{"KIND", "wave"},
       {"PROPERTY", "speed = 1"},
       {"SIDES", "north = { absorbing = { order = 2 } }\nwest = \"fixed\"\ndefault = \"absorbing\""},
       {"UNTIL", "4"},
       {"SCHEME", "leapfrog"},
       {"STEP", "{ courant = 0.5 }"},
       {"EVERY", "1"}},
      {{"KIND", "diffusion"},
       {"PROPERTY", "diffusivity = 1"},
       {"SIDES", "west = { dirichlet = \"sin(30*t)\" }\ndefault = \"insulated\""},
       {"UNTIL", "0.02"},
       {"SCHEME", "rk45"},
       {"STEP", "{ adaptive = 1e-5 }"},
       {"EVERY", "0.005"}}};
  for (const auto& words : all) {
    std::string text = long_case;
    for (const auto& [word, meant] : words)
      for (std::size_t at; (at = text.find(word)) != std::string::npos;) text.replace(at, word.size(), meant);
    CAPTURE(text);
    const auto folder = folder_of("killed", text);
    REQUIRE(williwaw_in(folder, "run case.toml --quiet -o alone").code == 0);
    const std::string some = "run case.toml --quiet --resume --checkpoint 0 -o together";
    // Once a checkpoint is there the last rank is killed.
    const auto killed = [&](int ranks) {
      return run_in(folder,
                    "{ rm -f together/checkpoint.before; " + on_ranks(ranks, some) +
                        " & all=$!; for n in $(seq 600); do test -e together/checkpoint.before && break; "
                        "sleep 0.02; done; pkill -KILL -n -P $(pgrep -P $all); wait $all; }");
    };
    const Printed first = killed(4);
    CHECK(first.code != 0);
    CHECK(first.error.find("exited on signal 9") != std::string::npos);
    CHECK(killed(2).code != 0);
    // What two cuts of the grid have recorded can be had as it is.
    std::filesystem::copy(folder / "together", folder / "rescued", std::filesystem::copy_options::recursive);
    CHECK(std::filesystem::exists(folder / "rescued" / "fields.set1.rank1.journal"));
    CHECK(williwaw_in(folder, "recover rescued").code == 0);
    CHECK(std::filesystem::exists(folder / "rescued" / "fields.nc"));
    CHECK_FALSE(std::filesystem::exists(folder / "together" / "fields.nc"));
    const Printed last = together(3, folder, some);
    CAPTURE(last.error);
    REQUIRE(last.code == 0);
    for (const char* file : {"fields.nc", "series.csv"}) {
      CAPTURE(std::string(file));
      CHECK(text_of(folder / "together" / file) == text_of(folder / "alone" / file));
    }
    CHECK(text_of(folder / "together" / "run.log").find("resumed at step") != std::string::npos);
    for (const auto& left : std::filesystem::directory_iterator(folder / "together"))
      CHECK(left.path().extension() != ".journal");
  }
}

TEST_CASE("what ranks cannot do is told once, with what they can") {
  const auto kinds = all_kinds();
  const auto folder = folder_of("ranks", kinds.front().text);
  const auto told = [&](int ranks, const std::string& arguments, const std::string& expected, int code = 2) {
    const Printed p = together(ranks, folder, "run case.toml --quiet -o out " + arguments);
    CAPTURE(p.error);
    CHECK(p.code == code);
    const std::size_t at = p.error.find(expected);
    REQUIRE(at != std::string::npos);
    CHECK(p.error.find(expected, at + 1) == std::string::npos);
  };
  told(2, "--set time.scheme=adi --set time.step=0.001", "time.scheme: scheme 'adi' runs on one rank");
  told(2, "--set time.scheme=implicit-euler --set time.step=0.001 --set time.solver=direct",
       "solver 'direct' works on one rank; on several there are multigrid, cg and bicgstab");
  told(3, "--ranks 1x2", "--ranks 1x2: 2 boxes are for 2 ranks, and 3 are started");
  told(2, "--ranks 2x1",
       "--ranks 2x1: 2 boxes along axis x: give 1 there: it is cut at multiples of 256 cells");
  told(2, "--ranks 2by1", "--ranks 2by1: give boxes along each axis, such as 2x2 or 1x2x4");
  told(2, "--set time.step=0.005", "Choose a smaller step", 3);
}

TEST_CASE(
    "velocities from files, made free of divergence between shores from a mask, are those of one rank") {
  const auto folder = fresh_folder("ranks_sound");
  const std::string sound =
      fmt::format("run '{}/dye-patch.toml' --quiet --set 'figure=[]' --set 'time.until=\"2 h\"' -o ", CASES);
  const Printed alone = williwaw_in(folder, sound + "alone");
  CAPTURE(alone.error);
  REQUIRE(alone.code == 0);
  for (const int ranks : {2, 3}) {
    CAPTURE(ranks);
    const Printed p = together(ranks, folder, sound + "together --force");
    CAPTURE(p.error);
    REQUIRE(p.code == 0);
    check_same_results(folder);
  }
}

TEST_CASE("a steady state of which nothing fixes the mean, or that of a piece, is found by ranks as well") {
  const std::string pieces = R"case(
title = "a"
[grid]
x = { from = 0, to = 1, cells = 24 }
y = { from = 0, to = 1, cells = 20 }
[region.bar]
where = "abs(x - 0.42) < 0.05"
active = false
[equation]
kind = "diffusion"
diffusivity = "(1 + x*(1 + 0.3*cos(2*pi*y)))"
source = "sin(2*pi*y)"
[boundary]
west = "insulated"
south = "periodic"
north = "periodic"
bar = "insulated"
east = EAST
[initial]
value = "x + 3*y"
[steady]
)case";
  struct Fixed {
    const char *east, *region;
  };
  // Both pieces, one of them, and a single one around the hole.
  for (const Fixed& fixed : {Fixed{"\"insulated\"", ""}, Fixed{"{ dirichlet = 2 }", ""},
                             Fixed{"\"insulated\"", "(x - 0.42)^2 + (y - 0.5)^2 < 0.05"}}) {
    std::string text = pieces;
    text.replace(text.find("EAST"), 4, fixed.east);
    const std::string bar = "abs(x - 0.42) < 0.05";
    if (*fixed.region) text.replace(text.find(bar), bar.size(), fixed.region);
    CAPTURE(text);
    const auto folder = folder_of("ranks", text);
    const Printed alone = williwaw_in(folder, "run case.toml --quiet -o alone");
    CAPTURE(alone.error);
    REQUIRE(alone.code == 0);
    const auto steady_in = [&](const char* results) {
      const williwaw::store::FieldReader reader(folder / results / "fields.nc");
      return reader.field(0);
    };
    const auto expected = steady_in("alone");
    for (const int ranks : {2, 3})
      for (const char* solver : {"auto", "cg", "bicgstab"}) {
        CAPTURE(ranks);
        CAPTURE(std::string(solver));
        const Printed p =
            together(ranks, folder,
                     fmt::format("run case.toml --quiet --force -o together --set steady.solver={}", solver));
        CAPTURE(p.error);
        REQUIRE(p.code == 0);
        const auto found = steady_in("together");
        double apart = 0;
        for (williwaw::Index j = 0; j < 20; ++j)
          for (williwaw::Index i = 0; i < 24; ++i)
            if (!std::isnan(expected.at(i, j)))
              apart = std::max(apart, std::abs(found.at(i, j) - expected.at(i, j)));
        CHECK(apart < 1e-7);
      }
  }
}

TEST_CASE("stages go on from each rank's own part, and only the first rank has all of the grid") {
  const std::string staged = R"case(
title = "a"
[grid]
x = { from = 0, to = 1.3, cells = 600 }
y = { from = 0, to = 1, cells = 900 }
[equation]
kind = "diffusion"
diffusivity = "(1 + 0.3*u^2)"
source = "0.2*sin(30*t)*y"
[initial]
value = "exp(-20*(x - 0.5)^2 - 30*(y - 0.4)^2)"
[boundary]
west = { dirichlet = 0.5 }
default = "insulated"
[time]
until = 1e-5
scheme = "rk2"
step = { of_limit = 0.8 }
[record]
every = 1e-5
[[stage]]
title = "flood"
time.lasts = 1e-5
boundary.east = { dirichlet = 0.7 }
[[stage]]
title = "ebb"
time.lasts = 5e-6
)case";
  const auto folder = folder_of("staged", staged);
  for (const char* change : {"--set grid.x.cells=60 --set grid.y.cells=90", "--set equation.diffusivity=2"}) {
    CAPTURE(std::string(change));
    const Printed alone = williwaw_in(folder, std::string("run case.toml --quiet -o alone ") + change);
    CAPTURE(alone.error);
    REQUIRE(alone.code == 0);
    const Printed shared = together(4, folder, std::string("run case.toml --quiet -o together ") + change);
    CAPTURE(shared.error);
    REQUIRE(shared.code == 0);
    for (const char* file : {"fields.nc", "series.csv"}) {
      CAPTURE(std::string(file));
      CHECK(text_of(folder / "together" / file) == text_of(folder / "alone" / file));
    }
  }
  // 600·900 values are 4.3 MB; a rank of four has a quarter of each of its states.
  const std::string log = text_of(folder / "together" / "run.log");
  const auto bytes_after = [&](const std::string& words) {
    const std::size_t at = log.rfind(words);
    REQUIRE(at != std::string::npos);
    std::istringstream text(log.substr(at + words.size()));
    double number = 0;
    std::string unit;
    text >> number >> unit;
    return number * (unit == "GB" ? 1e9 : 1e6);
  };
  CHECK(bytes_after("ranks: ") > bytes_after("at most ") + 15e6);
}

TEST_CASE("variants and samples are shared by ranks, each run by one of them") {
  const auto folder = folder_of("shared", all_kinds().front().text);
  const std::string vary = "--set 'figure=[]' --vary 'initial.value=0.1*x,0.2*x,0.3*y'";
  REQUIRE(williwaw_in(folder, "sweep case.toml -o alone " + vary).code == 0);
  const Printed shared = together(2, folder, "sweep case.toml -o together " + vary);
  CAPTURE(shared.error);
  REQUIRE(shared.code == 0);
  CHECK(shared.out.find("verdict") == shared.out.rfind("verdict"));
  const auto same_results = [&](const std::string& run) {
    CAPTURE(run);
    for (const char* file : {"fields.nc", "series.csv"})
      CHECK(text_of(folder / "together" / run / file) == text_of(folder / "alone" / run / file));
  };
  const std::vector<std::string> runs{"initial.value-0.1_x", "initial.value-0.2_x", "initial.value-0.3_y"};
  for (const auto& run : runs) same_results(run);

  // Ranks in folders of their own show who ran which.
  std::filesystem::create_directory(folder / "beside");
  const std::string sweep =
      "sweep '" + (folder / "case.toml").string() + "' -o parted --set 'probe=[]' " + vary;
  const Printed parted =
      run_in(folder, on_ranks(1, sweep) + fmt::format(" : -n 1 --wdir '{}' '{}' {}",
                                                      (folder / "beside").string(), PROGRAM, sweep));
  CAPTURE(parted.error);
  CHECK(parted.code == 0);
  for (std::size_t n = 0; n < runs.size(); ++n) {
    CHECK(std::filesystem::exists(folder / "parted" / runs[n] / "fields.nc") == (n % 2 == 0));
    CHECK(std::filesystem::exists(folder / "beside" / "parted" / runs[n] / "fields.nc") == (n % 2 == 1));
  }

  const std::string samples =
      "run case.toml --quiet --set samples.count=3 --set 'initial.value=0.1*x*(1 + sample)' -o ";
  REQUIRE(williwaw_in(folder, samples + "alone-samples").code == 0);
  REQUIRE(together(2, folder, samples + "together-samples").code == 0);
  for (const char* file : {"fields.nc", "spread.csv"})
    CHECK(text_of(folder / "together-samples" / file) == text_of(folder / "alone-samples" / file));

  // A mistake that one rank meets in its own run is told once, in a row of the table that all of them share.
  const Printed wrong =
      together(2, folder, "sweep case.toml -o wrong --set 'figure=[]' --vary time.step=0.0001,fast");
  CHECK(wrong.code == 4);
  const std::string row = "fast       refused      --set time.step=fast";
  CHECK_MESSAGE(wrong.out.find(row) != std::string::npos, wrong.out);
  CHECK(wrong.out.find("time.step=fast") == wrong.out.rfind("time.step=fast"));
  // One that all of them meet ends the sweep.
  const Printed all =
      together(2, folder, "sweep case.toml -o wrong --set 'figure=[]' --vary time.step=slow,fast");
  CHECK(all.code == 2);
  CHECK(all.error.find("time.step=slow") != std::string::npos);
  CHECK(all.error.find("time.step=slow") == all.error.rfind("time.step=slow"));
}

TEST_CASE("check tells how ranks share a grid, and what was measured between them") {
  const auto folder = folder_of("ranks", all_kinds().front().text);
  const Printed alone = williwaw_in(folder, "check case.toml --ranks 1x4");
  CHECK(alone.code == 0);
  // 37 cells in a line, one line to each of two neighbours.
  for (const char* row :
       {"ranks           4", "boxes           1 x 4 boxes", "halo            1 cell",
        "cells of a box  259 to 296", "at most 0.592 kB by a rank", "start check with the launcher"}) {
    CAPTURE(std::string(row));
    CHECK(alone.out.find(row) != std::string::npos);
  }
  const Printed measured = together(2, folder, "check case.toml");
  CHECK(measured.code == 0);
  for (const char* row : {"boxes           1 x 2 boxes", "latency  ", "bandwidth  ", "of 2 times as fast"}) {
    CAPTURE(std::string(row));
    const std::size_t at = measured.out.find(row);
    REQUIRE(at != std::string::npos);
    CHECK(measured.out.find(row, at + 1) == std::string::npos);
  }
}
