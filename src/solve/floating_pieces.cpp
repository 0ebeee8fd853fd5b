#include "floating_pieces.hpp"

#include <algorithm>
#include <cmath>
#include <limits>

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

// The rows of a halo as well, which a rank's own system leaves to others.
FaceSystem with_halo(const FaceSystem& system) {
  FaceSystem result = system;
  const Box& box = *system.box;
  box.exchange(result.diagonal);
  for (int a = 0; a < system.dimension(); ++a)
    for (std::vector<Real>* side : {&result.lower[a], &result.upper[a]}) box.exchange(*side);
  if (!box.communicator().any(!system.prescribed.empty())) return result;
  std::vector<Real> prescribed(system.diagonal.size(), 0.0);
  for (std::size_t n = 0; n < system.prescribed.size(); ++n) prescribed[n] = system.prescribed[n];
  box.exchange(prescribed);
  result.prescribed.assign(prescribed.begin(), prescribed.end());
  return result;
}

// What pieces of boxes have in common with those beside them: each takes the least first unknown and whether
// anything is fixed from where they meet, until none learns anything more.
class PiecesOfBoxes {
 public:
  PiecesOfBoxes(const Box& box, Runs& runs, const std::vector<char>& fixed) : runs_(runs) {
    const auto count = static_cast<std::size_t>(box.count());
    first_at_.assign(count, nowhere);
    fixed_at_.assign(count, 0.0);
    for (Index n = 0; n < box.count(); ++n)
      if (box.owns(n)) first_at_[static_cast<std::size_t>(n)] = static_cast<Real>(box.there(n));
    first_.assign(fixed.size(), nowhere);
    fixed_.assign(fixed.begin(), fixed.end());
    while (box.communicator().any(join_within())) {
      box.exchange(first_at_);
      box.exchange(fixed_at_);
    }
  }
  // Of what is nobody's, around the seam of a periodic axis, there is nothing to be known.
  Index first(std::size_t piece) const { return known(piece) ? static_cast<Index>(first_[piece]) : -1; }
  bool fixed(std::size_t piece) const { return fixed_[piece] > 0 || !known(piece); }

 private:
  bool known(std::size_t piece) const { return first_[piece] < nowhere; }

  // True if anything was news.
  bool join_within() {
    for (std::size_t r = 0; r < runs_.runs().size(); ++r) {
      const std::size_t piece = runs_.piece_of(r);
      for (Index n = runs_.runs()[r].first; n < runs_.runs()[r].end; ++n) {
        first_[piece] = std::min(first_[piece], first_at_[static_cast<std::size_t>(n)]);
        fixed_[piece] = std::max(fixed_[piece], fixed_at_[static_cast<std::size_t>(n)]);
      }
    }
    bool news = false;
    const auto put = [&news](Real& at, Real value) {
      news = news || at != value;
      at = value;
    };
    for (std::size_t r = 0; r < runs_.runs().size(); ++r) {
      const std::size_t piece = runs_.piece_of(r);
      for (Index n = runs_.runs()[r].first; n < runs_.runs()[r].end; ++n) {
        put(first_at_[static_cast<std::size_t>(n)], first_[piece]);
        put(fixed_at_[static_cast<std::size_t>(n)], fixed_[piece]);
      }
    }
    return news;
  }

  static constexpr Real nowhere = std::numeric_limits<Real>::infinity();
  Runs& runs_;
  std::vector<Real> first_at_, fixed_at_;  ///< by unknown
  std::vector<Real> first_, fixed_;        ///< by the run that stands for a piece
};

// Numbers of one kind that ranks have found, without those that come twice.
std::vector<Index> of_all_ranks(Communicator& ranks, const std::vector<Index>& own) {
  const std::vector<Real> numbers(own.begin(), own.end());
  std::vector<Index> result;
  for (const Real one : ranks.gathered(numbers)) result.push_back(static_cast<Index>(one));
  std::ranges::sort(result);
  result.erase(std::unique(result.begin(), result.end()), result.end());
  return result;
}

}  // namespace

FloatingPieces find_floating(const FaceSystem& given) {
  const Box* const box = given.box.get();
  const FaceSystem padded = box ? with_halo(given) : FaceSystem();
  const FaceSystem& system = box ? padded : given;
  const auto owns = [box](Index n) { return !box || box->owns(n); };
  Runs runs(system);
  const std::vector<Run>& all = runs.runs();
  std::vector<char> fixed(all.size(), 0);
  // Most pieces are fixed at the ends of their lines.
  for (std::size_t r = 0; r < all.size(); ++r)
    for (const Index n : {all[r].first, all[r].end - 1})
      if (char& known = fixed[runs.piece_of(r)]; owns(n) && !known) known = is_fixed(system, n);
  for (std::size_t r = 0; r < all.size(); ++r) {
    char& known = fixed[runs.piece_of(r)];
    for (Index n = all[r].first; n < all[r].end && !known; ++n) known = owns(n) && is_fixed(system, n);
  }

  // By the first unknown of each, counted on the whole grid.
  std::vector<Index> first_of(all.size());
  for (std::size_t r = 0; r < all.size(); ++r) first_of[r] = all[runs.piece_of(r)].first;
  if (box) {
    const PiecesOfBoxes joined(*box, runs, fixed);
    for (std::size_t r = 0; r < all.size(); ++r) {
      const std::size_t piece = runs.piece_of(r);
      first_of[r] = joined.first(piece);
      fixed[piece] = joined.fixed(piece);
    }
  }
  std::vector<Index> firsts;
  for (std::size_t r = 0; r < all.size(); ++r)
    if (runs.piece_of(r) == r && !fixed[r]) firsts.push_back(first_of[r]);
  if (box) firsts = of_all_ranks(box->communicator(), firsts);
  FloatingPieces result;
  for (const Index first : firsts) result.pieces.push_back({{}, first, 0});
  std::vector<Real> counts(firsts.size() + 1, 0.0);
  for (std::size_t r = 0; r < all.size(); ++r) {
    const auto piece =
        static_cast<std::size_t>(std::ranges::lower_bound(firsts, first_of[r]) - firsts.begin());
    for (Index n = all[r].first; n < all[r].end; ++n) {
      if (!owns(n)) continue;
      counts.back() += 1;
      if (fixed[runs.piece_of(r)]) continue;
      counts[piece] += 1;
      result.pieces[piece].unknowns.push_back(n);
    }
  }
  if (box) counts = sums_by_rank(box->communicator(), counts);
  for (std::size_t p = 0; p < firsts.size(); ++p) result.pieces[p].count = static_cast<Index>(counts[p]);
  result.whole = firsts.size() == 1 && counts.front() == counts.back();
  return result;
}

std::vector<Real> sums_by_rank(Communicator& ranks, std::span<const Real> own) {
  const std::vector<Real> all = ranks.gathered(own);
  std::vector<Real> result(own.size(), 0.0);
  for (std::size_t n = 0; n < all.size(); ++n) result[n % own.size()] += all[n];
  return result;
}

}  // namespace williwaw
