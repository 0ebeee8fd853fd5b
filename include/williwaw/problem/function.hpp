// A number that may vary in place and time, and with the unknown: coefficients, sources, boundary data and
// initial values are of this kind. Functions are evaluated for many places at once and know what they depend
// on, so that nothing is evaluated again that cannot have changed. Callables may be called from several
// threads at once.
#pragma once

#include <concepts>
#include <functional>
#include <memory>
#include <optional>
#include <type_traits>

#include "williwaw/grid/expect.hpp"
#include "williwaw/grid/region.hpp"

namespace williwaw {

/// A constant, or a function of place, of time and of the unknown, or of some of them.
///
/// Converts from a number and from callables: `[](Point p) {..}`, `[](Real t) {..}`, `[](Point p, Real t)
/// {..}`.
class Function {
 public:
  /// Writes one value for each place: (places, time, values).
  using ByLine = std::function<void(const Points&, Real, std::span<Real>)>;
  /// Writes one value for each place and value of the unknown: (places, time, u, values).
  using OfUnknown = std::function<void(const Points&, Real, std::span<const Real>, std::span<Real>)>;

  Function(Real constant = 0) : constant_(constant) {}

  template <class F>
  requires(!std::is_arithmetic_v<std::remove_cvref_t<F>> && !std::same_as<std::remove_cvref_t<F>, Function> &&
           (std::invocable<F, Point> || std::invocable<F, Real> || std::invocable<F, Point, Real>))
      Function(F f) {
    if constexpr (std::invocable<F, Point, Real>) {
      *this = by_line(
          [f](const Points& p, Real t, std::span<Real> out) {
            for (Index i = 0; i < p.size(); ++i) out[i] = f(p[i], t);
          },
          true, true);
    } else if constexpr (std::invocable<F, Point>) {
      *this = by_line(
          [f](const Points& p, Real, std::span<Real> out) {
            for (Index i = 0; i < p.size(); ++i) out[i] = f(p[i]);
          },
          true, false);
    } else {
      *this = by_line(
          [f](const Points& p, Real t, std::span<Real> out) {
            const Real v = f(t);
            for (Index i = 0; i < p.size(); ++i) out[i] = v;
          },
          false, true);
    }
  }

  /// A function evaluated by line, with what it depends on stated.
  static Function by_line(ByLine evaluate, bool on_place, bool on_time);

  /// A function of the unknown besides, with its derivative by it; without one central differences take its
  /// place.
  static Function of_unknown(OfUnknown evaluate, OfUnknown slope, bool on_place, bool on_time);
  /// The same of the unknown alone.
  static Function of_unknown(std::function<Real(Real)> value, std::function<Real(Real)> slope = {});

  /// One function for each label of `regions`: the first for what belongs to no region, then one for each.
  static Function by_region(std::shared_ptr<const Regions> regions, std::vector<Function> parts);
  /// The regions in which this function differs; null for one that is the same formula everywhere.
  const std::shared_ptr<const Regions>& regions() const { return regions_; }
  /// The function of one label.
  const Function& part(int label) const {
    expect(label >= 0 && (!regions_ || label < static_cast<int>(parts_->size())), "Function::part: a label");
    return regions_ ? (*parts_)[static_cast<std::size_t>(label)] : *this;
  }

  /// The same function with its factors, of which one depends on place alone and the other one on time alone:
  /// whole = place·time but for rounding. Products of functions know them, and functions by region of which
  /// one part has them and the others are 0.
  static Function with_factors(Function whole, Function place, Function time);
  struct Factors;
  /// Null where none are known.
  const Factors* factors() const { return factors_.get(); }

  bool depends_on_place() const { return on_place_; }
  bool depends_on_time() const { return on_time_; }
  bool depends_on_unknown() const { return on_unknown_; }
  bool is_constant() const { return !on_place_ && !on_time_ && !on_unknown_; }

  /// Values at many places; `out` has one entry for each place. Throws InputError for a function of the
  /// unknown.
  void evaluate(const Points& places, Real time, std::span<Real> out) const;
  Real operator()(const Point& place, Real time = 0) const;
  /// Values where the unknown is `u`, which has one entry for each place and does not overlap `out`.
  void evaluate(const Points& places, Real time, std::span<const Real> u, std::span<Real> out) const;
  /// Derivatives by the unknown at `u`; 0 where nothing depends on it.
  void slope(const Points& places, Real time, std::span<const Real> u, std::span<Real> out) const;
  Real at(const Point& place, Real time, Real u) const;

 private:
  struct ByUnknown {
    OfUnknown value, slope;
  };
  Real constant_ = 0;
  bool on_place_ = false;
  bool on_time_ = false;
  bool on_unknown_ = false;
  std::shared_ptr<const ByLine> by_line_;
  std::shared_ptr<const ByUnknown> by_unknown_;
  std::shared_ptr<const Regions> regions_;
  std::shared_ptr<const std::vector<Function>> parts_;
  std::shared_ptr<const Factors> factors_;
};

struct Function::Factors {
  Function place, time;
};

/// The product of two functions, place by place.
Function operator*(const Function& a, const Function& b);
/// The sum of two functions of the unknown, region by region where they differ.
Function sum(const Function& a, const Function& b);
/// change(f), value by value; not of functions of the unknown.
Function changed(const Function& f, std::function<Real(Real)> change);

}  // namespace williwaw
