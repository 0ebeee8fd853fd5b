// Several sweeps over all lines of a balance in one pass over memory: sums and bookings of each.
#pragma once

#include <numeric>

#include "balance/joined_sums.hpp"
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
      : domain_(domain),
        ledger_lines_(ledger_lines),
        tiles_(shape, [&domain](Index line) { return domain.box().line_there(line); }) {
    const auto levels = static_cast<std::size_t>(shape.levels);
    rooms_.resize(levels * tiles_.tracks());
    for (Room& room : rooms_) room.sums.resize(ledger_lines, domain.segments());
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
    const TileRows &slabs = shape().slabs, &lines = shape().lines;
    for (int level = 0; level < shape().levels; ++level)
      for (std::size_t track = 0; track < tiles_.tracks(); ++track)
        room(level, track).block = tiles_.first_block(level, track);
    tiles_.each([&](int level, std::size_t track, Index slab, Index first, Index end) {
      Room& room = this->room(level, track);
      const auto blocks = tiles_.blocks(level);
      OfLevel& of_level = of_levels_[static_cast<std::size_t>(level)];
      for (Index n = first; n < end; ++n) {
        const Tiles::Block& block = blocks[room.block];
        const bool in_halo = block.spans < 0;
        const Index counted = slab * lines.all + n, line = slabs.place(slab) * lines.all + lines.place(n);
        if (counted == block.first || in_halo) room.sums.begin();
        work(level, line, line % rows, line / rows, room.sums);
        if (counted + 1 < block.first + block.count) continue;
        if (!in_halo)
          room.sums.end(0, of_level.sums[room.block], of_level.booked.data() + room.block * ledger_lines_);
        ++room.block;
      }
    });
    if (!domain_.box().whole()) join();
  }

  /// What was counted in a level.
  Totals totals(int level) const {
    if (!joined_.empty()) return joined_[static_cast<std::size_t>(level)].totals;
    return sum<Totals>(level, [&](std::size_t b) { return of_level(level).sums[b]; });
  }
  /// Adds `weight` times what was booked in a level to the ledger.
  void book(int level, Real weight, Ledger& ledger) const {
    for (std::size_t l = 0; l < ledger_lines_; ++l)
      ledger[LineId(l)] += weight * (joined_.empty() ? sum<Real>(level, BookedOn{*this, level, l})
                                                     : joined_[static_cast<std::size_t>(level)].booked[l]);
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
  struct BookedOn {
    const TiledSweep& sweep;
    int level;
    std::size_t line;
    std::optional<Real> operator()(std::size_t b) const {
      return sweep.of_level(level).booked[b * sweep.ledger_lines_ + line];
    }
  };
  Room& room(int level, std::size_t track) {
    return rooms_[static_cast<std::size_t>(level) * tiles_.tracks() + track];
  }
  const OfLevel& of_level(int level) const { return of_levels_[static_cast<std::size_t>(level)]; }
  // From the boxes of all ranks, of all levels at once.
  void join() {
    const auto level_of = [](std::size_t n) { return static_cast<int>(n); };
    joined_ = joined_sums(
        domain_.box(), of_levels_.size(), ledger_lines_,
        [&](std::size_t n) {
          return by_subtree<Totals>(level_of(n), [&](std::size_t b) { return of_levels_[n].sums[b]; });
        },
        [&](std::size_t n, std::size_t line) {
          return by_subtree<Real>(level_of(n), BookedOn{*this, level_of(n), line});
        });
  }
  // Adds those of the blocks of a level, in the order of lines, to what tree_of(first line) gives.
  template <class OfBlock, class TreeOf>
  void add_blocks(int level, const OfBlock& of_block, const TreeOf& tree_of) const {
    const auto blocks = tiles_.blocks(level);
    const Segments& segments = domain_.segments();
    for (const std::size_t b : of_level(level).order) {
      if (blocks[b].spans < 0) continue;
      if (const auto& one = of_block(b))
        tree_of(blocks[b].first)
            .add(segments.number(blocks[b].first, 0), *one, segments.levels_of_line() + blocks[b].spans);
    }
  }
  template <class Sum, class OfBlock>
  std::vector<std::optional<Sum>> by_subtree(int level, const OfBlock& of_block) const {
    const std::vector<Box::Subtree>& subtrees = domain_.box().subtrees();
    std::vector<TreeSum<Sum>> sums(subtrees.size());
    std::size_t s = 0;
    add_blocks(level, of_block, [&](Index first) -> TreeSum<Sum>& {
      while (first >= subtrees[s].first + subtrees[s].count) ++s;
      return sums[s];
    });
    std::vector<std::optional<Sum>> result(subtrees.size());
    for (s = 0; s < sums.size(); ++s)
      if (!sums[s].empty()) result[s] = sums[s].sum();
    return result;
  }
  template <class Sum, class OfBlock>
  Sum sum(int level, const OfBlock& of_block) const {
    TreeSum<Sum> all;
    add_blocks(level, of_block, [&](Index) -> TreeSum<Sum>& { return all; });
    return all.sum();
  }

  const Domain& domain_;
  std::size_t ledger_lines_;
  Tiles tiles_;
  std::vector<Room> rooms_;  ///< by level and track
  std::vector<OfLevel> of_levels_;
  std::vector<SweepSums> joined_;  ///< by level, of several ranks
};

/// The tiles of passes of one kind: chosen once, and laid out anew where a pass has another number of levels.
class PassTiles {
 public:
  bool chosen() const { return chosen_; }
  /// `why_none` tells why passes are not to be had whatever the grid; empty where they are.
  void choose(const Domain& domain, std::string why_none, const SweepLoad& load) {
    chosen_ = true;
    why_none_ = std::move(why_none);
    if (why_none_.empty()) {
      most_ = tiles_for(domain, load);
      if (!most_) why_none_ = no_tiles;
    }
    const Box& box = domain.box();
    if (box.whole()) return;
    // All ranks take as many steps at once, also where one of them knows why that is none.
    const Real levels = box.communicator().lowest(most_ ? most_->levels : 0);
    if (levels >= 2) {
      most_->levels = static_cast<int>(levels);
      return;
    }
    most_.reset();
    if (why_none_.empty()) why_none_ = "another rank takes them one by one";
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
