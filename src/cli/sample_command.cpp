#include <fmt/format.h>

#include <cmath>

#include "arguments.hpp"
#include "commands.hpp"
#include "say.hpp"
#include "williwaw/store/sample_table.hpp"
#include "williwaw/store/written.hpp"

namespace williwaw::cli {

namespace {

// Points of --at, or so many along the line of --along, in the units shown.
std::vector<Point> places_of(const SampleArguments& a, const store::FieldReader& fields) {
  const Grid& grid = fields.grid();
  const auto& length = fields.description().length;
  std::vector<Point> places;
  for (const std::string& at : a.at) places.push_back(shown(place(at, grid, length, "--at"), grid, length));
  if (a.along.empty()) return places;
  const auto ends = line(a.along, grid, length, "--along");
  const Point from = shown(ends.first, grid, length), to = shown(ends.second, grid, length);
  for (Index n = 0; n < a.points; ++n) {
    const Real part = static_cast<Real>(n) / static_cast<Real>(a.points - 1);
    Point p;
    for (int s = 0; s < 3; ++s) p[s] = from[s] + part * (to[s] - from[s]);
    places.push_back(p);
  }
  return places;
}

std::vector<std::optional<Real>> row_of(const store::Series& table, std::size_t row) {
  std::vector<std::optional<Real>> result;
  for (const auto& column : table.values)
    result.push_back(std::isnan(column[row]) ? std::nullopt : std::optional(column[row]));
  return result;
}

void say_table(const store::Series& table) {
  std::vector<std::vector<std::string>> cells(1);
  for (const auto& column : table.columns) cells[0].push_back(column.header());
  for (std::size_t r = 0; r < table.values[0].size(); ++r) {
    cells.emplace_back();
    for (const auto& value : row_of(table, r))
      cells.back().push_back(value ? fmt::format("{:.6g}", *value) : "none");
  }
  std::vector<std::size_t> widths(table.columns.size(), 0);
  for (const auto& row : cells)
    for (std::size_t c = 0; c < row.size(); ++c) widths[c] = std::max(widths[c], row[c].size());
  for (const auto& row : cells) {
    std::string text;
    for (std::size_t c = 0; c < row.size(); ++c)
      text += fmt::format("{}{:>{}}", c == 0 ? "" : "  ", row[c], widths[c]);
    say("{}\n", text);
  }
}

}  // namespace

int sample(const SampleArguments& arguments) {
  if (arguments.at.empty() == arguments.along.empty())
    throw InputError("sample: give one of --at (places) and --along (a line)");
  const auto file = arguments.run / "fields.nc";
  const store::FieldReader fields(file);
  std::vector<std::string> quantities;
  for (const std::string& name : split(arguments.of, ',')) quantities.push_back(trimmed(name));
  store::Series table;
  try {
    table = store::sample_table(file, quantities, places_of(arguments, fields),
                                records_at(arguments.times, fields), !arguments.along.empty());
  } catch (const store::UnknownName& e) {
    throw InputError("--of: this run has " + e.known());
  }
  if (arguments.output.empty()) {
    say_table(table);
    return done;
  }
  store::SeriesWriter out(arguments.output, table.columns);
  for (std::size_t r = 0; r < table.values[0].size(); ++r) out.append(row_of(table, r));
  out.finish();
  store::note_written(arguments.run, store::WrittenFor::hand, {{arguments.output}});
  say("{}\n", arguments.output.string());
  return done;
}

}  // namespace williwaw::cli
