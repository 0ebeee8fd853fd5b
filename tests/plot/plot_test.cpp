#include <doctest/doctest.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <cstdlib>
#include <fstream>
#include <numeric>

#include "../src/plot/film_parts.hpp"
#include "../src/plot/kinds.hpp"
#include "support/folder.hpp"
#include "support/handed.hpp"
#include "support/marching.hpp"
#include "support/small_run.hpp"
#include "support/text.hpp"
#include "williwaw/plot/figure.hpp"
#include "williwaw/plot/theme.hpp"

using namespace williwaw;
using namespace williwaw::plot;
using test::small_run;

namespace {

// Width and height from a PNG's header, and whether the picture is more than its ground.
std::pair<int, int> size_of(const std::filesystem::path& file) {
  std::ifstream in(file, std::ios::binary);
  unsigned char h[24] = {};
  in.read(reinterpret_cast<char*>(h), sizeof h);
  CHECK(h[1] == 'P');
  const auto number = [&](int at) {
    return (h[at] << 24) | (h[at + 1] << 16) | (h[at + 2] << 8) | h[at + 3];
  };
  return {number(16), number(20)};
}

}  // namespace

namespace {

using Linear = std::array<Real, 3>;

Linear linear_of(const Colour& c) {
  const auto linear = [](Real v) { return v <= 0.04045 ? v / 12.92 : std::pow((v + 0.055) / 1.055, 2.4); };
  return {linear(c.red), linear(c.green), linear(c.blue)};
}

// Oklab (Ottosson, 2020).
Linear oklab_of(const Linear& c) {
  const Real l = std::cbrt(0.4122214708 * c[0] + 0.5363325363 * c[1] + 0.0514459929 * c[2]);
  const Real m = std::cbrt(0.2119034982 * c[0] + 0.6806995451 * c[1] + 0.1073969566 * c[2]);
  const Real s = std::cbrt(0.0883024619 * c[0] + 0.2817188376 * c[1] + 0.6299787005 * c[2]);
  return {0.2104542553 * l + 0.7936177850 * m - 0.0040720468 * s,
          1.9779984951 * l - 2.4285922050 * m + 0.4505937099 * s,
          0.0259040371 * l + 0.7827717662 * m - 0.8086757660 * s};
}

// As somebody sees it to whom one kind of cones is missing (Machado, Oliveira and Fernandes, 2009).
using Sight = std::array<std::array<Real, 3>, 3>;
const std::vector<std::pair<const char*, Sight>> sights{
    {"all cones", {{{1, 0, 0}, {0, 1, 0}, {0, 0, 1}}}},
    {"protanopia",
     {{{0.152286, 1.052583, -0.204868}, {0.114503, 0.786281, 0.099216}, {-0.003882, -0.048116, 1.051998}}}},
    {"deuteranopia",
     {{{0.367322, 0.860646, -0.227968}, {0.280085, 0.672501, 0.047413}, {-0.011820, 0.042940, 0.968881}}}},
    {"tritanopia",
     {{{1.255528, -0.076749, -0.178779}, {-0.078411, 0.930809, 0.147602}, {0.004733, 0.691367, 0.303900}}}}};

Linear seen(const Sight& sight, const Colour& colour) {
  const Linear c = linear_of(colour);
  Linear result{};
  for (std::size_t i = 0; i < 3; ++i)
    result[i] = std::clamp(sight[i][0] * c[0] + sight[i][1] * c[1] + sight[i][2] * c[2], 0.0, 1.0);
  return oklab_of(result);
}

Real distance(const Linear& a, const Linear& b) {
  return std::hypot(a[0] - b[0], a[1] - b[1], a[2] - b[2]);
}

}  // namespace

TEST_CASE("lightness of the sequential map rises evenly, and no colour is clipped") {
  const Real from = lightness(sequential(0)), to = lightness(sequential(1));
  CHECK(to - from > 0.65);
  for (int n = 0; n <= 100; ++n) {
    const Real s = n / 100.0;
    CHECK(lightness(sequential(s)) == doctest::Approx(from + s * (to - from)).epsilon(0.002));
  }
}

TEST_CASE("steps of the sequential map are alike for every reader, with all kinds of cones or without one") {
  constexpr int steps = 16;
  for (const auto& reader : sights) {
    const Sight& sight = reader.second;
    const std::string name = reader.first;
    CAPTURE(name);
    Real least = 1, most = 0;
    std::vector<Linear> colours;
    for (int n = 0; n <= steps; ++n) colours.push_back(seen(sight, sequential(n / Real(steps))));
    for (int n = 0; n < steps; ++n) {
      const Real step = distance(colours[n], colours[n + 1]);
      least = std::min(least, step);
      most = std::max(most, step);
      CHECK(colours[n + 1][0] > colours[n][0] + 0.03);
    }
    CHECK(most < (name == "all cones" ? 1.2 : 1.6) * least);
    // No two of nine bands look alike.
    for (int a = 0; a <= steps; a += 2)
      for (int b = a + 2; b <= steps; b += 2) CHECK(distance(colours[a], colours[b]) > 0.06);
  }
}

TEST_CASE("both arms of the diverging map are told apart by every reader") {
  for (const auto& reader : sights) {
    const Sight& sight = reader.second;
    const std::string name = reader.first;
    CAPTURE(name);
    for (const Real size : {0.2, 0.35, 0.5})
      CHECK(distance(seen(sight, diverging(0.5 - size)), seen(sight, diverging(0.5 + size))) > 0.3 * size);
  }
}

TEST_CASE("the diverging map is palest in the middle and as dark below as above") {
  for (int n = 0; n < 50; ++n) {
    const Real s = n / 100.0;
    CHECK(lightness(diverging(s)) == doctest::Approx(lightness(diverging(1 - s))).epsilon(0.02));
    CHECK(lightness(diverging(s)) < lightness(diverging(s + 0.01)));
  }
  CHECK(lightness(diverging(0.5)) > 0.95);
  // Below is bluer, above is redder.
  CHECK(diverging(0.1).blue > diverging(0.1).red);
  CHECK(diverging(0.9).red > diverging(0.9).blue);
}

TEST_CASE("curves go from dark to light and the last one is accented") {
  CHECK(curve(5, 6).hex() == accent().hex());
  for (Index n = 1; n < 5; ++n) CHECK(lightness(curve(n, 6)) > lightness(curve(n - 1, 6)));
  CHECK(sequential(0).hex().size() == 7);
}

TEST_CASE("units are written as people write them") {
  CHECK(pretty_unit("W/m^2") == "W/m²");
  CHECK(pretty_unit("degC") == "°C");
  CHECK(pretty_unit("kg m^-3") == "kg m⁻³");
  CHECK(label("temperature", "degC") == "temperature [°C]");
  CHECK(label("share", "") == "share");
}

TEST_CASE("every kind of figure is drawn at the size asked for, in every rank it has" *
          doctest::skip(test::instrumented)) {
  for (const int dimension : {1, 2, 3})
    for (const Unknowns unknowns : {Unknowns::cells, Unknowns::nodes}) {
      const RunFolder run(small_run("kinds", dimension, unknowns));
      for (const auto& kind : figure_kinds()) {
        CAPTURE(kind.name);
        // A probe's spectrum belongs to waves, which studies draw; films are no single pictures.
        if (kind.name == "spectrum" || kind.name == "film") continue;
        casefile::FigureRequest r;
        r.kind = kind.name;
        if (dimension > 1) r.along = {Point{0, 0.2, 0.1}, Point{1, 0.2, 0.1}};
        if (dimension > 2) {
          r.at = Point{0, 0, 0.2};
          r.at_axis = 2;
        }
        const bool plane = kind.name == "map" || kind.name == "contours" || kind.name == "strip";
        const bool block = kind.name == "slices" || kind.name == "outer-faces";
        // Residuals, boundaries and flows belong to runs that have them; cases draw those.
        if ((plane && dimension == 1) || (block && dimension < 3) || kind.name == "residuals" ||
            kind.name == "boundary" || kind.name == "steps" || kind.name == "budget" ||
            kind.name == "arrows" || kind.name == "comparison" || kind.draw_case) {
          CHECK_THROWS_AS(draw(run, r), PlotError);
          continue;
        }
        Output out;
        out.width = 800;
        out.height = 500;
        const auto files = draw(run, r, "png", out);
        REQUIRE(files.size() == 1);
        CHECK(size_of(files[0]) == std::pair{800, 500});
        for (const auto& e : std::filesystem::directory_iterator(files[0].parent_path()))
          CHECK(e.path().extension() == ".png");
      }
    }
}

TEST_CASE("a map for each time asked for") {
  const RunFolder run(small_run("times", 2, Unknowns::cells));
  casefile::FigureRequest r;
  r.kind = "map";
  r.times = {0, 7200};
  CHECK(draw(run, r).size() == 2);
  CHECK(run.record_at(3500) == 1);
  CHECK(run.range().second == doctest::Approx(7));
}

TEST_CASE("what a figure needs and does not get is said") {
  const RunFolder run(small_run("lacks", 3, Unknowns::cells));
  casefile::FigureRequest r;
  for (const char* kind : {"map", "profiles", "spacetime", "mosaic"}) {
    r.kind = kind;
    CHECK_THROWS_AS(draw(run, r), PlotError);
  }
  r.kind = "series";
  r.of = "mast";
  CHECK_THROWS_WITH_AS(draw(run, r),
                       "the series has no column called 'mast'; it has pipe, minimum, mean, maximum, total, "
                       "budget residual, interpolated",
                       PlotError);
  CHECK_THROWS_AS(film(run, r, {"film.gif"}), PlotError);
}

namespace {

// How many hundredths of a second each frame of a gif is shown.
std::vector<int> times_in(const std::string& gif) {
  std::vector<int> result;
  const std::string mark = "\x21\xf9\x04";
  for (auto at = gif.find(mark); at != std::string::npos; at = gif.find(mark, at + 1))
    result.push_back(static_cast<unsigned char>(gif[at + 4]) + 256 * static_cast<unsigned char>(gif[at + 5]));
  return result;
}

// What ffprobe reads of a film.
std::string probed(const std::filesystem::path& file, const std::string& what) {
  const auto told = file.parent_path() / "probed";
  const std::string command = "ffprobe -v error -count_frames -select_streams v:0 -show_entries " + what +
                              " -of default=nk=1:nw=1 \"" + file.string() + "\" > \"" + told.string() + "\"";
  CHECK(std::system(command.c_str()) == 0);
  return test::text_of(told);
}

}  // namespace

TEST_CASE("a film is as long as it should be, with as many frames a second") {
  const auto folder = small_run("film length", 2, Unknowns::cells);
  const RunFolder run(folder);
  const auto records = run.fields().times().size();
  FigureRequest request;
  request.kind = "map";
  const auto filmed = [&](const FilmLength& length) {
    film(run, request, {folder / "film.gif", 300, 200}, length);
    return times_in(test::text_of(folder / "film.gif"));
  };
  const auto whole = [](const std::vector<int>& times) {
    return std::accumulate(times.begin(), times.end(), 0);
  };
  // No whole number of hundredths for each.
  const auto uneven = filmed({.seconds = 1.37});
  CHECK(uneven.size() == records);
  CHECK(whole(uneven) == 137);
  CHECK(*std::ranges::max_element(uneven) - *std::ranges::min_element(uneven) <= 1);
  CHECK(whole(filmed({})) == 1000);
  const auto slow = filmed({.frames_per_second = 4});
  CHECK(slow.size() == records);
  CHECK(whole(slow) == static_cast<int>(25 * records));
  const auto few = filmed({.seconds = 1, .frames_per_second = 2});
  CHECK(few == std::vector<int>{50, 50});
  // Nothing is shown shorter than 0.02 s.
  CHECK(filmed({.seconds = 0.04}).size() == 2);
  CHECK_THROWS_WITH_AS(film(run, request, {folder / "film.avi", 300, 200}),
                       "films are written as .gif or .mp4; '.avi' is neither", PlotError);
}

TEST_CASE("a film as mp4 is made by ffmpeg, and where there is none it says so") {
  const auto folder = small_run("film mp4", 2, Unknowns::cells);
  const RunFolder run(folder);
  FigureRequest request;
  request.kind = "map";
  const Output out{folder / "films" / "it's 100 % new.mp4", 301, 201};
  film(run, request, out, {.seconds = 1.5});
  CHECK(std::stod(probed(out.file, "format=duration")) == doctest::Approx(1.5).epsilon(0.02));
  CHECK(probed(out.file, "stream=width") == "302\n");
  CHECK(std::stoul(probed(out.file, "stream=nb_read_frames")) == run.fields().times().size());
  std::filesystem::remove(folder / "films" / "probed");
  // Nothing else is left.
  const std::filesystem::directory_iterator left(folder / "films");
  CHECK(std::distance(begin(left), end(left)) == 1);
  const std::string path = std::getenv("PATH");
  setenv("PATH", folder.c_str(), 1);
  CHECK_THROWS_WITH_AS(film(run, request, {folder / "none" / "film.mp4", 300, 200}),
                       doctest::Contains("ffmpeg is not installed (Debian: ffmpeg)"), PlotError);
  setenv("PATH", path.c_str(), 1);
  CHECK(std::filesystem::is_empty(folder / "none"));
}

TEST_CASE("all frames of a film have the range of the whole run") {
  const auto bytes = [](const std::filesystem::path& file) {
    std::ifstream in(file, std::ios::binary);
    return std::string(std::istreambuf_iterator<char>(in), {});
  };
  for (const int dimension : {1, 2}) {
    CAPTURE(dimension);
    const auto folder = small_run("film range", dimension, Unknowns::cells);
    const RunFolder run(folder);
    const auto filmed = [&](std::optional<std::pair<Real, Real>> range) {
      casefile::FigureRequest request;
      request.range = range;
      film(run, request, {folder / "film.gif", 400, 300});
      return bytes(folder / "film.gif");
    };
    // From the coldest of the first record to the warmest of the last; curves leave some room.
    const std::pair<Real, Real> all{0, 7};
    CHECK(run.range() == all);
    const std::string whole = filmed({});
    CHECK(whole == filmed(dimension == 1 ? padded(all) : all));
    CHECK(whole != filmed(std::pair<Real, Real>{0, 5}));
  }
}

TEST_CASE("a film drawn in parts at once is the same film, and nothing else is left") {
  constexpr int records = 47;
  for (const int dimension : {1, 2}) {
    CAPTURE(dimension);
    const auto folder = small_run("film parts", dimension, Unknowns::cells, records);
    const RunFolder run(folder);
    casefile::FigureRequest request;
    request.range = run.range();
    const auto draw_frame = [&](Gnuplot& plot, std::size_t frame, const Output& out) {
      if (dimension == 1)
        draw_profile_frame(plot, run, request, {static_cast<Index>(frame)}, false);
      else
        draw_map_frame(plot, run, request, static_cast<Index>(frame), out, false);
    };
    std::vector<std::string> films;
    for (const std::size_t most : {1, 3}) {
      const Output out{folder / "films" / "film.gif", 400, 300};
      FilmParts parts(out, records, 0.07 * static_cast<Real>(records), most);
      parts.each([&](Gnuplot& plot, std::size_t frame) { draw_frame(plot, frame, out); });
      parts.finish();
      films.push_back(test::text_of(out.file));
    }
    CHECK(films[0].size() > 10000);
    CHECK(films[0] == films[1]);
    const std::filesystem::directory_iterator left(folder / "films");
    CHECK(std::distance(begin(left), end(left)) == 1);
  }
  // A part that cannot be drawn is told in gnuplot's words, and its pieces are gone.
  const auto folder = test::fresh_folder("film parts failing");
  const Output out{folder / "film.gif", 400, 300};
  {
    FilmParts parts(out, 30, 2.1);
    parts.each(
        [](Gnuplot& plot, std::size_t frame) { plot.line(frame == 20 ? "plot nonsense" : "plot sin(x)"); });
    CHECK_THROWS_AS(parts.finish(), PlotError);
  }
  CHECK(std::filesystem::is_empty(folder));
}

TEST_CASE("a figure shows the unknown that it names, in that unknown's unit and range") {
  const auto folder = test::fresh_folder("pair-figures");
  const Grid g(
      {Axis::uniform("x", 0, 1, 8, Unknowns::cells), Axis::uniform("y", 0, 0.5, 6, Unknowns::cells)});
  store::Description about{"Pair", "water", {"m"}, {"h", 1 / 3600.0}, {"degC", 1, -273.15}, "", "test"};
  about.others = {{"salt", {"percent", 100}}};
  store::FieldWriter writer(folder / "fields.nc", g, about);
  for (const Real t : {0.0, 3600.0}) {
    std::vector<Field> fields(2, Field(g));
    for (Index n = 0; n < g.count(); ++n) {
      fields[0][n] = 280 + g.point_of(n).x;
      fields[1][n] = 0.02 + 0.01 * g.point_of(n).y;
    }
    for (Field& f : fields) f.extend();
    writer.append(t, fields);
  }
  writer.finish();
  const RunFolder run(folder);
  CHECK(RunFolder(folder, "salt").range().second == doctest::Approx(2 + 0.5 * 11 / 12));
  FigureRequest request;
  request.kind = "map";
  const auto first = draw(run, request, "svg");
  request.of = "salt";
  const auto second = draw(run, request, "svg");
  REQUIRE(first.size() == 1);
  REQUIRE(second.size() == 1);
  CHECK(first[0].filename() == "map.svg");
  CHECK(second[0].filename() == "map-salt.svg");
  const std::string water = test::text_of(first[0]), salt = test::text_of(second[0]);
  CHECK(water.find("water") != std::string::npos);
  CHECK(water.find("salt") == std::string::npos);
  CHECK(salt.find("salt") != std::string::npos);
  CHECK(salt.find("percent") != std::string::npos);
  Output film_of;
  film_of.file = folder / "film.gif";
  film_of.width = 400;
  film_of.height = 300;
  const test::Handed keeper("film-of-salt");
  film(run, request, film_of, {.seconds = 1});
  const auto frames = keeper.last().with("image");
  REQUIRE(frames.size() == 2);
  CHECK(frames[0].values.front() == doctest::Approx(2 + 1.0 / 24).epsilon(0.02));
}
