#include "williwaw/store/fields.hpp"

#include <algorithm>
#include <array>
#include <cmath>

#include "netcdf.hpp"

namespace williwaw::store {

namespace {

// A periodic axis with nodes shows its last point as well, which is a copy of the first.
Index shown_size(const Axis& axis) {
  return axis.size() + (axis.periodic() && axis.unknowns() == Unknowns::nodes ? 1 : 0);
}

std::string wall_name(const std::string& unknown, const std::string& side) {
  return unknown + "_on_" + side;
}

std::string velocity_name(const Axis& axis) {
  return "velocity_" + axis.name();
}

// Shown unknowns of one plane of a block, or of all there is in fewer dimensions, x fastest.
template <class Visit>
void each_shown(const Grid& g, Index plane, const Visit& visit) {
  const auto size = [&](int a) { return a < g.rank() ? shown_size(g.axis(a)) : 1; };
  for (Index j = 0; j < size(1); ++j)
    for (Index i = 0; i < size(0); ++i) visit(i, j, plane);
}

std::string coordinates_text(const Axis& first) {
  return first.coordinates() == Coordinates::cartesian     ? "cartesian"
         : first.coordinates() == Coordinates::cylindrical ? "cylindrical"
                                                           : "spherical";
}

// Of a library that keeps 16 MB of each variable unless told otherwise.
void keep_two_chunks(const NetcdfFile& nc, int id) {
  std::vector<std::size_t> chunk(NC_MAX_VAR_DIMS);
  int dimensions = 0;
  nc.check(nc_inq_varndims(nc.id(), id, &dimensions));
  int storage = 0;
  nc.check(nc_inq_var_chunking(nc.id(), id, &storage, chunk.data()));
  std::size_t bytes = 2 * sizeof(Real);
  for (int d = 0; d < dimensions; ++d) bytes *= chunk[static_cast<std::size_t>(d)];
  constexpr std::size_t slots = 11;
  constexpr float written_ones_first = 1;
  if (storage == NC_CHUNKED) nc.check(nc_set_var_chunk_cache(nc.id(), id, bytes, slots, written_ones_first));
}

// Walls whose own values are kept.
std::vector<Side> kept_walls(const Grid& g) {
  std::vector<Side> result;
  if (g.unknowns() == Unknowns::nodes) return result;
  for (const Side s : g.sides())
    if (!g.axis(s.axis).periodic()) result.push_back(s);
  return result;
}

}  // namespace

struct FieldWriter::Open {
  std::filesystem::path file, partial;
  std::unique_ptr<NetcdfFile> nc;
  Grid grid;
  Description about;
  int time = -1, value = -1, stage = -1;
  std::vector<int> velocity;
  std::vector<std::pair<Side, int>> walls;
  std::size_t records = 0;
  Real last_time = 0;
  std::uint32_t last_values = 0;  ///< checksum

  Open(std::filesystem::path f, const Grid& g, const Description& d) : file(std::move(f)), grid(g), about(d) {
    partial = file;
    partial += ".partial";
    nc = NetcdfFile::create(partial);
  }

  int coordinate(const Axis& axis, int dimension, int pair) const {
    const int id = nc->variable(axis.name(), {dimension});
    const int bounds = nc->variable(axis.name() + "_bounds", {dimension, pair});
    if (!about.length.unit.empty()) nc->attribute(id, "units", about.length.unit);
    if (axis.name() != "r")
      nc->attribute(id, "axis", std::string(1, static_cast<char>(axis.name()[0] - 'x' + 'X')));
    nc->attribute(id, "long_name", "position along " + axis.name());
    nc->attribute(id, "bounds", axis.name() + "_bounds");
    nc->attribute(id, "periodic", axis.periodic() ? 1 : 0);
    return bounds;
  }

  void prove() const;

  // A block goes plane by plane, so that it is not held twice. Returns the checksum of what was written.
  template <class Value>
  std::uint32_t put_record(int id, std::size_t record, const Value& value_at) const {
    const bool block = grid.rank() == 3;
    std::vector<std::size_t> start{record}, count{1};
    for (int a = grid.rank() - 1; a >= 0; --a) {
      start.push_back(0);
      count.push_back(block && a == 2 ? 1 : static_cast<std::size_t>(shown_size(grid.axis(a))));
    }
    std::vector<Real> values;
    std::uint32_t sum = 0;
    for (Index plane = 0; plane < (block ? shown_size(grid.axis(2)) : 1); ++plane) {
      values.clear();
      each_shown(grid, plane, [&](Index i, Index j, Index k) {
        values.push_back(value_at(i % grid.size(0), j % grid.size(1), k % grid.size(2)));
      });
      if (block) start[1] = static_cast<std::size_t>(plane);
      nc->check(nc_put_vara_double(nc->id(), id, start.data(), count.data(), values.data()));
      sum = checksum(values.data(), values.size() * sizeof(Real), sum);
    }
    return sum;
  }

  // A chunk is what is written at once: some lines of one record of a large grid, several records of a small
  // one. Chunks follow each other, so that two of them are all that is worth keeping in memory.
  void choose_chunks(int id) const {
    constexpr std::size_t most = 1u << 16;
    std::vector<std::size_t> chunk{1};
    for (int a = grid.rank() - 1; a >= 0; --a)
      chunk.push_back(static_cast<std::size_t>(shown_size(grid.axis(a))));
    if (grid.rank() == 3) chunk[1] = 1;
    const std::size_t line = chunk.back();
    if (grid.rank() > 1) {
      auto& lines = chunk[chunk.size() - 2];
      lines = std::clamp<std::size_t>(most / line, 1, lines);
    } else {
      chunk[0] = std::clamp<std::size_t>(4096 / line, 1, 256);
    }
    nc->check(nc_def_var_chunking(nc->id(), id, NC_CHUNKED, chunk.data()));
    keep_two_chunks(*nc, id);
  }

  void write_coordinate(const Axis& axis, int bounds) const {
    std::vector<Real> points, ends;
    for (Index i = 0; i < shown_size(axis); ++i) {
      const bool copy = i == axis.size();
      points.push_back(about.length.shown(copy ? axis.to() : axis.points()[i]));
      const Real shift = copy ? axis.length() : 0;
      ends.push_back(about.length.shown(axis.bounds()[copy ? 0 : i] + shift));
      ends.push_back(about.length.shown(axis.bounds()[copy ? 1 : i + 1] + shift));
    }
    nc->check(nc_put_var_double(nc->id(), nc->find(axis.name()), points.data()));
    nc->check(nc_put_var_double(nc->id(), bounds, ends.data()));
  }
};

FieldWriter::FieldWriter(const std::filesystem::path& file, const Grid& grid, const Description& about,
                         const std::vector<Real>& shares)
    : open_(std::make_unique<Open>(file, grid, about)) {
  const NetcdfFile& nc = *open_->nc;
  const int time = nc.dimension("time", NC_UNLIMITED);
  const int pair = nc.dimension("end", 2);
  std::vector<int> axes, bounds;
  for (int a = 0; a < grid.rank(); ++a)
    axes.push_back(nc.dimension(grid.axis(a).name(), static_cast<std::size_t>(shown_size(grid.axis(a)))));
  for (int a = 0; a < grid.rank(); ++a) bounds.push_back(open_->coordinate(grid.axis(a), axes[a], pair));

  open_->time = nc.variable("time", {time});
  if (!about.time.unit.empty()) nc.attribute(open_->time, "units", about.time.unit);
  nc.attribute(open_->time, "axis", "T");
  nc.attribute(open_->time, "long_name", "time since the start");

  if (!about.stages.empty()) {
    open_->stage = nc.variable("stage", {time});
    nc.attribute(open_->stage, "long_name", "stage of the run, 0 for the first");
    std::string titles;
    for (const auto& title : about.stages) titles += (titles.empty() ? "" : "; ") + title;
    nc.attribute(open_->stage, "titles", titles);
  }

  std::vector<int> dimensions{time};
  dimensions.insert(dimensions.end(), axes.rbegin(), axes.rend());
  open_->value = nc.variable(about.unknown, dimensions);
  open_->choose_chunks(open_->value);
  nc.missing_value(open_->value);
  nc.attribute(open_->value, "long_name", about.unknown);
  if (!about.value.unit.empty()) nc.attribute(open_->value, "units", about.value.unit);
  std::string method;
  for (int a = 0; a < grid.rank(); ++a) method += grid.axis(a).name() + ": ";
  nc.attribute(open_->value, "cell_methods",
               method + (grid.unknowns() == Unknowns::cells ? "mean" : "point"));

  for (int a = 0; about.velocity && a < grid.rank(); ++a) {
    const int id = nc.variable(velocity_name(grid.axis(a)), dimensions);
    open_->choose_chunks(id);
    nc.missing_value(id);
    nc.attribute(id, "long_name",
                 "velocity along " + grid.axis(a).name() + " of what carries the " + about.unknown);
    if (!about.velocity_unit.empty()) nc.attribute(id, "units", about.velocity_unit);
    open_->velocity.push_back(id);
  }
  for (const Side side : kept_walls(grid)) {
    std::vector<int> along{time};
    for (int a = grid.rank() - 1; a >= 0; --a)
      if (a != side.axis) along.push_back(axes[a]);
    const int id = nc.variable(wall_name(about.unknown, grid.side_name(side)), along);
    nc.attribute(id, "long_name", about.unknown + " on the " + grid.side_name(side) + " wall");
    if (!about.value.unit.empty()) nc.attribute(id, "units", about.value.unit);
    open_->walls.emplace_back(side, id);
  }

  int share = -1;
  if (!shares.empty()) {
    share = nc.variable("share", {axes.rbegin(), axes.rend()});
    nc.attribute(share, "long_name", "share of the control volume that is not cut out");
    nc.attribute(share, "units", "1");
  }
  nc.attribute(NC_GLOBAL, "Conventions", "CF-1.8");
  nc.attribute(NC_GLOBAL, "title", about.title);
  nc.attribute(NC_GLOBAL, "source", "williwaw " + about.version);
  nc.attribute(NC_GLOBAL, "netcdf_library", nc_inq_libvers());
  nc.attribute(NC_GLOBAL, "unknown", about.unknown);
  nc.attribute(NC_GLOBAL, "unknowns", grid.unknowns() == Unknowns::cells ? "cells" : "nodes");
  nc.attribute(NC_GLOBAL, "case", about.case_text);
  nc.attribute(NC_GLOBAL, "steady", about.steady ? 1 : 0);
  nc.attribute(NC_GLOBAL, "coordinates", coordinates_text(grid.axis(0)));
  // Offset and factor from SI, so that a reader need not know units to go back.
  for (const auto& [name, scale] :
       {std::pair{"length", about.length}, {"time", about.time}, {"value", about.value}}) {
    nc.attribute(NC_GLOBAL, std::string(name) + "_factor", scale.factor);
    nc.attribute(NC_GLOBAL, std::string(name) + "_offset", scale.offset);
  }
  nc.check(nc_enddef(nc.id()));
  for (int a = 0; a < grid.rank(); ++a) open_->write_coordinate(grid.axis(a), bounds[a]);
  if (share < 0) return;
  std::vector<Real> shown;
  for (Index plane = 0; plane < (grid.rank() == 3 ? shown_size(grid.axis(2)) : 1); ++plane)
    each_shown(grid, plane, [&](Index i, Index j, Index k) {
      shown.push_back(shares[grid.number(i % grid.size(0), j % grid.size(1), k % grid.size(2))]);
    });
  nc.check(nc_put_var_double(nc.id(), share, shown.data()));
}

FieldWriter::~FieldWriter() {
  // Half a file is of no use, and may fill the disk that the rest needs.
  if (!open_) return;
  open_->nc.reset();
  std::error_code ignored;
  std::filesystem::remove(open_->partial, ignored);
}

void FieldWriter::append(Real time, const Field& field, int stage, std::span<const Real> velocity) {
  const NetcdfFile& nc = *open_->nc;
  const Grid& g = open_->grid;
  const Scale& scale = open_->about.value;
  const std::size_t record = open_->records++, one = 1;
  const Real shown_time = open_->last_time = open_->about.time.shown(time);
  nc.check(nc_put_vara_double(nc.id(), open_->time, &record, &one, &shown_time));

  if (open_->stage >= 0) {
    const Real number = stage;
    nc.check(nc_put_vara_double(nc.id(), open_->stage, &record, &one, &number));
  }

  open_->last_values = open_->put_record(
      open_->value, record, [&](Index i, Index j, Index k) { return scale.shown(field.at(i, j, k)); });
  for (std::size_t c = 0; c < open_->velocity.size(); ++c)
    open_->put_record(open_->velocity[c], record, [&](Index i, Index j, Index k) {
      const Index n = g.number(i, j, k);
      return field.is_left_out(n)
                 ? NAN
                 : velocity[c * static_cast<std::size_t>(g.count()) + static_cast<std::size_t>(n)];
    });

  for (const auto& [side, id] : open_->walls) {
    std::vector<Real> on_wall;
    for (const Index n : g.unknowns_at(side)) {
      auto beyond = g.position(n);
      beyond[side.axis] += side.upper ? 1 : -1;
      on_wall.push_back(scale.shown(0.5 * (field[n] + field.at(beyond[0], beyond[1], beyond[2]))));
    }
    std::vector<std::size_t> wall_start{record}, wall_count{1};
    for (int a = g.rank() - 1; a >= 0; --a) {
      if (a == side.axis) continue;
      wall_start.push_back(0);
      wall_count.push_back(static_cast<std::size_t>(g.size(a)));
    }
    nc.check(nc_put_vara_double(nc.id(), id, wall_start.data(), wall_count.data(), on_wall.data()));
  }
}

// Read back from the disk: as many records as were written, and the last of them.
void FieldWriter::Open::prove() const {
  const auto written = NetcdfFile::open(partial);
  const auto times = written->values(written->find("time"));
  const auto incomplete = [&] { return StoreError(file.string() + ": was not written completely"); };
  if (times.size() != records) throw incomplete();
  if (records == 0) return;
  if (times.back() != last_time) throw incomplete();
  std::vector<std::size_t> start{records - 1}, count{1};
  std::size_t all = 1;
  for (int a = grid.rank() - 1; a >= 0; --a) {
    start.push_back(0);
    count.push_back(static_cast<std::size_t>(shown_size(grid.axis(a))));
    all *= count.back();
  }
  std::vector<Real> values(all);
  keep_two_chunks(*written, written->find(about.unknown));
  written->check(nc_get_vara_double(written->id(), written->find(about.unknown), start.data(), count.data(),
                                    values.data()));
  if (checksum(values.data(), values.size() * sizeof(Real)) != last_values) throw incomplete();
}

void FieldWriter::finish() {
  if (!open_->nc) return;
  open_->nc->close();
  open_->nc.reset();
  synchronize(open_->partial);
  open_->prove();
  replace(open_->partial, open_->file);
}

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
    for (int a = g.rank() - 1; a >= 0; --a) {
      start.push_back(0);
      count.push_back(static_cast<std::size_t>(shown_size(g.axis(a))));
    }
    const std::vector<Real> shown = nc->part(id, start, count);
    Field result(g);
    std::size_t next = 0;
    for (Index plane = 0; plane < (g.rank() == 3 ? shown_size(g.axis(2)) : 1); ++plane)
      each_shown(g, plane, [&](Index i, Index j, Index k) {
        const Real v = shown[next++];
        if (i < g.size(0) && j < g.size(1) && k < g.size(2)) result.at(i, j, k) = v;
      });
    return result;
  }
};

FieldReader::FieldReader(const std::filesystem::path& file) : open_(std::make_unique<Open>()) {
  open_->nc = NetcdfFile::open(file);
  const NetcdfFile& nc = *open_->nc;
  description_.unknown = nc.text(NC_GLOBAL, "unknown");
  if (description_.unknown.empty()) throw StoreError(file.string() + ": was not written by williwaw run");
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
  description_.value = scale("value", open_->value);
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
    std::vector<Real> marks = points;
    if (cells) {
      marks = {bounds.front()};
      for (std::size_t i = 1; i < bounds.size(); i += 2) marks.push_back(bounds[i]);
    }
    const Unknowns unknowns = cells ? Unknowns::cells : Unknowns::nodes;
    if (std::string(name) == "r")
      axes.push_back(Axis::radial(
          coordinates == "spherical" ? Coordinates::spherical : Coordinates::cylindrical, marks, unknowns));
    else
      axes.emplace_back(name, marks, unknowns, nc.number(id, "periodic") != 0);
  }
  if (axes.empty()) nc.damaged("no axis");
  grid_ = std::make_unique<Grid>(axes);
  std::vector<std::size_t> due{times_.size()};
  for (int a = grid_->rank() - 1; a >= 0; --a)
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
  for (Index n = 0; nc.has("share") && n < g.count(); ++n)
    if (std::isnan(result[n])) gone.push_back(n);
  result.leave_out(gone);
  if (gone.empty()) result.extend();
  for (const Side side : kept_walls(g)) {
    const auto touching = g.unknowns_at(side);
    std::vector<std::size_t> wall_start{static_cast<std::size_t>(record)}, wall_count{1};
    for (int a = g.rank() - 1; a >= 0; --a) {
      if (a == side.axis) continue;
      wall_start.push_back(0);
      wall_count.push_back(static_cast<std::size_t>(g.size(a)));
    }
    const int id = nc.find(wall_name(description_.unknown, g.side_name(side)));
    const std::vector<Real> on_wall = nc.part(id, wall_start, wall_count);
    for (std::size_t f = 0; f < touching.size(); ++f) {
      auto beyond = g.position(touching[f]);
      beyond[side.axis] += side.upper ? 1 : -1;
      result.at(beyond[0], beyond[1], beyond[2]) = 2 * on_wall[f] - result[touching[f]];
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
  for (int a = 0; a < grid_->rank(); ++a) {
    const std::string name = velocity_name(grid_->axis(a));
    if (!open_->nc->has(name)) return std::nullopt;
    result.push_back(open_->get_record(open_->nc->find(name), record, *grid_));
  }
  return result;
}

std::optional<Field> FieldReader::shares() const {
  const NetcdfFile& nc = *open_->nc;
  if (!nc.has("share")) return std::nullopt;
  const std::vector<Real> shown = nc.values(nc.find("share"));
  Index due = 1;
  for (int a = 0; a < grid_->rank(); ++a) due *= shown_size(grid_->axis(a));
  if (static_cast<Index>(shown.size()) != due) nc.damaged("'share' does not have a value for each unknown");
  Field result(*grid_);
  std::size_t next = 0;
  for (Index plane = 0; plane < (grid_->rank() == 3 ? shown_size(grid_->axis(2)) : 1); ++plane)
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
