// Fast solver for separable systems: transforms along axes with even spacing and simple ends turn the system
// into independent ones along what is left (Hockney, 1965; Swarztrauber, 1977).
#include <fftw3.h>

#include <algorithm>
#include <cmath>
#include <numbers>

#include "grid/threads.hpp"
#include "kinds.hpp"
#include "solve/separable.hpp"

namespace williwaw {
namespace {

// How an axis is transformed: kinds of transform there and back, their scale, and the eigenvalue of mode k
// for conductances of 1.
struct Transform {
  fftw_r2r_kind forward, backward;
  Real scale;
  std::vector<Real> eigenvalues;
};

bool near(Real a, Real b) {
  return std::abs(a - b) <= 1e-9 * std::max(std::abs(a), std::abs(b));
}

enum class End { closed, half_prescribed, prescribed, closed_node, other };

// What an end is: unknowns half an interval from the boundary (cells) or on it (nodes).
End end_of(const SeparableAxis& axis, bool upper) {
  const Index i = upper ? axis.count - 1 : 0, n = axis.count;
  const Real unit = axis.conductance[n / 2], boundary = axis.boundary[i];
  const bool half = near(axis.weight[i], 0.5);
  if (!half && !near(axis.weight[i], 1)) return End::other;
  if (boundary == 0) return half ? End::closed_node : End::closed;
  if (half) return End::other;
  return near(boundary, 2 * unit) ? End::half_prescribed
         : near(boundary, unit)   ? End::prescribed
                                  : End::other;
}

std::optional<Transform> transform_of(const SeparableAxis& axis) {
  const Index n = axis.count;
  for (Index i = 1; i < n; ++i)
    if (!near(axis.conductance[i], axis.conductance[n / 2])) return std::nullopt;
  for (Index i = 1; i + 1 < n; ++i)
    if (!near(axis.weight[i], 1)) return std::nullopt;
  Transform t;
  const auto modes = [&](auto angle) {
    for (Index k = 0; k < n; ++k) {
      const Real s = std::sin(0.5 * std::numbers::pi * angle(static_cast<Real>(k)));
      t.eigenvalues.push_back(4 * s * s);
    }
  };
  const Real size = static_cast<Real>(n);
  if (axis.periodic) {
    if (!near(axis.conductance[0], axis.conductance[n / 2]) || !near(axis.weight[0], 1)) return std::nullopt;
    t = {FFTW_R2HC, FFTW_HC2R, size, {}};
    modes([&](Real k) { return 2 * std::min(k, size - k) / size; });
    return t;
  }
  const End low = end_of(axis, false), high = end_of(axis, true);
  using enum End;
  if (low == closed && high == closed) {
    t = {FFTW_REDFT10, FFTW_REDFT01, 2 * size, {}};
    modes([&](Real k) { return k / size; });
  } else if (low == half_prescribed && high == half_prescribed) {
    t = {FFTW_RODFT10, FFTW_RODFT01, 2 * size, {}};
    modes([&](Real k) { return (k + 1) / size; });
  } else if (low == half_prescribed && high == closed) {
    t = {FFTW_RODFT11, FFTW_RODFT11, 2 * size, {}};
    modes([&](Real k) { return (k + 0.5) / size; });
  } else if (low == closed && high == half_prescribed) {
    t = {FFTW_REDFT11, FFTW_REDFT11, 2 * size, {}};
    modes([&](Real k) { return (k + 0.5) / size; });
  } else if (low == prescribed && high == prescribed) {
    t = {FFTW_RODFT00, FFTW_RODFT00, 2 * (size + 1), {}};
    modes([&](Real k) { return (k + 1) / (size + 1); });
  } else if (low == closed_node && high == closed_node && n > 1) {
    t = {FFTW_REDFT00, FFTW_REDFT00, 2 * (size - 1), {}};
    modes([&](Real k) { return k / (size - 1); });
  } else if (low == prescribed && high == closed_node) {
    t = {FFTW_RODFT01, FFTW_RODFT10, 2 * size, {}};
    modes([&](Real k) { return (k + 0.5) / size; });
  } else if (low == closed_node && high == prescribed) {
    t = {FFTW_REDFT01, FFTW_REDFT10, 2 * size, {}};
    modes([&](Real k) { return (k + 0.5) / size; });
  } else {
    return std::nullopt;
  }
  return t;
}

// Axes that can be transformed; at most one cannot, and is left to Thomas' algorithm.
std::optional<std::vector<std::optional<Transform>>> transforms_of(const Separable& parts) {
  std::vector<std::optional<Transform>> result;
  int left = 0;
  for (const auto& axis : parts.axes) {
    result.push_back(transform_of(axis));
    if (!result.back()) {
      ++left;
      if (axis.periodic) return std::nullopt;
    }
  }
  if (left > 1) return std::nullopt;
  return result;
}

struct PlanDeleter {
  void operator()(fftw_plan plan) const { fftw_destroy_plan(plan); }
};
using Plan = std::unique_ptr<std::remove_pointer_t<fftw_plan>, PlanDeleter>;

struct BufferDeleter {
  void operator()(Real* values) const { fftw_free(values); }
};
using Buffer = std::unique_ptr<Real[], BufferDeleter>;

// Lines that are transformed together, side by side along another axis, so that each visit of a cache line
// brings values of all of them.
constexpr Index batch = 8;

// Extents, and steps from a value to the next one along each axis, of a block within a larger one.
struct Strides {
  Index first = 0;
  std::array<Index, 3> step{0, 0, 0};
};

class FastTransform final : public LinearSolver {
 public:
  explicit FastTransform(int threads) : wanted_threads_(threads) {}
  std::string name() const override {
    return line_ < 0 ? "fast transforms" : "fast transforms and Thomas' algorithm";
  }

  void factor(const LinearSystem& system) override {
    const auto* faces = std::get_if<FaceSystem>(&system);
    auto parts = faces ? separate(*faces) : std::nullopt;
    auto transforms = parts ? transforms_of(*parts) : std::nullopt;
    if (!transforms)
      throw SolverError(
          "fast transforms need a rectangle with the same material everywhere, even spacing along all axes "
          "but "
          "one, and boundaries there that are prescribed, insulated or periodic");
    parts_ = std::move(*parts);
    transforms_ = std::move(*transforms);
    line_ = -1;
    Index size = 1, whole = 1;
    outside_ = inside_ = {};
    for (int a = 0; a < dimension(); ++a) {
      if (!transforms_[a]) line_ = a;
      inside_.step[a] = size;
      outside_.step[a] = whole;
      outside_.first += parts_.axes[a].first * whole;
      size *= count(a);
      whole *= faces->extent[a];
    }
    holds_some_ = size < whole;
    inner_ = line_ >= 0 ? line_ : dimension() - 1;
    threads_ = threads_for(size, wanted_threads_);
    values_.resize(static_cast<std::size_t>(size));
    plan();
  }

  void solve(std::span<const Real> right, std::span<Real> x) override {
    Real scale = 1;
    for (const auto& t : transforms_)
      if (t) scale *= t->scale;
    std::vector<int> outer;
    for (int a = 0; a < dimension(); ++a)
      if (a != inner_) outer.push_back(a);
    for (const int a : outer) {
      const bool first = a == outer.front();
      by_batches(a, [&](Real* lines, const std::array<Index, 3>& at, Index many) {
        read(first ? right.data() : values_.data(), first ? outside_ : inside_, a, at, many, lines);
        if (first) divide_by_weights(a, at, many, scale, lines);
        fftw_execute_r2r(forward_[a].get(), lines, lines);
        write(lines, a, at, many, values_.data(), inside_);
      });
    }
    by_batches(inner_, [&](Real* lines, const std::array<Index, 3>& at, Index many) {
      read(values_.data(), inside_, inner_, at, many, lines);
      if (line_ < 0) {
        fftw_execute_r2r(forward_[inner_].get(), lines, lines);
        for (Index l = 0; l < many; ++l) divide_by_modes(of_others(at, l), lines + l * pitch(inner_));
        fftw_execute_r2r(backward_[inner_].get(), lines, lines);
      } else {
        for (Index l = 0; l < many; ++l) solve_line(of_others(at, l), lines + l * pitch(inner_));
      }
      write(lines, inner_, at, many, values_.data(), inside_);
    });
    if (holds_some_) std::copy(right.begin(), right.end(), x.begin());  // rows of the identity
    std::ranges::reverse(outer);
    for (const int a : outer) {
      const bool last = a == outer.back();
      by_batches(a, [&](Real* lines, const std::array<Index, 3>& at, Index many) {
        read(values_.data(), inside_, a, at, many, lines);
        fftw_execute_r2r(backward_[a].get(), lines, lines);
        write(lines, a, at, many, last ? x.data() : values_.data(), last ? outside_ : inside_);
      });
    }
  }

 private:
  int dimension() const { return static_cast<int>(parts_.axes.size()); }
  Index count(int a) const { return a < dimension() ? parts_.axes[a].count : 1; }
  // The axis along which lines of axis a stand side by side, and the third one.
  static int beside(int a) { return a == 0 ? 1 : 0; }
  static int third(int a) { return 3 - a - beside(a); }
  // From a line of a buffer to the next.
  Index pitch(int a) const { return (count(a) + 7) / 8 * 8; }

  Buffer buffer_for(int a) const {
    const auto size = static_cast<std::size_t>(batch * pitch(a));
    Buffer result(fftw_alloc_real(size));
    if (!result) throw std::bad_alloc();
    std::fill_n(result.get(), size, 0.0);
    return result;
  }

  // visit(buffer of its own, place of the first line, number of lines) for all lines along an axis. Batches
  // are the same for any number of threads.
  template <class Visit>
  void by_batches(int a, const Visit& visit) const {
    const Index groups = (count(beside(a)) + batch - 1) / batch;
    on_all_threads(
        groups * count(third(a)), threads_, [&] { return buffer_for(a); },
        [&](Buffer& buffer, Index number) {
          std::array<Index, 3> at{0, 0, 0};
          at[beside(a)] = number % groups * batch;
          at[third(a)] = number / groups;
          visit(buffer.get(), at, std::min(batch, count(beside(a)) - at[beside(a)]));
        });
  }

  static Index start(const Strides& strides, const std::array<Index, 3>& at) {
    return strides.first + at[0] * strides.step[0] + at[1] * strides.step[1] + at[2] * strides.step[2];
  }
  void read(const Real* values, const Strides& strides, int a, const std::array<Index, 3>& at, Index many,
            Real* lines) const {
    const Real* from = values + start(strides, at);
    const Index n = count(a), step = strides.step[a], next = strides.step[beside(a)], apart = pitch(a);
    if (step == 1)
      for (Index l = 0; l < many; ++l) std::copy_n(from + l * next, n, lines + l * apart);
    else
      for (Index i = 0; i < n; ++i)
        for (Index l = 0; l < many; ++l) lines[l * apart + i] = from[i * step + l * next];
  }
  void write(const Real* lines, int a, const std::array<Index, 3>& at, Index many, Real* values,
             const Strides& strides) const {
    Real* to = values + start(strides, at);
    const Index n = count(a), step = strides.step[a], next = strides.step[beside(a)], apart = pitch(a);
    if (step == 1)
      for (Index l = 0; l < many; ++l) std::copy_n(lines + l * apart, n, to + l * next);
    else
      for (Index i = 0; i < n; ++i)
        for (Index l = 0; l < many; ++l) to[i * step + l * next] = lines[l * apart + i];
  }

  // The rows as those of the operators of the axes, but that along the line that is not transformed.
  void divide_by_weights(int a, const std::array<Index, 3>& at, Index many, Real scale, Real* lines) const {
    const auto weight = [&](int b, Index i) {
      return b < dimension() && b != line_ ? parts_.axes[b].weight[i] : 1.0;
    };
    for (Index l = 0; l < many; ++l) {
      const Real others = 1 / (scale * weight(beside(a), at[beside(a)] + l) * weight(third(a), at[third(a)]));
      Real* line = lines + l * pitch(a);
      for (Index i = 0; i < count(a); ++i) line[i] *= others / parts_.axes[a].weight[i];
    }
  }

  // FFTW_ESTIMATE, so that results repeat.
  void plan() {
    for (int a = 0; a < 3; ++a) {
      forward_[a].reset();
      backward_[a].reset();
      if (a >= dimension() || !transforms_[a]) continue;
      const fftw_iodim along{static_cast<int>(count(a)), 1, 1};
      const int apart = static_cast<int>(pitch(a));
      const fftw_iodim lines{static_cast<int>(batch), apart, apart};
      const Buffer buffer = buffer_for(a);
      const auto make = [&](fftw_r2r_kind kind) {
        Plan plan(fftw_plan_guru_r2r(1, &along, 1, &lines, buffer.get(), buffer.get(), &kind, FFTW_ESTIMATE));
        if (!plan) throw SolverError("FFTW has no plan for this grid");
        return plan;
      };
      forward_[a] = make(transforms_[a]->forward);
      backward_[a] = make(transforms_[a]->backward);
    }
  }

  // Eigenvalue of the axis for a weight of 1.
  Real mode(int a, Index k) const {
    return transforms_[a]->eigenvalues[k] * parts_.axes[a].conductance[parts_.axes[a].count / 2];
  }
  // Sum of the eigenvalues of the axes across line l of a batch along the inner axis, and of the shift.
  Real of_others(const std::array<Index, 3>& at, Index l) const {
    Real sum = parts_.shift;
    for (const int b : {beside(inner_), third(inner_)})
      if (b < dimension()) sum += mode(b, at[b] + (b == beside(inner_) ? l : 0));
    return sum;
  }

  void divide_by_modes(Real others, Real* line) const {
    const auto& eigenvalues = transforms_[inner_]->eigenvalues;
    const Real unit = parts_.axes[inner_].conductance[count(inner_) / 2];
    for (Index k = 0; k < count(inner_); ++k) {
      const Real sum = others + eigenvalues[k] * unit;
      // The mean that nothing fixes stays at zero.
      line[k] = sum == 0 ? 0 : line[k] / sum;
    }
  }

  // For a mode of the other axes a tridiagonal system along the line that is left.
  void solve_line(Real others, Real* line) const {
    const SeparableAxis& axis = parts_.axes[line_];
    const Index n = axis.count;
    std::vector<Real> ratio(static_cast<std::size_t>(n));
    Real last = 0;
    for (Index i = 0; i < n; ++i) {
      const Real below = i > 0 ? axis.conductance[i] : 0, above = i + 1 < n ? axis.conductance[i + 1] : 0;
      const Real pivot =
          others * axis.weight[i] + below + above + axis.boundary[i] - (i > 0 ? below * ratio[i - 1] : 0);
      // A mean that nothing fixes shows in the very last pivot.
      const bool loose = i == n - 1 && std::abs(pivot) < 1e-12 * (below + above);
      ratio[i] = above / pivot;
      line[i] = last = loose ? 0 : (line[i] + below * last) / pivot;
    }
    for (Index i = n - 2; i >= 0; --i) line[i] += ratio[i] * line[i + 1];
  }

  Separable parts_;
  std::vector<std::optional<Transform>> transforms_;
  Strides outside_, inside_;   // of the system's unknowns, and of those that boundaries do not hold
  bool holds_some_ = false;    // boundaries hold unknowns of the system
  int line_ = -1, inner_ = 0;  // axis that is not transformed; that along which modes are solved for
  int wanted_threads_, threads_ = 1;
  std::vector<Real> values_;
  std::array<Plan, 3> forward_, backward_;
};

}  // namespace

std::unique_ptr<LinearSolver> make_transform_solver(int threads) {
  return std::make_unique<FastTransform>(threads);
}

bool is_separable(const LinearSystem& system) {
  const auto* faces = std::get_if<FaceSystem>(&system);
  const auto parts = faces ? separate(*faces) : std::nullopt;
  return parts && transforms_of(*parts);
}

SolverKind solvers::transform() {
  return {.name = "transform", .known_once_factored = true, .make = [](const SolverRules& rules) {
            return make_transform_solver(rules.threads);
          }};
}

}  // namespace williwaw
