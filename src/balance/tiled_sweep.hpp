// Several sweeps over all lines of a balance in one pass over memory: sums and bookings of each.
#pragma once

#include "balance/tiles.hpp"
#include "domain/summing.hpp"
#include "williwaw/balance/line_sums.hpp"
#include "williwaw/balance/term.hpp"
#include "williwaw/domain/domain.hpp"

namespace williwaw {

/// Room for sweeps by tiles, kept from one pass to the next.
class TiledSweep {
 public:
  TiledSweep(const Domain& domain, std::size_t ledger_lines, const TileShape& shape)
      : domain_(domain), ledger_lines_(ledger_lines), tiles_(shape) {
    const auto levels = static_cast<std::size_t>(shape.levels);
    rooms_.resize(levels * tiles_.tracks());
    for (Room& room : rooms_) room.sums.resize(ledger_lines, domain.segments().of_line());
    of_levels_.resize(levels);
    for (std::size_t level = 0; level < levels; ++level) {
      const std::size_t blocks = tiles_.blocks(static_cast<int>(level)).size();
      of_levels_[level].sums.resize(blocks);
      of_levels_[level].booked.resize(blocks * ledger_lines);
    }
  }
  const TileShape& shape() const { return tiles_.shape(); }

  /// Calls work(level, line, j, k, sums) for every line of every level, by all threads of the domain, in an
  /// order in which the lines of the level before, and those that are overwritten, are ready.
  template <class Work>
  void each_line(const Work& work) {
    const Index rows = domain_.grid().size(1);
    for (int level = 0; level < shape().levels; ++level)
      for (std::size_t track = 0; track < tiles_.tracks(); ++track)
        room(level, track).block = tiles_.first_block(level, track);
    tiles_.each([&](int level, std::size_t track, Index first, Index end) {
      Room& room = this->room(level, track);
      const auto blocks = tiles_.blocks(level);
      OfLevel& of_level = of_levels_[static_cast<std::size_t>(level)];
      for (Index line = first; line < end; ++line) {
        const Tiles::Block& block = blocks[room.block];
        if (line == block.first) room.sums.begin();
        work(level, line, line % rows, line / rows, room.sums);
        if (line + 1 < block.first + block.count) continue;
        room.sums.end(of_level.sums[room.block], of_level.booked.data() + room.block * ledger_lines_);
        ++room.block;
      }
    });
  }

  /// What was counted in a level; `weight` times what was booked is added to the ledger.
  Totals finish(int level, Ledger& ledger, Real weight) {
    const OfLevel& of_level = of_levels_[static_cast<std::size_t>(level)];
    order_blocks(level);
    for (std::size_t l = 0; l < ledger_lines_; ++l)
      ledger[LineId(l)] +=
          weight * sum<Real>(level, [&](std::size_t b) { return of_level.booked[b * ledger_lines_ + l]; });
    return sum<Totals>(level, [&](std::size_t b) { return of_level.sums[b]; });
  }

 private:
  struct Room {
    LineSums sums;
    std::size_t block = 0;  ///< the lines at hand
  };
  struct OfLevel {
    std::vector<std::optional<Totals>> sums;  ///< of each block
    std::vector<std::optional<Real>> booked;  ///< and line of the ledger
  };
  Room& room(int level, std::size_t track) {
    return rooms_[static_cast<std::size_t>(level) * tiles_.tracks() + track];
  }
  // Those of tracks come track by track.
  void order_blocks(int level) {
    const auto blocks = tiles_.blocks(level);
    order_.resize(blocks.size());
    for (std::size_t b = 0; b < order_.size(); ++b) order_[b] = b;
    std::ranges::sort(order_, {}, [&](std::size_t b) { return blocks[b].first; });
  }
  template <class Sum, class OfBlock>
  Sum sum(int level, const OfBlock& of_block) const {
    const auto blocks = tiles_.blocks(level);
    const Segments& segments = domain_.segments();
    TreeSum<Sum> all;
    for (const std::size_t b : order_)
      if (const std::optional<Sum>& one = of_block(b))
        all.add(segments.number(blocks[b].first, 0), *one, segments.levels_of_line() + blocks[b].spans);
    return all.sum();
  }

  const Domain& domain_;
  std::size_t ledger_lines_;
  Tiles tiles_;
  std::vector<Room> rooms_;  ///< by level and track
  std::vector<OfLevel> of_levels_;
  std::vector<std::size_t> order_;  ///< of blocks of a level, by their first lines
};

}  // namespace williwaw
