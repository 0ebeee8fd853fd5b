#include "coarsest.hpp"

#include <cmath>

namespace williwaw {

void Coarsest::factor(const NinePoint& level, bool singular) {
  width_ = level.width();
  lines_ = level.lines();
  turned_ = lines_ < width_;
  singular_ = singular;
  band_ = std::min(width_, lines_) + 1;
  const Index n = width_ * lines_;
  factor_.assign(static_cast<std::size_t>(n * (band_ + 1)), 0.0);
  values_.assign(static_cast<std::size_t>(n), 0.0);
  joined_.assign(static_cast<std::size_t>(n), 0);
  const auto join = [&](Index p, Index i, Index j, float conductance) {
    if (i < 0 || i >= width_ || j < 0) return;
    const Index q = number(i, j);
    entry(std::max(p, q), std::min(p, q)) -= static_cast<double>(conductance);
  };
  for (Index j = 0; j < lines_; ++j)
    for (Index i = 0; i < width_; ++i) {
      const Index p = number(i, j);
      const auto diagonal = static_cast<double>(level.diagonal.at(i, j));
      // Places that nothing joins take no part in the mean.
      joined_[static_cast<std::size_t>(p)] = diagonal > static_cast<double>(level.excess.at(i, j));
      entry(p, p) += diagonal > 0 ? diagonal * (singular ? 1 + 1e-6 : 1) : 1;
      join(p, i - 1, j, level.west.at(i, j));
      join(p, i, j - 1, level.south.at(i, j));
      join(p, i - 1, j - 1, level.south_west.at(i, j));
      join(p, i + 1, j - 1, level.south_east.at(i, j));
    }
  for (Index c = 0; c < n; ++c) {
    for (Index m = std::max<Index>(0, c - band_); m < c; ++m)
      for (Index r = c; r <= std::min(m + band_, n - 1); ++r) entry(r, c) -= entry(r, m) * entry(c, m);
    const double pivot = std::sqrt(std::max(entry(c, c), 1e-30));
    for (Index r = c; r <= std::min(c + band_, n - 1); ++r) entry(r, c) /= pivot;
  }
}

void Coarsest::remove_mean(double* values) const {
  double sum = 0, count = 0;
  for (std::size_t r = 0; r < joined_.size(); ++r)
    if (joined_[r]) {
      sum += values[r];
      count += 1;
    }
  for (std::size_t r = 0; r < joined_.size(); ++r)
    if (joined_[r]) values[r] -= sum / count;
}

void Coarsest::solve(NinePoint& level) {
  const Index n = width_ * lines_;
  for (Index j = 0; j < lines_; ++j)
    for (Index i = 0; i < width_; ++i)
      values_[static_cast<std::size_t>(number(i, j))] = static_cast<double>(level.b.at(i, j));
  double* v = values_.data();
  if (singular_) remove_mean(v);
  for (Index r = 0; r < n; ++r) {
    for (Index c = std::max<Index>(0, r - band_); c < r; ++c) v[r] -= entry(r, c) * v[c];
    v[r] /= entry(r, r);
  }
  for (Index r = n - 1; r >= 0; --r) {
    for (Index c = r + 1; c <= std::min(r + band_, n - 1); ++c) v[r] -= entry(c, r) * v[c];
    v[r] /= entry(r, r);
  }
  if (singular_) remove_mean(v);
  for (Index j = 0; j < lines_; ++j) {
    float* natural = level.natural(j);
    for (Index i = 0; i < width_; ++i)
      natural[i] = level.inverse.at(i, j) > 0 ? static_cast<float>(v[number(i, j)]) : 0;
    split_line(width_, natural, level.x.even(j), level.x.odd(j));
  }
}

}  // namespace williwaw
