#include "williwaw/store/export.hpp"

#include <doctest/doctest.h>

#include <cmath>
#include <cstring>

#include "support/folder.hpp"
#include "support/text.hpp"
#include "williwaw/store/series.hpp"

using namespace williwaw;
using namespace williwaw::store;
using williwaw::test::fresh_folder;
using williwaw::test::text_of;

namespace {

// Two records of 3 x 2 cells of which one is cut out; shown in cm, min and degC.
std::filesystem::path written(Unknowns unknowns) {
  const auto file = fresh_folder("export") / "fields.nc";
  const Grid g({Axis("x", {0, 0.01, 0.03, 0.06}, unknowns), Axis::uniform("y", 0, 0.02, 2, unknowns)});
  std::vector<Real> fractions(static_cast<std::size_t>(g.count()), 1.0);
  fractions[1] = 0;
  FieldWriter writer(file, g,
                     {"Two records",
                      "temperature",
                      {"cm", 100, 0},
                      {"min", 1.0 / 60, 0},
                      {"degC", 1, -273.15},
                      "",
                      "",
                      false},
                     fractions);
  for (const Real t : {0.0, 90.0}) {
    Field f(g);
    for (Index n = 0; n < g.count(); ++n) f[n] = 273.15 + static_cast<Real>(n) + t;
    f.extend();
    f.leave_out(std::vector<Index>{1});
    writer.append(t, f);
  }
  writer.finish();
  return file;
}

}  // namespace

TEST_CASE("places that are cut out come back as such, and count for nothing") {
  const FieldReader reader(written(Unknowns::cells));
  const Field f = reader.field(1);
  CHECK(f.is_left_out(1));
  CHECK(std::isnan(f[1]));
  CHECK_FALSE(f.is_left_out(0));
  CHECK(f.lowest() == doctest::Approx(90));
  CHECK(f.highest() == doctest::Approx(95));
  CHECK(reader.range().first == doctest::Approx(0));
  // Means are over what is left: widths 1, 2, 3 cm.
  CHECK(f.mean() == doctest::Approx((1 * 90 + 3 * 92 + 1 * 93 + 2 * 94 + 3 * 95) / 10.0));
  CHECK(f.norms().max == doctest::Approx(95));
  // Between a value and nothing there is the value.
  CHECK(f.sample({0.9, 0.5, 0}) == doctest::Approx(90));
  REQUIRE(reader.volume_fractions());
  CHECK((*reader.volume_fractions())[1] == 0);
  CHECK((*reader.volume_fractions())[4] == 1);
}

TEST_CASE("tables: a row for each place and time, or a column for each time") {
  const FieldReader reader(written(Unknowns::cells));
  const auto folder = fresh_folder("tables");
  export_csv(reader, {0, 1}, TableLayout::tall, folder);
  const Series tall = read_series(folder / "fields.csv");
  CHECK(tall.columns.size() == 4);
  CHECK(tall.columns[0].header() == "t [min]");
  CHECK(tall.columns[3].header() == "temperature [degC]");
  CHECK(tall.values[0].size() == 10);  // five places, two times
  CHECK(tall.values[1][1] == doctest::Approx(4.5));
  CHECK(tall.values[3][9] == doctest::Approx(95));
  export_csv(reader, {0, 1}, TableLayout::wide, folder);
  const Series wide = read_series(folder / "fields.csv");
  CHECK(wide.columns[2].header() == "temperature at t = 0 min [degC]");
  CHECK(wide.columns[3].header() == "temperature at t = 1.5 min [degC]");
  CHECK(wide.values[0].size() == 5);
  CHECK(wide.values[3][0] == doctest::Approx(90));
}

TEST_CASE("NumPy files: the header that the format wants, then the numbers") {
  const FieldReader reader(written(Unknowns::nodes));
  const auto folder = fresh_folder("npy");
  const auto files = export_npy(reader, {1}, folder);
  CHECK(files.size() == 4);
  const std::string bytes = text_of(folder / "temperature.npy");
  CHECK(bytes.substr(0, 8) == std::string("\x93NUMPY\x01\x00", 8));
  const std::size_t header =
      static_cast<unsigned char>(bytes[8]) + 256u * static_cast<unsigned char>(bytes[9]);
  CHECK((10 + header) % 64 == 0);
  CHECK(bytes.find("'shape': (1,3,4,)") != std::string::npos);
  CHECK(bytes.size() == 10 + header + 12 * 8);
  Real last = 0;
  std::memcpy(&last, bytes.data() + bytes.size() - 8, 8);
  CHECK(last == doctest::Approx(101));
}

TEST_CASE("VTK files: boxes of what is left, values of cells or of points") {
  for (const Unknowns u : {Unknowns::cells, Unknowns::nodes}) {
    const FieldReader reader(written(u));
    const auto folder = fresh_folder("vtk");
    const auto files = export_vtk(reader, {0, 1}, folder);
    CHECK(files.size() == 3);
    const std::string text = text_of(files[1]);
    // Of nodes every box with the missing corner is gone: two of them.
    CHECK(text.find(u == Unknowns::cells ? "NumberOfPoints=\"12\" NumberOfCells=\"5\""
                                         : "NumberOfPoints=\"12\" NumberOfCells=\"4\"") != std::string::npos);
    CHECK(text.find(u == Unknowns::cells ? "<CellData" : "<PointData") != std::string::npos);
    CHECK(text_of(folder / "temperature.pvd").find("timestep=\"1.5\" file=\"temperature-0001.vtu\"") !=
          std::string::npos);
  }
}

TEST_CASE("round coordinates survive a file") {
  const auto file = fresh_folder("round") / "fields.nc";
  const Grid g({Axis::radial(Coordinates::cylindrical, {0, 0.1, 0.3}, Unknowns::cells),
                Axis::uniform("z", 0, 1, 2, Unknowns::cells)});
  {
    FieldWriter writer(file, g, {"", "u", {}, {}, {}, "", "", true});
    writer.append(0, Field(g, 4.0));
    writer.finish();
  }
  const FieldReader reader(file);
  CHECK(reader.grid() == g);
  CHECK(reader.description().steady);
  CHECK_FALSE(reader.volume_fractions());
  CHECK(reader.field(0).mean() == doctest::Approx(4));
}
