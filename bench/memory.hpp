// What the machine's memory gives, and loops tuned by hand for comparison: the yardsticks of all benchmarks.
#pragma once

#include <cstddef>
#include <memory>

namespace williwaw::bench {

/// An array that its own threads have touched first, aligned for vector loads.
class Array {
 public:
  explicit Array(std::size_t count);
  ~Array();
  Array(const Array&) = delete;
  Array& operator=(const Array&) = delete;
  double* data() { return data_; }
  const double* data() const { return data_; }
  std::size_t size() const { return count_; }

 private:
  std::size_t count_;
  double* data_;
};

/// out[i] = a[i]: 24 bytes a value move (read, read for ownership, write).
void copy(const Array& a, Array& out, int threads);

/// One explicit step on an n x n plan with closed boundaries, written by hand for this one case: constant
/// coefficients, equal spacings, nothing counted.
void hand_tuned_step(const double* u, double* out, std::ptrdiff_t n, double x, double y, int threads);

/// The same of equal spacings with `layers` along z (1 for a plan), `square` being diffusivity·step/spacing².
void hand_tuned_step(const double* u, double* out, std::ptrdiff_t n, std::ptrdiff_t layers, double square,
                     int threads);
/// And with a conductance for every face, laid out as for `hand_tuned_leapfrog`, each times `square`.
void hand_tuned_step(const double* u, double* out, std::ptrdiff_t n, std::ptrdiff_t layers, const double* x,
                     const double* y, const double* z, double square, int threads);

/// One step of the classical Runge-Kutta scheme of order 4 for the first of these in 2-D, stage by stage:
/// `one` and `two` are room for stages.
void hand_tuned_rk4(const double* u, double* out, double* one, double* two, std::ptrdiff_t n, double square,
                    int threads);

/// One explicit step of two unknowns on an n x n plan with closed boundaries, by hand for this one case:
/// u' = a − u + u²v and v' = b − u²v beside their diffusion, `x` and `y` being diffusivity·step over the
/// square of the spacing.
void hand_reacting_step(const double* u, const double* v, double* next_u, double* next_v, std::ptrdiff_t n,
                        double x, double y, double a, double b, double step, int threads);

/// One step of leapfrog with free ends, written by hand: `other` becomes 2u − other + square·Σ(neighbours −
/// u). `n` unknowns along x and y, `layers` along z (1 for a plan).
void hand_tuned_leapfrog(const double* u, double* other, std::ptrdiff_t n, std::ptrdiff_t layers,
                         double square, int threads);

/// The same with a conductance for every face: along x n + 1 faces a line, along y one line of faces more
/// than of unknowns in each layer, along z one layer of faces more.
void hand_tuned_leapfrog(const double* u, double* other, std::ptrdiff_t n, std::ptrdiff_t layers,
                         const double* x, const double* y, const double* z, double square, int threads);

/// One stage of a Runge-Kutta scheme for u_t + (u²/2)_x + (u²/2)_y = 0 on a periodic n x n plan, written by
/// hand for this one case: van Leer's slopes, Godunov's flux; out = (1 − share)·start + share·u + ratio·(what
/// flows in), ratio being the step over the spacing.
void hand_tuned_stage(const double* start, const double* u, double* out, std::ptrdiff_t n, double fraction,
                      double ratio, int threads);

}  // namespace williwaw::bench
