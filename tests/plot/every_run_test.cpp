// Every kind of figure on every kind of run, whole and damaged: a picture or a sentence, nothing else.
#include <doctest/doctest.h>

#include <algorithm>
#include <cmath>
#include <fstream>
#include <functional>
#include <set>
#include <sstream>

#include "support/folder.hpp"
#include "support/marching.hpp"
#include "williwaw/plot/overlay.hpp"
#include "williwaw/study/run.hpp"

using namespace williwaw;
using namespace williwaw::plot;

namespace {

std::string line_case(const std::string& more) {
  return "title = \"Line\"\n[grid]\nx = { from = 0, to = 1, cells = 24 }\n" + more;
}

const std::string plane_grid = R"case(title = "Plan"
[grid]
x = { from = "0 m", to = "2 m", cells = 10 }
y = { from = "0 m", to = "1 m", cells = 6 }
[boundary]
west = { dirichlet = "1 degC" }
default = "insulated"
[[probe]]
name = "mast"
at = ["1 m", "0.5 m"]
[initial]
value = "0 degC"
)case";

const std::string heat =
    "[equation]\nkind = \"heat\"\nconductivity = \"2 W/m/K\"\ndensity = \"1000 kg/m^3\"\n"
    "heat_capacity = \"1000 J/kg/K\"\n";

struct Kind {
  const char* name;
  std::string text;
};

// Small runs of every kind that there is.
const std::vector<Kind>& kinds_of_runs() {
  static const std::vector<Kind> kinds{
      {"diffusion on a line, two stages",
       line_case(
           "[boundary]\nwest = { dirichlet = 1 }\neast = { flux = 0.1 }\n[equation]\nkind = \"diffusion\"\n"
           "diffusivity = 1\nsource = 0.2\n[initial]\nvalue = 0\n[time]\nuntil = 0.02\nscheme = "
           "\"crank-nicolson\"\nstep = 0.001\n[record]\nevery = 0.01\n[[stage]]\ntitle = \"closed\"\n"
           "boundary.west = \"insulated\"\ntime.lasts = 0.02\n")},
      {"adaptive steps", line_case("[boundary]\nwest = { dirichlet = 1 }\neast = { dirichlet = 0 "
                                   "}\n[equation]\nkind = \"diffusion\"\n"
                                   "diffusivity = 1\n[initial]\nvalue = 0\n[time]\nuntil = 0.02\nscheme = "
                                   "\"sdirk4\"\nstep = { adaptive "
                                   "= 1e-3 }\n[record]\nevery = 0.01\n")},
      {"nothing flows",
       line_case("[boundary]\ndefault = \"insulated\"\n[equation]\nkind = \"diffusion\"\ndiffusivity = 1\n"
                 "[initial]\nvalue = 3\n[time]\nuntil = 0.02\nscheme = \"crank-nicolson\"\nstep = 0.01\n")},
      {"wave on a line",
       line_case(
           "[boundary]\nwest = \"fixed\"\neast = \"free\"\n[equation]\nkind = \"wave\"\nspeed = "
           "1\n[initial]\n"
           "value = \"sin(pi*x/2)\"\n[[probe]]\nname = \"buoy\"\nat = [0.5]\n[time]\nuntil = 2\nscheme = "
           "\"leapfrog\"\nstep = 0.02\n[record]\nevery = 1\nseries = 0.04\n")},
      {"conservation law on a line",
       line_case(
           "[boundary]\nwest = \"periodic\"\neast = \"periodic\"\n[equation]\nkind = \"conservation\"\nflux "
           "= "
           "\"u^2/2\"\n[initial]\nvalue = \"1 + 0.5*sin(2*pi*x)\"\n[time]\nuntil = 0.1\nscheme = \"ssprk3\"\n"
           "step = { courant = 0.5 }\n[space]\nreconstruction = \"van-leer\"\n[record]\nevery = 0.05\n")},
      {"heat on a plan",
       plane_grid + heat + "[time]\nuntil = \"1 h\"\nscheme = \"adi\"\nstep = \"10 min\"\n"},
      {"steady plan", plane_grid + heat + "[steady]\nsolver = \"cg\"\n"},
      {"transport on a plan",
       plane_grid +
           "[equation]\nkind = \"transport\"\nvelocity = [\"0.1 m/s\", \"0 m/s\"]\ndiffusivity = \"1e-3 "
           "m^2/s\"\nunknown = { name = \"tracer\", unit = \"degC\" }\n[boundary.east]\noutflow = { "
           "backflow = \"0 degC\" }\n[time]\nuntil = \"10 s\"\nscheme = \"ssprk3\"\nstep = { courant = "
           "0.5 }\n"},
      {"a block",
       "title = \"Block\"\n[grid]\nx = { from = 0, to = 1, cells = 5 }\ny = { from = 0, to = 1, cells = 4 "
       "}\nz = { "
       "from = 0, to = 1, cells = 3 }\n[boundary]\nbottom = { dirichlet = 1 }\ndefault = "
       "\"insulated\"\n[equation]\n"
       "kind = \"diffusion\"\ndiffusivity = 1\n[initial]\nvalue = 0\n[time]\nuntil = 0.1\nscheme = "
       "\"implicit-euler\"\nstep = 0.05\n"},
  };
  return kinds;
}

std::filesystem::path run_of(const Kind& kind) {
  const auto folder = test::fresh_folder("every-run");
  const casefile::Case c = casefile::read_case_text(kind.text, folder / "case.toml");
  study::Prepared prepared = study::prepare(c);
  study::run_case(c, prepared, {folder / "out", {}});
  return folder / "out";
}

casefile::FigureRequest request_for(const std::string& kind, const store::FieldReader& fields) {
  casefile::FigureRequest r;
  r.kind = kind;
  const Grid& g = fields.grid();
  if (kind == "comparison") r.of = fields.file().parent_path().string();
  if (kind == "boundary") r.of = g.side_name({0, false});
  if (g.dimension() == 3) {
    Point p;
    p.z = 0.5;
    r.at = p;
    r.at_axis = 2;
  }
  if (g.dimension() > 1 && (kind == "profiles" || kind == "spacetime"))
    r.along = {Point{0.1, 0.2, 0.5}, Point{0.9, 0.7, 0.5}};
  return r;
}

// "drawn", or the sentence that says why not. Any other exception passes on and fails the test.
std::string outcome_of(const std::filesystem::path& folder, const std::string& kind) {
  Output out;
  out.file = folder / "figures" / ("shot." + std::string(kind == "film" ? "gif" : "png"));
  out.width = 320;
  out.height = 200;
  std::filesystem::remove(out.file);
  try {
    const RunFolder run(folder);
    draw(run, request_for(kind, run.fields()), "png", out);
    CHECK(std::filesystem::file_size(out.file) > 500);
    return "drawn";
  } catch (const PlotError& e) {
    CHECK(std::string(e.what()).find("gnuplot") == std::string::npos);  // what was asked for was not drawable
    return e.what();
  } catch (const store::StoreError& e) {
    return e.what();
  } catch (const InputError& e) {
    return e.what();
  }
}

std::string text_of(const std::filesystem::path& file) {
  std::ifstream in(file, std::ios::binary);
  std::ostringstream all;
  all << in.rdbuf();
  return all.str();
}

void put(const std::filesystem::path& file, const std::string& given) {
  std::ofstream(file, std::ios::binary | std::ios::trunc) << given;
}

std::string first_lines(const std::string& given, int count) {
  std::size_t at = 0;
  while (count-- > 0 && at != std::string::npos) at = given.find('\n', at == 0 ? 0 : at + 1);
  return at == std::string::npos ? given : given.substr(0, at + 1);
}

struct Damage {
  const char* name;
  std::function<std::string(const std::string&)> of;
};

const std::vector<Damage> damages{
    {"empty", [](const std::string&) { return std::string(); }},
    {"header only", [](const std::string& given) { return first_lines(given, 1); }},
    {"one row", [](const std::string& given) { return first_lines(given, 2); }},
    {"cut within a row", [](const std::string& given) { return given.substr(0, given.size() - 5); }},
    {"not text", [](const std::string& given) { return std::string(given.size(), '\xff'); }},
};

}  // namespace

TEST_CASE("every kind of figure is drawn of every kind of run or refused with a sentence" *
          doctest::skip(test::instrumented)) {
  std::map<std::string, std::set<std::string>> drawn;
  for (const Kind& kind : kinds_of_runs()) {
    CAPTURE(std::string(kind.name));
    const auto folder = run_of(kind);
    for (const auto& figure : figure_kinds()) {
      CAPTURE(figure.name);
      const std::string said = outcome_of(folder, figure.name);
      if (said == "drawn") drawn[figure.name].insert(kind.name);
      CHECK(said.size() > 4);
    }
  }
  for (const auto& figure : figure_kinds()) {
    CAPTURE(figure.name);
    CHECK(drawn[figure.name].empty() == bool(figure.draw_case));
  }
  CHECK(drawn["series"].size() == kinds_of_runs().size() - 1);  // a steady state has one row
  // Nothing flows in a closed domain, through periodic sides and in a plan that has settled.
  CHECK(drawn["budget"].size() == kinds_of_runs().size() - 3);
  CHECK(drawn["residuals"] == std::set<std::string>{"steady plan"});
  CHECK(drawn["steps"] == std::set<std::string>{"adaptive steps"});
  CHECK(drawn["spectrum"] == std::set<std::string>{"wave on a line"});
  CHECK(drawn["slices"] == std::set<std::string>{"a block"});
}

TEST_CASE("damaged tables of a run end figures with a sentence, and leave those that need no table") {
  const std::map<std::string, std::string> reads{{"series.csv", "series"},
                                                 {"residuals.csv", "residuals"},
                                                 {"steps.csv", "steps"},
                                                 {"spectrum.csv", "spectrum"},
                                                 {"modes.csv", "spectrum"}};
  std::set<std::string> met;
  for (const Kind& kind : kinds_of_runs()) {
    const auto folder = run_of(kind);
    for (const auto& read : reads) {
      const std::string file = read.first, figure = read.second;
      if (!std::filesystem::exists(folder / file)) continue;
      met.insert(file);
      const std::string whole = text_of(folder / file);
      for (const Damage& damage : damages) {
        CAPTURE(std::string(kind.name));
        CAPTURE(file);
        CAPTURE(std::string(damage.name));
        put(folder / file, damage.of(whole));
        const std::string said = outcome_of(folder, figure);
        const bool enough = std::string(damage.name) == "one row" && file != "spectrum.csv";
        if (!enough && file != "steps.csv") CHECK(said.find(file) != std::string::npos);
        if (file == "series.csv") {
          for (const char* other : {"budget", "boundary"}) CHECK(outcome_of(folder, other).size() > 4);
          const bool on_a_line = kind.text.find("y = {") == std::string::npos;
          if (on_a_line) CHECK(outcome_of(folder, "profiles") == "drawn");
        }
      }
      // A column more is refused by name.
      std::istringstream lines(whole);
      std::string more;
      for (std::string line; std::getline(lines, line);)
        more += line + (more.empty() ? ",tide probe\n" : ",1\n");
      put(folder / file, more);
      if (file != "spectrum.csv")
        CHECK(outcome_of(folder, figure).find(file + ":1: column 'tide probe' is not one of") !=
              std::string::npos);
      put(folder / file, whole);
    }
  }
  CHECK(met.size() == reads.size());
}

TEST_CASE("fields that are damaged, cut off or hold no numbers end figures with a sentence") {
  const Kind& kind = kinds_of_runs()[5];
  const auto folder = run_of(kind);
  const std::string whole = text_of(folder / "fields.nc");
  for (const double fraction : {0.0, 0.1, 0.5, 0.9, 0.999}) {
    put(folder / "fields.nc",
        whole.substr(0, static_cast<std::size_t>(fraction * static_cast<double>(whole.size()))));
    CHECK(outcome_of(folder, "map").find("fields.nc") != std::string::npos);
  }
  std::filesystem::remove(folder / "fields.nc");
  CHECK(outcome_of(folder, "map").find("fields.nc") != std::string::npos);
  put(folder / "fields.nc", whole);
  CHECK(outcome_of(folder, "map") == "drawn");
  for (const Real value : {Real(NAN), Real(INFINITY), 1e308, 0.0}) {
    CAPTURE(value);
    const Grid g(
        {Axis::uniform("x", 0, 1, 6, Unknowns::cells), Axis::uniform("y", 0, 1, 5, Unknowns::cells)});
    Field f(g, 0);
    for (Index n = 0; n < g.count(); n += 2) f[n] = n % 4 == 0 ? value : -value;
    f.extend();
    store::FieldWriter writer(folder / "fields.nc", g,
                              {"Odd", "temperature", {"m"}, {"h", 1 / 3600.0}, {"K"}, "", ""});
    writer.append(0, f);
    writer.append(3600, f);
    writer.finish();
    for (const auto& figure : figure_kinds()) {
      CAPTURE(figure.name);
      CHECK(outcome_of(folder, figure.name).size() > 4);
    }
  }
}
