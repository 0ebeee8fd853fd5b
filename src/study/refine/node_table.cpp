// Several runs and tables as one table of values at the unknowns of the first run.
#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <memory>

#include "study/refine/in_time.hpp"
#include "study/wording.hpp"
#include "williwaw/store/series.hpp"
#include "williwaw/study/compare.hpp"

namespace williwaw::study {

namespace {

// What a table, or an exact solution, says at times and unknowns of a run.
class ListedValues {
 public:
  ListedValues(const store::FieldReader& run, const std::filesystem::path& folder, const std::string& other)
      : run_(run) {
    for (const ComparedTime& at : compare(folder, other).times) {
      times_.push_back(
          {at.time, std::vector<std::optional<Real>>(static_cast<std::size_t>(run.grid().count()))});
      for (const ComparedValue& v : at.values) {
        if (!v.placed)
          throw InputError("--table nodes: '" + other + "' has values over time alone, without coordinates");
        const Index n = run.grid().containing(v.place);
        if (is_at(n, v.place))
          times_.back().values[static_cast<std::size_t>(n)] = v.other;
        else
          ++beside_;
      }
    }
  }
  std::optional<Real> at(Real time, Index unknown) const {
    for (const AtTime& t : times_)
      if (same(t.time, time)) return t.values[static_cast<std::size_t>(unknown)];
    return std::nullopt;
  }
  bool has(Real time) const {
    return std::ranges::any_of(times_, [&](const AtTime& t) { return same(t.time, time); });
  }
  /// Its values that lie at no unknown.
  Index beside() const { return beside_; }

 private:
  struct AtTime {
    Real time;
    std::vector<std::optional<Real>> values;
  };
  static constexpr Real slack = 1e-6;
  bool same(Real a, Real b) const { return std::abs(a - b) <= slack * std::abs(run_.times().back()); }
  bool is_at(Index n, const Point& place) const {
    const Grid& grid = run_.grid();
    const Point there = grid.point_of(n);
    for (int a = 0; a < grid.dimension(); ++a)
      if (std::abs(there[grid.direction(a)] - place[grid.direction(a)]) > slack * grid.axis(a).length())
        return false;
    return true;
  }

  const store::FieldReader& run_;
  std::vector<AtTime> times_;
  Index beside_ = 0;
};

}  // namespace

NodeTable node_table(const std::filesystem::path& run, const std::vector<std::string>& others,
                     const std::vector<Index>& records) {
  const store::FieldReader fields(run / "fields.nc");
  const auto& d = fields.description();
  const Grid& grid = fields.grid();
  NodeTable table;
  table.columns.push_back({"t", d.time.unit});
  for (int a = 0; a < grid.dimension(); ++a) table.columns.push_back({grid.axis(a).name(), d.length.unit});
  table.places = table.columns.size();
  table.columns.push_back({run.string(), d.value.unit});
  struct Other {
    std::string name;
    std::unique_ptr<OtherRun> run = nullptr;
    std::unique_ptr<ListedValues> listed = nullptr;
  };
  std::vector<Other> all;
  for (const std::string& other : others) {
    all.push_back({other});
    if (std::filesystem::is_directory(other))
      all.back().run = std::make_unique<OtherRun>(fields, other);
    else
      all.back().listed = std::make_unique<ListedValues>(fields, run, other);
    table.columns.push_back({other, d.value.unit});
  }
  std::vector<Index> chosen = records;
  const auto count = static_cast<Index>(fields.times().size());
  // A table tells by its own times which ones are meant.
  for (Index r = 0; records.empty() && r < count; ++r)
    if (std::ranges::any_of(all, [&](const Other& o) {
          return o.listed && o.name != "exact" && o.listed->has(fields.times()[static_cast<std::size_t>(r)]);
        }))
      chosen.push_back(r);
  if (chosen.empty()) chosen.push_back(count - 1);
  for (const Index r : chosen) {
    const Field field = fields.field(r);
    const Real time = fields.times()[static_cast<std::size_t>(r)];
    for (Index n = 0; n < grid.count(); ++n) {
      if (field.is_left_out(n)) continue;
      const Point place = grid.point_of(n);
      std::vector<std::optional<Real>> row{time};
      for (int a = 0; a < grid.dimension(); ++a) row.emplace_back(place[grid.direction(a)]);
      row.emplace_back(field[n]);
      for (const Other& o : all) row.push_back(o.run ? o.run->at(time, place) : o.listed->at(time, n));
      table.rows.push_back(std::move(row));
    }
  }
  for (const Other& o : all) {
    if (o.run && o.run->between() > 0)
      table.notes.push_back(o.name + ": some times lie between its records, and are taken linearly");
    if (o.listed && o.listed->beside() > 0)
      table.notes.push_back(fmt::format("{}: {} of its values lie at no unknown of {} and are left out",
                                        o.name, o.listed->beside(), run.string()));
  }
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
