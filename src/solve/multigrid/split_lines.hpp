// Planes of numbers for sweeps in two colours: of each line the even places first, then the odd ones, so that
// neighbours of one colour, and places that a coarser grid takes over, lie side by side.
#pragma once

#include <algorithm>
#include <memory>
#include <new>

#include "williwaw/grid/types.hpp"

namespace williwaw {

/// Numbers for which room is made without writing to it: the threads that use them touch them first.
template <class Number>
class Room {
 public:
  Number* data() const { return numbers_.get(); }
  std::size_t size() const { return size_; }
  void make(std::size_t size) {
    if (size <= size_) return;
    numbers_.reset();
    numbers_.reset(static_cast<Number*>(::operator new(size * sizeof(Number), std::align_val_t(alignment))));
    size_ = size;
  }

 private:
  static constexpr std::size_t alignment = 64;
  struct Free {
    void operator()(Number* p) const { ::operator delete(p, std::align_val_t(alignment)); }
  };
  std::unique_ptr<Number[], Free> numbers_;
  std::size_t size_ = 0;
};

/// Zeros around halves of lines: neighbours beyond the ends of a line are read there.
inline constexpr Index half_padding = 16;

/// Room for half a line of so many numbers, padded on both sides.
inline constexpr Index padded_half(Index count) {
  return (count + 15) / 16 * 16 + 2 * half_padding;
}

/// A line of zeros stands before the first line and three after the last.
template <class Number>
class SplitLines {
 public:
  /// Zeros around halves and beyond the plane; what stands within is left to be written.
  void lay_out(Index width, Index lines, [[maybe_unused]] int threads) {
    width_ = width;
    lines_ = lines;
    half_ = padded_half(evens());
    numbers_.make(static_cast<std::size_t>(2 * half_ * (lines + 4)));
#pragma omp parallel for schedule(static) num_threads(threads) if (threads > 1)
    for (Index line = -1; line < lines + 3; ++line)
      for (const int odd : {0, 1}) {
        Number *start = half(line, odd) - half_padding, *end = start + half_;
        const bool beyond = line < 0 || line >= lines;
        std::fill(start, beyond ? end : start + half_padding, Number(0));
        if (!beyond) std::fill(start + half_padding + count(odd), end, Number(0));
      }
  }

  void clear([[maybe_unused]] int threads) {
#pragma omp parallel for schedule(static) num_threads(threads) if (threads > 1)
    for (Index line = 0; line < lines_; ++line)
      for (const int odd : {0, 1}) std::fill_n(half(line, odd), count(odd), Number(0));
  }

  Index width() const { return width_; }
  Index lines() const {
    return lines_;
  }
  Index evens() const {
    return (width_ + 1) / 2;
  }
  Index odds() const {
    return width_ / 2;
  }
  Index count(int odd) const {
    return odd ? odds() : evens();
  }
  Number* half(Index line, int odd) const {
    return numbers_.data() + 2 * half_ * (line + 1) + (odd ? half_ : 0) + half_padding;
  }
  Number* even(Index line) const {
    return half(line, 0);
  }
  Number* odd(Index line) const {
    return half(line, 1);
  }
  Number at(Index i, Index line) const {
    return half(line, static_cast<int>(i % 2))[i / 2];
  }

 private:
  Index width_ = 0, lines_ = 0, half_ = 0;
  Room<Number> numbers_;
};

}  // namespace williwaw
