// Several unknowns in fields.nc, its exports and series.csv.
#include <doctest/doctest.h>

#include <cmath>

#include "support/folder.hpp"
#include "support/text.hpp"
#include "williwaw/store/export.hpp"
#include "williwaw/store/run_series.hpp"

using namespace williwaw;
using namespace williwaw::store;
using williwaw::test::fresh_folder;
using williwaw::test::text_of;

namespace {

Grid plane_of(Unknowns unknowns) {
  return Grid({Axis::uniform("x", 0, 1, 4, unknowns), Axis::uniform("y", 0, 2, 3, unknowns)});
}

// Rises from unknown to unknown, and beyond the east side, where it is known.
Field rising(const Grid& g, Real from, Real by) {
  Field f(g);
  for (Index n = 0; n < g.count(); ++n) f[n] = from + by * static_cast<Real>(n);
  f.extend();
  for (Index j = 0; j < g.size(1); ++j) f.at(g.size(0), j) = f.at(g.size(0) - 1, j) + by;
  return f;
}

Field water(const Grid& g, Real t) {
  return rising(g, 273.15 + t, 1);
}
Field salt(const Grid& g, Real t) {
  return rising(g, 0.01, 0.001 * (1 + t));
}
Field floes(const Grid& g, Real t) {
  return rising(g, -5 * t, 2);
}

// Water in degC, salt in percent and floes without a unit.
Description three() {
  Description d{"Three", "water", {"m", 1}, {"h", 1 / 3600.0}, {"degC", 1, -273.15}, "[grid]", "9"};
  d.others = {{"salt", {"percent", 100}}, {"floes"}};
  return d;
}

std::filesystem::path written(const std::filesystem::path& folder, const Grid& g) {
  FieldWriter w(folder / "fields.nc", g, three());
  for (const Real t : {0.0, 7200.0}) {
    const std::vector<Field> fields{water(g, t), salt(g, t), floes(g, t)};
    w.append(t, fields);
  }
  w.finish();
  return folder / "fields.nc";
}

}  // namespace

TEST_CASE("every unknown of a file is read by its name, in its own unit, sides included") {
  const auto folder = fresh_folder("several");
  for (const Unknowns u : {Unknowns::cells, Unknowns::nodes}) {
    const Grid g = plane_of(u);
    const auto file = written(folder, g);
    const FieldReader first(file), second(file, "salt"), third(file, "floes");
    CHECK(first.unknowns() == std::vector<std::string>{"water", "salt", "floes"});
    CHECK(second.unknowns() == first.unknowns());
    CHECK(first.description().unknown == "water");
    CHECK(first.description().others.at(1).name == "floes");
    CHECK(second.description().unknown == "salt");
    CHECK(second.description().value.unit == "percent");
    REQUIRE(second.description().others.size() == 2);
    CHECK(second.description().others[0].name == "water");
    CHECK(second.description().others[0].scale.offset == -273.15);
    CHECK(third.description().value.unit.empty());
    const Real t = 7200;
    const Field w = water(g, t), s = salt(g, t), f = floes(g, t);
    const Field of_first = first.field(1), of_second = second.field(1), of_third = third.field(1);
    for (Index n = 0; n < g.count(); ++n) {
      CHECK(of_first[n] == doctest::Approx(w[n] - 273.15));
      CHECK(of_second[n] == doctest::Approx(100 * s[n]));
      CHECK(of_third[n] == f[n]);
    }
    if (u == Unknowns::cells) {
      CHECK(of_second.at(4, 1) == doctest::Approx(100 * s.at(4, 1)));
      CHECK(of_third.at(4, 1) == doctest::Approx(f.at(4, 1)));
    }
    CHECK(second.range().second == doctest::Approx(100 * s[g.count() - 1]));
    CHECK_THROWS_WITH_AS(FieldReader(file, "ice"),
                         doctest::Contains("has no unknown 'ice'; it has 'water', 'salt', 'floes'"),
                         UnknownName);
  }
  FieldWriter w(folder / "fields.nc", plane_of(Unknowns::cells), three());
  CHECK_THROWS_WITH_AS(w.append(0, water(plane_of(Unknowns::cells), 0)), doctest::Contains("has 3 unknowns"),
                       StoreError);
}

TEST_CASE("exports hold a column, an array or a file for each unknown") {
  const auto folder = fresh_folder("several-exports");
  const Grid g = plane_of(Unknowns::cells);
  const FieldReader fields(written(folder, g));
  const std::string wide = text_of(export_csv(fields, {0, 1}, TableLayout::wide, folder / "wide").at(0));
  CHECK(wide.starts_with(
      "x [m],y [m],water at t = 0 h [degC],water at t = 2 h [degC],salt at t = 0 h [percent],"
      "salt at t = 2 h [percent],floes at t = 0 h,floes at t = 2 h\n"
      "0.125,0.3333333333,0,7200,1,1,0,-36000\n"));
  const std::string tall = text_of(export_csv(fields, {1}, TableLayout::tall, folder / "long").at(0));
  CHECK(tall.starts_with(
      "t [h],x [m],y [m],water [degC],salt [percent],floes\n2,0.125,0.3333333333,7200,1,-36000\n"
      "2,0.375,0.3333333333,7201,721.1,-35998\n"));
  const auto vtk = export_vtk(fields, {1}, folder / "vtk");
  REQUIRE(vtk.size() == 2);
  const std::string vtu = text_of(vtk[0]);
  for (const char* name : {"water", "salt", "floes"})
    CHECK(vtu.find("Name=\"" + std::string(name) + "\"") != std::string::npos);
  const auto npy = export_npy(fields, {0, 1}, folder / "npy");
  REQUIRE(npy.size() == 6);
  CHECK(npy[1].filename() == "salt.npy");
  CHECK(npy[3].filename() == "t.npy");
  CHECK(std::filesystem::file_size(npy[1]) == std::filesystem::file_size(npy[2]));
}

TEST_CASE("columns of several unknowns have roles by what stands behind the unknown's name") {
  const auto folder = fresh_folder("several-series");
  const auto write = [&](const std::vector<std::string>& headers) {
    std::vector<Column> columns;
    for (const auto& h : headers) columns.push_back({h, ""});
    SeriesWriter w(folder / "series.csv", columns);
    w.append(std::vector<std::optional<Real>>(headers.size(), 0.0));
    w.finish();
    return folder / "series.csv";
  };
  const std::vector<std::string> good{"t",
                                      "u: quay",
                                      "v: quay",
                                      "u: minimum",
                                      "u: mean",
                                      "u: maximum",
                                      "u: total",
                                      "v: minimum",
                                      "v: mean",
                                      "v: maximum",
                                      "v: total",
                                      "flow u west: flux",
                                      "v source",
                                      "amount u west: flux",
                                      "amount v source",
                                      "u: budget residual",
                                      "v: budget residual",
                                      "interpolated"};
  const RunSeries series(write(good));
  CHECK(series.all(SeriesRole::probe) == std::vector<std::size_t>{1, 2});
  CHECK(series.measures("maximum") == std::vector<std::size_t>{5, 9});
  CHECK(series.all(SeriesRole::content) == std::vector<std::size_t>{6, 10});
  CHECK(series.all(SeriesRole::budget_residual) == std::vector<std::size_t>{15, 16});
  REQUIRE(series.lines().size() == 2);
  CHECK(series.lines()[1].name == "v source");
  CHECK(series.lines()[1].amount == 14);
  CHECK(series.role(9) == SeriesRole::measure);
  auto bad = good;
  bad[9] = "u: maximum";
  CHECK_THROWS_WITH_AS(RunSeries(write(bad)),
                       doctest::Contains("column 'u: maximum', where a run's series has 'v: maximum'"),
                       StoreError);
  CHECK(reserved_in_series("u: total"));
  CHECK_FALSE(reserved_in_series("u: quay"));
}
