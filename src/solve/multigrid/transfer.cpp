// Between one level of the hierarchy and the next: residuals gathered, corrections spread, line by line.
#include <algorithm>

#include "hierarchy.hpp"
#include "williwaw/grid/clones.hpp"

namespace williwaw {

namespace {

// Fine lines along one axis that a coarse line hears of: its own pair, which keeps 1 − lean, and the nearer
// lines of the pairs beside it, which give their lean.
struct Heard {
  Index at;
  bool own;
};

std::vector<Heard> heard(Index pair, bool paired, Index fine, bool periodic) {
  if (!paired) return {{pair, true}};
  std::vector<Heard> result;
  const Index pairs = (fine + 1) / 2;
  for (Index at = 2 * pair; at < std::min(2 * pair + 2, fine); ++at) result.push_back({at, true});
  for (const Index step : {Index{-1}, Index{1}}) {
    Index beside = pair + step;
    if ((beside < 0 || beside >= pairs) && !periodic) continue;
    beside = beside < 0 ? pairs - 1 : beside >= pairs ? 0 : beside;
    if (const Index at = 2 * beside + (step < 0 ? 1 : 0); at < fine) result.push_back({at, false});
  }
  return result;
}

// line·(1 − lean) for a pair's own line, line·lean for one beside it.
WILLIWAW_CLONES
void weigh(Index count, bool own, const float* lean, float* __restrict line) {
  const float from = own ? 1.0f : 0.0f, sign = own ? -1.0f : 1.0f;
#pragma omp simd
  for (Index i = 0; i < count; ++i) line[i] *= from + sign * lean[i];
}

// A coarse line spread along x: each unknown takes its pair's value and leans to the pair beside it. `low`
// and `high` are what lies beyond the ends.
WILLIWAW_CLONES
void spread(Index count, const float* values, const float* lean, float low, float high,
            float* __restrict out) {
#pragma omp simd
  for (Index I = 0; I < (count - 2) / 2; ++I) {
    const float before = values[I], after = values[I + 1];
    out[2 * I + 1] = before + lean[2 * I + 1] * (after - before);
    out[2 * I + 2] = after + lean[2 * I + 2] * (before - after);
  }
  const Index pairs = (count + 1) / 2;
  for (const Index i : {Index{0}, count - 2, count - 1}) {
    const Index next = i / 2 + (i % 2 == 1 ? 1 : -1);
    const float middle = values[i / 2], there = next < 0 ? low : next >= pairs ? high : values[next];
    out[i] = middle + lean[i] * (there - middle);
  }
}

WILLIWAW_CLONES
void lean_towards(Index count, const float* lean, const float* other, float* __restrict out) {
#pragma omp simd
  for (Index i = 0; i < count; ++i) out[i] += lean[i] * (other[i] - out[i]);
}

WILLIWAW_CLONES
void add_line(Index count, const float* from, float* __restrict to) {
#pragma omp simd
  for (Index i = 0; i < count; ++i) to[i] += from[i];
}

// Joins a line in pairs along x. `lean` is null where x is not paired.
WILLIWAW_CLONES
void pair_up(Index fine, Index coarse, bool periodic, const float* lean, const float* __restrict s,
             float* __restrict out) {
  if (!lean) {
    for (Index i = 0; i < fine; ++i) out[i] += s[i];
    return;
  }
  const auto one = [&](Index I) {
    const Index i = 2 * I;
    float sum = (1 - lean[i]) * s[i];
    if (i + 1 < fine) sum += (1 - lean[i + 1]) * s[i + 1];
    const Index below = I > 0 ? i - 1 : fine - 1, above = i + 2 < fine ? i + 2 : 0;
    if (I > 0 || (periodic && below % 2 == 1)) sum += lean[below] * s[below];
    if (i + 2 < fine || periodic) sum += lean[above] * s[above];
    out[I] += sum;
  };
  const Index inner = (fine - 2) / 2;
#pragma omp simd
  for (Index I = 1; I < inner; ++I) {
    const Index i = 2 * I;
    out[I] +=
        (1 - lean[i]) * s[i] + (1 - lean[i + 1]) * s[i + 1] + lean[i - 1] * s[i - 1] + lean[i + 2] * s[i + 2];
  }
  one(0);
  for (Index I = std::max<Index>(1, inner); I < coarse; ++I) one(I);
}

}  // namespace

// Gathers residuals the way corrections are spread: each unknown's part is added to its own pair and, by its
// lean, to the pair beside it, along each axis.
void Hierarchy::restrict_residual(const Level& fine, Level& coarse) {
  const Index nx = fine.extent[0], ny = fine.extent[1];
#pragma omp parallel num_threads(coarse.threads) if (coarse.threads > 1)
  {
    std::vector<float> line(static_cast<std::size_t>(nx));
    const RowRange rows = coarse.share.own(1), planes = coarse.share.own(2);
#pragma omp for schedule(static)
    for (Index own = 0; own < rows.count() * planes.count(); ++own) {
      const Index J = rows.first + own % rows.count(), K = planes.first + own / rows.count();
      float* out = coarse.b.data() + coarse.extent[0] * (J + coarse.extent[1] * K);
      std::fill(out, out + coarse.extent[0], 0.0f);
      for (const Heard& z : heard(K - fine.shift[2], fine.paired[2], fine.extent[2], fine.periodic[2]))
        for (const Heard& y : heard(J - fine.shift[1], fine.paired[1], ny, fine.periodic[1])) {
          const Index start = nx * (y.at + ny * z.at);
          std::copy_n(fine.r.data() + start, nx, line.begin());
          for (const auto& [a, one] : {std::pair{1, y}, std::pair{2, z}}) {
            if (!fine.paired[a]) continue;
            weigh(nx, one.own, fine.lean[a].data() + start, line.data());
          }
          pair_up(nx, coarse.extent[0], fine.periodic[0],
                  fine.paired[0] ? fine.lean[0].data() + start : nullptr, line.data(), out);
        }
    }
  }
}

void Hierarchy::add_correction(Level& fine, const Level& coarse) {
  const Index nx = fine.extent[0], ny = fine.extent[1], NX = coarse.extent[0], NY = coarse.extent[1];
  const auto beside = [&](int a, Index at) {
    const Index size = coarse.extent[a], next = at / 2 + (at % 2 == 1 ? 1 : -1) + fine.shift[a];
    if (next >= 0 && next < size) return next;
    return coarse.periodic[a] ? (next < 0 ? size - 1 : 0) : Index{-1};
  };
  // Beyond a boundary everything is zero.
  const std::vector<float> nothing(static_cast<std::size_t>(NX), 0.0f);
#pragma omp parallel num_threads(fine.threads) if (fine.threads > 1)
  {
    std::vector<float> own(static_cast<std::size_t>(nx)), other(own.size()), above(own.size());
    const auto along_x = [&](const float* values, Index start, std::vector<float>& out) {
      if (!fine.paired[0])
        std::copy_n(values, nx, out.begin());
      else
        spread(nx, values, fine.lean[0].data() + start, fine.periodic[0] ? values[NX - 1] : 0,
               fine.periodic[0] ? values[0] : 0, out.data());
    };
    const RowRange rows = fine.share.worked(1), planes = fine.share.worked(2);
#pragma omp for schedule(static)
    for (Index l = 0; l < rows.count() * planes.count(); ++l) {
      const Index j = rows.first + l % rows.count(), k = planes.first + l / rows.count();
      const Index start = nx * (j + ny * k);
      const Index J = (fine.paired[1] ? j / 2 : j) + fine.shift[1],
                  K = (fine.paired[2] ? k / 2 : k) + fine.shift[2];
      const auto plane = [&](Index layer, std::vector<float>& out) {
        const auto line = [&](Index row) {
          return row < 0 || layer < 0 ? nothing.data() : coarse.x.data() + NX * (row + NY * layer);
        };
        along_x(line(J), start, out);
        if (!fine.paired[1]) return;
        along_x(line(beside(1, j)), start, other);
        lean_towards(nx, fine.lean[1].data() + start, other.data(), out.data());
      };
      plane(K, own);
      if (fine.paired[2]) {
        plane(beside(2, k), above);
        lean_towards(nx, fine.lean[2].data() + start, above.data(), own.data());
      }
      add_line(nx, own.data(), fine.x.data() + start);
    }
  }
}

}  // namespace williwaw
