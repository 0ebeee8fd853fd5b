// Several sweeps over all lines of a balance in one pass over memory: sums and bookings of each.
#pragma once

#include <numeric>

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
      const auto blocks = tiles_.blocks(static_cast<int>(level));
      OfLevel& of_level = of_levels_[level];
      of_level.sums.resize(blocks.size());
      of_level.booked.resize(blocks.size() * ledger_lines);
      // Blocks come track by track, and sums go by lines.
      of_level.order.resize(blocks.size());
      std::iota(of_level.order.begin(), of_level.order.end(), std::size_t{0});
      std::ranges::sort(of_level.order, {}, [&](std::size_t b) { return blocks[b].first; });
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

  /// What was counted in a level.
  Totals totals(int level) const {
    return sum<Totals>(level, [&](std::size_t b) { return of_level(level).sums[b]; });
  }
  /// Adds `weight` times what was booked in a level to the ledger.
  void book(int level, Real weight, Ledger& ledger) const {
    for (std::size_t l = 0; l < ledger_lines_; ++l)
      ledger[LineId(l)] += weight * sum<Real>(level, [&](std::size_t b) {
                             return of_level(level).booked[b * ledger_lines_ + l];
                           });
  }

 private:
  struct Room {
    LineSums sums;
    std::size_t block = 0;  ///< the lines at hand
  };
  struct OfLevel {
    std::vector<std::optional<Totals>> sums;  ///< of each block
    std::vector<std::optional<Real>> booked;  ///< and line of the ledger
    std::vector<std::size_t> order;           ///< of blocks, by their first lines
  };
  Room& room(int level, std::size_t track) {
    return rooms_[static_cast<std::size_t>(level) * tiles_.tracks() + track];
  }
  const OfLevel& of_level(int level) const { return of_levels_[static_cast<std::size_t>(level)]; }
  template <class Sum, class OfBlock>
  Sum sum(int level, const OfBlock& of_block) const {
    const auto blocks = tiles_.blocks(level);
    const Segments& segments = domain_.segments();
    TreeSum<Sum> all;
    for (const std::size_t b : of_level(level).order)
      if (const std::optional<Sum>& one = of_block(b))
        all.add(segments.number(blocks[b].first, 0), *one, segments.levels_of_line() + blocks[b].spans);
    return all.sum();
  }

  const Domain& domain_;
  std::size_t ledger_lines_;
  Tiles tiles_;
  std::vector<Room> rooms_;  ///< by level and track
  std::vector<OfLevel> of_levels_;
};

/// The tiles of passes of one kind: chosen once, and laid out anew where a pass has another number of levels.
class PassTiles {
 public:
  bool chosen() const { return chosen_; }
  /// `why_none` tells why passes are not to be had whatever the grid; empty where they are.
  void choose(const Domain& domain, std::string why_none, const SweepLoad& load) {
    chosen_ = true;
    why_none_ = std::move(why_none);
    if (!why_none_.empty()) return;
    most_ = tiles_for(domain, load);
    if (!most_) why_none_ = no_tiles;
  }
  /// The most of a pass; none where there are no passes.
  int levels() const { return most_ ? most_->levels : 0; }
  const std::string& why_none() const { return why_none_; }
  TiledSweep& sweep(const Domain& domain, std::size_t ledger_lines, std::size_t levels) {
    TileShape shape = *most_;
    shape.levels = static_cast<int>(levels);
    if (!sweep_ || sweep_->shape() != shape) sweep_.emplace(domain, ledger_lines, shape);
    return *sweep_;
  }

 private:
  bool chosen_ = false;
  std::optional<TileShape> most_;
  std::string why_none_;
  std::optional<TiledSweep> sweep_;
};

}  // namespace williwaw
