// Pages with a player: what they hold, and what they leave out where all of it would be too much.
#include "williwaw/plot/page.hpp"

#include <doctest/doctest.h>

#include <algorithm>
#include <cmath>
#include <cstring>
#include <fstream>
#include <nlohmann/json.hpp>

#include "support/folder.hpp"
#include "support/small_run.hpp"
#include "support/text.hpp"
#include "williwaw/plot/figure.hpp"

using namespace williwaw;
using test::small_run;

namespace {

// RFC 4648, read backwards.
template <class Number>
std::vector<Number> decoded(const nlohmann::json& text) {
  const std::string alphabet = "ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789+/";
  std::string bytes;
  unsigned collected = 0;
  int bits = 0;
  for (const char c : text.get<std::string>()) {
    if (c == '=') break;
    collected = (collected << 6) | static_cast<unsigned>(alphabet.find(c));
    bits += 6;
    if (bits < 8) continue;
    bits -= 8;
    bytes += static_cast<char>((collected >> bits) & 0xff);
  }
  std::vector<Number> result(bytes.size() / sizeof(Number));
  std::memcpy(result.data(), bytes.data(), result.size() * sizeof(Number));
  return result;
}

nlohmann::json data_in(const std::filesystem::path& page) {
  const std::string whole = test::text_of(page), begin = "id=\"data\">";
  const auto from = whole.find(begin) + begin.size();
  return nlohmann::json::parse(whole.substr(from, whole.find("</script>", from) - from));
}

struct OnPage {
  std::vector<Real> times;
  std::array<std::vector<Real>, 3> points, bounds;
  std::vector<float> values;

  std::size_t size(int a) const { return std::max<std::size_t>(points[a].size(), 1); }
  float at(std::size_t record, std::size_t i, std::size_t j, std::size_t k) const {
    return values[((record * size(2) + k) * size(1) + j) * size(0) + i];
  }
};

OnPage shown(const nlohmann::json& run, std::size_t quantity = 0) {
  OnPage result{decoded<Real>(run["times"]), {}, {}, decoded<float>(run["quantities"][quantity]["values"])};
  for (std::size_t a = 0; a < run["axes"].size(); ++a) {
    result.points[a] = decoded<Real>(run["axes"][a]["points"]);
    result.bounds[a] = decoded<Real>(run["axes"][a]["bounds"]);
  }
  return result;
}

std::filesystem::path large_run(Unknowns unknowns, Index across, Index up, int records) {
  const auto folder = test::fresh_folder("large");
  const Grid grid({Axis::uniform("x", 0, 2, across, unknowns), Axis::uniform("y", 0, 1, up, unknowns)});
  store::FieldWriter fields(folder / "fields.nc", grid,
                            {"Large", "dye", {"m"}, {"s"}, {"g/m^3"}, "", "test"});
  for (int n = 0; n < records; ++n) {
    Field f(grid);
    for (Index u = 0; u < f.size(); ++u) f[u] = std::sin(0.7 * static_cast<Real>(u * (n + 1)));
    f.extend();
    fields.append(n, f);
  }
  fields.finish();
  return folder;
}

}  // namespace

TEST_CASE("a page holds records, places and values of fields.nc") {
  for (const Unknowns unknowns : {Unknowns::cells, Unknowns::nodes})
    for (const int dimension : {1, 2, 3}) {
      CAPTURE(dimension);
      const bool cells = unknowns == Unknowns::cells;
      CAPTURE(cells);
      const auto folder = small_run("page", dimension, unknowns);
      const auto page = plot::write_page({folder}, folder / "view.html");
      CHECK(page.bytes == std::filesystem::file_size(folder / "view.html"));
      const auto all = data_in(folder / "view.html");
      REQUIRE(all["runs"].size() == 1);
      const auto& run = all["runs"][0];
      CHECK(run["quantities"][0]["name"] == "temperature");
      CHECK(run["quantities"][0]["unit"] == "°C");
      CHECK(run["quantities"][0]["signed"] == false);
      CHECK(run["timeUnit"] == "h");
      const OnPage s = shown(run);
      const store::FieldReader fields(folder / "fields.nc");
      CHECK(s.times == fields.times());
      const Grid& grid = fields.grid();
      // In 1-D boundaries stand at both ends of cells.
      const std::size_t before = dimension == 1 && cells ? 1 : 0;
      for (int a = 0; a < dimension; ++a) {
        const auto points = grid.axis(a).points();
        REQUIRE(s.points[a].size() == points.size() + 2 * before);
        CHECK(std::equal(points.begin(), points.end(),
                         s.points[a].begin() + static_cast<std::ptrdiff_t>(before)));
        CHECK(s.bounds[a].size() == s.points[a].size() + 1);
        CHECK(s.bounds[a].front() == grid.axis(a).from());
        CHECK(s.bounds[a].back() == grid.axis(a).to());
        for (std::size_t n = 0; n < s.points[a].size(); ++n) {
          CHECK(s.bounds[a][n] <= s.points[a][n]);
          CHECK(s.points[a][n] <= s.bounds[a][n + 1]);
        }
      }
      for (std::size_t r = 0; r < s.times.size(); ++r) {
        const Field field = fields.field(static_cast<Index>(r));
        for (Index u = 0; u < field.size(); ++u) {
          const auto at = grid.position(u);
          CHECK(s.at(r, static_cast<std::size_t>(at[0]) + before, static_cast<std::size_t>(at[1]),
                     static_cast<std::size_t>(at[2])) == static_cast<float>(field[u]));
        }
      }
      const auto& series = run["series"];
      const auto rows = decoded<Real>(series["rows"]);
      // The series has a clock of its own.
      CHECK(series["columns"][0]["unit"] == "h");
      REQUIRE(series["columns"].size() == 7);
      CHECK(series["columns"][1]["name"] == "pipe");
      REQUIRE(rows.size() == 21);
      CHECK(rows[14] == 2);
      CHECK(rows[15] == 1);
    }
}

TEST_CASE("a page stays below its size and says what it leaves out") {
  for (const Unknowns unknowns : {Unknowns::cells, Unknowns::nodes}) {
    const auto folder = large_run(unknowns, 300, 211, 7);
    const auto file = folder / "view.html";
    const auto whole = plot::write_page({folder}, file);
    CHECK(whole.notes[0].find("7 of 7 records, all") == 0);
    const std::uintmax_t most = 400'000;
    const auto page = plot::write_page({folder}, file, most);
    CHECK(page.bytes < most);
    // No more is left out than that asks for.
    CHECK(page.bytes > most / 4);
    CHECK(page.notes[0].find("7 of 7 records; places: ") == 0);
    CHECK(test::text_of(file).find(page.notes[0]) != std::string::npos);
    const OnPage s = shown(data_in(file)["runs"][0]);
    const store::FieldReader fields(folder / "fields.nc");
    const Grid& grid = fields.grid();
    REQUIRE(s.times.size() == 7);
    REQUIRE(s.values.size() == 7 * s.size(0) * s.size(1));
    CHECK(s.size(0) < 200);
    const Field field = fields.field(3);
    for (std::size_t j = 0; j < s.size(1); ++j)
      for (std::size_t i = 0; i < s.size(0); ++i)
        CHECK(s.at(3, i, j, 0) ==
              static_cast<float>(field[grid.containing(Point{s.points[0][i], s.points[1][j], 0})]));
    for (int a = 0; a < 2; ++a) {
      CHECK(s.bounds[a].front() == grid.axis(a).from());
      CHECK(s.bounds[a].back() == grid.axis(a).to());
      CHECK(std::ranges::is_sorted(s.bounds[a]));
    }
  }
  // Many records of few places: records go first, the first and the last stay.
  const auto folder = large_run(Unknowns::cells, 20, 20, 400);
  const auto page = plot::write_page({folder}, folder / "view.html", 400'000);
  CHECK(page.bytes < 400'000);
  CHECK(page.notes[0].find(" of 400 records, all 400 places") != std::string::npos);
  const OnPage s = shown(data_in(folder / "view.html")["runs"][0]);
  CHECK(s.times.size() >= 100);
  CHECK(s.times.size() < 400);
  CHECK(s.times.front() == 0);
  CHECK(s.times.back() == 399);
  CHECK_THROWS_WITH_AS(plot::write_page({folder}, folder / "view.html", 1000),
                       doctest::Contains("no room for a single record"), plot::PlotError);
}

TEST_CASE("several runs stand on one page by one clock and one unit of time") {
  const auto hours = small_run("hours", 1, Unknowns::cells), seconds = large_run(Unknowns::cells, 8, 6, 3);
  const auto file = test::fresh_folder("both") / "pages" / "view.html";
  const auto page = plot::write_page({hours, seconds}, file);
  REQUIRE(page.notes.size() == 2);
  const auto all = data_in(file);
  REQUIRE(all["runs"].size() == 2);
  CHECK(all["runs"][0]["name"] == "Small \"run\"");
  CHECK(all["runs"][1]["name"] == "Large");
  CHECK(all["runs"][1]["timeUnit"] == "h");
  const OnPage s = shown(all["runs"][1]);
  REQUIRE(s.times.size() == 3);
  CHECK(s.times[2] == doctest::Approx(2 / 3600.0));
  CHECK(all["runs"][1]["quantities"][0]["signed"] == true);
  // Alike in title: folders tell them apart.
  plot::write_page({hours, hours}, file);
  CHECK(data_in(file)["runs"][0]["name"] == hours.string());
  CHECK_THROWS_AS(plot::write_page({}, file), plot::PlotError);
  CHECK_THROWS_WITH_AS(plot::write_page({hours, hours / "none"}, file), doctest::Contains("none"),
                       store::StoreError);
}

TEST_CASE("a page brings figures and numbers, and nothing in them ends it early") {
  const auto folder = small_run("bring", 2, Unknowns::cells);
  std::filesystem::create_directories(folder / "figures");
  std::ofstream(folder / "figures" / "map.png", std::ios::binary) << "not looked into";
  std::ofstream(folder / "figures" / "wide.svg", std::ios::binary) << std::string(300'000, '<');
  std::ofstream(folder / "summary.json")
      << R"({"stability": {"verdict": "stable", "largest_step": {"value": 2.5, "unit": "m^2"},
                           "steps": {"value": 7, "unit": "1"}, "remark": "</script><!--"}, "warnings": {},
             "columns_of_series_csv": {"names": [
               {"name": "t", "kind": "time"}, {"name": "pipe", "kind": "probe"},
               {"name": "minimum", "kind": "extremum"}, {"name": "mean", "kind": "mean"},
               {"name": "maximum", "kind": "extremum"}, {"name": "total", "kind": "content"},
               {"name": "budget residual", "kind": "residual"}, {"name": "interpolated", "kind": "mark"}]}})";
  const auto page = plot::write_page({folder}, folder / "view.html", 600'000);
  CHECK(page.notes[0].find("without wide.svg") != std::string::npos);
  const std::string whole = test::text_of(folder / "view.html");
  std::size_t ends = 0;
  for (auto at = whole.find("</script>"); at != std::string::npos; at = whole.find("</script>", at + 1))
    ++ends;
  CHECK(ends == 2);
  const auto run = data_in(folder / "view.html")["runs"][0];
  REQUIRE(run["figures"].size() == 1);
  CHECK(run["figures"][0]["name"] == "map");
  CHECK(run["figures"][0]["source"] == "data:image/png;base64,bm90IGxvb2tlZCBpbnRv");
  REQUIRE(run["numbers"].size() == 1);
  CHECK(run["numbers"][0]["rows"] ==
        nlohmann::json::parse(R"([["verdict", "stable"], ["largest step", "2.5 m²"], ["steps", "7"],
                                    ["remark", "</script><!--"]])"));
  std::ofstream(folder / "summary.json") << "{ broken";
  CHECK_THROWS_WITH_AS(plot::write_page({folder}, folder / "view.html"), doctest::Contains("summary.json"),
                       store::StoreError);
  // An earlier page stays.
  CHECK(test::text_of(folder / "view.html") == whole);
}
