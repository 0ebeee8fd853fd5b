#include "floating_pieces.hpp"

#include <algorithm>
#include <cmath>

namespace williwaw {

namespace {

// Free unknowns side by side along x, each joined to the one before it.
struct Run {
  Index first, end;
  Index size() const { return end - first; }
};

class Runs {
 public:
  explicit Runs(const FaceSystem& system) : system_(system) {
    const Index nx = system.extent[0], lines = system.extent[1] * system.extent[2];
    for (Index line = 0; line < lines; ++line) {
      of_line_.push_back(runs_.size());
      add_line(nx * line, nx * (line + 1));
    }
    of_line_.push_back(runs_.size());
    parent_.resize(runs_.size());
    for (std::size_t r = 0; r < parent_.size(); ++r) parent_[r] = r;
    join_seams();
    Index lines_apart = 1;
    for (int a = 1; a < system.dimension(); ++a) {
      join_lines(a, lines_apart);
      lines_apart *= system.extent[a];
    }
  }

  const std::vector<Run>& runs() const { return runs_; }
  // The first run of a piece stands for all of it.
  std::size_t piece_of(std::size_t run) {
    while (parent_[run] != run) run = parent_[run] = parent_[parent_[run]];
    return run;
  }

 private:
  bool prescribed(Index n) const { return !system_.prescribed.empty() && system_.prescribed[n]; }

  void add_line(Index n, Index end) {
    const Real* lower = system_.lower[0].data();
    while (n < end) {
      if (prescribed(n)) {
        ++n;
        continue;
      }
      const Index first = n++;
      while (n < end && lower[n] != 0) ++n;
      runs_.push_back({first, n});
    }
  }

  void join(std::size_t a, std::size_t b) {
    a = piece_of(a);
    b = piece_of(b);
    parent_[std::max(a, b)] = std::min(a, b);
  }

  void join_seams() {
    if (!system_.periodic[0]) return;
    for (std::size_t line = 0; line + 1 < of_line_.size(); ++line) {
      const std::size_t first = of_line_[line], end = of_line_[line + 1];
      const Index start = system_.extent[0] * static_cast<Index>(line);
      if (end > first && runs_[first].first == start && system_.lower[0][start] != 0) join(first, end - 1);
    }
  }

  // Every line with the one before it along the axis, which is so many lines away.
  void join_lines(int axis, Index lines_apart) {
    const Index lines = static_cast<Index>(of_line_.size()) - 1, size = system_.extent[axis];
    for (Index line = 0; line < lines; ++line) {
      const bool seam = line / lines_apart % size == 0;
      if (seam && !system_.periodic[axis]) continue;
      join_two(axis, line, seam ? line + (size - 1) * lines_apart : line - lines_apart);
    }
  }

  void join_two(int axis, Index line, Index before) {
    const Index nx = system_.extent[0], apart = nx * (line - before);
    std::size_t own = of_line_[line], other = of_line_[before];
    while (own < of_line_[line + 1] && other < of_line_[before + 1]) {
      const Run& a = runs_[own];
      const Run b{runs_[other].first + apart, runs_[other].end + apart};
      const Index end = std::min(a.end, b.end);
      for (Index n = std::max(a.first, b.first); n < end; ++n)
        if (system_.lower[axis][n] != 0) {
          join(own, other);
          break;
        }
      ++(a.end <= b.end ? own : other);
    }
  }

  const FaceSystem& system_;
  std::vector<Run> runs_;
  std::vector<std::size_t> of_line_, parent_;
};

// What its column sums to is what leaves the domain from an unknown.
bool is_fixed(const FaceSystem& system, Index n) {
  Real excess = system.diagonal[n];
  for (int a = 0; a < system.dimension(); ++a)
    for (const bool up : {false, true})
      if (const Index other = system.neighbour(n, a, up); other >= 0)
        excess += (up ? system.lower : system.upper)[a][other];
  return std::abs(excess) > 1e-11 * std::abs(system.diagonal[n]);
}

}  // namespace

FloatingPieces find_floating(const FaceSystem& system) {
  Runs runs(system);
  const std::vector<Run>& all = runs.runs();
  std::vector<char> fixed(all.size(), 0);
  Index free = 0;
  // Most pieces are fixed at the ends of their lines.
  for (std::size_t r = 0; r < all.size(); ++r) {
    free += all[r].size();
    char& known = fixed[runs.piece_of(r)];
    known = known || is_fixed(system, all[r].first) || is_fixed(system, all[r].end - 1);
  }
  for (std::size_t r = 0; r < all.size(); ++r) {
    char& known = fixed[runs.piece_of(r)];
    for (Index n = all[r].first; n < all[r].end && !known; ++n) known = is_fixed(system, n);
  }
  FloatingPieces result;
  std::vector<std::size_t> place(all.size());
  for (std::size_t r = 0; r < all.size(); ++r) {
    const std::size_t piece = runs.piece_of(r);
    if (fixed[piece]) continue;
    if (piece == r) {
      place[r] = result.pieces.size();
      result.pieces.emplace_back();
    }
    for (Index n = all[r].first; n < all[r].end; ++n) result.pieces[place[piece]].push_back(n);
  }
  result.whole = result.pieces.size() == 1 && static_cast<Index>(result.pieces[0].size()) == free;
  return result;
}

}  // namespace williwaw
