#include "williwaw/store/maps.hpp"

#include <algorithm>
#include <cmath>
#include <mutex>

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
    if (weight == 0) continue;
    const Real one = value(number);
    if (std::isnan(one)) continue;
    sum += weight * one;
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
  return value(number);
}

Map Map::at_first(std::size_t number) const {
  Map one{{axes.begin() + 1, axes.end()}, values, first, measured, unit};
  std::size_t size = 1;
  for (const Along& axis : one.axes) size *= axis.size;
  one.first += number * size;
  return one;
}

namespace {

// So many values are read at once, or a line of them.
constexpr std::size_t read_at_once = 65536;

// NetCDF takes one call at a time.
std::mutex& reading() {
  static std::mutex one;
  return one;
}

}  // namespace

MapValues::MapValues(std::filesystem::path file, std::string variable)
    : file_(std::move(file)), variable_(std::move(variable)) {
  {
    const std::lock_guard lock(reading());
    const auto nc = NetcdfFile::open(file_);
    if (!nc->has(variable_)) throw StoreError(file_.string() + ": has no variable '" + variable_ + "'");
    const int id = nc->find(variable_);
    shape_ = nc->shape(id);
    nc->expect_to_hold(id, shape_);
  }
  bytes_ = std::filesystem::file_size(file_);
  written_ = std::filesystem::last_write_time(file_);
  for (const std::size_t length : shape_) size_ *= length;
  if (size_ == 0) throw StoreError(file_.string() + ": variable '" + variable_ + "' has no values");
  if (!shape_.empty()) line_ = shape_.back();
  if (shape_.size() > 1) lines_ = shape_[shape_.size() - 2];
  rows_ = std::min(lines_, std::max<std::size_t>(1, read_at_once / line_));
  blocks_of_plane_ = (lines_ + rows_ - 1) / rows_;
  const std::size_t blocks = size_ / (line_ * lines_) * blocks_of_plane_;
  blocks_ = std::vector<std::atomic<const Real*>>(blocks);
  kept_.resize(blocks);
  read(0);
}

const Real* MapValues::read(std::size_t block) const {
  const std::lock_guard lock(reading());
  if (const Real* const values = blocks_[block].load(std::memory_order_acquire)) return values;
  std::error_code unknown;
  if (std::filesystem::file_size(file_, unknown) != bytes_ || unknown ||
      std::filesystem::last_write_time(file_, unknown) != written_ || unknown)
    throw StoreError(file_.string() + ": is gone or has changed since the case was read");
  const auto nc = NetcdfFile::open(file_);
  const int id = nc->find(variable_);
  if (nc->shape(id) != shape_) nc->damaged("a variable has changed its dimensions");
  std::vector<std::size_t> start(shape_.size()), count(shape_.size(), 1);
  if (!shape_.empty()) count.back() = line_;
  if (const std::size_t last = shape_.size(); last > 1) {
    start[last - 2] = block % blocks_of_plane_ * rows_;
    count[last - 2] = std::min(rows_, lines_ - start[last - 2]);
    std::size_t plane = block / blocks_of_plane_;
    for (std::size_t d = last - 2; d-- > 0; plane /= shape_[d]) start[d] = plane % shape_[d];
  }
  kept_[block] = nc->part(id, start, count);
  count_read_ += kept_[block].size();
  blocks_[block].store(kept_[block].data(), std::memory_order_release);
  return kept_[block].data();
}

Map read_map(const std::filesystem::path& file, const std::string& variable) {
  Map map;
  map.values = std::make_shared<const MapValues>(file, variable);
  const std::lock_guard lock(reading());
  const auto nc = NetcdfFile::open(file);
  const int id = nc->find(variable);
  map.unit = nc->text(id, "units");
  int count = 0;
  nc->check(nc_inq_varndims(nc->id(), id, &count));
  std::vector<int> dimensions(static_cast<std::size_t>(count));
  nc->check(nc_inq_vardimid(nc->id(), id, dimensions.data()));
  for (const int d : dimensions) {
    char name[NC_MAX_NAME + 1] = {};
    nc->check(nc_inq_dimname(nc->id(), d, name));
    Map::Along along{name, 0, {}, ""};
    nc->check(nc_inq_dimlen(nc->id(), d, &along.size));
    if (nc->has(along.name)) {
      along.points = nc->values(nc->find(along.name));
      along.unit = nc->text(nc->find(along.name), "units");
      if (along.points.size() != along.size)
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
