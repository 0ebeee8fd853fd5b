// Systems that couple along one axis only: Thomas' algorithm on all lines of that axis side by side.
#include <cmath>

#include "williwaw/solve/linear_solver.hpp"

namespace williwaw {

namespace {

int coupled_axis(const FaceSystem& m) {
  int found = -1;
  for (int a = 0; a < m.dimension(); ++a)
    for (const auto* side : {&m.lower[a], &m.upper[a]})
      for (const Real c : *side)
        if (c != 0) {
          if (found >= 0 && found != a) return -2;
          found = a;
          break;
        }
  return found;
}

// Unknowns are seen as (inner, along, outer): `stride` of them lie side by side before the next one along the
// axis. Loops over the inner ones are contiguous unless the axis is x.
class Lines final : public LinearSolver {
 public:
  std::string name() const override { return "Thomas, line by line"; }

  void factor(const LinearSystem& system) override {
    const auto* m = std::get_if<FaceSystem>(&system);
    const int axis = m ? coupled_axis(*m) : -2;
    if (axis == -2) throw SolverError("the Thomas solver takes systems coupled along one axis only");
    const int a = std::max(axis, 0);
    stride_ = 1;
    for (int b = 0; b < a; ++b) stride_ *= m->extent[b];
    along_ = m->extent[a];
    outer_ = m->size() / (stride_ * along_);
    periodic_ = m->periodic[a] && along_ > 1;
    pivot_ = m->diagonal;
    below_ = m->lower[a];
    ratio_ = m->upper[a];
    // An unknown that is its own neighbour.
    if (m->periodic[a] && along_ == 1)
      for (std::size_t n = 0; n < pivot_.size(); ++n) pivot_[n] += below_[n] + ratio_[n];
    if (periodic_) open_seams();
    each_line([&](Index start) {
      for (Index i = 0; i < along_; ++i) {
        const Index n = start + i * stride_;
        if (i > 0) pivot_[n] -= below_[n] * ratio_[n - stride_];
        if (pivot_[n] == 0 || !std::isfinite(pivot_[n]))
          throw SolverError("the matrix of a line is singular");
        pivot_[n] = 1 / pivot_[n];
        ratio_[n] *= pivot_[n];
        below_[n] *= pivot_[n];
      }
    });
    if (periodic_) close_seams();
  }

  void solve(std::span<const Real> right, std::span<Real> x) override {
    sweep(right, x);
    if (!periodic_) return;
    each_line([&](Index start) {
      const Index end = start + (along_ - 1) * stride_;
      const Real factor = (x[start] + tail_[start] * x[end]) * closing_[start];
      for (Index n = start; n <= end; n += stride_) x[n] -= factor * correction_[n];
    });
  }

 private:
  template <class Visit>
  void each_line(const Visit& visit) const {
    for (Index o = 0; o < outer_; ++o)
      for (Index s = 0; s < stride_; ++s) visit(o * stride_ * along_ + s);
  }

  void sweep(std::span<const Real> right, std::span<Real> x) const {
    for (Index o = 0; o < outer_; ++o) {
      const Index first = o * stride_ * along_, end = first + stride_ * along_;
      for (Index n = first; n < first + stride_; ++n) x[n] = right[n] * pivot_[n];
      for (Index n = first + stride_; n < end; ++n) x[n] = right[n] * pivot_[n] - below_[n] * x[n - stride_];
      for (Index n = end - stride_ - 1; n >= first; --n) x[n] -= ratio_[n] * x[n + stride_];
    }
  }

  // The seam is taken out of every line as a rank-one change u·vᵀ (Sherman and Morrison, 1950), with
  // u = (shift, 0, .., last), v = (1, 0, .., first/shift).
  void open_seams() {
    correction_.assign(pivot_.size(), 0.0);
    tail_.assign(pivot_.size(), 0.0);
    closing_.assign(pivot_.size(), 0.0);
    each_line([&](Index start) {
      const Index end = start + (along_ - 1) * stride_;
      const Real shift = -pivot_[start], first = below_[start], last = ratio_[end];
      tail_[start] = first / shift;
      correction_[start] = shift;
      correction_[end] = last;
      pivot_[start] -= shift;
      pivot_[end] -= last * first / shift;
      below_[start] = 0;
      ratio_[end] = 0;
    });
  }
  void close_seams() {
    const std::vector<Real> u = correction_;
    sweep(u, correction_);
    each_line([&](Index start) {
      const Index end = start + (along_ - 1) * stride_;
      const Real denominator = 1 + correction_[start] + tail_[start] * correction_[end];
      if (denominator == 0) throw SolverError("the periodic matrix of a line is singular");
      closing_[start] = 1 / denominator;
    });
  }

  Index stride_ = 1, along_ = 1, outer_ = 1;
  bool periodic_ = false;
  std::vector<Real> pivot_, below_, ratio_, correction_, tail_, closing_;
};

}  // namespace

bool is_of_lines(const FaceSystem& system) {
  return coupled_axis(system) != -2;
}

std::unique_ptr<LinearSolver> make_lines_solver() {
  return std::make_unique<Lines>();
}

}  // namespace williwaw
