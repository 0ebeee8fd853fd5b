// How far stated uncertainties and orders are to be trusted: runs with known solutions.
#include "williwaw/study/trust.hpp"

#include <doctest/doctest.h>
#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <fstream>

#include "support/folder.hpp"
#include "williwaw/study/converge.hpp"

using namespace williwaw;
using namespace williwaw::casefile;
using namespace williwaw::study;

namespace {

std::filesystem::path written(const std::string& text) {
  static int count = 0;
  const auto file = test::fresh_folder("trust") / fmt::format("case{}.toml", count++);
  std::ofstream(file) << text;
  return file;
}

// A rod whose exact solution is given by name, with the probe somewhere in it.
std::string named(const std::string& solution, Index cells, Real step, const std::string& scheme, Real at) {
  const bool round = solution == "cylinder" || solution == "sphere", flow = solution == "start-up";
  const std::string axis = round ? "r" : "x", form = solution == "sphere" ? "spherical" : "cylindrical";
  std::string text = "[grid]\n";
  if (round) text += "coordinates = \"" + form + "\"\n";
  text += fmt::format("{} = {{ from = 0, to = 1, cells = {} }}\n", axis, cells);
  text += fmt::format(
      "[equation]\nkind = \"diffusion\"\ndiffusivity = 0.7\nsource = {}\n[initial]\nvalue = 2\n[boundary]\n",
      flow ? 3 : 0);
  if (flow)
    text += "west = { dirichlet = 1 }\neast = { dirichlet = 5 }\n";
  else if (round)
    text += "outer = { robin = { coefficient = 2, ambient = 0 } }\n";
  else
    text += "west = \"insulated\"\neast = { robin = { coefficient = 2, ambient = 0 } }\n";
  text +=
      fmt::format("[time]\nuntil = 0.4\nscheme = \"{}\"\nstep = {}\n[[probe]]\nname = \"here\"\nat = [{}]\n",
                  scheme, step, at);
  return text + fmt::format("[exact]\nsolution = \"{}\"\n", solution);
}

}  // namespace

TEST_CASE("each number has its uncertainty, shared between grid and step") {
  for (const std::string solution : {"cylinder", "sphere", "start-up"})
    for (const std::string scheme : {"crank-nicolson", "implicit-euler"}) {
      const auto file = written(named(solution, 24, 0.01, scheme, 0.55));
      const Trust trust = assess(file, {});
      const Trusted& here = trust.numbers[0];
      CHECK(here.headline.name == "here");
      const Real error =
          std::abs(here.headline.value - read_case(file).exact->function(Point{0.55, 0, 0}, 0.4));
      CAPTURE(solution);
      CAPTURE(scheme);
      CHECK(error <= here.uncertainty());
      // First order in time: the step must be seen to matter more than the grid.
      if (scheme == "implicit-euler") CHECK(here.time.size() > here.space.size());
    }
  const std::string text =
      trust_report(assess(written(named("slab", 20, 0.01, "crank-nicolson", 0.4)), {})).text();
  CHECK(text.find("±") != std::string::npos);
  CHECK(text.find("from the grid") != std::string::npos);
  CHECK(text.find("refine the grid first") != std::string::npos);
}

TEST_CASE("flows beside a corner of two unequal values, and probes at a point source, have no limit") {
  const std::string text =
      "[grid]\nx = { from = 0, to = 1, cells = 16 }\ny = { from = 0, to = 1, cells = 16 }\n[equation]\nkind "
      "= "
      "\"diffusion\"\ndiffusivity = 20\npoints = [{ name = \"well\", at = [0.3, 0.3], rate = 1 "
      "}]\n[initial]\n"
      "value = 0\n[boundary]\nwest = { dirichlet = 75 }\nnorth = { dirichlet = 5 }\ndefault = "
      "\"insulated\"\n[[probe]]\nname = \"at the well\"\nat = [0.3, 0.3]\n[[probe]]\nname = "
      "\"elsewhere\"\nat = [0.6, 0.4]\n[steady]\n";
  const auto file = written(text);
  Case given = read_case(file);
  Prepared prepared = prepare(given);
  const std::string checked = check_report(given, prepared).text();
  CHECK(checked.find(
            "flow west: dirichlet: diverges as the spacing goes to zero (75 meets 5 at x = 0, y = 1 "
            "(north)") != std::string::npos);
  const auto result = converge(file, {});
  const auto quantity = [&](const std::string& name) {
    return *std::ranges::find(result.quantities, name, &ConvergedQuantity::name);
  };
  CHECK_FALSE(quantity("flow west: dirichlet").has_limit());
  CHECK_FALSE(quantity("flow north: dirichlet").has_limit());
  CHECK_FALSE(quantity("at the well").has_limit());
  CHECK(quantity("mean").has_limit());
  // Beside a right angle the flux density is 2·k·jump/(π·distance): each halving adds k·jump·2·ln 2/π.
  const auto& flow = quantity("flow west: dirichlet").values;
  CHECK(flow.back() - flow[flow.size() - 2] ==
        doctest::Approx(20 * 70 * 2 * std::log(2) / M_PI).epsilon(1e-3));
  const std::string table = convergence_table(result);
  CHECK(table.find("no limit") != std::string::npos);
  const Trust trust = assess(file, {});
  for (const Trusted& t : trust.numbers) {
    CAPTURE(t.headline.name);
    const bool endless = t.headline.name == "flow west: dirichlet" ||
                         t.headline.name == "flow north: dirichlet" || t.headline.name == "at the well";
    CHECK(t.not_known.empty() == !endless);
  }
  const std::string said = trust_report(trust).text();
  CHECK(said.find("no uncertainty") != std::string::npos);
  // Not told by the corner but by the refinement study: a coefficient of exchange that is as good as a
  // prescribed value.
  const auto seen = assess(written(text), {"boundary.north={robin={coefficient=1e9,ambient=5}}"});
  const auto west = std::ranges::find(seen.numbers, std::string("flow west: dirichlet"),
                                      [](const Trusted& t) { return t.headline.name; });
  CHECK(west->not_known.find("each halving of the spacing") != std::string::npos);
}

TEST_CASE("orders on smooth cases are the theory's within a tenth") {
  // Named solutions start with a jump at the boundary, which a damped or L-stable scheme takes in its stride.
  const auto file = written(named("slab", 20, 0.01, "sdirk4", 0.4));
  const auto grid = converge(file, {"converge.vary=grid"});
  CHECK(grid.theory == 2);
  for (const auto& q : grid.quantities) {
    CAPTURE(q.name);
    if (q.study.trend == verify::Trend::exact) continue;
    CHECK(q.study.orders.back() == doctest::Approx(2).epsilon(0.05));
    CHECK(q.study.trend == verify::Trend::asymptotic);
  }
  const std::string smooth =
      "[grid]\nx = { from = 0, to = 1, cells = 16 }\n[equation]\nkind = \"diffusion\"\ndiffusivity = "
      "0.5\n[initial]\nvalue "
      "= 0\n[boundary]\nwest = { dirichlet = 0 }\neast = { flux = 0 }\n[time]\nuntil = 1\nscheme = "
      "\"crank-nicolson\"\nstep "
      "= 0.05\n[exact]\nvalue = \"exp(-t)*sin(2*x)+x*t\"\nmanufactured = true\n";
  for (const auto& [scheme, order] :
       {std::pair{"implicit-euler", 1.0}, {"crank-nicolson", 2.0}, {"bdf2", 2.0}}) {
    const std::string called = scheme;
    CAPTURE(called);
    // Errors of the step alone show in the changes from level to level: the grid's stay what they are.
    const auto in_time = converge(written(smooth.substr(0, smooth.find("[exact]"))),
                                  {std::string("time.scheme=") + scheme, "converge.vary=step",
                                   "initial.value=\"1+cos(3*x)\"", "time.step=0.01"});
    CHECK(in_time.theory == order);
    CHECK(in_time.quantities[1].study.orders.back() == doctest::Approx(order).epsilon(0.1));
  }
  const auto both = converge(written(smooth), {"converge.step_power=1"});
  CHECK(both.quantities[2].study.orders.back() == doctest::Approx(2).epsilon(0.05));
  CHECK(both.warnings.empty());
  // Refining both by the default power gives first order schemes their due as well.
  CHECK(converge(written(smooth), {"time.scheme=implicit-euler", "converge.levels=3"}).theory == 2);
}

TEST_CASE(
    "manufactured solutions: sources and boundaries of every kind are derived, in every coordinate system") {
  const std::string boundaries[] = {"{ dirichlet = 1 }",
                                    "{ flux = 1 }",
                                    "{ gradient = 1 }",
                                    "{ robin = { coefficient = \"2+t\", ambient = 0 } }",
                                    "{ robin = { coefficient = 3, ambient = 0 }, flux = \"1+t\" }",
                                    "\"insulated\""};
  for (const std::string form : {"cartesian", "cylindrical", "spherical"})
    for (const auto& boundary : boundaries) {
      CAPTURE(form);
      CAPTURE(boundary);
      const std::string axis = form == "cartesian" ? "x" : "r", low = form == "cartesian" ? "west" : "inner",
                        high = form == "cartesian" ? "east" : "outer";
      const std::string text = fmt::format(
          "[grid]\ncoordinates = \"{0}\"\n{1} = {{ from = 0.5, to = 1.5, cells = 16 }}\n[equation]\nkind = "
          "\"diffusion\"\ndiffusivity = \"1 + {1}^2/3\"\nstorage = \"2 + {1}\"\nreaction = "
          "\"-u*u\"\n[initial]\nvalue = "
          "0\n[boundary]\n{2} = {3}\n{4} = {{ dirichlet = 0 }}\n[time]\nuntil = 0.5\nscheme = "
          "\"crank-nicolson\"\nstep = "
          "0.02\n[exact]\nvalue = \"(1 + 0.3*sin(2*{1} + t))*exp(-t/2)\"\nmanufactured = "
          "true\n[converge]\nstep_power = "
          "1\nlevels = 3\n",
          form, axis, low, boundary, high);
      const auto result = converge(written(text), {});
      CHECK(result.quantities[2].name == "error maximum");
      CHECK(result.quantities[2].values.back() < 2e-3);
      CHECK(result.quantities[2].study.orders.back() == doctest::Approx(2).epsilon(0.06));
    }
}

TEST_CASE("a jump that lies on no face is called erratic") {
  const std::string text =
      "[grid]\nx = { from = 0, to = 1, cells = 20 }\n[equation]\nkind = \"diffusion\"\ndiffusivity = "
      "1\n[initial]\nvalue = "
      "\"x < 0.4137\"\n[boundary]\ndefault = \"insulated\"\n[time]\nuntil = 0.02\nscheme = "
      "\"crank-nicolson\"\nstep = "
      "0.001\ndamped_start = 2\n[[probe]]\nname = \"middle\"\nat = [0.5]\n[converge]\nlevels = 5\nvary = "
      "\"grid\"\n";
  const auto result = converge(written(text), {});
  CHECK_FALSE(result.warnings.empty());
  CHECK(result.warnings.front().find("erratic") != std::string::npos);
  CHECK(result.quantities[0].study.trend == verify::Trend::erratic);
  // On a face the same jump is no trouble.
  const auto on_face = converge(written(text), {"initial.value=\"x < 0.4\""});
  CHECK(on_face.quantities[1].study.orders.back() == doctest::Approx(2).epsilon(0.06));
}

TEST_CASE("an outline that moves between levels is said") {
  const std::string text =
      "[grid]\nx = { from = 0, to = 1, cells = 12 }\ny = { from = 0, to = 1, cells = 12 "
      "}\n[region.hole]\nwhere = "
      "\"(x-0.5)^2+(y-0.45)^2 < 0.07\"\nactive = false\n[equation]\nkind = \"diffusion\"\ndiffusivity = "
      "1\nsource = "
      "1\n[initial]\nvalue = 0\n[boundary]\ndefault = { dirichlet = 0 }\nhole = "
      "\"insulated\"\n[steady]\n[converge]\nlevels = "
      "3\n";
  const auto result = converge(written(text), {});
  CHECK(result.refined == "grid");
  CHECK_FALSE(result.warnings.empty());
  CHECK(result.warnings.front().find("the outline moves") != std::string::npos);
  CHECK(convergence_csv(result).find("level,unknowns,relative size") == 0);
}
