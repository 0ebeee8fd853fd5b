#include <algorithm>
#include <array>
#include <cmath>

#include "fields_layout.hpp"

namespace williwaw::store {

Table read_table(const std::filesystem::path& file, const std::string& variable) {
  const auto nc = NetcdfFile::open(file);
  if (!nc->has(variable)) throw StoreError(file.string() + ": has no variable '" + variable + "'");
  const int id = nc->find(variable);
  return {nc->shape(id), nc->values(id)};
}

struct FieldReader::Open {
  std::unique_ptr<NetcdfFile> nc;
  int value = -1;

  Field get_record(int id, Index record, const Grid& g) const {
    std::vector<std::size_t> start{static_cast<std::size_t>(record)}, count{1};
    for (int a = g.dimension() - 1; a >= 0; --a) {
      start.push_back(0);
      count.push_back(static_cast<std::size_t>(shown_size(g.axis(a))));
    }
    const std::vector<Real> shown = nc->part(id, start, count);
    Field result(g);
    std::size_t next = 0;
    for (Index plane = 0; plane < (g.dimension() == 3 ? shown_size(g.axis(2)) : 1); ++plane)
      each_shown(g, plane, [&](Index i, Index j, Index k) {
        const Real v = shown[next++];
        if (i < g.size(0) && j < g.size(1) && k < g.size(2)) result.at(i, j, k) = v;
      });
    return result;
  }
};

namespace {

// The names of all unknowns in a file, the first one first.
std::vector<std::string> unknowns_in(const NetcdfFile& nc) {
  std::vector<std::string> names{nc.text(NC_GLOBAL, "unknown")};
  std::string rest = nc.text(NC_GLOBAL, "other_unknowns");
  while (!rest.empty()) {
    const std::size_t end = std::min(rest.find(separator), rest.size());
    names.push_back(rest.substr(0, end));
    rest.erase(0, std::min(end + separator.size(), rest.size()));
  }
  return names;
}

}  // namespace

FieldReader::FieldReader(const std::filesystem::path& file, const std::string& unknown)
    : file_(file), open_(std::make_unique<Open>()) {
  open_->nc = NetcdfFile::open(file);
  const NetcdfFile& nc = *open_->nc;
  unknowns_ = unknowns_in(nc);
  if (unknowns_.front().empty()) throw StoreError(file.string() + ": was not written by williwaw run");
  description_.unknown = unknown.empty() ? unknowns_.front() : unknown;
  if (std::ranges::find(unknowns_, description_.unknown) == unknowns_.end()) {
    std::string known;
    for (const auto& name : unknowns_) known += (known.empty() ? "'" : ", '") + name + "'";
    throw UnknownName(file, unknown, known + (unknowns_.size() == 1 ? " only" : ""));
  }
  description_.title = nc.text(NC_GLOBAL, "title");
  description_.case_text = nc.text(NC_GLOBAL, "case");
  description_.version = nc.text(NC_GLOBAL, "source");
  description_.steady = nc.number(NC_GLOBAL, "steady") != 0;
  const std::string coordinates = nc.text(NC_GLOBAL, "coordinates");
  open_->value = nc.find(description_.unknown);
  const auto scale = [&](const std::string& name, int variable) {
    return Scale{nc.text(variable, "units"), nc.number(NC_GLOBAL, name + "_factor"),
                 nc.number(NC_GLOBAL, name + "_offset")};
  };
  description_.time = scale("time", nc.find("time"));
  for (std::size_t u = 0; u < unknowns_.size(); ++u) {
    const int id = nc.find(unknowns_[u]);
    const Scale own =
        u == 0 ? scale("value", id)
               : Scale{nc.text(id, "units"), nc.number(id, "value_factor"), nc.number(id, "value_offset")};
    if (unknowns_[u] == description_.unknown)
      description_.value = own;
    else
      description_.others.push_back({unknowns_[u], own});
  }
  times_ = nc.values(nc.find("time"));
  if (times_.empty()) throw StoreError(file.string() + ": holds no records");
  for (std::size_t n = 0; n < times_.size(); ++n)
    if (!std::isfinite(times_[n]) || (n > 0 && times_[n] < times_[n - 1]))
      nc.damaged("the times of its records do not increase");
  stages_.assign(times_.size(), 0);
  if (nc.has("stage")) {
    const auto numbers = nc.values(nc.find("stage"));
    if (numbers.size() != times_.size() ||
        std::ranges::any_of(numbers, [](Real s) { return !(s >= 0 && s < 1e6); }))
      nc.damaged("not a stage for each record");
    std::ranges::transform(numbers, stages_.begin(), [](Real s) { return static_cast<int>(s); });
  }

  const bool cells = nc.text(NC_GLOBAL, "unknowns") == "cells";
  std::vector<Axis> axes;
  for (const char* name : {"r", "x", "y", "z"}) {
    if (!nc.has(name)) continue;
    const int id = nc.find(name);
    description_.length = scale("length", id);
    const auto points = nc.values(id);
    const auto bounds = nc.values(nc.find(std::string(name) + "_bounds"));
    if (points.empty() || bounds.size() != 2 * points.size())
      nc.damaged(std::string("axis '") + name + "' does not have two bounds for each point");
    std::vector<Real> faces = points;
    if (cells) {
      faces = {bounds.front()};
      for (std::size_t i = 1; i < bounds.size(); i += 2) faces.push_back(bounds[i]);
    }
    const Unknowns unknowns = cells ? Unknowns::cells : Unknowns::nodes;
    if (std::string(name) == "r")
      axes.push_back(Axis::radial(
          coordinates == "spherical" ? Coordinates::spherical : Coordinates::cylindrical, faces, unknowns));
    else
      axes.emplace_back(name, faces, unknowns, nc.number(id, "periodic") != 0);
  }
  if (axes.empty()) nc.damaged("no axis");
  grid_ = std::make_unique<Grid>(axes);
  description_.velocity = nc.has(velocity_name(grid_->axis(0)));
  std::vector<std::size_t> due{times_.size()};
  for (int a = grid_->dimension() - 1; a >= 0; --a)
    due.push_back(static_cast<std::size_t>(shown_size(grid_->axis(a))));
  if (nc.shape(open_->value) != due)
    nc.damaged("'" + description_.unknown + "' has other dimensions than its grid and its times");
}

FieldReader::~FieldReader() = default;

Field FieldReader::field(Index record) const {
  const NetcdfFile& nc = *open_->nc;
  const Grid& g = *grid_;
  Field result = open_->get_record(open_->value, record, g);
  std::vector<Index> gone;
  for (Index n = 0; nc.has("volume_fraction") && n < g.count(); ++n)
    if (std::isnan(result[n])) gone.push_back(n);
  result.leave_out(gone);
  if (gone.empty()) result.extend();
  for (const Side side : kept_boundaries(g)) {
    const auto touching = g.unknowns_at(side);
    std::vector<std::size_t> boundary_start{static_cast<std::size_t>(record)}, boundary_count{1};
    for (int a = g.dimension() - 1; a >= 0; --a) {
      if (a == side.axis) continue;
      boundary_start.push_back(0);
      boundary_count.push_back(static_cast<std::size_t>(g.size(a)));
    }
    const int id = nc.find(boundary_name(description_.unknown, g.side_name(side)));
    const std::vector<Real> on_boundary = nc.part(id, boundary_start, boundary_count);
    for (std::size_t f = 0; f < touching.size(); ++f) {
      auto beyond = g.position(touching[f]);
      beyond[side.axis] += side.upper ? 1 : -1;
      result.at(beyond[0], beyond[1], beyond[2]) = 2 * on_boundary[f] - result[touching[f]];
    }
  }
  if (g.unknowns() == Unknowns::cells) {
    result.extend_corners();
    result.set_knows_beyond(true);
  }
  return result;
}

std::optional<std::vector<Field>> FieldReader::velocity(Index record) const {
  std::vector<Field> result;
  for (int a = 0; a < grid_->dimension(); ++a) {
    const std::string name = velocity_name(grid_->axis(a));
    if (!open_->nc->has(name)) return std::nullopt;
    result.push_back(open_->get_record(open_->nc->find(name), record, *grid_));
  }
  return result;
}

std::optional<Field> FieldReader::volume_fractions() const {
  const NetcdfFile& nc = *open_->nc;
  if (!nc.has("volume_fraction")) return std::nullopt;
  const std::vector<Real> shown = nc.values(nc.find("volume_fraction"));
  Index due = 1;
  for (int a = 0; a < grid_->dimension(); ++a) due *= shown_size(grid_->axis(a));
  if (static_cast<Index>(shown.size()) != due)
    nc.damaged("'volume_fraction' does not have a value for each unknown");
  Field result(*grid_);
  std::size_t next = 0;
  for (Index plane = 0; plane < (grid_->dimension() == 3 ? shown_size(grid_->axis(2)) : 1); ++plane)
    each_shown(*grid_, plane, [&](Index i, Index j, Index k) {
      result.at(i % grid_->size(0), j % grid_->size(1), k % grid_->size(2)) = shown[next++];
    });
  result.extend();
  return result;
}

std::pair<Real, Real> FieldReader::range() const {
  std::pair<Real, Real> result{std::numeric_limits<Real>::infinity(), -std::numeric_limits<Real>::infinity()};
  for (Index n = 0; n < static_cast<Index>(times_.size()); ++n) {
    const Field f = field(n);
    for (Index i = 0; i < grid_->count(); ++i)
      if (const Real v = f[i]; std::isfinite(v))
        result = {std::min(result.first, v), std::max(result.second, v)};
  }
  return result;
}

}  // namespace williwaw::store
