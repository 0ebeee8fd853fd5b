#include "face_kernels.hpp"

#include <omp.h>

#include <algorithm>
#include <vector>

#include "domain/summing.hpp"
#include "williwaw/grid/clones.hpp"

namespace williwaw::faces {

namespace {

// One line along x with its neighbours; conductances across to the line before and after along y and z.
template <class Number>
struct Line {
  Index count;
  bool periodic;
  // What stands before the first and after the last unknown, with conductances of zero to it, may be read:
  // the ends need no care.
  bool between_lines;
  const Number *diagonal, *low;
  std::array<const Number*, 4> joined;  // conductances: south, north, bottom, top
  std::array<const Number*, 4> beside;  // the unknowns of those lines
};

// The line beside `line` in one of the directions south, north, bottom, top; -1 beyond a boundary. `seam`
// when it is found around a periodic axis.
struct Beside {
  Index line = -1;
  bool seam = false;
};

template <class Number>
Beside line_beside(const View<Number>& a, Index line, int direction) {
  const std::size_t axis = direction < 2 ? 1 : 2;
  if (static_cast<int>(axis) >= a.dimension) return {};
  const Index size = a.extent[axis], stride = direction < 2 ? 1 : a.extent[1];
  const Index at = direction < 2 ? line % size : line / stride, next = at + (direction % 2 == 1 ? 1 : -1);
  if (next >= 0 && next < size) return {line + (next - at) * stride};
  if (!a.periodic[axis]) return {};
  return {line + (next < 0 ? size - 1 : 1 - size) * stride, true};
}

// Conductances of lines beyond a boundary.
template <class Number>
const Number* no_conductances(Index count) {
  thread_local std::vector<Number> zeros;
  if (static_cast<Index>(zeros.size()) < count) zeros.assign(static_cast<std::size_t>(count), Number(0));
  return zeros.data();
}

template <class Number>
Line<Number> line_of(const View<Number>& a, Index line, const Number* x) {
  const Index nx = a.extent[0];
  Line<Number> result{nx,
                      a.periodic[0],
                      !a.periodic[0] && line > 0 && line + 1 < a.lines(),
                      a.diagonal + nx * line,
                      a.low[0] + nx * line,
                      {},
                      {}};
  for (std::size_t direction = 0; direction < 4; ++direction) {
    const Index other = line_beside(a, line, static_cast<int>(direction)).line;
    // Beyond a boundary anything finite will do.
    result.beside[direction] = x + nx * (other < 0 ? line : other);
    // Every conductance stands with the unknown above it.
    result.joined[direction] = other < 0
                                   ? no_conductances<Number>(nx)
                                   : a.low[direction < 2 ? 1 : 2] + nx * (direction % 2 == 1 ? other : line);
  }
  return result;
}

template <int dimension, class Number>
WILLIWAW_INLINE inline Number across(const Line<Number>& l, Index i) {
  Number sum = 0;
  if constexpr (dimension > 1) sum += l.joined[0][i] * l.beside[0][i] + l.joined[1][i] * l.beside[1][i];
  if constexpr (dimension > 2) sum += l.joined[2][i] * l.beside[2][i] + l.joined[3][i] * l.beside[3][i];
  return sum;
}

// Σ conductance·x over all neighbours of the first and last unknown of a line.
template <int dimension, class Number>
Number around_end(const Line<Number>& l, const Number* x, Index i) {
  const Index n = l.count;
  // Added in the order of `around`, so that no place on a periodic line differs from another.
  Number below = 0, above = 0;
  if (i > 0)
    below = l.low[i] * x[i - 1];
  else if (l.periodic)
    below = l.low[0] * x[n - 1];
  if (i + 1 < n)
    above = l.low[i + 1] * x[i + 1];
  else if (l.periodic)
    above = l.low[0] * x[0];
  return below + above + across<dimension>(l, i);
}

template <int dimension, class Number>
WILLIWAW_INLINE inline Number around(const Line<Number>& l, const Number* x, Index i) {
  return l.low[i] * x[i - 1] + l.low[i + 1] * x[i + 1] + across<dimension>(l, i);
}

// Sums go to each segment of the line.
template <int dimension>
WILLIWAW_INLINE inline void multiply_line(const Line<double>& l, const double* x, double* __restrict y,
                                          double* of_segments) {
  const Index left_out = l.between_lines ? 0 : 1;
  each_segment(left_out, l.count - left_out, [&](Index s, Index first, Index end) WILLIWAW_INLINE {
    of_segments[s] = segment_sum(first, end, [&](Index i) WILLIWAW_INLINE {
      const double v = l.diagonal[i] * x[i] - around<dimension>(l, x, i);
      y[i] = v;
      return v * x[i];
    });
  });
  if (l.between_lines) return;
  for (const Index i : {Index{0}, l.count - 1}) {
    y[i] = l.diagonal[i] * x[i] - around_end<dimension>(l, x, i);
    if (i > 0 || l.count == 1) of_segments[i / segment_cells] += y[i] * x[i];
  }
  if (l.count > 1) of_segments[0] += y[0] * x[0];
}

template <int dimension>
WILLIWAW_INLINE inline void residual_line(const Line<float>& l, const float* x, const float* b,
                                          float* __restrict r) {
  const Index end = l.between_lines ? 0 : 1;
#pragma omp simd
  for (Index i = end; i < l.count - end; ++i) r[i] = b[i] - l.diagonal[i] * x[i] + around<dimension>(l, x, i);
  if (l.between_lines) return;
  for (const Index i : {Index{0}, l.count - 1})
    r[i] = b[i] - l.diagonal[i] * x[i] + around_end<dimension>(l, x, i);
}

// Updates the unknowns i with (i + parity) even.
template <int dimension>
WILLIWAW_INLINE inline void relax_line(const Line<float>& l, const float* inverse, float* x, const float* b,
                                       Index parity, float* __restrict buffer) {
  const Index end = l.between_lines ? 0 : 1;
#pragma omp simd
  for (Index i = end; i < l.count - end; ++i) buffer[i] = inverse[i] * (b[i] + around<dimension>(l, x, i));
  if (!l.between_lines)
    for (const Index i : {Index{0}, l.count - 1})
      buffer[i] = inverse[i] * (b[i] + around_end<dimension>(l, x, i));
  const int odd = static_cast<int>(parity & 1), count = static_cast<int>(l.count);
#pragma omp simd
  for (int i = 0; i < count; ++i)
    if (((i + odd) & 1) == 0) x[i] = buffer[i];
}

WILLIWAW_CLONES
void multiply_one(const Line<double>& l, int dimension, const double* x, double* y, double* of_segments) {
  const Line<double> line = l;
  if (dimension == 1)
    multiply_line<1>(line, x, y, of_segments);
  else if (dimension == 2)
    multiply_line<2>(line, x, y, of_segments);
  else
    multiply_line<3>(line, x, y, of_segments);
}

WILLIWAW_CLONES
void residual_one(const Line<float>& l, int dimension, const float* x, const float* b, float* r) {
  const Line<float> line = l;
  if (dimension == 1)
    residual_line<1>(line, x, b, r);
  else if (dimension == 2)
    residual_line<2>(line, x, b, r);
  else
    residual_line<3>(line, x, b, r);
}

WILLIWAW_CLONES
void relax_one(const Line<float>& l, int dimension, const float* inverse, float* x, const float* b,
               Index parity, float* buffer) {
  const Line<float> line = l;
  if (dimension == 1)
    relax_line<1>(line, inverse, x, b, parity, buffer);
  else if (dimension == 2)
    relax_line<2>(line, inverse, x, b, parity, buffer);
  else
    relax_line<3>(line, inverse, x, b, parity, buffer);
}

WILLIWAW_CLONES
void scale_one(Index count, const float* inverse, float* x, const float* b, Index parity) {
  const int odd = static_cast<int>(parity & 1), n = static_cast<int>(count);
#pragma omp simd
  for (int i = 0; i < n; ++i) x[i] = ((i + odd) & 1) ? 0.0f : inverse[i] * b[i];
}

}  // namespace

namespace {

// The product on the lines of a subtree, and what x·y sums up to there.
Real multiply_subtree(const View<double>& a, Index first, Index count, const double* x, double* y,
                      std::vector<Real>& of_segments) {
  const Index nx = a.extent[0];
  const Segments segments(nx);
  TreeSum<Real> sum;
  for (Index l = 0; l < count; ++l) {
    const Index line = first + l;
    std::ranges::fill(of_segments, 0.0);
    multiply_one(line_of(a, line, x), a.dimension, x + nx * line, y + nx * line, of_segments.data());
    for (Index s = 0; s < segments.of_line(); ++s)
      sum.add(segments.number(l, s * segment_cells), of_segments[static_cast<std::size_t>(s)]);
  }
  return sum.sum();
}

}  // namespace

Real multiply(const View<double>& a, const Box& box, const double* x, double* y, int threads) {
  const std::vector<Box::Block>& blocks = box.blocks();
  std::vector<std::optional<Real>> sums(blocks.size());
#pragma omp parallel num_threads(threads) if (threads > 1)
  {
    std::vector<Real> of_segments(static_cast<std::size_t>(Segments(a.extent[0]).of_line()));
#pragma omp for schedule(static)
    for (std::size_t b = 0; b < blocks.size(); ++b)
      sums[b] = multiply_subtree(a, blocks[b].first, blocks[b].count, x, y, of_segments);
  }
  return box.joined<Real>(by_subtree<Real>(box, [&](std::size_t b) { return sums[b]; }));
}

Real multiply(const View<double>& a, const double* x, double* y, int threads) {
  const Index lines = a.lines(), each = in_block(lines), blocks = blocks_of(lines);
  std::array<Real, most_blocks> sums{};
#pragma omp parallel num_threads(threads) if (threads > 1)
  {
    std::vector<Real> of_segments(static_cast<std::size_t>(Segments(a.extent[0]).of_line()));
#pragma omp for schedule(static)
    for (Index b = 0; b < blocks; ++b)
      sums[static_cast<std::size_t>(b)] =
          multiply_subtree(a, b * each, std::min(each, lines - b * each), x, y, of_segments);
  }
  TreeSum<Real> all;
  for (Index b = 0; b < blocks; ++b) all.add(b, sums[static_cast<std::size_t>(b)]);
  return all.sum();
}

void residual(const View<float>& a, const float* x, const float* b, float* r, int threads) {
  const Index lines = a.lines(), nx = a.extent[0];
#pragma omp parallel for schedule(static) num_threads(threads) if (threads > 1)
  for (Index line = 0; line < lines; ++line)
    residual_one(line_of(a, line, x), a.dimension, x + nx * line, b + nx * line, r + nx * line);
}

namespace {

// Lines as they were before a sweep. A thread that sweeps lines `first` to `last` - 1 reads whole lines of
// others while those write every second value there; and around a periodic axis of odd length both lines at
// the seam are of one colour. Such lines are read from copies, so that neither threads nor their order show
// in the result.
class LinesBefore {
 public:
  LinesBefore(const View<float>& a, Index first, Index last) : a_(a), first_(first), last_(last) {}

  void copy(const float* x) {
    const Index nx = a_.extent[0];
    for (Index line = first_; line < last_; ++line)
      for (int direction = 0; direction < 4; ++direction)
        if (const Index other = wanted(line, direction); other >= 0) lines_.push_back(other);
    std::sort(lines_.begin(), lines_.end());
    lines_.erase(std::unique(lines_.begin(), lines_.end()), lines_.end());
    values_.reserve(lines_.size() * static_cast<std::size_t>(nx));
    for (const Index line : lines_) values_.insert(values_.end(), x + nx * line, x + nx * (line + 1));
  }

  void replace_in(Line<float>& line_data, Index line) const {
    for (int direction = 0; direction < 4; ++direction)
      if (const Index other = wanted(line, direction); other >= 0) {
        const auto at = std::lower_bound(lines_.begin(), lines_.end(), other) - lines_.begin();
        line_data.beside[static_cast<std::size_t>(direction)] = values_.data() + a_.extent[0] * at;
      }
  }

 private:
  // The line beside, if it has to be read from a copy.
  Index wanted(Index line, int direction) const {
    const Beside beside = line_beside(a_, line, direction);
    if (beside.line < 0) return -1;
    const bool one_colour = beside.seam && a_.extent[direction < 2 ? 1 : 2] % 2 == 1;
    return one_colour || beside.line < first_ || beside.line >= last_ ? beside.line : -1;
  }

  const View<float>& a_;
  Index first_, last_;
  std::vector<Index> lines_;
  std::vector<float> values_;
};

}  // namespace

void relax(const View<float>& a, const float* inverse, float* x, const float* b, bool red_first, bool zero,
           int threads) {
  const Index lines = a.lines(), nx = a.extent[0], ny = a.extent[1];
  for (int pass = 0; pass < 2; ++pass) {
    const Index colour = (pass == 0) == red_first ? 0 : 1;
#pragma omp parallel num_threads(threads) if (threads > 1)
    {
      const Index team = omp_get_num_threads(), member = omp_get_thread_num();
      const Index first = member * lines / team, last = (member + 1) * lines / team;
      // From zero the first colour sees no neighbours.
      if (zero && pass == 0) {
        for (Index line = first; line < last; ++line)
          scale_one(nx, inverse + nx * line, x + nx * line, b + nx * line, line % ny + line / ny + colour);
      } else {
        LinesBefore before(a, first, last);
        before.copy(x);
        std::vector<float> buffer(static_cast<std::size_t>(nx));
#pragma omp barrier
        for (Index line = first; line < last; ++line) {
          Line<float> data = line_of(a, line, x);
          before.replace_in(data, line);
          // Lines of other threads are written meanwhile.
          data.between_lines = data.between_lines && line > first && line + 1 < last;
          relax_one(data, a.dimension, inverse + nx * line, x + nx * line, b + nx * line,
                    line % ny + line / ny + colour, buffer.data());
        }
      }
    }
  }
}

}  // namespace williwaw::faces
