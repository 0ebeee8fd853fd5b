// What every kind of figure hands to the plotting program: numbers, axes, labels and ranges against fields
// that are known in closed form.
#include "support/handed.hpp"

#include <doctest/doctest.h>

#include <cmath>
#include <set>

#include "williwaw/plot/overlay.hpp"
#include "williwaw/study/run.hpp"

using namespace williwaw;
using namespace williwaw::plot;
using test::Handed;
using test::HandedDrawing;

namespace {

// Shown in degC, mm and h: linear in all coordinates and in time, so that interpolation is exact.
Real shown_at(Real x, Real y, Real z, Real hours) {
  return 3 + 0.02 * x - 0.05 * y + 0.01 * z + 2 * hours;
}

std::filesystem::path linear_run(int dimension) {
  const auto folder = test::fresh_folder("linear-" + std::to_string(dimension));
  std::vector<Axis> axes{Axis::uniform("x", 0, 0.4, 8, Unknowns::cells)};
  if (dimension > 1) axes.push_back(Axis::uniform("y", 0, 0.2, 5, Unknowns::cells));
  if (dimension > 2) axes.push_back(Axis::uniform("z", 0, 0.3, 6, Unknowns::cells));
  const Grid g(axes);
  store::FieldWriter fields(
      folder / "fields.nc", g,
      {"Linear", "temperature", {"mm", 1000}, {"h", 1 / 3600.0}, {"degC", 1, -273.15}, "", "test"});
  for (int n = 0; n < 4; ++n) {
    Field f(g);
    for (Index i = 0; i < g.count(); ++i) {
      const Point p = g.point_of(i);
      f[i] = 273.15 + shown_at(1000 * p.x, 1000 * p.y, 1000 * p.z, n);
    }
    f.extend();
    fields.append(3600.0 * n, f);
  }
  fields.finish();
  return folder;
}

casefile::FigureRequest figure_of(const std::string& kind, const std::string& of = "") {
  casefile::FigureRequest r;
  r.kind = kind;
  r.of = of;
  return r;
}

HandedDrawing handed(const RunFolder& run, const casefile::FigureRequest& r) {
  const Handed keeper(r.kind);
  draw(run, r);
  return keeper.last();
}

std::filesystem::path case_run(const std::string& name, const std::string& text) {
  const auto folder = test::fresh_folder(name);
  const casefile::Case c = casefile::read_case_text(text, folder / "case.toml");
  study::Prepared prepared = study::prepare(c);
  study::run_case(c, prepared, {folder / "out", {}});
  return folder / "out";
}

}  // namespace

TEST_CASE("profiles hand over every unknown of the records, axes in shown units, room above and below") {
  const RunFolder run(linear_run(1));
  auto r = figure_of("profiles");
  r.times = {0, 7200};
  const HandedDrawing d = handed(run, r);
  CHECK(d.has("set xlabel \"x [mm]\""));
  CHECK(d.has("set ylabel \"temperature [°C]\""));
  REQUIRE(d.numbers.size() == 2);
  CHECK(d.numbers[0].title == "t = 0 h");
  CHECK(d.numbers[1].title == "t = 2 h");
  for (const int n : {0, 1})
    for (std::size_t i = 1; i + 1 < d.numbers[n].rows; ++i)
      CHECK(d.numbers[n].at(i, 1) == doctest::Approx(shown_at(d.numbers[n].at(i, 0), 0, 0, 2 * n)));
  // Of what is drawn, not of the whole run.
  Real low = INFINITY, high = -INFINITY;
  for (const auto& curve : d.numbers)
    for (std::size_t i = 0; i < curve.rows; ++i) {
      low = std::min(low, curve.at(i, 1));
      high = std::max(high, curve.at(i, 1));
    }
  CHECK(high < run.range().second);
  CHECK(d.range("yrange").first < low);
  CHECK(d.range("yrange").second > high);
  CHECK(d.range("yrange").second < high + 0.2 * (high - low));
}

TEST_CASE("maps hand over rows from below, the value of each place, the range of what they show") {
  const RunFolder run(linear_run(2));
  auto r = figure_of("map");
  r.times = {3600};
  const HandedDrawing d = handed(run, r);
  const auto images = d.with("image");
  REQUIRE(images.size() == 1);
  const auto& v = images[0].values;
  // Eight cells to the right and five up, however many pixels stand for each.
  const std::string command = d.command("binary array=");
  const std::size_t columns = std::stoul(command.substr(command.find("array=(") + 7)),
                    rows = v.size() / columns;
  for (const std::size_t row : {std::size_t(0), rows - 1})
    for (const std::size_t column : {std::size_t(0), columns - 1}) {
      const Real x = column == 0 ? 25 : 375, y = row == 0 ? 20 : 180;
      CHECK(v[row * columns + column] == doctest::Approx(shown_at(x, y, 0, 1)));
    }
  CHECK(d.range("cbrange").first == doctest::Approx(*std::ranges::min_element(v)));
  CHECK(d.range("cbrange").second == doctest::Approx(*std::ranges::max_element(v)));
  CHECK(d.range("cbrange").second < run.range().second - 1);
  r.range = {-3, 77};
  CHECK(handed(run, r).range("cbrange") == std::pair<Real, Real>{-3, 77});
  CHECK(d.range("xrange") == std::pair<Real, Real>{0, 400});
  CHECK(d.has("set cblabel \"temperature [°C]\""));
  CHECK(d.has("t = 1 h"));
}

TEST_CASE("contour lines lie where the field has their values") {
  const RunFolder run(linear_run(2));
  auto r = figure_of("contours");
  r.times = {0};
  r.levels = 8;
  const HandedDrawing d = handed(run, r);
  const auto lines = d.with("vectors");
  REQUIRE(!lines.empty());
  // Between the outermost unknowns, beyond which the field goes on as it is there.
  const auto inside = [](Real x, Real y) { return x > 25 && x < 375 && y > 20 && y < 180; };
  std::set<long> levels;
  for (std::size_t i = 0; i < lines[0].rows; ++i) {
    const Real x = lines[0].at(i, 0), y = lines[0].at(i, 1), dx = lines[0].at(i, 2), dy = lines[0].at(i, 3);
    if (!inside(x, y) || !inside(x + dx, y + dy)) continue;
    const Real here = shown_at(x, y, 0, 0), there = shown_at(x + dx, y + dy, 0, 0);
    CHECK(here == doctest::Approx(there).epsilon(1e-6));
    levels.insert(std::lround(here * 1e4));
  }
  CHECK(levels.size() >= 3);
  // Labels stand on their lines.
  std::size_t labels = 0;
  for (const auto& l : d.commands) {
    if (!l.starts_with("set label") || l.find("boxed") == std::string::npos) continue;
    const std::size_t at = l.find(" at ") + 4;
    const Real x = std::stod(l.substr(at)), y = std::stod(l.substr(l.find(',', at) + 1));
    if (!inside(x, y)) continue;
    ++labels;
    CHECK(std::stod(l.substr(l.find('"') + 1)) == doctest::Approx(shown_at(x, y, 0, 0)).epsilon(0.01));
  }
  CHECK(labels >= 2);
}

TEST_CASE("surfaces rise to the value, slices and outer faces carry that of their place") {
  const RunFolder flat(linear_run(2)), block(linear_run(3));
  const HandedDrawing surface = handed(flat, figure_of("surface"));
  REQUIRE(surface.numbers.size() == 1);
  for (std::size_t i = 0; i < surface.numbers[0].rows; ++i) {
    const auto& n = surface.numbers[0];
    CHECK(n.at(i, 2) == n.at(i, 3));
    if (n.at(i, 0) > 30 && n.at(i, 0) < 370 && n.at(i, 1) > 25 && n.at(i, 1) < 175)
      CHECK(n.at(i, 2) == doctest::Approx(shown_at(n.at(i, 0), n.at(i, 1), 0, 3)).epsilon(1e-6));
  }
  for (const char* kind : {"slices", "outer-faces"}) {
    const HandedDrawing d = handed(block, figure_of(kind));
    CHECK(d.numbers.size() == (std::string(kind) == "slices" ? 3 : 6));
    for (const auto& sheet : d.numbers)
      for (std::size_t i = 0; i < sheet.rows; ++i) {
        const Real x = sheet.at(i, 0), y = sheet.at(i, 1), z = sheet.at(i, 2);
        if (x > 30 && x < 370 && y > 25 && y < 175 && z > 30 && z < 270)
          CHECK(sheet.at(i, 3) == doctest::Approx(shown_at(x, y, z, 3)).epsilon(1e-6));
        if (std::string(kind) == "outer-faces")
          CHECK((x == 0 || x == 400 || y == 0 || y == 200 || z == 0 || z == 300));
      }
  }
}

TEST_CASE("space-time pictures run to the right in space and up in time, a few records one by one") {
  const RunFolder run(linear_run(1));
  const HandedDrawing d = handed(run, figure_of("spacetime"));
  const auto images = d.with("image");
  REQUIRE(images.size() == 1);
  const std::string command = d.command("binary array=");
  const std::size_t columns = std::stoul(command.substr(command.find("array=(") + 7)),
                    rows = images[0].values.size() / columns;
  for (std::size_t row = 0; row < rows; row += 5)
    for (std::size_t column = columns / 8; column < columns - columns / 8; column += 37) {
      const Real x = 400 * (static_cast<Real>(column) + 0.5) / static_cast<Real>(columns),
                 t = 3 * (static_cast<Real>(row) + 0.5) / static_cast<Real>(rows);
      CHECK(images[0].values[row * columns + column] ==
            doctest::Approx(shown_at(x, 0, 0, std::round(t))).epsilon(1e-3));
    }
  CHECK(d.range("yrange") == std::pair<Real, Real>{0, 3});
}

TEST_CASE("a surface over one axis rises over space and time, and pictures in perspective turn as asked") {
  const RunFolder run(linear_run(1));
  const HandedDrawing d = handed(run, figure_of("surface"));
  REQUIRE(d.numbers.size() == 1);
  const auto& n = d.numbers[0];
  std::set<Real> times;
  for (std::size_t i = 0; i < n.rows; ++i) {
    times.insert(n.at(i, 1));
    if (n.at(i, 0) > 20 && n.at(i, 0) < 380)
      CHECK(n.at(i, 2) == doctest::Approx(shown_at(n.at(i, 0), 0, 0, n.at(i, 1))).epsilon(1e-6));
  }
  CHECK(times == std::set<Real>{0, 1, 2, 3});
  CHECK(d.has("set ylabel \"time [h]\""));
  auto r = figure_of("surface");
  r.view = {30, 50};
  CHECK(handed(run, r).has("set view 40,120"));
  // Nothing is known of the sides of this one: from the south-east and above.
  const RunFolder block(linear_run(3));
  CHECK(handed(block, figure_of("outer-faces")).has("set view 62,35"));
  r.kind = "outer-faces";
  r.view = {-90, -10};
  CHECK(handed(block, r).has("set view 100,0"));
}

TEST_CASE("films have a frame for each record, strips a panel, all with one range") {
  const RunFolder run(linear_run(2));
  const HandedDrawing strip = handed(run, figure_of("strip"));
  CHECK(strip.with("image").size() == 4);
  CHECK(strip.count("unset colorbox") == 3);
  CHECK(strip.count("set cbrange") == 4);
  const Handed keeper("film");
  Output out;
  out.file = test::fresh_folder("film") / "film.gif";
  film(run, figure_of("map"), out, {.seconds = 2});
  const HandedDrawing frames = keeper.last();
  REQUIRE(frames.with("image").size() == 4);
  CHECK(frames.with("image")[3].values[0] - frames.with("image")[0].values[0] == doctest::Approx(6));
  for (const auto& command : frames.commands)
    if (command.starts_with("set cbrange")) CHECK(command == frames.command("set cbrange"));
}

namespace {

const char* const slab = R"case(
title = "Slab"
[grid]
x = { from = "0 m", to = "2 m", cells = 20 }
y = { from = "0 m", to = "1 m", cells = 10 }
[equation]
kind = "heat"
conductivity = "3 W/m/K"
density = "1000 kg/m^3"
heat_capacity = "1000 J/kg/K"
[initial]
value = "0 degC"
[boundary]
west = { dirichlet = "10 degC" }
east = { dirichlet = "0 degC" }
default = "insulated"
)case";

}  // namespace

TEST_CASE("steady figures: residuals fall to the tolerance, boundaries show conductivity times gradient") {
  const RunFolder run(case_run("slab", std::string(slab) + "[steady]\nsolver = \"cg\"\n"));
  const HandedDrawing residuals = handed(run, figure_of("residuals"));
  REQUIRE(residuals.numbers.size() == 1);
  CHECK(residuals.numbers[0].at(0, 0) == 0);
  CHECK(residuals.numbers[0].at(residuals.numbers[0].rows - 1, 1) < 1e-10);
  CHECK(residuals.has("set logscale y"));
  // 10 K over 2 m through 3 W/m/K: 15 W/m² in through the west, out through the east.
  for (const auto& [side, flux] : {std::pair{"west", 15.0}, {"east", -15.0}}) {
    const HandedDrawing d = handed(run, figure_of("boundary", side));
    REQUIRE(d.numbers.size() == 1);
    CHECK(d.numbers[0].rows == 10);
    for (std::size_t i = 0; i < 10; ++i) {
      CHECK(d.numbers[0].at(i, 0) == doctest::Approx(0.05 + 0.1 * static_cast<Real>(i)));
      CHECK(d.numbers[0].at(i, 1) == doctest::Approx(flux));
    }
    CHECK(d.has("set ylabel \"flux into the domain [W/m²]\""));
  }
  const HandedDrawing budget = handed(run, figure_of("budget"));
  CHECK(budget.has("set label '15' at"));
  CHECK(budget.has("set label '-15' at"));
  CHECK(budget.has("\"west: dirichlet\""));
}

TEST_CASE("series and budgets of a run in time show its columns") {
  const RunFolder run(case_run(
      "slab-in-time",
      std::string(slab) +
          "[time]\nuntil = \"2 h\"\nscheme = \"rk45\"\nstep = { adaptive = 1e-4 }\n"
          "[record]\nseries = \"10 min\"\n[[probe]]\nname = \"near\"\nat = [\"0.2 m\", \"0.5 m\"]\n"));
  const auto& series = run.series();
  for (const auto& [of, names] : {std::pair<std::string, std::vector<std::string>>{"", {"near"}},
                                  {"mean", {"mean"}},
                                  {"flow",
                                   {"flow west: dirichlet", "flow east: dirichlet", "flow south: insulated",
                                    "flow north: insulated"}}}) {
    const HandedDrawing d = handed(run, figure_of("series", of));
    REQUIRE(d.numbers.size() == names.size());
    for (std::size_t n = 0; n < names.size(); ++n) {
      CHECK(d.numbers[n].title == names[n]);
      const auto& column = series.values(*series.table().find(names[n]));
      REQUIRE(d.numbers[n].rows == column.size());
      for (std::size_t i = 0; i < column.size(); ++i) CHECK(d.numbers[n].at(i, 1) == column[i]);
    }
    CHECK(d.range("xrange").second == doctest::Approx(2));
  }
  const HandedDrawing steps = handed(run, figure_of("steps"));
  const auto table = store::read_run_table(run.folder() / "steps.csv", store::step_headers);
  std::size_t handed_over = 0;
  for (const auto& n : steps.numbers) handed_over += n.rows;
  CHECK(handed_over == table.values[0].size());
  CHECK(steps.numbers[0].at(0, 1) == table.values[1][0]);
  const HandedDrawing budget = handed(run, figure_of("budget"));
  CHECK(budget.has("\"gained in all\""));
}

TEST_CASE("arrows point along the velocity") {
  const RunFolder run(case_run("carried", R"case(
title = "Carried"
[grid]
x = { from = 0, to = 2, cells = 20 }
y = { from = 0, to = 1, cells = 10 }
[equation]
kind = "transport"
velocity = [0.4, -0.3]
[initial]
value = "x"
[boundary]
default = "periodic"
[time]
until = 0.2
scheme = "ssprk3"
step = { courant = 0.4 }
)case"));
  const HandedDrawing d = handed(run, figure_of("arrows"));
  const auto vectors = d.with("vectors");
  REQUIRE(!vectors.empty());
  const auto& last = vectors.back();
  CHECK(last.rows > 20);
  for (std::size_t i = 0; i < last.rows; ++i) {
    CHECK(last.at(i, 2) > 0);
    CHECK(last.at(i, 3) / last.at(i, 2) == doctest::Approx(-0.75));
  }
}

namespace {

const char* const string_case = R"case(
title = "Line"
[grid]
unknowns = "nodes"
x = { from = 0, to = 1, nodes = 41 }
[equation]
kind = "wave"
speed = 1
[initial]
value = "sin(pi*x)"
[boundary]
default = "fixed"
[time]
until = 16
scheme = "leapfrog"
step = { courant = 0.5 }
[record]
every = 4
series = 0.05
[[probe]]
name = "middle"
at = [0.5]
)case";

}  // namespace

TEST_CASE("a spectrum peaks at the frequency of the mode that was started") {
  const RunFolder run(case_run("string", string_case));
  const HandedDrawing d = handed(run, figure_of("spectrum"));
  REQUIRE(!d.numbers.empty());
  std::size_t peak = 0;
  for (std::size_t i = 0; i < d.numbers[0].rows; ++i)
    if (d.numbers[0].at(i, 1) > d.numbers[0].at(peak, 1)) peak = i;
  // One half of the speed over the length.
  CHECK(d.numbers[0].at(peak, 0) == doctest::Approx(0.5).epsilon(0.15));
  CHECK(d.numbers[0].title == "middle");
}

TEST_CASE("figures of the analysis: amplification and speeds as the scheme has them") {
  const auto folder = test::fresh_folder("analysed");
  const casefile::Case rod = casefile::read_case_text(R"case(
title = "Rod"
[grid]
x = { from = 0, to = 1, cells = 20 }
[equation]
kind = "diffusion"
diffusivity = 1
[initial]
value = "x"
[boundary]
default = { dirichlet = 0 }
[time]
until = 0.1
scheme = "explicit-euler"
step = { of_limit = 0.5 }
)case",
                                                      folder / "rod.toml");
  const study::Prepared prepared = study::prepare(rod);
  const Handed keeper("analysis");
  Output out;
  out.file = folder / "stability.png";
  figure_kind("stability").draw_case(rod, prepared, out);
  const HandedDrawing d = keeper.last();
  REQUIRE(!d.with("lines").empty());
  // The last curve is the amplification: 1 for the mode that does not decay.
  bool from_one = false;
  for (const auto& n : d.with("lines")) from_one = from_one || std::abs(n.at(0, 1) - 1) < 1e-12;
  CHECK(from_one);
  // All modes stand on the negative real axis, within the interval of explicit Euler.
  REQUIRE(!d.with("points").empty());
  for (const auto& n : d.with("points"))
    for (std::size_t i = 0; i < n.rows; ++i) {
      CHECK(n.at(i, 0) > -2);
      CHECK(n.at(i, 0) <= 0);
    }
  const casefile::Case line = casefile::read_case_text(string_case, folder / "line.toml");
  const study::Prepared wave = study::prepare(line);
  out.file = folder / "dispersion.png";
  figure_kind("dispersion").draw_case(line, wave, out);
  const HandedDrawing speeds = keeper.last();
  REQUIRE(!speeds.with("lines").empty());
  // Long waves run at the true speed, short ones are late.
  const auto crest = speeds.with("lines")[0];
  Real fastest = 0, slowest = 2;
  for (std::size_t i = 0; i < crest.rows; ++i) {
    fastest = std::max(fastest, crest.at(i, 1));
    slowest = std::min(slowest, crest.at(i, 1));
  }
  CHECK(fastest == doctest::Approx(1).epsilon(0.01));
  CHECK(slowest < 0.8);
}
