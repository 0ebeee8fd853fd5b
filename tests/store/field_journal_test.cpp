// Records that several ranks have written, each its own part: put together they are the very file that one
// process writes, whatever was cut and in how many sets.
#include "williwaw/store/field_journal.hpp"

#include <doctest/doctest.h>

#include <cmath>
#include <fstream>

#include "support/folder.hpp"
#include "support/text.hpp"
#include "williwaw/domain/decomposition.hpp"

using namespace williwaw;
using namespace williwaw::store;

namespace {

// Values that differ everywhere, of a field on any part of a grid, beyond its sides as well.
Field shape_on(const Grid& g, Real phase) {
  Field field(g);
  const std::array<Index, 3> depth{1, g.dimension() > 1 ? 1 : 0, g.dimension() > 2 ? 1 : 0};
  for (Index k = -depth[2]; k < g.size(2) + depth[2]; ++k)
    for (Index j = -depth[1]; j < g.size(1) + depth[1]; ++j)
      for (Index i = -1; i <= g.size(0); ++i) {
        const std::array<Index, 3> at{i, j, k};
        Real value = phase;
        for (int a = 0; a < g.dimension(); ++a) {
          const Index n = at[static_cast<std::size_t>(a)];
          const Axis& axis = g.axis(a);
          const Real there = n < 0              ? axis.points()[0] - 0.3
                             : n >= axis.size() ? axis.points()[axis.size() - 1] + 0.3
                                                : axis.points()[n];
          value += std::sin((a + 2) * there + phase);
        }
        field.at(i, j, k) = value;
      }
  field.set_knows_beyond(true);
  if (g.dimension() > 1) {
    std::vector<Index> left_out;
    for (Index n = 0; n < g.count(); ++n)
      if (std::abs(g.point_of(n)[0] - 0.4) < 0.1) left_out.push_back(n);
    field.leave_out(left_out);
  }
  return field;
}

std::vector<Real> velocity_on(const Grid& g) {
  std::vector<Real> result;
  for (int a = 0; a < g.dimension(); ++a)
    for (Index n = 0; n < g.count(); ++n)
      result.push_back(std::cos(g.point_of(n)[0] + 3 * g.point_of(n)[1] + a));
  return result;
}

Description of_two() {
  Description d;
  d.title = "two";
  d.unknown = "u";
  d.value = {"degC", 1, -273.15};
  d.others = {{"v", {"1", 2, 0}}};
  d.velocity = true;
  d.stages = {"later"};
  return d;
}

struct Cut {
  std::string name;
  Grid grid;
  std::vector<std::array<int, 3>> boxes;  ///< set after set
};

std::vector<Cut> cuts() {
  const Axis x = Axis::uniform("x", 0, 1, 7, Unknowns::cells),
             y = Axis::uniform("y", 0, 2, 11, Unknowns::cells),
             z = Axis::uniform("z", 0, 3, 9, Unknowns::cells);
  const Axis nx = Axis::uniform("x", 0, 1, 6, Unknowns::nodes),
             ny = Axis::uniform("y", 0, 2, 11, Unknowns::nodes, true),
             nz = Axis::uniform("z", 0, 3, 9, Unknowns::nodes);
  return {{"cells of a plane", Grid({x, y}), {{1, 1, 1}, {1, 3, 1}, {1, 2, 1}}},
          {"cells of a block", Grid({x, y, z}), {{1, 2, 2}, {1, 1, 3}}},
          {"nodes of a plane around a seam", Grid({nx, ny}), {{1, 2, 1}, {1, 1, 1}}},
          {"nodes of a block around a seam", Grid({nx, ny, nz}), {{1, 2, 2}}}};
}

}  // namespace

TEST_CASE("records of ranks in their own journals make up the file of one process, set after set") {
  for (const Cut& cut : cuts()) {
    CAPTURE(cut.name);
    const auto folder = test::fresh_folder("field_journal");
    const RecordShape shape{cut.grid, 2, true};
    const FieldJournals journals(folder);
    FieldWriter whole(folder / "whole.nc", cut.grid, of_two());
    std::vector<std::size_t> rows;
    for (std::size_t set = 0; set < cut.boxes.size(); ++set) {
      const Decomposition decomposition(cut.grid, cut.boxes[set], 1);
      rows.push_back(2);
      const auto records = [&](const Grid& g, const auto& append) {
        for (int n = 0; n < 2; ++n) {
          const Real time = 2.0 * static_cast<Real>(set) + n;
          append(time, static_cast<int>(set > 0), std::vector{shape_on(g, time), shape_on(g, 0.5 - time)},
                 velocity_on(g));
        }
      };
      for (int rank = 0; rank < decomposition.count(); ++rank) {
        const Grid part = decomposition.part(cut.grid, rank);
        FieldJournal own(journals.file(set, rank), shape, own_ranges(part));
        records(part, [&](auto&&... of) { own.append(of...); });
        own.flush();
        CHECK(FieldJournal::is_of(journals.file(set, rank), own_ranges(part)));
      }
      CHECK(journals.of_set(set).size() == static_cast<std::size_t>(decomposition.count()));
      records(cut.grid, [&](Real time, int stage, const std::vector<Field>& fields, const auto& velocity) {
        whole.append(time, fields, stage, velocity);
      });
    }
    whole.finish();
    CHECK(journals.whole_rows(shape) == rows);
    FieldWriter joined(folder / "joined.nc", cut.grid, of_two());
    journals.each(shape, rows, [&](RecordSource& record) { joined.append(record); });
    joined.finish();
    CHECK(test::text_of(folder / "joined.nc") == test::text_of(folder / "whole.nc"));

    // Cut back to fewer rows, what follows is gone; and what is damaged or missing is told.
    rows.resize(1);
    rows.front() = 1;
    journals.cut_back(shape, rows);
    CHECK(journals.whole_rows(shape) == rows);
    const auto none = [](RecordSource&) {};
    if (const auto files = journals.of_set(0); files.size() > 1) {
      std::fstream file(files.back(), std::ios::in | std::ios::out | std::ios::binary);
      file.seekp(100);
      file.put('x');
      file.close();
      CHECK_THROWS_WITH_AS(journals.each(shape, rows, none), doctest::Contains("damaged at record 1 of 1"),
                           StoreError);
      CHECK(journals.whole_rows(shape) == std::vector<std::size_t>{0});
      std::filesystem::remove(files.back());
      CHECK_THROWS_WITH_AS(journals.each(shape, rows, none), doctest::Contains("of the grid's"), StoreError);
    }
    journals.remove();
    CHECK_FALSE(journals.exist());
  }
}
