// Several runs as one table of values at the unknowns of the first.
#include <fmt/format.h>

#include <algorithm>
#include <memory>

#include "study/refine/in_time.hpp"
#include "study/wording.hpp"
#include "williwaw/store/series.hpp"
#include "williwaw/study/compare.hpp"

namespace williwaw::study {

NodeTable node_table(const std::filesystem::path& run, const std::vector<std::filesystem::path>& others,
                     const std::vector<Index>& records) {
  const store::FieldReader fields(run / "fields.nc");
  const auto& d = fields.description();
  const Grid& grid = fields.grid();
  NodeTable table;
  table.columns.push_back({"t", d.time.unit});
  for (int a = 0; a < grid.dimension(); ++a) table.columns.push_back({grid.axis(a).name(), d.length.unit});
  table.places = table.columns.size();
  table.columns.push_back({run.string(), d.value.unit});
  std::vector<std::unique_ptr<OtherRun>> readers;
  for (const auto& other : others) {
    readers.push_back(std::make_unique<OtherRun>(fields, other));
    table.columns.push_back({other.string(), d.value.unit});
  }
  std::vector<Index> chosen = records;
  if (chosen.empty()) chosen.push_back(static_cast<Index>(fields.times().size()) - 1);
  for (const Index r : chosen) {
    const Field field = fields.field(r);
    const Real time = fields.times()[static_cast<std::size_t>(r)];
    for (Index n = 0; n < grid.count(); ++n) {
      if (field.is_left_out(n)) continue;
      const Point place = grid.point_of(n);
      std::vector<std::optional<Real>> row{time};
      for (int a = 0; a < grid.dimension(); ++a) row.emplace_back(place[grid.direction(a)]);
      row.emplace_back(field[n]);
      for (const auto& reader : readers) row.push_back(reader->at(time, place));
      table.rows.push_back(std::move(row));
    }
  }
  for (std::size_t n = 0; n < others.size(); ++n)
    if (readers[n]->between() > 0)
      table.notes.push_back(others[n].string() +
                            ": some times lie between its records, and are taken linearly");
  return table;
}

std::string node_text(const NodeTable& table, int digits, Index most) {
  const std::size_t values = table.columns.size(), all = table.rows.size();
  const auto count = most > 0 ? std::min(all, static_cast<std::size_t>(most)) : all;
  std::vector<std::vector<std::string>> cells(count);
  std::vector<std::size_t> widths;
  for (const store::Column& column : table.columns) widths.push_back(width_of(column.header()));
  for (std::size_t n = 0; n < count; ++n) {
    // Evenly spread where there are more than asked for.
    const auto& row = table.rows[count < 2 ? 0 : n * (all - 1) / (count - 1)];
    for (std::size_t c = 0; c < values; ++c) {
      cells[n].push_back(!row[c]            ? "-"
                         : c < table.places ? fmt::format("{:.6g}", *row[c])
                                            : fmt::format("{:.{}f}", *row[c], digits));
      widths[c] = std::max(widths[c], width_of(cells[n].back()));
    }
  }
  std::string text;
  const auto add = [&](std::size_t c, const std::string& cell) {
    text += std::string((c > 0 ? 2 : 0) + widths[c] - width_of(cell), ' ') + cell;
  };
  for (std::size_t c = 0; c < values; ++c) add(c, table.columns[c].header());
  text += "\n";
  for (const auto& row : cells) {
    for (std::size_t c = 0; c < values; ++c) add(c, row[c]);
    text += "\n";
  }
  for (const std::string& note : table.notes) text += note + "\n";
  return text;
}

}  // namespace williwaw::study
