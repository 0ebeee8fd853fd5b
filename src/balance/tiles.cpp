#include "balance/tiles.hpp"

#include <algorithm>
#include <bit>

namespace williwaw {

namespace {

// Lines of a box's own as subtrees, as few as there can be. `there` is where the first of them lies on the
// whole grid.
void add_subtrees(RowRange lines, Index there, std::vector<Tiles::Block>& blocks) {
  while (lines.count() > 0) {
    const auto most = std::bit_floor(static_cast<std::uint64_t>(lines.count()));
    const auto aligned =
        there == 0 ? most : std::uint64_t{1} << std::countr_zero(static_cast<std::uint64_t>(there));
    const std::uint64_t count = std::min(most, aligned);
    blocks.push_back({lines.first, static_cast<Index>(count), std::countr_zero(count)});
    lines.first += static_cast<Index>(count);
    there += static_cast<Index>(count);
  }
}

// Where a box has other boxes beside it its halo is told as one.
TileRows rows_of(const Box& box, int axis) {
  return {box.size(axis), box.own(axis), box.shares(axis, false), box.shares(axis, true)};
}

// More gain little: what a pass reads and writes of memory is shared by so many steps already.
constexpr int most_of_lines = 12, most_of_planes = 6;
// Of the cache, with room for what else stands in it (measured: 4096², 384³).
constexpr Real filled_by_lines = 0.62, filled_by_planes = 0.75;

int levels_of_lines(Real line, Real cache, const SweepLoad& load) {
  const Real room = filled_by_lines * cache / line;
  // Lines of each array from the first level to the last, and those around the line of the first one.
  const auto reach = static_cast<Real>(load.reach);
  const Real levels = ((room - 1 - 2 * reach) / (load.states + load.coefficients) - 2 * reach) / reach;
  return static_cast<int>(std::min(levels, Real{most_of_lines}));
}

// Strips wide enough for so many levels; nothing where two do not fit.
void choose_strip(Real line, Real cache, const SweepLoad& load, TileShape& shape) {
  for (shape.levels = std::min(shape.levels, most_of_planes); shape.levels > 1; --shape.levels) {
    const Real planes =
        static_cast<Real>((shape.levels + 2) * load.reach * (load.states + load.coefficients));
    const auto fits = static_cast<Index>(filled_by_planes * cache / (line * planes));
    shape.strip = fits >= 8 ? fits / 8 * 8 : fits;
    if (shape.strip >= shape.lines.all) shape.strip = shape.lines.all;
    if (shape.strip == shape.lines.all || shape.strip >= 4 * shape.levels * shape.reach) return;
  }
}

}  // namespace

std::optional<TileShape> tiles_for(const Domain& domain, const SweepLoad& load) {
  const Grid& g = domain.grid();
  const Real line = sizeof(Real) * static_cast<Real>(g.size(0));
  const auto cache = static_cast<Real>(domain.cache());
  const Real all = line * static_cast<Real>(g.lines()) * (load.states + load.coefficients);
  if (g.dimension() == 1 || all < 2 * cache * domain.threads()) return std::nullopt;
  TileShape shape;
  shape.reach = load.reach;
  shape.threads = domain.threads();
  const Box& box = domain.box();
  const int across = g.dimension() - 1;
  shape.slabs = rows_of(box, across);
  shape.around = g.axis(across).periodic() && !g.axis(across).is_part();
  shape.levels = std::min(Tiles::most_levels(shape), 1000);
  if (!box.whole()) shape.levels = std::min(shape.levels, static_cast<int>(1 + box.further() / load.reach));
  if (g.dimension() == 2) {
    shape.levels = std::min(shape.levels, levels_of_lines(line, cache, load));
  } else {
    shape.lines = rows_of(box, 1);
    choose_strip(line, cache, load, shape);
    // Where lines are periodic, strips would need those at the other end.
    if (g.axis(1).periodic() && !g.axis(1).is_part() && shape.strip < shape.lines.all) return std::nullopt;
  }
  if (shape.levels < 2) return std::nullopt;
  return shape;
}

int most_in_pass(int dimension) {
  return dimension > 2 ? most_of_planes : most_of_lines;
}

int Tiles::most_levels(const TileShape& shape) {
  const Index shortest = shape.slabs.own.count() / shape.threads;
  if (shape.threads == 1 && !shape.around) return 1000;
  // Ranges of the last level are not empty, and gaps do not meet.
  return static_cast<int>((shortest - 1) / (2 * shape.reach) + 1);
}

Tiles::Tiles(const TileShape& shape, const std::function<Index(Index)>& there) : shape_(shape) {
  if (shape.slabs.own.count() < shape.threads || shape.levels < 1 || shape.levels > most_levels(shape) ||
      (shape.strip < shape.lines.all && shape.strip <= (shape.lines.halo_below ? 2 : 1) * shape.further()))
    throw InputError("tiles: ranges of lines are too short for so many steps in one pass");
  tracks_ = shape.in_space() ? static_cast<std::size_t>(shape.slabs.all)
                             : 3 * static_cast<std::size_t>(shape.threads);
  lay_out_blocks(there);
}

void Tiles::lay_out_blocks(const std::function<Index(Index)>& there) {
  blocks_.resize(static_cast<std::size_t>(shape_.levels));
  for (int level = 0; level < shape_.levels; ++level) {
    const auto begin = [&](const RowRange& slabs) {
      first_block_.push_back(blocks_[static_cast<std::size_t>(level)].size());
      add_blocks(level, slabs, there);
    };
    if (shape_.in_space()) {
      // Slabs across the ends belong to tracks of where they stand.
      const RowRange all = shape_.slabs.at_first(shape_.further());
      for (Index slab = 0; slab < shape_.slabs.all; ++slab) {
        Index counted = slab;
        if (slab - shape_.slabs.all >= all.first) counted = slab - shape_.slabs.all;
        if (slab + shape_.slabs.all < all.end) counted = slab + shape_.slabs.all;
        begin({counted, counted + 1});
      }
      continue;
    }
    for (int t = 0; t < shape_.threads; ++t) begin(range(t, level));
    for (int t = 0; t < shape_.threads; ++t)
      for (const bool above : {false, true}) begin(gap(t, level, above));
  }
}

// Those of some slabs of a track: of a plane grid these are its lines, of one in space there is one of them.
void Tiles::add_blocks(int level, const RowRange& slabs, const std::function<Index(Index)>& there) {
  std::vector<Block>& blocks = blocks_[static_cast<std::size_t>(level)];
  const RowRange& own_slabs = shape_.slabs.own;
  const auto add = [&](const RowRange& all, const RowRange& own) {
    const auto add_halo = [&](Index first, Index end) {
      if (end > first) blocks.push_back({first, end - first, -1});
    };
    const RowRange counted{std::max(all.first, own.first), std::min(all.end, own.end)};
    if (counted.count() <= 0) {
      add_halo(all.first, all.end);
      return;
    }
    add_halo(all.first, counted.first);
    add_subtrees(counted, there(counted.first), blocks);
    add_halo(counted.end, all.end);
  };
  if (!shape_.in_space()) {
    add(slabs, own_slabs);
    return;
  }
  const Index start = slabs.first * shape_.lines.all;
  const RowRange of_level = lines(level);
  const bool own = slabs.first >= own_slabs.first && slabs.first < own_slabs.end;
  add({start + of_level.first, start + of_level.end},
      own ? RowRange{start + shape_.lines.own.first, start + shape_.lines.own.end} : RowRange{0, 0});
}

}  // namespace williwaw
