#include <doctest/doctest.h>

#include <cmath>
#include <fstream>

#include "support/folder.hpp"
#include "williwaw/store/fields.hpp"
#include "williwaw/store/series.hpp"

using namespace williwaw;
using namespace williwaw::store;

namespace {

Description celsius() {
  return {"A test", "temperature", {"cm", 100}, {"h", 1 / 3600.0}, {"degC", 1, -273.15}, "[grid]", "9"};
}

Field waves(const Grid& g) {
  Field f(g);
  for (Index n = 0; n < g.count(); ++n) {
    const Point p = g.point_of(n);
    f[n] = 280 + std::sin(5 * p.x) + p.y * p.z;
  }
  f.extend();
  return f;
}

}  // namespace

TEST_CASE("fields come back in the units shown, on the same grid, on cells, nodes and periodic axes") {
  const auto dir = test::fresh_folder("fields");
  for (const Unknowns u : {Unknowns::cells, Unknowns::nodes})
    for (const bool periodic : {false, true}) {
      const Grid g({Axis("x", {0, 0.1, 0.3, 0.4, 0.8}, u, periodic), Axis::uniform("y", 0, 0.2, 3, u),
                    Axis::uniform("z", 1, 2, 2, u)});
      const Field f = waves(g);
      {
        FieldWriter w(dir / "fields.nc", g, celsius());
        w.append(0, Field(g, 273.15));
        w.append(7200, f);
        CHECK_FALSE(std::filesystem::exists(dir / "fields.nc"));
        w.finish();
      }
      const FieldReader r(dir / "fields.nc");
      CHECK(r.description().unknown == "temperature");
      CHECK(r.description().case_text == "[grid]");
      CHECK(r.description().value.unit == "degC");
      REQUIRE(r.times().size() == 2);
      CHECK(r.times()[1] == doctest::Approx(2));
      CHECK(r.grid().dimension() == 3);
      CHECK(r.grid().axis(0).periodic() == periodic);
      CHECK(r.grid().axis(0).size() == g.axis(0).size());
      CHECK(r.grid().axis(2).to() == doctest::Approx(200));
      const Field back = r.field(1);
      for (Index n = 0; n < g.count(); ++n) CHECK(back[n] == doctest::Approx(f[n] - 273.15));
      CHECK(back.at(-1, 1, 0) == doctest::Approx(f.at(-1, 1, 0) - 273.15));
      CHECK(r.range().first == doctest::Approx(0).epsilon(1e-9));
      std::filesystem::remove(dir / "fields.nc");
    }
}

TEST_CASE("a file that is not finished never has its name") {
  const auto dir = test::fresh_folder("partial");
  { FieldWriter w(dir / "fields.nc", Grid({Axis::uniform("x", 0, 1, 3, Unknowns::cells)}), celsius()); }
  CHECK_FALSE(std::filesystem::exists(dir / "fields.nc"));
  { SeriesWriter w(dir / "series.csv", {{"t", "h"}}); }
  CHECK_FALSE(std::filesystem::exists(dir / "series.csv"));
}

TEST_CASE("series come back with their names and units, gaps included") {
  const auto dir = test::fresh_folder("series");
  SeriesWriter w(dir / "series.csv",
                 {{"t", "h"}, {"pipe", "degC"}, {"flow east: robin", "W/m^2"}, {"share", ""}});
  w.append({0.0, 18.0, std::nullopt, 1.0 / 3});
  w.append({1.5, -2.25, 1e-30, 1.0});
  w.finish();
  std::ifstream in(dir / "series.csv");
  std::string header;
  std::getline(in, header);
  CHECK(header == "t [h],pipe [degC],flow east: robin [W/m^2],share");
  std::getline(in, header);
  CHECK(header == "0,18,,0.3333333333");
  const Series s = read_series(dir / "series.csv");
  CHECK(s.columns[2].unit == "W/m^2");
  CHECK(s.columns[3].unit.empty());
  CHECK(s.values[1] == std::vector<Real>{18, -2.25});
  CHECK(std::isnan(s.values[2][0]));
  CHECK(s.find("pipe") == std::optional<std::size_t>(1));
  CHECK_FALSE(s.find("mast"));
}

TEST_CASE("fields with commas and quotation marks are quoted, and read back") {
  const auto dir = test::fresh_folder("quoted");
  SeriesWriter w(dir / "series.csv", {{"t", "h", 12}, {"a \"b\", c", "K", 3}});
  w.append({0.1, 1.23456});
  w.finish();
  const Series s = read_series(dir / "series.csv");
  CHECK(s.columns[1].name == "a \"b\", c");
  CHECK(s.columns[1].unit == "K");
  CHECK(s.values[1][0] == 1.23);
}

TEST_CASE("tables that cannot be read say where") {
  const auto dir = test::fresh_folder("broken");
  const auto written = [&](const std::string& text) {
    std::ofstream(dir / "t.csv") << text;
    return dir / "t.csv";
  };
  const std::string name = (dir / "t.csv").string();
  CHECK_THROWS_WITH_AS(read_series(written("t [h], u\n0, 1\n2\n")),
                       (name + ":3: 1 values, but the header has 2 columns").c_str(), StoreError);
  CHECK_THROWS_WITH_AS(read_series(written("t [h], u\n0, warm\n")),
                       (name + ":2: 'warm' is not a number").c_str(), StoreError);
  CHECK_THROWS_AS(read_series(dir / "none.csv"), StoreError);
  CHECK_THROWS_AS(FieldReader(dir / "none.nc"), StoreError);
  CHECK_THROWS_AS(FieldReader(written("not netcdf")), StoreError);
}
