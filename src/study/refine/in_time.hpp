// A recorded field at any time, in the units of another run.
#pragma once

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <filesystem>
#include <optional>

#include "williwaw/casefile/units.hpp"
#include "williwaw/store/fields.hpp"

namespace williwaw::study {

// From one scale of shown units to another of the same dimension.
inline Real advected(Real value, const store::Scale& from, const store::Scale& to) {
  return to.shown(from.si(value));
}

/// Throws InputError, with what is compared in words.
inline void need_same_dimension(const store::Scale& a, const store::Scale& b, const std::string& what) {
  if (a.unit.empty() != b.unit.empty() ||
      (!a.unit.empty() && !casefile::Unit::of(a.unit).same_dimension(casefile::Unit::of(b.unit))))
    throw InputError("the " + what + " of one is in '" + a.unit + "', of the other in '" + b.unit +
                     "': they cannot be compared");
}

// Places of a run that another one has too.
inline bool inside(const Grid& grid, const Point& p) {
  for (int a = 0; a < grid.dimension(); ++a)
    if (const Real x = p[grid.direction(a)]; x < grid.axis(a).from() || x > grid.axis(a).to()) return false;
  return true;
}

// A recorded field at any time between its first and last record, linearly.
class InTime {
 public:
  explicit InTime(const store::FieldReader& reader) : reader_(reader) {}
  bool covers(Real t) const {
    const auto& times = reader_.times();
    const Real slack = same_time * std::max(std::abs(times.back()), 1e-300);
    return t >= times.front() - slack && t <= times.back() + slack;
  }
  // The last sample was taken between two records.
  bool between() const { return weight_ != 0; }
  Real sample(Real t, const Point& place) {
    load(t);
    const Real low = before_->sample(place);
    return weight_ == 0 ? low : (1 - weight_) * low + weight_ * after_->sample(place);
  }

 private:
  static constexpr Real same_time = 1e-6;
  void load(Real t) {
    if (before_ && t == loaded_) return;
    const auto& times = reader_.times();
    const Real slack = same_time * std::max(std::abs(times.back()), 1e-300);
    std::size_t n = 0;
    while (n + 1 < times.size() && times[n + 1] <= t + slack) ++n;
    before_ = reader_.field(static_cast<Index>(n));
    weight_ = 0;
    if (std::abs(times[n] - t) > slack && n + 1 < times.size()) {
      weight_ = (t - times[n]) / (times[n + 1] - times[n]);
      after_ = reader_.field(static_cast<Index>(n + 1));
    }
    loaded_ = t;
  }
  const store::FieldReader& reader_;
  std::optional<Field> before_, after_;
  Real weight_ = 0, loaded_ = 0;
};

// What another run has at times and places of this one, in this one's units.
class OtherRun {
 public:
  /// Throws InputError where both cannot be compared.
  OtherRun(const store::FieldReader& run, const std::filesystem::path& folder)
      : run_(run), other_(folder / "fields.nc"), in_time_(other_) {
    const auto &a = run.description(), &b = other_.description();
    need_same_dimension(a.length, b.length, "lengths");
    need_same_dimension(a.value, b.value, "values");
    need_same_dimension(a.time, b.time, "times");
    if (run.grid().dimension() != other_.grid().dimension())
      throw InputError(fmt::format("one run has {} dimension(s), the other {}", run.grid().dimension(),
                                   other_.grid().dimension()));
  }
  /// Nothing where it has nothing there.
  std::optional<Real> at(Real t, Point place) {
    const auto &a = run_.description(), &b = other_.description();
    // A steady state is the end of everything.
    const bool steady = a.steady || b.steady;
    const Real there = steady ? other_.times().back() : advected(t, a.time, b.time);
    if (steady && t != run_.times().back()) return std::nullopt;
    if (!in_time_.covers(there)) return std::nullopt;
    for (int s = 0; s < 3; ++s) place[s] = advected(place[s], a.length, b.length);
    if (!inside(other_.grid(), place)) return std::nullopt;
    const Real value = in_time_.sample(there, place);
    if (in_time_.between()) ++between_;
    return advected(value, b.value, a.value);
  }
  /// Values so far at times between its records.
  Index between() const { return between_; }

 private:
  const store::FieldReader& run_;
  store::FieldReader other_;
  InTime in_time_;
  Index between_ = 0;
};

}  // namespace williwaw::study
