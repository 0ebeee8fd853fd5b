// Maps: values that are read when they are asked for.
#include "williwaw/store/maps.hpp"

#include <doctest/doctest.h>

#include <cmath>
#include <fstream>
#include <thread>

#include "support/folder.hpp"

using namespace williwaw;
using namespace williwaw::store;
using namespace williwaw::test;

namespace {

Real value_at(Index i, Index j, Index record) {
  return static_cast<Real>(i) + 1000 * static_cast<Real>(j) + 1e6 * static_cast<Real>(record);
}

// 300 x 700 cells at two times, more than is read at once.
std::filesystem::path written(const std::string& folder) {
  const Grid g(
      {Axis::uniform("x", 0, 3, 300, Unknowns::cells), Axis::uniform("y", 0, 7, 700, Unknowns::cells)});
  const auto file = fresh_folder(folder) / "fields.nc";
  FieldWriter writer(file, g, {"", "depth", {}, {}, {}, "", "", false});
  for (Index record = 0; record < 2; ++record) {
    Field field(g);
    for (Index j = 0; j < 700; ++j)
      for (Index i = 0; i < 300; ++i) field.at(i, j, 0) = value_at(i, j, record);
    writer.append(static_cast<Real>(record), field);
  }
  writer.finish();
  return file;
}

}  // namespace

TEST_CASE("values of a map are read where they are asked for, and no others") {
  const MapValues values(written("maps"), "depth");
  CHECK(values.shape() == std::vector<std::size_t>{2, 700, 300});
  CHECK(values.size() == 420000);
  const std::size_t at_first = values.count_read();
  CHECK(at_first > 0);
  CHECK(at_first <= 65536);
  // The last line of the second time.
  CHECK(values[419999] == value_at(299, 699, 1));
  CHECK(values[419700] == value_at(0, 699, 1));
  CHECK(values.count_read() > at_first);
  CHECK(values.count_read() <= 2 * 65536);
  std::size_t wrong = 0;
  for (std::size_t n = 0; n < values.size(); ++n) {
    const auto number = static_cast<Index>(n);
    wrong += values[n] != value_at(number % 300, number / 300 % 700, number / 210000);
  }
  CHECK(wrong == 0);
  CHECK(values.count_read() == values.size());
}

TEST_CASE("several threads may ask for the same values") {
  const MapValues values(written("maps"), "depth");
  std::vector<std::size_t> wrong(4, 0);
  {
    std::vector<std::jthread> threads;
    for (std::size_t t = 0; t < wrong.size(); ++t)
      threads.emplace_back([&values, &wrong, t] {
        for (std::size_t n = t; n < values.size(); n += 7) {
          const auto number = static_cast<Index>(n);
          wrong[t] += values[n] != value_at(number % 300, number / 300 % 700, number / 210000);
        }
      });
  }
  CHECK(wrong == std::vector<std::size_t>(4, 0));
}

TEST_CASE("a map of one time, in another unit") {
  const Map map = read_map(written("maps"), "depth");
  REQUIRE(map.axes.size() == 3);
  CHECK(map.axes[0].name == "time");
  CHECK(map.axes[1].size == 700);
  Map later = map.at_first(1);
  later.measured = [](Real v) { return 2 * v; };
  CHECK(later.axes.size() == 2);
  const std::array<Real, 2> centre{0.01 * 41.5, 0.01 * 20.5};  // y, x
  CHECK(later.nearest_to(centre) == 2 * value_at(20, 41, 1));
  const std::array<Real, 2> between{0.01 * 41.5, 0.01 * 20.75};
  CHECK(later.at(between, false) == doctest::Approx(2 * (value_at(20, 41, 1) + 0.25)).epsilon(1e-12));
  CHECK(map.at_first(0).nearest_to(centre) == value_at(20, 41, 0));
}

TEST_CASE("what is said of values that are not there, or no longer") {
  const auto file = written("maps");
  CHECK_THROWS_WITH_AS(MapValues(file, "height"), doctest::Contains("has no variable 'height'"), StoreError);
  CHECK_THROWS_AS(MapValues("nowhere.nc", "depth"), StoreError);
  const MapValues values(file, "depth");
  CHECK(values[0] == 0);
  std::ofstream(file, std::ios::app) << "more";
  CHECK_THROWS_WITH_AS(values[419999], doctest::Contains("has changed since the case was read"), StoreError);
  std::filesystem::remove(file);
  CHECK_THROWS_WITH_AS(values[419999], doctest::Contains("is gone"), StoreError);
  CHECK(values[1] == 1);
}
