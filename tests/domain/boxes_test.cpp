// Parts of grids, the boxes of ranks, what they exchange and what they sum up to.
#include <doctest/doctest.h>

#include <cmath>
#include <random>

#include "domain/lines.hpp"
#include "support/ranks.hpp"
#include "williwaw/domain/rank_model.hpp"

using namespace williwaw;
using namespace williwaw::test;

namespace {

Axis uneven(const char* name, Index intervals, Unknowns unknowns) {
  std::vector<Real> faces;
  for (Index i = 0; i <= intervals; ++i)
    faces.push_back(0.1 * static_cast<Real>(i) + 0.004 * std::sin(static_cast<Real>(i)));
  return Axis(name, faces, unknowns);
}

bool same(std::span<const Real> part, std::span<const Real> whole, Index first) {
  return std::ranges::equal(part, whole.subspan(static_cast<std::size_t>(first), part.size()));
}

Grid block(Unknowns unknowns) {
  return Grid({uneven("x", 5, unknowns), uneven("y", 11, unknowns), uneven("z", 9, unknowns)});
}

}  // namespace

TEST_CASE("a part of an axis has the numbers of the whole one, whichever its unknowns are") {
  for (const Unknowns unknowns : {Unknowns::cells, Unknowns::nodes}) {
    const Axis whole = uneven("y", 12, unknowns);
    const Axis part = whole.part({3, 9, 4, 8});
    const bool nodes = unknowns == Unknowns::nodes;
    CHECK(part.is_part());
    CHECK(part.size() == (nodes ? 7 : 6));
    CHECK(part.first() == 3);
    CHECK(part.own_first() == 1);
    CHECK(part.own_end() == 5);
    CHECK(same(part.points(), whole.points(), 3));
    CHECK(same(part.widths(), whole.widths(), 3));
    CHECK(same(part.gaps(), whole.gaps(), 3));
    CHECK(same(part.bounds(), whole.bounds(), 3));
    CHECK_FALSE(part.ends(false));
    CHECK_FALSE(part.ends(true));
    // The last box has the last node too.
    const Axis last = whole.part({7, 12, 8, 12});
    CHECK(last.ends(true));
    CHECK(last.own_end() == last.size());
    const Axis turned = part.with(nodes ? Unknowns::cells : Unknowns::nodes);
    CHECK(turned.is_part());
    CHECK(same(turned.points(), whole.with(turned.unknowns()).points(), 3));
    CHECK(turned.whole().size() == whole.with(turned.unknowns()).size());
  }
  const Axis shell = Axis::radial(Coordinates::cylindrical, {0, 0.1, 0.25, 0.4, 0.6, 0.9}, Unknowns::cells);
  const Axis part = shell.part({1, 5, 2, 4});
  CHECK(same(part.measures(), shell.measures(), 1));
  CHECK(same(part.resistances(), shell.resistances(), 1));
}

TEST_CASE("a part of a periodic axis reaches across the seam, which stays at its ends") {
  for (const Unknowns unknowns : {Unknowns::cells, Unknowns::nodes}) {
    std::vector<Real> faces;
    for (Index i = 0; i <= 20; ++i)
      faces.push_back(0.1 * static_cast<Real>(i) + 0.004 * std::sin(static_cast<Real>(i)));
    const Axis whole("y", faces, unknowns, true);
    for (const Axis::Extent& extent :
         {Axis::Extent{-2, 7, 0, 5}, Axis::Extent{3, 12, 5, 10}, Axis::Extent{12, 22, 14, 20}}) {
      CAPTURE(extent.own_first);
      const Axis part = whole.part(extent);
      CHECK(part.periodic());
      CHECK(part.own_end() - part.own_first() == extent.own_end - extent.own_first);
      CHECK(part.first() + part.own_first() == extent.own_first);
      CHECK(std::ranges::is_sorted(part.faces()));
      // Its own unknowns and those of the halo have the numbers of the whole axis, and are in their places.
      std::vector<Index> known;
      for (Index i = part.own_first(); i < part.own_end(); ++i) known.push_back(i);
      for (const bool upper : {false, true}) {
        const RowRange halo = part.halo(upper);
        CHECK(halo.count() == (upper && unknowns == Unknowns::nodes ? 3 : 2));
        for (Index i = halo.first; i < halo.end; ++i) {
          known.push_back(i);
          const Index apart = upper ? i - halo.first : i - halo.end;
          CHECK(part.there(i) == ((upper ? extent.own_end : extent.own_first) + apart + 20) % 20);
        }
      }
      for (const Index i : known) {
        const Index there = part.there(i);
        CHECK(part.here(there) == i);
        CHECK(part.points()[i] == whole.points()[there]);
        CHECK(part.widths()[i] == whole.widths()[there]);
        CHECK(part.pieces(i).front().centre == whole.pieces(there).front().centre);
      }
      // What lies between neighbours, the ends of what is known aside.
      for (Index i = part.own_first(); i <= part.own_end(); ++i)
        CHECK(part.gaps()[i] == whole.gaps()[(i + part.first() + 20) % 20]);
    }
    CHECK_FALSE(whole.part({3, 12, 5, 10}).here(0));
  }
}

TEST_CASE("a part has no faces where it ends within the whole grid") {
  const Grid whole = block(Unknowns::cells);
  const Grid part = whole.part(std::vector<Axis::Extent>{{0, 5, 0, 5}, {0, 6, 0, 5}, {2, 9, 3, 9}});
  CHECK(part.unknowns_at({1, true}).empty());
  CHECK(part.unknowns_at({2, false}).empty());
  CHECK(part.unknowns_at({1, false}).size() == 5 * 7);
  CHECK(part.unknowns_at({2, true}).size() == 5 * 6);
  CHECK(part.whole() == whole);
  CHECK_FALSE(part.axis(0).is_part());
}

TEST_CASE("ranks share a grid so that the largest box is small, and then its surface") {
  const auto grid = [](Index nx, Index ny, Index nz) {
    return Grid({Axis::uniform("x", 0, 1, nx, Unknowns::cells), Axis::uniform("y", 0, 1, ny, Unknowns::cells),
                 Axis::uniform("z", 0, 1, nz, Unknowns::cells)});
  };
  CHECK(Decomposition::choose(grid(20, 40, 40), 4, 1).boxes() == std::array{1, 2, 2});
  CHECK(Decomposition::choose(grid(20, 10, 80), 4, 1).boxes() == std::array{1, 1, 4});
  // Six boxes of one row each, of 7 x 20 cells: two by three would have up to 9 x 20.
  CHECK(Decomposition::choose(grid(20, 6, 7), 6, 1).boxes() == std::array{1, 6, 1});
  // Not more than there are halos for.
  CHECK(Decomposition::choose(grid(20, 8, 1), 7, 3).count() == 2);
  const Grid ring(
      {Axis::uniform("x", 0, 1, 20, Unknowns::cells), Axis::uniform("y", 0, 1, 30, Unknowns::cells, true)});
  CHECK(Decomposition::choose(ring, 4, 1).boxes() == std::array{1, 4, 1});
  // Each of its boxes has a halo on both sides, and something is left out between them: 7 boxes at the most,
  // and 6 are as small as these.
  CHECK(Decomposition::choose(ring, 40, 1).boxes() == std::array{1, 6, 1});
  CHECK(Decomposition(ring, {1, 2, 1}, 1).extent(1, 0).first == -1);
  CHECK(Decomposition(ring, {1, 2, 1}, 1).extent(1, 1).end == 31);
  // What is cut out is nobody's work: lines of the lower half, then a corner of what is left.
  const Regions rock(
      {{"rock", inside([](Point p) { return p.y > 0.5 || (p.y > 0.25 && p.z > 0.5); }), false}});
  const auto at_work = std::make_shared<const CellsAtWork>(grid(20, 40, 40), rock);
  CHECK(at_work->count(0, 40, 0, 40) == 20 * (10 * 40 + 10 * 20));
  const Decomposition rows(grid(20, 40, 40), {1, 3, 1}, 1, at_work);
  CHECK(rows.cells(0) == 20 * 5 * 40);
  CHECK(rows.cells(1) == 20 * 5 * 40);
  CHECK(rows.cells(2) == 20 * 10 * 20);
  CHECK(rows.extent(1, 2).end == 40);
  const Decomposition chosen = Decomposition::choose(grid(20, 40, 40), 4, 1, false, at_work);
  CHECK(chosen.count() == 4);
  for (int box = 0; box < 4; ++box) CHECK(chosen.cells(box) < 20 * 600 / 4 * 1.25);
  // None is narrower than its halo, however little is left for it.
  CHECK(Decomposition(grid(20, 40, 40), {1, 10, 1}, 4, at_work).extent(1, 8).own_end == 36);
  CHECK_THROWS_WITH_AS(Decomposition(ring, {1, 6, 1}, 2),
                       "6 boxes along axis y: it takes from 1 to 5, none narrower than twice the halo and 2 "
                       "cells more, of a halo of 2 cells",
                       InputError);
  CHECK_THROWS_WITH_AS(Decomposition(grid(9, 8, 4), {1, 3, 1}, 3),
                       "3 boxes along axis y: it takes from 1 to 2, none narrower than the halo of 3 cells",
                       InputError);
  CHECK_THROWS_AS(Decomposition(grid(9, 8, 4), {2, 1, 1}, 1), InputError);
}

TEST_CASE("an exchange fills the whole halo, corners included, by as many bytes as were told") {
  struct Shared {
    Unknowns unknowns;
    bool periodic;
    std::array<int, 3> along;
  };
  for (const Shared& shared :
       {Shared{Unknowns::cells, false, {1, 3, 2}}, Shared{Unknowns::nodes, false, {1, 3, 2}},
        Shared{Unknowns::cells, true, {1, 2, 2}}, Shared{Unknowns::nodes, true, {1, 2, 1}},
        Shared{Unknowns::cells, true, {1, 3, 2}}, Shared{Unknowns::nodes, true, {1, 3, 2}}}) {
    const Unknowns unknowns = shared.unknowns;
    const bool periodic = shared.periodic;
    CAPTURE(periodic);
    const Grid ring({Axis::uniform("x", 0, 1, 5, unknowns), Axis::uniform("y", 0, 1, 22, unknowns, true),
                     Axis::uniform("z", 0, 1, 13, unknowns, true)});
    const Grid whole = periodic ? ring : block(unknowns);
    const Decomposition boxes(whole, shared.along, 2);
    on_ranks(boxes.count(), [&](ThreadRank& rank) {
      const Grid part = boxes.part(whole, rank.rank());
      const Box box(part, boxes, rank);
      const auto before = rank.traffic();
      std::vector<Real> values(static_cast<std::size_t>(box.count()), -1.0);
      Index own = 0;
      for (Index n = 0; n < box.count(); ++n)
        if (box.owns(n)) {
          values[static_cast<std::size_t>(n)] = static_cast<Real>(box.there(n));
          ++own;
        }
      box.exchange(values);
      bool all = true;
      const auto known = [&](Index n) {
        for (int a = 1; a < 3; ++a) {
          const Axis& axis = part.axis(a);
          const Index at = part.position(n)[static_cast<std::size_t>(a)];
          const auto within = [at](const RowRange& rows) { return at >= rows.first && at < rows.end; };
          if (!within({axis.own_first(), axis.own_end()}) && !within(axis.halo(false)) &&
              !within(axis.halo(true)))
            return false;
        }
        return true;
      };
      for (Index n = 0; n < box.count(); ++n) {
        if (!known(n)) continue;
        all = all && values[static_cast<std::size_t>(n)] == static_cast<Real>(box.there(n));
        all = all && box.here(box.there(n)) == n;
      }
      CHECK(all);
      const Real sent = static_cast<Real>(rank.traffic().bytes - before.bytes) / sizeof(Real);
      if (unknowns == Unknowns::cells) CHECK(sent == static_cast<Real>(boxes.sent(rank.rank())));
      Real owned = 0;
      const Real mine = static_cast<Real>(own);
      for (const Real of_rank : rank.gathered({&mine, 1})) owned += of_rank;
      CHECK(owned == static_cast<Real>(whole.count()));
    });
  }
}

TEST_CASE("sums over boxes have the bits of the whole grid, and states come together and apart again") {
  std::mt19937 random(5);
  std::uniform_real_distribution<Real> any(-1, 1);
  for (const std::array<Index, 3>& size :
       {std::array<Index, 3>{3, 7, 1}, {300, 13, 1}, {700, 5, 9}, {2, 31, 6}, {2051, 6, 1}}) {
    const Index nx = size[0], ny = size[1], nz = size[2];
    CAPTURE(nx);
    CAPTURE(ny);
    std::vector<Axis> axes{Axis::uniform("x", 0, 1, nx, Unknowns::cells),
                           Axis::uniform("y", 0, 1, ny, Unknowns::cells)};
    if (nz > 1) axes.push_back(Axis::uniform("z", 0, 1, nz, Unknowns::cells));
    const Grid grid(axes);
    std::vector<Real> values(static_cast<std::size_t>(grid.count()));
    for (Real& v : values) v = any(random);
    const Layout layout(std::array<Index, 3>{nx, ny, nz});
    const Reductions alone(layout);
    const Real sum = alone.sum(values), norm = alone.norm(values), largest = alone.largest(values);
    for (const std::array<int, 3>& shared : {std::array{1, 2, 1},
                                             {1, 5, 1},
                                             {1, std::min(7, static_cast<int>(ny)), 1},
                                             {1, 3, nz > 1 ? 2 : 1},
                                             {1, 2, nz > 1 ? 2 : 1},
                                             {1, 1, nz > 1 ? 3 : 1},
                                             {nx > 1536 ? 5 : 1, 1, 1},
                                             {nx > 512 ? 3 : 1, 2, 1},
                                             {nx > 256 ? 2 : 1, 1, nz > 1 ? 2 : 1}}) {
      // Also halos that reach to the other end of the grid.
      const Decomposition boxes(grid, shared,
                                shared[1] == 2 && shared[2] == 1 ? static_cast<int>(ny / 2) : 1);
      on_ranks(boxes.count(), [&](ThreadRank& rank) {
        const Grid part = boxes.part(grid, rank.rank());
        const auto box = boxes.count() > 1 ? std::make_shared<const Box>(part, boxes, rank)
                                           : std::make_shared<const Box>(part);
        const Layout here({{"u",
                            Placement::cells,
                            {part.size(0), part.size(1), part.size(2)},
                            1,
                            0,
                            box->whole() ? nullptr : box}});
        const WholeStates states(here);
        const State own = states.part(values);
        const Reductions over(here);
        CHECK(over.sum(own) == sum);
        CHECK(over.norm(own) == norm);
        CHECK(over.largest(own) == largest);
        CHECK(over.count() == grid.count());
        CHECK(states.size() == grid.count());
        CHECK(states.everywhere(own) == values);
        CHECK(states.at_first(own) == (rank.rank() == 0 ? values : State()));
        // Unknown by unknown, as boundaries book.
        Execution execution;
        execution.communicator = &rank;
        if (!box->whole()) execution.decomposition = std::make_shared<const Decomposition>(boxes);
        const Domain domain(part, Outline(), execution);
        BoxSum<Real> single(domain);
        for (Index n = 0; n < box->count(); n += 1)
          if (box->there(n) % 3 == 0) single.leaf(n) += own[static_cast<std::size_t>(n)];
        TreeSum<Real> expected;
        const Segments segments(nx);
        for (Index n = 0; n < grid.count(); n += 3)
          expected.leaf(segments.of_cell(n)) += values[static_cast<std::size_t>(n)];
        CHECK(single.sum() == expected.sum());
      });
    }
  }
}

TEST_CASE("numbers that belong to unknowns come together in the order of the whole grid") {
  const Grid grid(
      {Axis::uniform("x", 0, 1, 3, Unknowns::cells), Axis::uniform("y", 0, 1, 8, Unknowns::cells)});
  const Decomposition boxes(grid, {1, 3, 1}, 1);
  on_ranks(3, [&](ThreadRank& rank) {
    const Grid part = boxes.part(grid, rank.rank());
    const auto box = std::make_shared<const Box>(part, boxes, rank);
    const Layout here({{"u", Placement::cells, {part.size(0), part.size(1), 1}, 1, 0, box}});
    const WholeStates states(here);
    // Two numbers of each unknown of the first column in one row, one of each in another.
    std::vector<NumberPlace> places;
    std::vector<Real> numbers;
    for (const int row : {0, 4})
      for (Index n = 0; n < box->count(); n += 3)
        for (int each = 0; each < (row == 0 ? 2 : 1); ++each) {
          places.push_back({row, n});
          numbers.push_back(100 * row + static_cast<Real>(box->there(n)) + 0.5 * each);
        }
    std::vector<Real> expected;
    for (Index n = 0; n < grid.count(); n += 3) {
      expected.push_back(static_cast<Real>(n));
      expected.push_back(static_cast<Real>(n) + 0.5);
    }
    for (Index n = 0; n < grid.count(); n += 3) expected.push_back(400 + static_cast<Real>(n));
    CHECK(states.together(numbers, places) == expected);
    CHECK(states.part(expected, places) == numbers);
    CHECK_THROWS_AS(static_cast<void>(states.part(std::vector<Real>(5), places)), InputError);
  });
}

TEST_CASE("a step on ranks costs its largest box, what it tells its neighbours, and sums by pairs") {
  const Grid block({Axis::uniform("x", 0, 1, 40, Unknowns::cells),
                    Axis::uniform("y", 0, 1, 30, Unknowns::cells),
                    Axis::uniform("z", 0, 1, 20, Unknowns::cells)});
  const Decomposition boxes(block, {1, 3, 2}, 1);
  const Network network{1e-6, 1e9};
  const StepOnRanks step{1e-9, 2, 3};
  // The middle boxes of three have neighbours on both sides along y and on one along z; corners go along.
  CHECK(bytes_sent(boxes, step) == 8 * 2 * 3 * boxes.sent(1));
  CHECK(boxes.sent(1) >= 40 * (2 * 10 + 10));
  // 4000 places; three stages with two messages and 2·3 rounds for six ranks.
  CHECK(seconds_of_step(boxes, step, network) ==
        doctest::Approx(4000e-9 + 3 * (2 + 6) * 1e-6 + bytes_sent(boxes, step) * 1e-9));
  CHECK(efficiency(boxes, block.count(), step, network) ==
        doctest::Approx(4000e-9 / seconds_of_step(boxes, step, network)));
  CHECK(efficiency(Decomposition(block, {1, 1, 1}, 1), block.count(), step, network) == 1);
}
