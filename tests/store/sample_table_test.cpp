#include "williwaw/store/sample_table.hpp"

#include <doctest/doctest.h>

#include <cmath>

#include "support/folder.hpp"

using namespace williwaw;
using namespace williwaw::store;

TEST_CASE("values at places after a run are linear between unknowns, in shown units") {
  const auto file = test::fresh_folder("table") / "fields.nc";
  const Grid grid(
      {Axis::uniform("x", 0, 400, 40, Unknowns::nodes), Axis::uniform("y", 0, 200, 20, Unknowns::nodes)});
  {
    Description d{"Table", "dye", {"km", 1e-3}, {"h", 1 / 3600.0}, {"g/m^3"}, "", "test"};
    d.others = {{"salt", {"kg/m^3"}}};
    FieldWriter writer(file, grid, d);
    for (int n = 0; n < 3; ++n) {
      Field dye(grid), salt(grid);
      for (Index u = 0; u < dye.size(); ++u) {
        const Point p = grid.point_of(u);
        dye[u] = n + 0.01 * p.x - 0.03 * p.y;
        salt[u] = 35;
      }
      const std::vector<Index> gone{grid.number(20, 10, 0)};
      dye.leave_out(gone);
      for (Field* f : {&dye, &salt}) f->extend();
      const std::vector<Field> both{dye, salt};
      writer.append(7200.0 * n, both);
    }
    writer.finish();
  }
  const std::vector<Point> places{{0.1234, 0.0567, 0}, {0.4, 0, 0}, {0.2, 0.1, 0}};
  const Series table = sample_table(file, {"dye"}, places, {0, 2});
  REQUIRE(table.columns.size() == 4);
  CHECK(table.columns[0].header() == "t [h]");
  CHECK(table.columns[2].header() == "y [km]");
  CHECK(table.columns[3].header() == "dye [g/m^3]");
  CHECK(table.values[0] == std::vector<Real>{0, 0, 0, 4, 4, 4});
  CHECK(table.values[1] == std::vector<Real>{0.1234, 0.4, 0.2, 0.1234, 0.4, 0.2});
  CHECK(table.values[3][0] == doctest::Approx(1.234 - 1.701));
  CHECK(table.values[3][1] == doctest::Approx(4));
  CHECK(table.values[3][3] == doctest::Approx(2 + 1.234 - 1.701));
  CHECK(std::isnan(table.values[3][2]));

  const Series along = sample_table(file, {}, {{0.1, 0, 0}, {0.13, 0.04, 0}}, {1}, true);
  REQUIRE(along.columns.size() == 6);
  CHECK(along.columns[1].header() == "distance [km]");
  CHECK(along.values[1][0] == 0);
  CHECK(along.values[1][1] == doctest::Approx(0.05));
  CHECK(along.columns[5].name == "salt");
  CHECK(along.values[5] == std::vector<Real>{35, 35});
  CHECK_THROWS_AS(sample_table(file, {"sand"}, places, {0}), UnknownName);
  CHECK_THROWS_AS(sample_table(file, {"dye"}, {{0.5, 0, 0}}, {0}), InputError);
}
