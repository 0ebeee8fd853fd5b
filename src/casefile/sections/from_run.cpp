// Initial values from the results of another run, on the same grid or another one.
#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "casefile/sections/sections.hpp"
#include "williwaw/store/fields.hpp"

namespace williwaw::casefile {

namespace {

// How much of each control volume of `from` lies in each of `to`, as measures, along one axis.
struct Overlap {
  Index from;
  Real measure;
};
std::vector<std::vector<Overlap>> overlaps(const Axis& to, const Axis& from) {
  std::vector<std::vector<Overlap>> result(static_cast<std::size_t>(to.size()));
  for (Index i = 0; i < to.size(); ++i)
    for (Index j = 0; j < from.size(); ++j) {
      const Real low = std::max(to.bounds()[i], from.bounds()[j]),
                 high = std::min(to.bounds()[i + 1], from.bounds()[j + 1]);
      if (high > low) result[static_cast<std::size_t>(i)].push_back({j, to.measure(low, high)});
    }
  return result;
}

// Means over control volumes: what is there in all stays the same.
State conservative(const Grid& to, const Field& from) {
  const Grid& g = from.grid();
  std::array<std::vector<std::vector<Overlap>>, 3> along;
  for (int a = 0; a < 3; ++a)
    along[static_cast<std::size_t>(a)] =
        a < to.dimension() ? overlaps(to.axis(a), g.axis(a)) : std::vector<std::vector<Overlap>>{{{0, 1.0}}};
  State values(static_cast<std::size_t>(to.count()), 0.0);
  for (Index n = 0; n < to.count(); ++n) {
    const auto at = to.position(n);
    Real sum = 0, weight = 0;
    for (const auto& z : along[2][static_cast<std::size_t>(at[2])])
      for (const auto& y : along[1][static_cast<std::size_t>(at[1])])
        for (const auto& x : along[0][static_cast<std::size_t>(at[0])]) {
          const Real v = from.at(x.from, y.from, z.from), w = x.measure * y.measure * z.measure;
          if (std::isnan(v)) continue;
          sum += w * v;
          weight += w;
        }
    values[n] = weight > 0 ? sum / weight : std::numeric_limits<Real>::quiet_NaN();
  }
  return values;
}

// Beside the case, or in the working directory.
std::optional<std::filesystem::path> found(const Context& context, const std::string& name) {
  for (const auto& folder : {context.folder / name, std::filesystem::path(name)})
    if (std::filesystem::exists(folder / "fields.nc")) return folder;
  return std::nullopt;
}

std::filesystem::path folder_of(const Context& context, const Section& section) {
  const std::string name = section.word("from", "");
  if (const auto folder = found(context, name)) return *folder;
  section.fail("from", "'" + name + "' has no results, neither beside the case nor in the working directory");
}

Index record_of(const Context& context, const Section& section, const store::FieldReader& run) {
  const auto& times = run.times();
  const Node* node = section.find("time");
  if (!node || (node->is_text() && node->text() == "last")) return static_cast<Index>(times.size()) - 1;
  const Real wanted = run.description().time.shown(
      read_number(context, *node, section.key_path("time"), {Unit::of("s"), false, "a time, or \"last\""}));
  const auto record = run.record_at(wanted);
  if (!record)
    section.fail("time", fmt::format("no record at that time; the nearest is at {:.6g} {}",
                                     times[run.nearest_record(wanted)], run.description().time.unit));
  return *record;
}

}  // namespace

std::optional<Unit> unit_of_run(const Context& context, const Node& node, const std::string& unknown) {
  const Node* name = node.find("from");
  const auto folder = name->is_text() ? found(context, name->text()) : std::nullopt;
  if (!folder) return std::nullopt;
  std::string unit;
  try {
    unit = store::FieldReader(*folder / "fields.nc", unknown).description().value.unit;
  } catch (const store::UnknownName&) {
    // For read_from_run to say.
  }
  return unit.empty() ? std::nullopt : Unit::parse(unit);
}

Value read_from_run(const Context& context, const Node& node, const Dimensions& dimensions,
                    const Grid& grid) {
  const Section section(context, node, "initial.value");
  section.allow({"from", "time", "onto"}, {});
  const auto folder = folder_of(context, section);
  std::optional<store::FieldReader> opened;
  try {
    // Among several unknowns the one of the same name.
    opened.emplace(folder / "fields.nc", context.unknowns.empty() ? "" : dimensions.name);
  } catch (const store::UnknownName& e) {
    section.fail("from", e.what());
  }
  const store::FieldReader& run = *opened;
  const auto& d = run.description();
  // A plain number is shown without a unit, in a run that has units otherwise.
  const std::string unit = d.value.unit.empty() && !d.length.unit.empty() ? "1" : d.value.unit;
  if (context.dimensional != !unit.empty() ||
      (context.dimensional && !Unit::of(unit).same_dimension(dimensions.unknown)))
    section.fail("from", fmt::format("its {} is in '{}', which does not fit the unknown", d.unknown, unit));
  if (run.grid().dimension() != grid.dimension())
    section.fail("from", "it has another number of dimensions than this case");
  const Index record = record_of(context, section, run);
  const std::string onto = section.choice("onto", grid == grid.at_cells() ? "conservative" : "linear",
                                          {"conservative", "linear"}, {});
  // In SI, as this case counts.
  Field field = run.field(record);
  std::vector<Axis> axes;
  for (int a = 0; a < run.grid().dimension(); ++a) {
    const Axis& axis = run.grid().axis(a);
    std::vector<Real> faces;
    for (const Real m : axis.faces()) faces.push_back(d.length.si(m));
    // Exactly where this grid's ends are, or round-off leaves cells without an overlap.
    const Axis& here = grid.axis(a);
    if (axis.name() != here.name()) section.fail("from", "its axes are not those of this case");
    const Real slack = 1e-9 * here.length();
    if (std::abs(faces.front() - here.from()) < slack) faces.front() = here.from();
    if (std::abs(faces.back() - here.to()) < slack) faces.back() = here.to();
    if (faces.front() > here.from() || faces.back() < here.to())
      section.fail("from", "it does not reach as far along " + here.name() + " as this case does");
    axes.push_back(axis.name() == "r" ? Axis::radial(axis.coordinates(), faces, axis.unknowns())
                                      : Axis(axis.name(), faces, axis.unknowns(), axis.periodic()));
  }
  Field in_si{Grid(axes)};
  std::vector<Real> raw(field.raw().begin(), field.raw().end());
  for (Real& v : raw) v = d.value.si(v);
  in_si.set_raw(raw);
  std::vector<Index> gone;
  for (Index n = 0; n < field.size(); ++n)
    if (field.is_left_out(n)) gone.push_back(n);
  in_si.leave_out(gone);
  in_si.set_knows_beyond(field.knows_beyond());

  State values;
  if (onto == "conservative") {
    values = conservative(grid, in_si);
  } else {
    for (Index n = 0; n < grid.count(); ++n) values.push_back(in_si.sample(grid.point_of(n)));
  }
  for (Real& v : values)
    if (std::isnan(v)) v = 0;
  Value result;
  result.function = values_at(grid, std::move(values));
  result.text = fmt::format("from {}, recorded at {}, {}", folder.string(),
                            fmt::format("{:.6g}{}", run.times()[static_cast<std::size_t>(record)],
                                        d.time.unit.empty() ? "" : " " + d.time.unit),
                            onto == "linear" ? "between its values" : "conservatively");
  return result;
}

Function values_at(const Grid& grid, State values) {
  const auto kept = std::make_shared<const State>(std::move(values));
  return Function::by_line(
      [grid, kept](const Points& places, Real, std::span<Real> out) {
        for (std::size_t i = 0; i < out.size(); ++i)
          out[i] = (*kept)[static_cast<std::size_t>(grid.containing(places[static_cast<Index>(i)]))];
      },
      true, false);
}

}  // namespace williwaw::casefile
