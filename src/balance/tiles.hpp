// Several steps in one pass over memory: in which order lines take them.
#pragma once

#include <functional>
#include <optional>
#include <span>
#include <vector>

#include "williwaw/balance/term_balance.hpp"

namespace williwaw {

/// What lies along one axis: so many, of which some are a box's own. Where other boxes follow below or above
/// the first level of a pass goes through as much of the halo there as the levels after it ask for, these
/// through less and less, and the last one through its own.
struct TileRows {
  Index all = 1;
  RowRange own;
  bool halo_below = false, halo_above = false;
  bool operator==(const TileRows&) const = default;
  /// What the first of some levels goes through, counted on across the ends where the halo stands at the
  /// other one, and where it stands.
  RowRange at_first(Index further) const {
    return {own.first - (halo_below ? further : 0), own.end + (halo_above ? further : 0)};
  }
  Index place(Index row) const { return row < 0 ? row + all : row < all ? row : row - all; }
};

/// Lines of a grid lie in slabs: the lines of a plane grid one by one, those of a grid in space by planes.
struct TileShape {
  TileRows lines;  ///< of a slab
  TileRows slabs;
  bool around = false;  ///< the first slab lies beside the last one
  Index reach = 1;      ///< how far beyond its slab, and its line within the slab, a step reads
  int threads = 1;
  int levels = 1;  ///< steps in one pass
  /// Lines of a slab that go through all slabs before the next ones do: so many as stay in a cache. All of
  /// them where lines of a slab are periodic.
  Index strip = 1;
  bool in_space() const { return lines.all > 1; }
  /// How far the first level goes beyond what the last one does.
  Index further() const { return (levels - 1) * reach; }
  bool operator==(const TileShape&) const = default;
};

/// Tiles for a domain: as many steps in one pass as keep what they share in the cache of a core. Nothing
/// where all of it stays in the caches anyway, or where lines are too long or too few.
std::optional<TileShape> tiles_for(const Domain& domain, const SweepLoad& load);
/// The most steps that they take at once.
int most_in_pass(int dimension);
inline constexpr const char* no_tiles = "caches have room for all of the state, or not for a few lines of it";

/// Level l makes the state after step l + 1 out of the one of level l − 1, which is two steps away from what
/// is overwritten: two states in turn are enough, besides the one that the pass starts from. Every thread has
/// a range of slabs, through which the levels go one behind the other, as far apart as a step reads; since
/// the next range is another thread's, every level ends earlier than the one before. The gaps between ranges
/// are filled when all threads are through (Wellein and others, 2009, describe such wavefronts).
class Tiles {
 public:
  /// Throws InputError where a range is too short for so many levels. `there` tells the number of a line of
  /// the box's own along those of the whole grid.
  Tiles(const TileShape& shape, const std::function<Index(Index)>& there);

  const TileShape& shape() const { return shape_; }
  /// The most levels that ranges of slabs are long enough for, 0 for none.
  static int most_levels(const TileShape& shape);

  /// Lines that are a subtree of 2^spans lines of the tree over all lines, or lines of a halo, of which
  /// nothing is counted; its lines come in increasing order, as do the blocks of a track. `first` is counted
  /// on across ends, as the lines that `each` tells.
  struct Block {
    Index first, count;
    int spans;  ///< below 0 in a halo
  };
  std::span<const Block> blocks(int level) const { return blocks_[static_cast<std::size_t>(level)]; }
  /// A track is a part of the lines of a level that come in increasing order: of plane grids the range of a
  /// thread or what is beside a gap, of others a slab.
  std::size_t tracks() const { return tracks_; }
  /// Where the blocks of a track begin among those of a level.
  std::size_t first_block(int level, std::size_t track) const {
    return first_block_[static_cast<std::size_t>(level) * tracks_ + track];
  }

  /// Calls work(level, track, slab, first line of it, end) for all lines of all levels, by the threads. Slabs
  /// and lines of halos are counted on across ends.
  template <class Work>
  void each(const Work& work) const {
#pragma omp parallel num_threads(shape_.threads) if (shape_.threads > 1)
    {
#pragma omp for schedule(static)
      for (int t = 0; t < shape_.threads; ++t) within(t, work);
#pragma omp for schedule(static)
      for (int t = 0; t < shape_.threads; ++t) between(t, work);
    }
  }

 private:
  Index first_slab(int thread) const {
    const RowRange slabs = shape_.slabs.at_first(shape_.further());
    return slabs.first + slabs.count() * thread / shape_.threads;
  }
  // Slabs of a thread that a level goes through at first.
  RowRange range(int thread, int level) const {
    const Index less = level * shape_.reach;
    const bool first = thread == 0 && !shape_.around && !shape_.slabs.halo_below,
               last = thread + 1 == shape_.threads && !shape_.around && !shape_.slabs.halo_above;
    return {first_slab(thread) + (first ? 0 : less), first_slab(thread + 1) - (last ? 0 : less)};
  }
  // What is left of them below and above the first slab of a thread.
  RowRange gap(int thread, int level, bool above) const {
    const Index less = level * shape_.reach;
    if (thread == 0 && !shape_.around) return {0, 0};
    if (above) return {first_slab(thread), first_slab(thread) + less};
    const Index end = thread == 0 ? shape_.slabs.all : first_slab(thread);
    return {end - less, end};
  }
  // Lines of a slab that a level goes through.
  RowRange lines(int level) const {
    return shape_.lines.at_first((shape_.levels - 1 - level) * shape_.reach);
  }
  std::size_t track(Index slab, std::size_t of_range) const {
    return shape_.in_space() ? static_cast<std::size_t>(shape_.slabs.place(slab)) : of_range;
  }
  std::size_t track_of_range(int thread) const {
    return static_cast<std::size_t>(thread);
  }
  std::size_t track_of_gap(int thread, bool above) const {
    return static_cast<std::size_t>(shape_.threads + 2 * thread + (above ? 1 : 0));
  }

  template <class Work>
  void within(int thread, const Work& work) const {
    const Index ahead = shape_.further();
    const RowRange all = lines(0);
    for (Index strip = all.first; strip < all.end; strip += shape_.strip)
      for (Index front = first_slab(thread); front < first_slab(thread + 1) + ahead; ++front)
        for (int level = 0; level < shape_.levels; ++level) {
          const Index slab = front - level * shape_.reach;
          if (const RowRange slabs = range(thread, level); slab < slabs.first || slab >= slabs.end) continue;
          // Strips move back as levels go up, so that what they read beside them is there.
          const Index back = level * shape_.reach, next = strip + shape_.strip;
          const RowRange of_level = lines(level);
          const Index first = strip == all.first ? of_level.first : strip - back,
                      end = next >= all.end ? of_level.end : next - back;
          work(level, track(slab, track_of_range(thread)), slab, first, end);
        }
  }

  template <class Work>
  void between(int thread, const Work& work) const {
    for (int level = 1; level < shape_.levels; ++level)
      for (const bool above : {false, true}) {
        const RowRange slabs = gap(thread, level, above), of_level = lines(level);
        for (Index slab = slabs.first; slab < slabs.end; ++slab)
          work(level, track(slab, track_of_gap(thread, above)), slab, of_level.first, of_level.end);
      }
  }
  void lay_out_blocks(const std::function<Index(Index)>& there);
  void add_blocks(int level, const RowRange& slabs, const std::function<Index(Index)>& there);

  TileShape shape_;
  std::size_t tracks_ = 0;
  std::vector<std::vector<Block>> blocks_;  ///< by level
  std::vector<std::size_t> first_block_;    ///< by level and track
};

}  // namespace williwaw
