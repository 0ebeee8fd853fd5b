// Several steps in one pass over memory: in which order lines take them.
#pragma once

#include <optional>
#include <span>
#include <vector>

#include "williwaw/balance/term_balance.hpp"

namespace williwaw {

/// Lines of a grid lie in slabs: the lines of a plane grid one by one, those of a grid in space by planes.
struct TileShape {
  Index lines = 1;  ///< of a slab
  Index slabs = 1;
  bool around = false;  ///< the first slab lies beside the last one
  Index reach = 1;      ///< how far beyond its slab, and its line within the slab, a step reads
  int threads = 1;
  int levels = 1;  ///< steps in one pass
  /// Lines of a slab that go through all slabs before the next ones do: so many as stay in a cache. All of
  /// them where lines of a slab are periodic.
  Index strip = 1;
  bool operator==(const TileShape&) const = default;
};

/// Tiles for a domain: as many steps in one pass as keep what they share in the cache of a core. Nothing
/// where all of it stays in the caches anyway, or where lines are too long or too few.
std::optional<TileShape> tiles_for(const Domain& domain, const SweepLoad& load);
inline constexpr const char* no_tiles = "caches have room for all of the state, or not for a few lines of it";

/// Level l makes the state after step l + 1 out of the one of level l − 1, which is two steps away from what
/// is overwritten: two states in turn are enough, besides the one that the pass starts from. Every thread has
/// a range of slabs, through which the levels go one behind the other, as far apart as a step reads; since
/// the next range is another thread's, every level ends earlier than the one before. The gaps between ranges
/// are filled when all threads are through (Wellein and others, 2009, describe such wavefronts).
class Tiles {
 public:
  /// Throws InputError where a range is too short for so many levels.
  explicit Tiles(const TileShape& shape);

  const TileShape& shape() const { return shape_; }
  /// The most levels that ranges of slabs are long enough for, 0 for none.
  static int most_levels(const TileShape& shape);

  /// Lines that are a subtree of 2^spans lines of the tree over all lines; its lines come in increasing
  /// order, as do the blocks of a track.
  struct Block {
    Index first, count;
    int spans;
  };
  std::span<const Block> blocks(int level) const { return blocks_[static_cast<std::size_t>(level)]; }
  /// A track is a part of the lines of a level that come in increasing order: of plane grids the range of a
  /// thread or what is beside a gap, of others a slab.
  std::size_t tracks() const { return tracks_; }
  /// Where the blocks of a track begin among those of a level.
  std::size_t first_block(int level, std::size_t track) const {
    return first_block_[static_cast<std::size_t>(level) * tracks_ + track];
  }

  /// Calls work(level, track, first line, end) for all lines of all levels, by the threads.
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
  struct Range {
    Index first, end;
  };
  Index first_slab(int thread) const {
    return shape_.slabs * thread / shape_.threads;
  }
  // Slabs of a thread that a level goes through at first.
  Range range(int thread, int level) const {
    const Index less = level * shape_.reach;
    const bool first = thread == 0 && !shape_.around, last = thread + 1 == shape_.threads && !shape_.around;
    return {first_slab(thread) + (first ? 0 : less), first_slab(thread + 1) - (last ? 0 : less)};
  }
  // What is left of them below and above the first slab of a thread.
  Range gap(int thread, int level, bool above) const {
    const Index less = level * shape_.reach;
    if (thread == 0 && !shape_.around) return {0, 0};
    if (above) return {first_slab(thread), first_slab(thread) + less};
    const Index end = thread == 0 ? shape_.slabs : first_slab(thread);
    return {end - less, end};
  }
  std::size_t track(Index slab, std::size_t of_range) const {
    return shape_.lines > 1 ? static_cast<std::size_t>(slab) : of_range;
  }
  std::size_t track_of_range(int thread) const {
    return static_cast<std::size_t>(thread);
  }
  std::size_t track_of_gap(int thread, bool above) const {
    return static_cast<std::size_t>(shape_.threads + 2 * thread + (above ? 1 : 0));
  }

  template <class Work>
  void within(int thread, const Work& work) const {
    const Index ahead = (shape_.levels - 1) * shape_.reach;
    for (Index strip = 0; strip < shape_.lines; strip += shape_.strip)
      for (Index front = first_slab(thread); front < first_slab(thread + 1) + ahead; ++front)
        for (int level = 0; level < shape_.levels; ++level) {
          const Index slab = front - level * shape_.reach;
          if (const Range slabs = range(thread, level); slab < slabs.first || slab >= slabs.end) continue;
          // Strips move back as levels go up, so that what they read beside them is there.
          const Index back = level * shape_.reach, next = strip + shape_.strip;
          const Index first = strip == 0 ? 0 : strip - back,
                      end = next >= shape_.lines ? shape_.lines : next - back;
          work(level, track(slab, track_of_range(thread)), slab * shape_.lines + first,
               slab * shape_.lines + end);
        }
  }

  template <class Work>
  void between(int thread, const Work& work) const {
    for (int level = 1; level < shape_.levels; ++level)
      for (const bool above : {false, true}) {
        const Range slabs = gap(thread, level, above);
        for (Index slab = slabs.first; slab < slabs.end; ++slab)
          work(level, track(slab, track_of_gap(thread, above)), slab * shape_.lines,
               (slab + 1) * shape_.lines);
      }
  }
  void lay_out_blocks();

  TileShape shape_;
  std::size_t tracks_ = 0;
  std::vector<std::vector<Block>> blocks_;  ///< by level
  std::vector<std::size_t> first_block_;    ///< by level and track
};

}  // namespace williwaw
