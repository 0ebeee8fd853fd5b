#include "balance/tiles.hpp"

#include <algorithm>
#include <bit>

namespace williwaw {

namespace {

// Lines first to end - 1 as subtrees, as few as there can be.
void add_subtrees(Index first, Index end, std::vector<Tiles::Block>& blocks) {
  while (first < end) {
    const auto rest = static_cast<std::uint64_t>(end - first);
    const auto most = std::bit_floor(rest);
    const auto aligned =
        first == 0 ? most : std::uint64_t{1} << std::countr_zero(static_cast<std::uint64_t>(first));
    const std::uint64_t count = std::min(most, aligned);
    blocks.push_back({first, static_cast<Index>(count), std::countr_zero(count)});
    first += static_cast<Index>(count);
  }
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
    if (shape.strip >= shape.lines) shape.strip = shape.lines;
    if (shape.strip == shape.lines || shape.strip >= 4 * shape.levels * shape.reach) return;
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
  const int across = g.dimension() - 1;
  shape.slabs = g.size(across);
  shape.around = g.axis(across).periodic();
  shape.levels = std::min(Tiles::most_levels(shape), 1000);
  if (g.dimension() == 2) {
    shape.levels = std::min(shape.levels, levels_of_lines(line, cache, load));
  } else {
    shape.lines = g.size(1);
    choose_strip(line, cache, load, shape);
    // Where lines are periodic, strips would need those at the other end.
    if (g.axis(1).periodic() && shape.strip < shape.lines) return std::nullopt;
  }
  if (shape.levels < 2) return std::nullopt;
  return shape;
}

int Tiles::most_levels(const TileShape& shape) {
  const Index shortest = shape.slabs / shape.threads;
  if (shape.threads == 1 && !shape.around) return 1000;
  // Ranges of the last level are not empty, and gaps do not meet.
  return static_cast<int>((shortest - 1) / (2 * shape.reach) + 1);
}

Tiles::Tiles(const TileShape& shape) : shape_(shape) {
  if (shape.slabs < shape.threads || shape.levels < 1 || shape.levels > most_levels(shape) ||
      (shape.strip < shape.lines && shape.strip <= (shape.levels - 1) * shape.reach))
    throw InputError("tiles: ranges of lines are too short for so many steps in one pass");
  tracks_ =
      shape.lines > 1 ? static_cast<std::size_t>(shape.slabs) : 3 * static_cast<std::size_t>(shape.threads);
  lay_out_blocks();
}

void Tiles::lay_out_blocks() {
  blocks_.resize(static_cast<std::size_t>(shape_.levels));
  for (int level = 0; level < shape_.levels; ++level) {
    std::vector<Block>& blocks = blocks_[static_cast<std::size_t>(level)];
    const auto begin = [&](Index first, Index end) {
      first_block_.push_back(blocks.size());
      add_subtrees(first, end, blocks);
    };
    if (shape_.lines > 1) {
      for (Index slab = 0; slab < shape_.slabs; ++slab) begin(slab * shape_.lines, (slab + 1) * shape_.lines);
      continue;
    }
    for (int t = 0; t < shape_.threads; ++t) {
      const Range slabs = range(t, level);
      begin(slabs.first, slabs.end);
    }
    for (int t = 0; t < shape_.threads; ++t)
      for (const bool above : {false, true}) {
        const Range slabs = gap(t, level, above);
        begin(slabs.first, slabs.end);
      }
  }
}

}  // namespace williwaw
