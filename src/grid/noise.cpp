// Smooth random fields, the same function of place on every grid.
#include <algorithm>
#include <cmath>
#include <mutex>
#include <numbers>
#include <random>

#include "williwaw/grid/clones.hpp"
#include "williwaw/grid/field_operations.hpp"

namespace williwaw {

namespace {

constexpr int waves = 256;

struct Wave {
  std::array<Real, 3> number{0, 0, 0};
  Real phase = 0;
};

std::vector<Wave> waves_of(const Grid& domain, Real length, std::uint64_t seed) {
  if (!(length > 0)) throw InputError("the length over which noise is alike must be above zero");
  // The engine's numbers are the same everywhere; the library's distributions are not.
  std::mt19937_64 engine(seed);
  const auto uniform = [&engine] { return (static_cast<Real>(engine() >> 11) + 0.5) / 9007199254740992.0; };
  std::vector<Wave> all(waves);
  for (Wave& w : all) {
    for (int a = 0; a < domain.dimension(); ++a) {
      // Wave numbers of a Gaussian spectrum (Box and Muller, 1958), those that close on periodic axes.
      const Real normal = std::sqrt(-2 * std::log(uniform())) * std::cos(2 * std::numbers::pi * uniform());
      Real number = normal / length;
      const Axis& axis = domain.axis(a);
      if (axis.periodic())
        number = 2 * std::numbers::pi / axis.length() *
                 std::round(number * axis.length() / (2 * std::numbers::pi));
      w.number[static_cast<std::size_t>(domain.direction(a))] = number;
    }
    w.phase = 2 * std::numbers::pi * uniform();
  }
  return all;
}

// Cosines and sines of all waves at the x of a line, one wave after another.
struct AlongX {
  std::vector<Real> x, cosines, sines;
};

WILLIWAW_CLONES
void add_wave(Index count, Real cosine, Real sine, const Real* cosines, const Real* sines,
              Real* __restrict out) {
#pragma omp simd
  for (Index i = 0; i < count; ++i) out[i] += cosine * cosines[i] - sine * sines[i];
}

// Lines of x that follow each other share the cosines along them.
class NoiseByLine {
 public:
  NoiseByLine(std::vector<Wave> all, Real size) : waves_(std::move(all)), size_(size) {}

  void evaluate(const Points& places, std::span<Real> out) const {
    const std::size_t count = out.size();
    std::fill(out.begin(), out.end(), 0.0);
    if (count == 0) return;
    const bool line = count >= 16 &&
                      std::ranges::all_of(places.y, [&](Real y) { return y == places.y.front(); }) &&
                      std::ranges::all_of(places.z, [&](Real z) { return z == places.z.front(); });
    if (!line) {
      for (std::size_t i = 0; i < count; ++i) out[i] = at(places[static_cast<Index>(i)]);
      return;
    }
    const std::shared_ptr<const AlongX> along = along_x(places.x);
    const Point start = places[0];
    for (std::size_t w = 0; w < waves_.size(); ++w) {
      const Wave& wave = waves_[w];
      const Real rest = wave.number[1] * start.y + wave.number[2] * start.z + wave.phase;
      add_wave(static_cast<Index>(count), size_ * std::cos(rest), size_ * std::sin(rest),
               along->cosines.data() + w * count, along->sines.data() + w * count, out.data());
    }
  }

  Real at(const Point& p) const {
    Real sum = 0;
    for (const Wave& w : waves_)
      sum += std::cos(w.number[0] * p.x + w.number[1] * p.y + w.number[2] * p.z + w.phase);
    return size_ * sum;
  }

 private:
  std::shared_ptr<const AlongX> along_x(const std::vector<Real>& x) const {
    {
      const std::lock_guard lock(mutex_);
      if (last_ && last_->x == x) return last_;
    }
    const auto made = std::make_shared<AlongX>();
    made->x = x;
    for (const Wave& w : waves_)
      for (const Real at : x) {
        made->cosines.push_back(std::cos(w.number[0] * at));
        made->sines.push_back(std::sin(w.number[0] * at));
      }
    const std::lock_guard lock(mutex_);
    last_ = made;
    return made;
  }

  std::vector<Wave> waves_;
  Real size_;
  mutable std::mutex mutex_;
  mutable std::shared_ptr<const AlongX> last_;
};

Real size_of_waves(Real amplitude) {
  return amplitude * std::sqrt(2.0 / waves);
}

}  // namespace

std::function<Real(const Point&)> smooth_noise(const Grid& domain, Real amplitude, Real length,
                                               std::uint64_t seed) {
  const auto noise =
      std::make_shared<const NoiseByLine>(waves_of(domain, length, seed), size_of_waves(amplitude));
  return [noise](const Point& p) { return noise->at(p); };
}

std::function<void(const Points&, std::span<Real>)> smooth_noise_by_line(const Grid& domain, Real amplitude,
                                                                         Real length, std::uint64_t seed) {
  const auto noise =
      std::make_shared<const NoiseByLine>(waves_of(domain, length, seed), size_of_waves(amplitude));
  return [noise](const Points& places, std::span<Real> out) { noise->evaluate(places, out); };
}

}  // namespace williwaw
