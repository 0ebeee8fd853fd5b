#include "williwaw/store/maps.hpp"

#include <algorithm>
#include <cmath>

#include "netcdf.hpp"

namespace williwaw::store {

namespace {

struct Between {
  std::size_t low = 0, high = 0;
  Real fraction = 0;  ///< of the high one
};

Between between(const std::vector<Real>& points, Real at) {
  // A place that is no number counts as the first point.
  if (points.size() == 1 || !(at > points.front())) return {};
  const std::size_t last = points.size() - 1;
  if (!(at < points.back())) return {last, last, 0};
  const auto high = static_cast<std::size_t>(std::ranges::upper_bound(points, at) - points.begin());
  return {high - 1, high, (at - points[high - 1]) / (points[high] - points[high - 1])};
}

bool within(const std::vector<Real>& points, Real at) {
  const std::size_t n = points.size();
  const Real before = n > 1 ? 0.5 * (points[1] - points[0]) : 0;
  const Real after = n > 1 ? 0.5 * (points[n - 1] - points[n - 2]) : 0;
  const Real slack = 1e-9 * (points[n - 1] - points[0]);
  return at >= points[0] - before - slack && at <= points[n - 1] + after + slack;
}

}  // namespace

Real Map::at(std::span<const Real> place, bool nearest) const {
  std::vector<Between> parts;
  for (std::size_t a = 0; a < axes.size(); ++a) {
    if (!nearest && !within(axes[a].points, place[a]))
      throw StoreError(axes[a].name + " = " + to_text(place[a]) +
                       " lies outside the map: " + to_text(axes[a].points.front()) + " to " +
                       to_text(axes[a].points.back()) + "; outside = \"nearest\" would take its edge");
    parts.push_back(between(axes[a].points, place[a]));
  }
  Real sum = 0, weights = 0;
  for (std::size_t corner = 0; corner < (std::size_t{1} << axes.size()); ++corner) {
    Real weight = 1;
    std::size_t number = 0;
    for (std::size_t a = 0; a < axes.size(); ++a) {
      const bool high = (corner >> a) & 1U;
      weight *= high ? parts[a].fraction : 1 - parts[a].fraction;
      number = number * axes[a].points.size() + (high ? parts[a].high : parts[a].low);
    }
    if (weight == 0 || std::isnan(values[number])) continue;
    sum += weight * values[number];
    weights += weight;
  }
  if (!(weights > 0)) throw StoreError("the map has no value around a place of the domain");
  return sum / weights;
}

Real Map::nearest_to(std::span<const Real> place) const {
  std::size_t number = 0;
  for (std::size_t a = 0; a < axes.size(); ++a) {
    const Between b = between(axes[a].points, place[a]);
    number = number * axes[a].points.size() + (b.fraction < 0.5 ? b.low : b.high);
  }
  return values[number];
}

Map read_map(const std::filesystem::path& file, const std::string& variable) {
  const auto nc = NetcdfFile::open(file);
  if (!nc->has(variable)) throw StoreError(file.string() + ": has no variable '" + variable + "'");
  const int id = nc->find(variable);
  Map map;
  map.values = nc->values(id);
  map.unit = nc->text(id, "units");
  int count = 0;
  nc->check(nc_inq_varndims(nc->id(), id, &count));
  std::vector<int> dimensions(static_cast<std::size_t>(count));
  nc->check(nc_inq_vardimid(nc->id(), id, dimensions.data()));
  for (const int d : dimensions) {
    char name[NC_MAX_NAME + 1] = {};
    nc->check(nc_inq_dimname(nc->id(), d, name));
    Map::Along along{name, {}, ""};
    if (nc->has(along.name)) {
      along.points = nc->values(nc->find(along.name));
      along.unit = nc->text(nc->find(along.name), "units");
      std::size_t length = 0;
      nc->check(nc_inq_dimlen(nc->id(), d, &length));
      if (along.points.size() != length)
        throw StoreError(file.string() + ": coordinate '" + along.name +
                         "' does not have one value for each point");
      for (std::size_t n = 1; n < along.points.size(); ++n)
        if (!(along.points[n] > along.points[n - 1]))
          throw StoreError(file.string() + ": coordinate '" + along.name + "' does not increase");
    }
    map.axes.push_back(std::move(along));
  }
  return map;
}

}  // namespace williwaw::store
