#include <algorithm>
#include <array>
#include <cmath>
#include <map>
#include <nlohmann/json.hpp>

#include "fields_layout.hpp"

namespace williwaw::store {

namespace {

std::string coordinates_text(const Axis& first) {
  return first.coordinates() == Coordinates::cartesian     ? "cartesian"
         : first.coordinates() == Coordinates::cylindrical ? "cylindrical"
                                                           : "spherical";
}

}  // namespace

struct FieldWriter::Open {
  std::filesystem::path file, partial;
  std::unique_ptr<NetcdfFile> nc;
  Grid grid;
  Description about;
  int time = -1, stage = -1;
  /// An unknown with what is kept of it.
  struct Written {
    Quantity quantity;
    int id = -1;
    std::vector<std::pair<Side, int>> boundaries = {};
    std::uint32_t last_values = 0;  ///< checksum
  };
  std::vector<Written> unknowns;
  std::vector<int> velocity;
  std::size_t records = 0;
  Real last_time = 0;

  Open(std::filesystem::path f, const Grid& g, const Description& d) : file(std::move(f)), grid(g), about(d) {
    partial = file;
    partial += ".partial";
    nc = NetcdfFile::create(partial);
    unknowns.push_back({{about.unknown, about.value}});
    for (const Quantity& other : about.others) unknowns.push_back({other});
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

  void declare(Written& unknown, const std::vector<int>& dimensions);
  void declare_sides(Written& unknown, int time_dimension, const std::vector<int>& axes);
  void put_side(int id, std::size_t record, std::vector<Real> values, Side side, const Scale& scale) const;
  void prove() const;
  void prove(const NetcdfFile& written, const Written& unknown) const;

  // A record goes by slabs, some lines of one plane each, so that it need not be in memory as a whole.
  struct Slab {
    std::vector<std::size_t> start, count;  ///< in a variable, the record first
    Index plane, first, lines;              ///< shown ones
  };
  template <class Visit>
  void each_slab(std::size_t record, const Visit& visit) const {
    const int dimension = grid.dimension();
    const Index all = dimension > 1 ? shown_size(grid.axis(1)) : 1;
    const auto at_once = static_cast<Index>(lines_of_chunk());
    for (Index plane = 0; plane < (dimension > 2 ? shown_size(grid.axis(2)) : 1); ++plane)
      for (Index first = 0; first < all; first += at_once) {
        Slab slab{{record}, {1}, plane, first, std::min(at_once, all - first)};
        if (dimension > 2) slab.start.push_back(static_cast<std::size_t>(plane)), slab.count.push_back(1);
        if (dimension > 1) {
          slab.start.push_back(static_cast<std::size_t>(first));
          slab.count.push_back(static_cast<std::size_t>(slab.lines));
        }
        slab.start.push_back(0);
        slab.count.push_back(static_cast<std::size_t>(shown_size(grid.axis(0))));
        visit(slab);
      }
  }

  // What is shown of a quantity: the first point of a periodic axis with nodes once more at its end. Returns
  // the checksum of what was written.
  std::uint32_t put(int id, std::size_t record, RecordSource& from, std::size_t quantity,
                    const Scale& scale) const {
    const auto line = static_cast<std::size_t>(grid.size(0));
    const auto shown_line = static_cast<std::size_t>(shown_size(grid.axis(0)));
    std::vector<Real> values, shown;
    std::uint32_t sum = 0;
    each_slab(record, [&](const Slab& slab) {
      const Index repeated = std::max<Index>(slab.first + slab.lines - grid.size(1), 0);
      const auto own = static_cast<std::size_t>(slab.lines - repeated);
      values.resize(line * static_cast<std::size_t>(slab.lines));
      const Index plane = grid.size(1) * (slab.plane % grid.size(2));
      if (own > 0) from.read(quantity, plane + slab.first, std::span(values).first(own * line));
      if (repeated > 0) from.read(quantity, plane, std::span(values).subspan(own * line));
      shown.clear();
      for (auto first = values.begin(); first != values.end(); first += static_cast<std::ptrdiff_t>(line)) {
        for (std::size_t i = 0; i < shown_line; ++i)
          shown.push_back(scale.shown(first[static_cast<std::ptrdiff_t>(i < line ? i : 0)]));
      }
      nc->check(nc_put_vara_double(nc->id(), id, slab.start.data(), slab.count.data(), shown.data()));
      sum = checksum(shown.data(), shown.size() * sizeof(Real), sum);
    });
    return sum;
  }

  // Lines of a chunk of a variable over the plane or a block.
  std::size_t lines_of_chunk() const {
    if (grid.dimension() == 1) return 1;
    constexpr std::size_t most = 1u << 16;
    return std::clamp<std::size_t>(most / static_cast<std::size_t>(shown_size(grid.axis(0))), 1,
                                   static_cast<std::size_t>(shown_size(grid.axis(1))));
  }

  // A chunk is what is written at once: some lines of one record of a large grid, several records of a small
  // one. Chunks follow each other, so that two of them are all that is worth keeping in memory.
  void choose_chunks(int id) const {
    std::vector<std::size_t> chunk{1};
    for (int a = grid.dimension() - 1; a >= 0; --a)
      chunk.push_back(a == 2   ? 1
                      : a == 1 ? lines_of_chunk()
                               : static_cast<std::size_t>(shown_size(grid.axis(a))));
    if (grid.dimension() == 1) chunk[0] = std::clamp<std::size_t>(4096 / chunk.back(), 1, 256);
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

// The variable of an unknown. Readers of one unknown find the first
// one's offset and factor from SI among the attributes of the file; others tell theirs.
void FieldWriter::Open::declare(Written& unknown, const std::vector<int>& dimensions) {
  const auto& [name, scale] = unknown.quantity;
  unknown.id = nc->variable(name, dimensions);
  choose_chunks(unknown.id);
  nc->missing_value(unknown.id);
  nc->attribute(unknown.id, "long_name", name);
  if (!scale.unit.empty()) nc->attribute(unknown.id, "units", scale.unit);
  std::string method;
  for (int a = 0; a < grid.dimension(); ++a) method += grid.axis(a).name() + ": ";
  nc->attribute(unknown.id, "cell_methods", method + (grid.unknowns() == Unknowns::cells ? "mean" : "point"));
  if (&unknown != unknowns.data()) {
    nc->attribute(unknown.id, "value_factor", scale.factor);
    nc->attribute(unknown.id, "value_offset", scale.offset);
  }
}

// A variable for what an unknown is on each side.
void FieldWriter::Open::declare_sides(Written& unknown, int time_dimension, const std::vector<int>& axes) {
  const auto& [name, scale] = unknown.quantity;
  for (const Side side : kept_boundaries(grid)) {
    std::vector<int> along{time_dimension};
    for (int a = grid.dimension() - 1; a >= 0; --a)
      if (a != side.axis) along.push_back(axes[a]);
    const int id = nc->variable(boundary_name(name, grid.side_name(side)), along);
    nc->attribute(id, "long_name", name + " on the " + grid.side_name(side) + " boundary");
    if (!scale.unit.empty()) nc->attribute(id, "units", scale.unit);
    unknown.boundaries.emplace_back(side, id);
  }
}

namespace {

// A time of CF conventions has a date that it counts from; without one it is a duration.
void declare_time(const NetcdfFile& nc, int time, const Description& about) {
  nc.attribute(time, "long_name", "time since the start");
  const std::string& unit = about.time.unit;
  if (unit.empty()) return;
  if (about.start_date.empty()) {
    nc.attribute(time, "units", unit);
    return;
  }
  static const std::map<std::string, std::string> words{
      {"s", "seconds"},  {"min", "minutes"}, {"minute", "minutes"}, {"h", "hours"},
      {"hour", "hours"}, {"d", "days"},      {"day", "days"}};
  const auto word = words.find(unit);
  nc.attribute(time, "units", (word == words.end() ? unit : word->second) + date_mark + about.start_date);
  nc.attribute(time, "standard_name", "time");
  nc.attribute(time, "calendar", "standard");
  nc.attribute(time, "axis", "T");
  nc.attribute(NC_GLOBAL, "time_unit", unit);
}

// All pieces one after the other, and whose they are in an attribute; the variable's id, or -1.
int declare_outlines(const NetcdfFile& nc, const Description& about) {
  std::size_t count = 0;
  auto regions = nlohmann::json::array();
  for (const RegionOutline& outline : about.outlines) {
    const std::size_t pieces = outline.pieces.size() / 4;
    regions.push_back({{"name", outline.region}, {"active", outline.active}, {"pieces", pieces}});
    count += pieces;
  }
  if (count == 0) return -1;
  const int id =
      nc.variable("outline", {nc.dimension("outline_piece", count), nc.dimension("outline_end", 4)});
  nc.attribute(id, "long_name", "where regions end: first and second coordinate of both ends of a piece");
  if (!about.length.unit.empty()) nc.attribute(id, "units", about.length.unit);
  nc.attribute(id, "regions", regions.dump());
  return id;
}

void write_outlines(const NetcdfFile& nc, int id, const Description& about) {
  std::vector<Real> shown;
  for (const RegionOutline& outline : about.outlines)
    for (const Real position : outline.pieces) shown.push_back(about.length.shown(position));
  if (id >= 0) nc.check(nc_put_var_double(nc.id(), id, shown.data()));
}

}  // namespace

FieldWriter::FieldWriter(const std::filesystem::path& file, const Grid& grid, const Description& about,
                         const std::vector<Real>& fractions)
    : open_(std::make_unique<Open>(file, grid, about)) {
  const NetcdfFile& nc = *open_->nc;
  const int time = nc.dimension("time", NC_UNLIMITED);
  const int pair = nc.dimension("bounds", 2);
  std::vector<int> axes, bounds;
  for (int a = 0; a < grid.dimension(); ++a)
    axes.push_back(nc.dimension(grid.axis(a).name(), static_cast<std::size_t>(shown_size(grid.axis(a)))));
  for (int a = 0; a < grid.dimension(); ++a) bounds.push_back(open_->coordinate(grid.axis(a), axes[a], pair));

  open_->time = nc.variable("time", {time});
  declare_time(nc, open_->time, about);

  if (!about.stages.empty()) {
    open_->stage = nc.variable("stage", {time});
    nc.attribute(open_->stage, "long_name", "stage of the run, 0 for the first");
    std::string titles;
    for (const auto& title : about.stages) titles += (titles.empty() ? "" : "; ") + title;
    nc.attribute(open_->stage, "titles", titles);
  }

  std::vector<int> dimensions{time};
  dimensions.insert(dimensions.end(), axes.rbegin(), axes.rend());
  for (Open::Written& unknown : open_->unknowns) open_->declare(unknown, dimensions);

  for (int a = 0; about.velocity && a < grid.dimension(); ++a) {
    const int id = nc.variable(velocity_name(grid.axis(a)), dimensions);
    open_->choose_chunks(id);
    nc.missing_value(id);
    nc.attribute(
        id, "long_name",
        "velocity along " + grid.axis(a).name() + " of the velocity that advects the " + about.unknown);
    if (!about.velocity_unit.empty()) nc.attribute(id, "units", about.velocity_unit);
    open_->velocity.push_back(id);
  }
  for (Open::Written& unknown : open_->unknowns) open_->declare_sides(unknown, time, axes);

  int fraction = -1;
  if (!fractions.empty()) {
    fraction = nc.variable("volume_fraction", {axes.rbegin(), axes.rend()});
    nc.attribute(fraction, "long_name", "fraction of the control volume that is active");
    nc.attribute(fraction, "units", "1");
  }
  const int outline = declare_outlines(nc, about);
  nc.attribute(NC_GLOBAL, "Conventions", "CF-1.8");
  nc.attribute(NC_GLOBAL, "title", about.title);
  nc.attribute(NC_GLOBAL, "source", "williwaw " + about.version);
  nc.attribute(NC_GLOBAL, "netcdf_library", nc_inq_libvers());
  nc.attribute(NC_GLOBAL, "unknown", about.unknown);
  if (!about.others.empty()) {
    std::string names;
    for (const Quantity& other : about.others) names += (names.empty() ? "" : separator) + other.name;
    nc.attribute(NC_GLOBAL, "other_unknowns", names);
  }
  if (!about.vectors.empty()) {
    std::string text;
    for (const VectorQuantity& vector : about.vectors) {
      text += (text.empty() ? "" : separator) + vector.name;
      for (const std::string& component : vector.components) text += component_mark + component;
    }
    nc.attribute(NC_GLOBAL, "vectors", text);
  }
  nc.attribute(NC_GLOBAL, "unknowns", grid.unknowns() == Unknowns::cells ? "cells" : "nodes");
  nc.attribute(NC_GLOBAL, "case", about.case_text);
  nc.attribute(NC_GLOBAL, "steady", about.steady ? 1 : 0);
  nc.attribute(NC_GLOBAL, "coordinate_system", coordinates_text(grid.axis(0)));
  // Offset and factor from SI, so that a reader need not know units to go back.
  for (const auto& [name, scale] :
       {std::pair{"length", about.length}, {"time", about.time}, {"value", about.value}}) {
    nc.attribute(NC_GLOBAL, std::string(name) + "_factor", scale.factor);
    nc.attribute(NC_GLOBAL, std::string(name) + "_offset", scale.offset);
  }
  nc.check(nc_enddef(nc.id()));
  for (int a = 0; a < grid.dimension(); ++a) open_->write_coordinate(grid.axis(a), bounds[a]);
  write_outlines(nc, outline, about);
  if (fraction < 0) return;
  std::vector<Real> shown;
  for (Index plane = 0; plane < (grid.dimension() == 3 ? shown_size(grid.axis(2)) : 1); ++plane)
    each_shown(grid, plane, [&](Index i, Index j, Index k) {
      shown.push_back(fractions[grid.number(i % grid.size(0), j % grid.size(1), k % grid.size(2))]);
    });
  nc.check(nc_put_var_double(nc.id(), fraction, shown.data()));
}

FieldWriter::~FieldWriter() {
  // Half a file is of no use, and may fill the disk that the rest needs.
  if (!open_) return;
  open_->nc.reset();
  std::error_code ignored;
  std::filesystem::remove(open_->partial, ignored);
}

std::vector<Side> kept_boundaries(const Grid& grid) {
  std::vector<Side> result;
  if (grid.unknowns() == Unknowns::nodes) return result;
  for (const Side s : grid.sides())
    if (!grid.axis(s.axis).periodic()) result.push_back(s);
  return result;
}

namespace {

// Whole fields that are in memory.
class FieldsSource : public RecordSource {
 public:
  FieldsSource(Real at, int of_stage, std::span<const Field> fields, std::span<const Real> velocity)
      : RecordSource(at, of_stage), fields_(fields), velocity_(velocity) {}

  void read(std::size_t quantity, Index line, std::span<Real> values) override {
    const Grid& g = fields_.front().grid();
    const Index first = line * g.size(0);
    for (std::size_t n = 0; n < values.size(); ++n) {
      const Index number = first + static_cast<Index>(n);
      values[n] = quantity < fields_.size() ? fields_[quantity][number]
                  : fields_.front().is_left_out(number)
                      ? NAN
                      : velocity_[static_cast<std::size_t>(
                            number + g.count() * static_cast<Index>(quantity - fields_.size()))];
    }
  }
  std::vector<Real> on_boundary(std::size_t unknown, Side side) override {
    const Grid& g = fields_.front().grid();
    std::vector<Real> values;
    for (const Index n : g.unknowns_at(side))
      values.push_back(fields_[unknown].on_boundary(g.position(n), side));
    return values;
  }

 private:
  std::span<const Field> fields_;
  std::span<const Real> velocity_;
};

}  // namespace

void FieldWriter::append(Real time, const Field& field, int stage, std::span<const Real> velocity) {
  append(time, {&field, 1}, stage, velocity);
}

void FieldWriter::append(Real time, std::span<const Field> fields, int stage,
                         std::span<const Real> velocity) {
  if (fields.size() != open_->unknowns.size())
    throw StoreError(open_->file.string() + ": has " + std::to_string(open_->unknowns.size()) +
                     " unknowns, but " + std::to_string(fields.size()) + " fields were given");
  FieldsSource source(time, stage, fields, velocity);
  append(source);
}

void FieldWriter::append(RecordSource& from) {
  const NetcdfFile& nc = *open_->nc;
  const std::size_t record = open_->records++, one = 1;
  const Real shown_time = open_->last_time = open_->about.time.shown(from.time);
  nc.check(nc_put_vara_double(nc.id(), open_->time, &record, &one, &shown_time));

  if (open_->stage >= 0) {
    const Real number = from.stage;
    nc.check(nc_put_vara_double(nc.id(), open_->stage, &record, &one, &number));
  }

  for (std::size_t u = 0; u < open_->unknowns.size(); ++u) {
    Open::Written& unknown = open_->unknowns[u];
    unknown.last_values = open_->put(unknown.id, record, from, u, unknown.quantity.scale);
    for (const auto& [side, id] : unknown.boundaries)
      open_->put_side(id, record, from.on_boundary(u, side), side, unknown.quantity.scale);
  }
  for (std::size_t c = 0; c < open_->velocity.size(); ++c)
    open_->put(open_->velocity[c], record, from, open_->unknowns.size() + c, Scale());
}

void FieldWriter::Open::put_side(int id, std::size_t record, std::vector<Real> values, Side side,
                                 const Scale& scale) const {
  for (Real& value : values) value = scale.shown(value);
  std::vector<std::size_t> start{record}, count{1};
  for (int a = grid.dimension() - 1; a >= 0; --a) {
    if (a == side.axis) continue;
    start.push_back(0);
    count.push_back(static_cast<std::size_t>(grid.size(a)));
  }
  nc->check(nc_put_vara_double(nc->id(), id, start.data(), count.data(), values.data()));
}

// Read back from the disk: as many records as were written, and the last of them.
void FieldWriter::Open::prove() const {
  const auto written = NetcdfFile::open(partial);
  const auto times = written->values(written->find("time"));
  if (times.size() != records || (records > 0 && times.back() != last_time))
    throw StoreError(file.string() + ": was not written completely");
  if (records == 0) return;
  for (const Written& unknown : unknowns) prove(*written, unknown);
}

void FieldWriter::Open::prove(const NetcdfFile& written, const Written& unknown) const {
  const int id = written.find(unknown.quantity.name);
  keep_two_chunks(written, id);
  std::vector<Real> values;
  std::uint32_t sum = 0;
  each_slab(records - 1, [&](const Slab& slab) {
    values.resize(slab.count.back() * static_cast<std::size_t>(slab.lines));
    written.check(nc_get_vara_double(written.id(), id, slab.start.data(), slab.count.data(), values.data()));
    sum = checksum(values.data(), values.size() * sizeof(Real), sum);
  });
  if (sum != unknown.last_values) throw StoreError(file.string() + ": was not written completely");
}

void FieldWriter::finish() {
  if (!open_->nc) return;
  open_->nc->close();
  open_->nc.reset();
  synchronize(open_->partial);
  open_->prove();
  replace(open_->partial, open_->file);
}

}  // namespace williwaw::store
