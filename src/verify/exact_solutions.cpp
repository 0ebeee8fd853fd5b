#include "williwaw/verify/exact_solutions.hpp"

#include <cmath>
#include <functional>
#include <numbers>

namespace williwaw::verify {

namespace {

constexpr Real pi = std::numbers::pi;

Real between(const std::function<Real(Real)>& f, Real low, Real high) {
  const bool rising = f(high) > 0;
  for (int i = 0; i < 200; ++i) {
    const Real middle = 0.5 * (low + high);
    ((f(middle) > 0) == rising ? high : low) = middle;
  }
  return 0.5 * (low + high);
}

// What must vanish at a root, without poles.
Real condition(CoolingBody::Shape shape, Real biot, Real z) {
  const bool prescribed = std::isinf(biot);
  switch (shape) {
    case CoolingBody::Shape::slab:
      return prescribed ? std::cos(z) : z * std::sin(z) - biot * std::cos(z);
    case CoolingBody::Shape::cylinder:
      return prescribed ? std::cyl_bessel_j(0, z)
                        : z * std::cyl_bessel_j(1, z) - biot * std::cyl_bessel_j(0, z);
    case CoolingBody::Shape::sphere:
      break;
  }
  return prescribed ? std::sin(z) / z : (1 - biot) * std::sin(z) / z - std::cos(z);
}

Real shape_of(CoolingBody::Shape shape, Real x) {
  switch (shape) {
    case CoolingBody::Shape::slab:
      return std::cos(x);
    case CoolingBody::Shape::cylinder:
      return std::cyl_bessel_j(0, x);
    case CoolingBody::Shape::sphere:
      break;
  }
  return std::abs(x) < 1e-8 ? 1 : std::sin(x) / x;
}

Real weight_of(CoolingBody::Shape shape, Real z) {
  const Real s = std::sin(z), c = std::cos(z);
  switch (shape) {
    case CoolingBody::Shape::slab:
      return 2 * s / (z + s * c);
    case CoolingBody::Shape::cylinder: {
      const Real j0 = std::cyl_bessel_j(0, z), j1 = std::cyl_bessel_j(1, z);
      return 2 * j1 / (z * (j0 * j0 + j1 * j1));
    }
    case CoolingBody::Shape::sphere:
      break;
  }
  return 2 * (s - z * c) / (z - s * c);
}

}  // namespace

CoolingBody::CoolingBody(Shape shape, Real biot, int terms) : shape_(shape) {
  if (!(biot > 0)) throw InputError("a body that cools needs a Biot number above zero");
  // Roots are at least a good part of π apart: signs on a grid much finer than that find them all.
  constexpr Real step = 0.05;
  Real low = 1e-9, before = condition(shape, biot, low);
  while (static_cast<int>(roots_.size()) < terms) {
    const Real high = low + step, now = condition(shape, biot, high);
    if ((before > 0) != (now > 0)) {
      roots_.push_back(between([&](Real z) { return condition(shape, biot, z); }, low, high));
      weights_.push_back(weight_of(shape, roots_.back()));
    }
    low = high;
    before = now;
  }
}

Real CoolingBody::operator()(Real position, Real fourier) const {
  if (fourier <= 0) return 1;
  Real sum = 0;
  for (std::size_t n = 0; n < roots_.size(); ++n) {
    const Real decay = std::exp(-roots_[n] * roots_[n] * fourier);
    sum += weights_[n] * shape_of(shape_, roots_[n] * position) * decay;
    if (decay < 1e-18) break;
  }
  return sum;
}

Real half_space(Real depth, Real spread, Real exchange) {
  if (spread <= 0) return depth <= 0 && std::isinf(exchange) ? 0 : 1;
  const Real x = depth / (2 * spread);
  if (std::isinf(exchange)) return std::erf(x);
  // exp(hx + h²αt)·erfc(..) is the product of a huge and a tiny number: by its logarithm where erfc is tiny.
  const Real h = exchange * spread, y = x + h;
  const Real product = y < 20 ? std::exp(exchange * depth + h * h) * std::erfc(y)
                              : std::exp(-x * x) / (y * std::sqrt(pi)) * (1 - 0.5 / (y * y));
  return std::erf(x) + product;
}

Real started_flow(Real position, Real fourier, Real low, Real high, Real data_bounds, Real start) {
  if (fourier <= 0) return position <= 0 ? low : position >= 1 ? high : start;
  Real sum = low + (high - low) * position + 0.5 * data_bounds * position * (1 - position);
  for (int n = 1; n <= 2000; ++n) {
    const Real decay = std::exp(-n * n * pi * pi * fourier);
    if (decay < 1e-18) break;
    const Real sign = n % 2 ? -1 : 1;
    const Real boundaries = 2 / (n * pi) * ((low - start) - (high - start) * sign);
    const Real force = 0.5 * data_bounds * 4 * (1 - sign) / std::pow(n * pi, 3);
    sum -= (boundaries + force) * std::sin(n * pi * position) * decay;
  }
  return sum;
}

}  // namespace williwaw::verify
