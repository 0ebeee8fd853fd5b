// A run as the player of a page knows it: what its fields, series, summary and figures hold.
#include <fmt/format.h>

#include <cmath>
#include <fstream>
#include <iterator>

#include "parts.hpp"
#include "williwaw/casefile/units.hpp"

namespace williwaw::plot {

namespace {

using nlohmann::ordered_json;

// Rows of series beyond so many are left out evenly: more than pixels of a screen show nothing more.
constexpr std::size_t most_rows = 4000;

std::vector<Real> chosen(std::span<const Real> values, const std::vector<Index>& places) {
  std::vector<Real> result;
  for (const Index n : places) result.push_back(values[n]);
  return result;
}

// In 1-D a profile goes from boundary to boundary.
bool reaches_boundaries(const Grid& grid) {
  return grid.dimension() == 1 && grid.unknowns() == Unknowns::cells && !grid.axis(0).periodic();
}

ordered_json axes_of(const Grid& grid, const Shared& shared, const std::string& unit) {
  ordered_json result = ordered_json::array();
  for (int a = 0; a < grid.dimension(); ++a) {
    const Axis& axis = grid.axis(a);
    std::vector<Real> points = chosen(axis.points(), shared.places[a]), bounds = shared.bounds[a];
    if (reaches_boundaries(grid)) {
      points.insert(points.begin(), axis.from());
      points.push_back(axis.to());
      bounds.insert(bounds.begin(), axis.from());
      bounds.push_back(axis.to());
    }
    result.push_back({{"name", axis.name()},
                      {"unit", pretty_unit(unit)},
                      {"points", reals(points)},
                      {"bounds", reals(bounds)}});
  }
  return result;
}

void append_values(const Field& field, const Shared& shared, std::vector<float>& values) {
  const Grid& grid = field.grid();
  const auto along = [&](int a) {
    return shared.places[a].empty() ? std::vector<Index>{0} : shared.places[a];
  };
  const auto add = [&](Real value) { values.push_back(static_cast<float>(value)); };
  if (reaches_boundaries(grid)) add(field.on_boundary({0, 0, 0}, {0, false}));
  for (const Index k : along(2))
    for (const Index j : along(1))
      for (const Index i : along(0)) add(field.at(i, j, k));
  if (reaches_boundaries(grid)) add(field.on_boundary({grid.axis(0).size() - 1, 0, 0}, {0, true}));
}

// Of a plan: ends of straight pieces, x and y of one and of the other.
ordered_json outline_data(const RunFolder& run) {
  if (run.fields().grid().dimension() != 2) return "";
  std::vector<float> ends;
  for (const Lines& lines : region_lines(run, {0, 1}))
    for (std::size_t n = 0; n + 3 < lines.segments.size(); n += 4) {
      const Real x = lines.segments[n], y = lines.segments[n + 1];
      for (const Real v : {x, y, x + lines.segments[n + 2], y + lines.segments[n + 3]})
        ends.push_back(static_cast<float>(v));
    }
  return singles(ends);
}

ordered_json series_of(const RunFolder& run, const store::Scale& time) {
  const store::RunSeries& series = run.series();
  std::vector<std::size_t> columns;
  for (std::size_t c = 0; c < series.table().columns.size(); ++c)
    if (series.role(c) != store::SeriesRole::time && series.role(c) != store::SeriesRole::interpolated)
      columns.push_back(c);
  ordered_json heads = ordered_json::array({{{"name", "t"}, {"unit", pretty_unit(time.unit)}}});
  for (const std::size_t c : columns)
    heads.push_back({{"name", series.column(c).name}, {"unit", pretty_unit(series.column(c).unit)}});
  const std::size_t clock = series.only(store::SeriesRole::time);
  const auto times = casefile::converted(series.values(clock), series.column(clock).unit, time.unit);
  const std::size_t count = series.rows(), kept = std::min(count, most_rows);
  std::vector<Real> rows;
  for (std::size_t n = 0; n < kept; ++n) {
    const std::size_t row = kept == 1 ? count - 1 : n * (count - 1) / (kept - 1);
    rows.push_back(times[row]);
    for (const std::size_t c : columns) rows.push_back(series.values(c)[row]);
  }
  return {{"columns", heads}, {"rows", reals(rows)}};
}

// A value of summary.json as people read it; nothing for what is no single value.
std::string read_out(const ordered_json& value) {
  if (value.is_object() && value.contains("value")) {
    const std::string unit = value.value("unit", "");
    return read_out(value["value"]) + (unit.empty() || unit == "1" ? "" : " " + pretty_unit(unit));
  }
  if (value.is_string()) return value.get<std::string>();
  if (value.is_number_integer()) return std::to_string(value.get<long long>());
  if (value.is_number()) return fmt::format("{:.6g}", value.get<double>());
  std::string result;
  if (value.is_array())
    for (const auto& item : value) result += (result.empty() ? "" : "; ") + read_out(item);
  return result;
}

std::string in_words(std::string key) {
  std::ranges::replace(key, '_', ' ');
  return key;
}

std::string read_file(const std::filesystem::path& file) {
  std::ifstream in(file, std::ios::binary);
  return {std::istreambuf_iterator<char>(in), {}};
}

}  // namespace

ordered_json data_of(const RunFolder& run, const std::string& name, const store::Scale& time,
                     std::uintmax_t most, std::string& note) {
  const store::FieldReader& fields = run.fields();
  const auto& d = fields.description();
  const Grid& grid = fields.grid();
  const auto names = fields.quantities();
  const Index records = static_cast<Index>(fields.times().size());
  ordered_json result{{"name", name},
                      {"steady", d.steady},
                      {"timeUnit", pretty_unit(time.unit)},
                      {"outline", outline_data(run)}};
  if (std::filesystem::exists(run.folder() / "series.csv") && !d.steady)
    result["series"] = series_of(run, time);
  // Times, places and bounds are numbers of eight bytes.
  std::uintmax_t besides = result.dump().size() + characters_of(sizeof(Real) * records);
  for (int a = 0; a < grid.dimension(); ++a) besides += characters_of(2 * sizeof(Real) * grid.axis(a).size());
  const Shared shared = shared_of(grid, records, names.size(), most - std::min(most, besides));
  ordered_json quantities = ordered_json::array();
  for (const std::string& of : names) {
    const RunFolder own(run.folder(), of);
    std::vector<float> values;
    for (const Index r : shared.records) append_values(own.fields().field(r), shared, values);
    const auto& scale = own.fields().description().value;
    std::pair<Real, Real> range = own.fields().range();
    const bool is_signed_field = is_signed(scale, range);
    quantities.push_back({{"name", of},
                          {"unit", pretty_unit(scale.unit)},
                          {"signed", is_signed_field},
                          {"values", singles(values)}});
  }
  note = fmt::format("{} of {} records", shared.records.size(), records);
  if (d.steady) note = "a steady state";
  std::string sizes;
  bool all = true;
  for (int a = 0; a < grid.dimension(); ++a) {
    all = all && static_cast<Index>(shared.places[a].size()) == grid.axis(a).size();
    sizes += fmt::format("{}{} of {} along {}", a == 0 ? "" : ", ", shared.places[a].size(),
                         grid.axis(a).size(), grid.axis(a).name());
  }
  note += all ? fmt::format(", all {} places", grid.count()) : "; places: " + sizes;
  result["times"] =
      reals(casefile::converted(chosen(fields.times(), shared.records), d.time.unit, time.unit));
  result["axes"] = axes_of(grid, shared, d.length.unit);
  result["quantities"] = std::move(quantities);
  return result;
}

ordered_json numbers_of(const RunFolder& run) {
  const auto file = run.folder() / "summary.json";
  ordered_json result = ordered_json::array();
  // A program may have written fields by itself.
  if (!std::filesystem::exists(file)) return result;
  const auto all = ordered_json::parse(read_file(file), nullptr, false);
  if (!all.is_object())
    throw store::StoreError(file.string() + ": is not what a run writes; run the case again");
  for (const auto& [title, section] : all.items()) {
    if (!section.is_object()) continue;
    ordered_json rows = ordered_json::array();
    for (const auto& [label, value] : section.items())
      if (const std::string text = read_out(value); !text.empty() && label != "names")
        rows.push_back({in_words(label), text});
    if (!rows.empty()) result.push_back({{"title", in_words(title)}, {"rows", rows}});
  }
  return result;
}

ordered_json figures_of(const RunFolder& run, std::uintmax_t most, std::vector<std::string>& left_out) {
  const auto folder = run.folder() / "figures";
  ordered_json result = ordered_json::array();
  std::vector<std::filesystem::path> files;
  if (std::filesystem::is_directory(folder))
    for (const auto& entry : std::filesystem::directory_iterator(folder)) files.push_back(entry.path());
  std::ranges::sort(files);
  for (const auto& file : files) {
    const std::string ending = file.extension();
    const std::string kind = ending == ".svg"   ? "svg+xml"
                             : ending == ".png" ? "png"
                             : ending == ".gif" ? "gif"
                                                : "";
    if (kind.empty()) continue;
    const std::string content = read_file(file);
    if (characters_of(content.size()) > most) {
      left_out.push_back(file.filename());
      continue;
    }
    most -= characters_of(content.size());
    result.push_back(
        {{"name", file.stem().string()},
         {"source", "data:image/" + kind + ";base64," +
                        base64({reinterpret_cast<const unsigned char*>(content.data()), content.size()})}});
  }
  return result;
}

}  // namespace williwaw::plot
