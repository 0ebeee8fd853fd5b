// Fast solver for separable systems: transforms along axes with even spacing and simple ends turn the system
// into independent ones along what is left (Hockney, 1965; Swarztrauber, 1977).
#include <fftw3.h>

#include <algorithm>
#include <cmath>
#include <numbers>

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

class FastTransform final : public LinearSolver {
 public:
  ~FastTransform() override { release(); }
  std::string name() const override {
    return line_ < 0 ? "fast transforms" : "fast transforms and Thomas' algorithm";
  }

  void factor(const LinearSystem& system) override {
    release();
    const auto* faces = std::get_if<FaceSystem>(&system);
    const auto parts = faces ? separate(*faces) : std::nullopt;
    const auto transforms = parts ? transforms_of(*parts) : std::nullopt;
    if (!transforms)
      throw SolverError(
          "fast transforms need a rectangle with the same material everywhere, even spacing along all axes "
          "but "
          "one, and boundaries there that are prescribed, insulated or periodic");
    parts_ = *parts;
    transforms_ = *transforms;
    extent_ = faces->extent;
    line_ = -1;
    size_ = 1;
    for (int a = 0; a < dimension(); ++a) {
      if (!transforms_[a]) line_ = a;
      size_ *= parts_.axes[a].count;
    }
    values_.resize(static_cast<std::size_t>(size_));
    plan();
  }

  void solve(std::span<const Real> right, std::span<Real> x) override {
    Real scale = 1;
    for (const auto& t : transforms_)
      if (t) scale *= t->scale;
    each([&](const std::array<Index, 3>& at, Index m) {
      Real weight = 1;
      for (int a = 0; a < dimension(); ++a)
        if (a != line_) weight *= parts_.axes[a].weight[at[a]];
      values_[m] = right[outside(at)] / (weight * scale);
    });
    for (const auto p : forward_) fftw_execute(p);
    if (line_ < 0)
      divide();
    else
      solve_lines();
    for (const auto p : backward_) fftw_execute(p);
    std::copy(right.begin(), right.end(), x.begin());  // prescribed unknowns: rows of the identity
    each([&](const std::array<Index, 3>& at, Index m) { x[outside(at)] = values_[m]; });
  }

 private:
  int dimension() const { return static_cast<int>(parts_.axes.size()); }
  Index count(int a) const { return a < dimension() ? parts_.axes[a].count : 1; }

  Index outside(const std::array<Index, 3>& at) const {
    Index n = 0;
    for (int a = dimension() - 1; a >= 0; --a) n = n * extent_[a] + at[a] + parts_.axes[a].first;
    return n;
  }

  template <class Visit>
  void each(const Visit& visit) const {
    Index m = 0;
    for (Index k = 0; k < count(2); ++k)
      for (Index j = 0; j < count(1); ++j)
        for (Index i = 0; i < count(0); ++i) visit(std::array<Index, 3>{i, j, k}, m++);
  }

  // FFTW_ESTIMATE, so that results repeat.
  void plan() {
    for (int a = 0; a < dimension(); ++a) {
      if (!transforms_[a]) continue;
      int stride = 1;
      for (int b = 0; b < a; ++b) stride *= static_cast<int>(count(b));
      const fftw_iodim along{static_cast<int>(count(a)), stride, stride};
      std::vector<fftw_iodim> others;
      int step = 1;
      for (int b = 0; b < dimension(); ++b) {
        if (b != a) others.push_back({static_cast<int>(count(b)), step, step});
        step *= static_cast<int>(count(b));
      }
      const auto make = [&](fftw_r2r_kind kind) {
        return fftw_plan_guru_r2r(1, &along, static_cast<int>(others.size()), others.data(), values_.data(),
                                  values_.data(), &kind, FFTW_ESTIMATE);
      };
      forward_.push_back(make(transforms_[a]->forward));
      backward_.push_back(make(transforms_[a]->backward));
      if (!forward_.back() || !backward_.back()) throw SolverError("FFTW has no plan for this grid");
    }
  }

  // Eigenvalue of the axis for a weight of 1.
  Real mode(int a, Index k) const {
    return transforms_[a]->eigenvalues[k] * parts_.axes[a].conductance[parts_.axes[a].count / 2];
  }

  void divide() {
    each([&](const std::array<Index, 3>& at, Index m) {
      Real sum = parts_.shift;
      for (int a = 0; a < dimension(); ++a) sum += mode(a, at[a]);
      // The mean that nothing fixes stays at zero.
      values_[m] = sum == 0 ? 0 : values_[m] / sum;
    });
  }

  // For each mode of the other axes a tridiagonal system along the line that is left.
  void solve_lines() {
    const SeparableAxis& axis = parts_.axes[line_];
    const Index n = axis.count;
    Index stride = 1;
    for (int a = 0; a < line_; ++a) stride *= count(a);
    std::vector<Real> ratio(static_cast<std::size_t>(n)), v(ratio.size());
    each([&](const std::array<Index, 3>& at, Index m) {
      if (at[line_] != 0) return;
      Real others = parts_.shift;
      for (int a = 0; a < dimension(); ++a)
        if (a != line_) others += mode(a, at[a]);
      Real last = 0;
      for (Index i = 0; i < n; ++i) {
        const Real below = i > 0 ? axis.conductance[i] : 0, above = i + 1 < n ? axis.conductance[i + 1] : 0;
        Real pivot =
            others * axis.weight[i] + below + above + axis.boundary[i] - (i > 0 ? below * ratio[i - 1] : 0);
        // A mean that nothing fixes shows in the very last pivot.
        const bool loose = i == n - 1 && std::abs(pivot) < 1e-12 * (below + above);
        ratio[i] = above / pivot;
        last = loose ? 0 : (values_[m + i * stride] + below * last) / pivot;
        v[i] = last;
      }
      for (Index i = n - 2; i >= 0; --i) v[i] += ratio[i] * v[i + 1];
      for (Index i = 0; i < n; ++i) values_[m + i * stride] = v[i];
    });
  }

  void release() {
    for (auto* plans : {&forward_, &backward_}) {
      for (const auto p : *plans) fftw_destroy_plan(p);
      plans->clear();
    }
  }

  Separable parts_;
  std::vector<std::optional<Transform>> transforms_;
  std::array<Index, 3> extent_{1, 1, 1};
  int line_ = -1;
  Index size_ = 0;
  std::vector<Real> values_;
  std::vector<fftw_plan> forward_, backward_;
};

}  // namespace

std::unique_ptr<LinearSolver> make_transform_solver() {
  return std::make_unique<FastTransform>();
}

bool is_separable(const LinearSystem& system) {
  const auto* faces = std::get_if<FaceSystem>(&system);
  const auto parts = faces ? separate(*faces) : std::nullopt;
  return parts && transforms_of(*parts);
}

SolverKind solvers::transform() {
  return {.name = "transform", .known_once_factored = true, .make = [](const SolverRules&) {
            return make_transform_solver();
          }};
}

}  // namespace williwaw
