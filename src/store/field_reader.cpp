#include <algorithm>
#include <array>
#include <cmath>
#include <nlohmann/json.hpp>

#include "fields_layout.hpp"
#include "williwaw/grid/field_operations.hpp"

namespace williwaw::store {

struct FieldReader::Open {
  std::unique_ptr<NetcdfFile> nc;
  int value = -1;
  /// Of what follows from a vector: its components, and which of it.
  std::vector<std::unique_ptr<FieldReader>> components = {};
  std::string part = {};

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

std::vector<std::string> pieces_of(std::string text, const std::string& mark) {
  std::vector<std::string> pieces;
  while (!text.empty()) {
    const std::size_t end = std::min(text.find(mark), text.size());
    pieces.push_back(text.substr(0, end));
    text.erase(0, std::min(end + mark.size(), text.size()));
  }
  return pieces;
}

// The names of all unknowns in a file, the first one first.
std::vector<std::string> unknowns_in(const NetcdfFile& nc) {
  std::vector<std::string> names{nc.text(NC_GLOBAL, "unknown")};
  const auto others = pieces_of(nc.text(NC_GLOBAL, "other_unknowns"), separator);
  names.insert(names.end(), others.begin(), others.end());
  return names;
}

std::vector<VectorQuantity> vectors_in(const NetcdfFile& nc) {
  std::vector<VectorQuantity> result;
  for (const std::string& text : pieces_of(nc.text(NC_GLOBAL, "vectors"), separator)) {
    std::vector<std::string> names = pieces_of(text, component_mark);
    VectorQuantity vector{names.front(), {names.begin() + 1, names.end()}};
    result.push_back(std::move(vector));
  }
  return result;
}

}  // namespace

namespace {

std::vector<RegionOutline> outlines_in(const NetcdfFile& nc) {
  std::vector<RegionOutline> result;
  if (!nc.has("outline")) return result;
  const int id = nc.find("outline");
  const auto all = nc.values(id);
  const auto regions = nlohmann::json::parse(nc.text(id, "regions"), nullptr, false);
  std::size_t at = 0;
  try {
    for (const auto& region : regions) {
      const std::size_t count = 4 * region.at("pieces").get<std::size_t>();
      if (count > all.size() - at) nc.damaged("'outline' has fewer pieces than its regions");
      const auto first = all.begin() + static_cast<std::ptrdiff_t>(at);
      result.push_back({region.at("name"), region.at("active"),
                        std::vector<Real>(first, first + static_cast<std::ptrdiff_t>(count))});
      at += count;
    }
  } catch (const nlohmann::json::exception&) {
    nc.damaged("'outline' does not say which regions it belongs to");
  }
  return result;
}

}  // namespace

FieldReader::FieldReader(const std::filesystem::path& file, const std::string& unknown)
    : file_(file), open_(std::make_unique<Open>()) {
  open_->nc = NetcdfFile::open(file);
  const NetcdfFile& nc = *open_->nc;
  unknowns_ = unknowns_in(nc);
  if (unknowns_.front().empty()) throw StoreError(file.string() + ": was not written by williwaw run");
  description_.unknown = unknown.empty() ? unknowns_.front() : unknown;
  description_.vectors = vectors_in(nc);
  for (const VectorQuantity& vector : description_.vectors) {
    for (const std::string& name : vector.components)
      if (std::ranges::find(unknowns_, name) == unknowns_.end())
        nc.damaged("vector '" + vector.name + "' has a component that is not there");
    const auto offered = quantities_of(vector);
    if (std::ranges::find(offered, description_.unknown) == offered.end() ||
        std::ranges::find(unknowns_, description_.unknown) != unknowns_.end())
      continue;
    for (const std::string& name : vector.components)
      open_->components.push_back(std::make_unique<FieldReader>(file, name));
    open_->part = unknown.substr(std::min(unknown.size(), vector.name.size()));
    // Everything else is told by a component.
    description_.unknown = vector.components.front();
  }
  if (std::ranges::find(unknowns_, description_.unknown) == unknowns_.end()) {
    std::string known;
    for (const auto& name : unknowns_) known += (known.empty() ? "'" : ", '") + name + "'";
    throw UnknownName(file, unknown, known + (unknowns_.size() == 1 ? " only" : ""));
  }
  description_.title = nc.text(NC_GLOBAL, "title");
  description_.case_text = nc.text(NC_GLOBAL, "case");
  description_.version = nc.text(NC_GLOBAL, "source");
  description_.steady = nc.number(NC_GLOBAL, "steady") != 0;
  const std::string coordinates = nc.text(NC_GLOBAL, "coordinate_system");
  open_->value = nc.find(description_.unknown);
  const auto scale = [&](const std::string& name, int variable) {
    return Scale{nc.text(variable, "units"), nc.number(NC_GLOBAL, name + "_factor"),
                 nc.number(NC_GLOBAL, name + "_offset")};
  };
  description_.time = scale("time", nc.find("time"));
  if (const auto since = description_.time.unit.find(date_mark); since != std::string::npos) {
    description_.start_date = description_.time.unit.substr(since + date_mark.size());
    description_.time.unit = nc.text(NC_GLOBAL, "time_unit");
  }
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
  description_.outlines = outlines_in(nc);
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
  if (description_.velocity)
    description_.velocity_unit = nc.text(nc.find(velocity_name(grid_->axis(0))), "units");
  std::vector<std::size_t> due{times_.size()};
  for (int a = grid_->dimension() - 1; a >= 0; --a)
    due.push_back(static_cast<std::size_t>(shown_size(grid_->axis(a))));
  if (nc.shape(open_->value) != due)
    nc.damaged("'" + description_.unknown + "' has other dimensions than its grid and its times");
  if (open_->components.empty()) return;
  if (open_->components.size() != static_cast<std::size_t>(grid_->dimension()))
    nc.damaged("'" + unknown + "' does not have a component for each axis");
  description_.velocity = true;
  description_.velocity_unit = description_.value.unit;
  description_.unknown = unknown;
  if (open_->part.empty()) return;
  const Scale of_components = description_.value;
  description_.value = scale_of_slope(of_components, description_.length);
  description_.value.factor *= description_.length.factor / of_components.factor;
}

Scale scale_of_slope(const Scale& value, const Scale& length) {
  if (value.unit.empty()) return {"", value.factor / length.factor, 0};
  // A velocity over a length is a rate, whatever the length is shown in.
  if (value.unit == "m/s") return {"1/s", value.factor, 0};
  return {value.unit + "/" + length.unit, value.factor / length.factor, 0};
}

std::string divergence_name(const std::string& vector) {
  return vector + ".divergence";
}

std::vector<std::string> quantities_of(const VectorQuantity& vector) {
  std::vector<std::string> result{vector.name, divergence_name(vector.name)};
  if (vector.components.size() == 2) result.push_back(vector.name + ".rotation");
  return result;
}

Index FieldReader::nearest_record(Real time) const {
  return std::ranges::min_element(times_, {}, [&](Real t) { return std::abs(t - time); }) - times_.begin();
}

std::optional<Index> FieldReader::record_at(Real time) const {
  const Index nearest = nearest_record(time);
  const Real rounding = 1e-6 * std::max(std::abs(times_.back()), 1e-300);
  return std::abs(times_[nearest] - time) > rounding ? std::nullopt : std::optional(nearest);
}

std::vector<std::string> FieldReader::quantities() const {
  std::vector<std::string> result = unknowns_;
  for (const VectorQuantity& vector : description_.vectors) {
    // Divergences of vectors on faces are written themselves.
    for (std::string& name : quantities_of(vector))
      if (std::ranges::find(result, name) == result.end()) result.push_back(std::move(name));
  }
  return result;
}

FieldReader::~FieldReader() = default;

Field FieldReader::field(Index record) const {
  if (!open_->components.empty()) return field_of_vector(record);
  const NetcdfFile& nc = *open_->nc;
  const Grid& g = *grid_;
  Field result = open_->get_record(open_->value, record, g);
  std::vector<Index> gone;
  if (nc.has("volume_fraction"))
    for (Index n = 0; n < g.count(); ++n)
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

Field FieldReader::field_of_vector(Index record) const {
  std::vector<Field> components;
  for (const auto& reader : open_->components) components.push_back(reader->field(record));
  if (open_->part.empty()) return magnitude_of(components);
  Field result = open_->part == ".rotation" ? rotation_of(components) : divergence_of(components);
  // Slopes here are over lengths as they are shown.
  return result * description_.value.factor;
}

std::optional<std::vector<Field>> FieldReader::velocity(Index record) const {
  if (!open_->components.empty() && open_->part.empty()) {
    std::vector<Field> components;
    for (const auto& reader : open_->components) components.push_back(reader->field(record));
    return components;
  }
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
