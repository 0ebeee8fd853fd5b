// Integrals of a function of the unknown: of a conductivity (the transform of Kirchhoff, 1894), of a heat
// capacity.
#pragma once

#include <array>
#include <functional>
#include <span>
#include <vector>

#include "williwaw/grid/types.hpp"

namespace williwaw {

/// ∫ f(u) du, tabulated by panels on which f is a polynomial to 2e-13 of its largest value there, or as well
/// as the noise in f allows. Panels are
/// halves of halves of fixed ranges, so that an integral does not depend on what was asked for before. Across
/// a jump of f panels are not wider than 1e-13 of the scale.
class UnknownIntegral {
 public:
  /// Writes f at many values of the unknown.
  using Integrand = std::function<void(std::span<const Real>, std::span<Real>)>;
  /// `scale`: a size of the unknown, above zero.
  UnknownIntegral(Integrand f, Real scale);

  /// Tabulates what is not there yet between two finite values. Not while other threads read.
  void cover(Real lowest, Real highest);
  /// Both values, and so all between them, are covered.
  bool covers(Real lowest, Real highest) const {
    return !ranges_.empty() && top_edge(first_) <= lowest && highest <= top_edge(last_);
  }
  /// ∫ f du from a to b, both within what is covered; signed.
  Real between(Real a, Real b) const;
  /// The mean of f between two covered values; f(a) where both are the same.
  Real mean(Real a, Real b) const;

 private:
  static constexpr std::size_t terms = 8, block = 64;
  struct Panel {
    Real from, to;
    std::array<Real, terms> coefficients;  ///< of powers of the place in the panel, from −1 to 1
    Real whole;                            ///< the integral over all of it
    Real mean_between(Real a, Real b) const;
  };
  struct TopRange {
    std::vector<Panel> panels;
    std::vector<Real> blocks;  ///< integrals over `block` panels each
  };
  Real top_edge(int number) const;
  void add_range(Real from, Real to, std::vector<Panel>& to_panels) const;
  static Real sum_of(const TopRange& range, std::size_t first, std::size_t end);
  std::pair<std::size_t, std::size_t> place_of(Real u) const;

  Integrand f_;
  Real scale_;
  int first_ = 0, last_ = 0;  ///< top ranges that are tabulated: edges first_ to last_
  std::vector<TopRange> ranges_;
};

}  // namespace williwaw
