// Several sweeps over the lines of a plane in one pass over memory.
#pragma once

#include <algorithm>
#include <array>
#include <vector>

#include "solve/multigrid/split_lines.hpp"

namespace williwaw {

/// Lines are cut into so many blocks, each wide enough for what its stages overlap with the next one's.
inline int wavefront_blocks(Index lines, int stages, int threads) {
  return static_cast<int>(std::clamp<Index>(lines / (4 * stages), 1, threads));
}

/// Calls stage(s, line) for every stage and line: stage s of a line follows stage s − 1 of it and of the
/// lines beside it, and comes before stage s + 1 of any of these. Each block goes as far as it can alone;
/// what is left between two blocks is done when both are through. The order that a line sees is the same for
/// any number of blocks.
template <class Stage>
void wavefront(Index lines, int stages, int blocks, const Stage& stage) {
  if (blocks <= 1) {
    for (Index front = 0; front < lines + stages - 1; ++front)
      for (int s = 0; s < stages; ++s)
        if (const Index line = front - s; line >= 0 && line < lines) stage(s, line);
    return;
  }
#pragma omp parallel num_threads(blocks)
  {
#pragma omp for schedule(static)
    for (int block = 0; block < blocks; ++block) {
      const Index first = lines * block / blocks, end = lines * (block + 1) / blocks;
      for (Index front = first; front < end + stages - 1; ++front)
        for (int s = 0; s < stages; ++s) {
          const Index line = front - s;
          if (line >= first + (block > 0 ? s : 0) && line < end - (block + 1 < blocks ? s : 0))
            stage(s, line);
        }
    }
#pragma omp for schedule(static)
    for (int block = 1; block < blocks; ++block) {
      const Index seam = lines * block / blocks;
      for (int s = 1; s < stages; ++s)
        for (Index line = seam - s; line < seam + s; ++line) stage(s, line);
    }
  }
}

/// Two lines of this thread, to work in; valid until it asks again.
inline std::array<float*, 2> work_lines(Index width) {
  static thread_local std::vector<float> room;
  const Index padded = padded_half(width);
  if (static_cast<Index>(room.size()) < 2 * padded) room.assign(static_cast<std::size_t>(2 * padded), 0.0f);
  return {room.data() + half_padding, room.data() + padded + half_padding};
}

/// Lines that live for a few stages of a wavefront only: four for each block in turn, and those beside a
/// seam, which wait for the end of both blocks. The one after the last is zero.
class PassingLines {
 public:
  void lay_out(Index width, Index lines, int stages, int blocks) {
    width_ = padded_half(width);
    reach_ = stages + 2;
    blocks_ = blocks;
    lines_ = lines;
    seams_.clear();
    for (int block = 1; block < blocks; ++block) seams_.push_back(lines * block / blocks);
    numbers_.assign(static_cast<std::size_t>(width_ * (4 * blocks + slots() * (blocks - 1) + 1)), 0.0f);
  }
  float* line(Index number) {
    if (number >= lines_) return start(4 * blocks_ + slots() * (blocks_ - 1));
    Index block = 0;
    for (std::size_t s = 0; s < seams_.size(); ++s) {
      const Index beside = number - seams_[s] + reach_;
      if (beside >= 0 && beside < slots())
        return start(4 * blocks_ + slots() * static_cast<Index>(s) + beside);
      block += number >= seams_[s];
    }
    return start(4 * block + (number & 3));
  }

 private:
  Index slots() const { return 2 * reach_ + 1; }
  float* start(Index slot) { return numbers_.data() + width_ * slot + half_padding; }

  Index width_ = 0, lines_ = 0, reach_ = 0, blocks_ = 1;
  std::vector<Index> seams_;
  std::vector<float> numbers_;
};

}  // namespace williwaw
