#include "williwaw/store/run_series.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <fstream>
#include <map>
#include <nlohmann/json.hpp>

namespace williwaw::store {

namespace {

struct RoleWords {
  SeriesRole role;
  const char* kind;
  const char* name = "";  ///< of roles that have one
};

constexpr std::array<RoleWords, 8> all_roles{{{SeriesRole::time, "time", "t"},
                                              {SeriesRole::probe, "probe"},
                                              {SeriesRole::measure, "measure"},
                                              {SeriesRole::content, "content"},
                                              {SeriesRole::flow, "flow"},
                                              {SeriesRole::amount, "amount"},
                                              {SeriesRole::budget_residual, "residual", "budget residual"},
                                              {SeriesRole::interpolated, "mark", "interpolated"}}};

const RoleWords& words_of(SeriesRole role) {
  return *std::ranges::find(all_roles, role, &RoleWords::role);
}

bool is_content(const std::string& name) {
  return name == "total" || name == "energy";
}

constexpr std::string_view behind_unknown = ": ";

}  // namespace

std::string without_unknown(const std::string& header) {
  const std::size_t at = header.rfind(behind_unknown);
  return at == std::string::npos ? header : header.substr(at + behind_unknown.size());
}

namespace {

// The name of the unknown before it, with what parts them; empty where there is none.
std::string unknown_before(const std::string& header) {
  return header.substr(0, header.size() - without_unknown(header).size());
}

constexpr std::string_view flow_prefix = "flow ", amount_prefix = "amount ";

// Goes along the headers and says which role comes next.
class HeaderWalk {
 public:
  HeaderWalk(const std::filesystem::path& file, const std::vector<Column>& columns)
      : file_(file), columns_(columns) {}

  std::vector<SeriesRole> roles() {
    one(SeriesRole::time);
    while (at_ < columns_.size() && !is_first_measure() && !reserved_in_series(next()))
      take(SeriesRole::probe);
    do {
      of_one_unknown();
    } while (!unknown_.empty() && is_first_measure());
    unknown_.clear();
    const std::size_t flows = at_;
    while (at_ < columns_.size() && !next().starts_with(amount_prefix) &&
           without_unknown(next()) != name_of(SeriesRole::budget_residual))
      take(SeriesRole::flow);
    for (const std::size_t count = at_ - flows, first = at_; at_ < first + count;) {
      const std::string& flow = columns_[flows + at_ - first].name;
      const std::string line = flow.starts_with(flow_prefix) ? flow.substr(flow_prefix.size()) : flow;
      if (next() != amount_name(line)) refuse(amount_name(line));
      take(SeriesRole::amount);
    }
    do {
      unknown_ = unknown_before(next());
      one(SeriesRole::budget_residual);
    } while (!unknown_.empty() && without_unknown(next()) == name_of(SeriesRole::budget_residual));
    unknown_.clear();
    one(SeriesRole::interpolated);
    if (at_ < columns_.size())
      throw StoreError(
          fmt::format("{}:1: column '{}' is not one of a run's series; take it out", file_.string(), next()));
    return roles_;
  }

 private:
  std::string next() const { return at_ < columns_.size() ? columns_[at_].name : ""; }

  bool is_first_measure() const { return without_unknown(next()) == first_measure; }

  // A flow, or what follows flows: flows have an amount each.
  bool is_of_budget() const {
    const std::string& header = next();
    return reserved_in_series(header)
               ? !is_content(without_unknown(header))
               : std::ranges::find(columns_, amount_name(header), &Column::name) != columns_.end();
  }

  // Its name stands before all of its columns, where there are several.
  void of_one_unknown() {
    unknown_ = unknown_before(next());
    if (!is_first_measure()) refuse(unknown_ + first_measure);
    bool content = false;
    do {
      if (!next().starts_with(unknown_)) refuse(unknown_ + next().substr(unknown_before(next()).size()));
      const bool is = is_content(next().substr(unknown_.size()));
      content = content || is;
      take(is ? SeriesRole::content : SeriesRole::measure);
    } while (at_ < columns_.size() && !is_first_measure() && !is_of_budget());
    if (!content) refuse(unknown_ + "total' or '" + unknown_ + "energy");
  }

  void take(SeriesRole role) {
    roles_.push_back(role);
    ++at_;
  }

  void one(SeriesRole role) {
    if (next() != unknown_ + name_of(role)) refuse(unknown_ + name_of(role));
    take(role);
  }

  [[noreturn]] void refuse(const std::string& due) const {
    throw StoreError(fmt::format(
        "{}:1: {}, where a run's series has '{}'; run the case again, or 'williwaw "
        "recover' its folder",
        file_.string(), at_ < columns_.size() ? "column '" + next() + "'" : "no further column", due));
  }

  const std::filesystem::path& file_;
  const std::vector<Column>& columns_;
  std::size_t at_ = 0;
  std::string unknown_;  ///< whose columns these are, with what parts it from their names
  std::vector<SeriesRole> roles_;
};

// Kinds by header, as the summary beside a series says them; nothing where there is none, or where it belongs
// to a run with other columns.
std::map<std::string, std::string> stated_kinds(const std::filesystem::path& file,
                                                const std::vector<Column>& columns) {
  std::ifstream in(file.parent_path() / "summary.json");
  const auto summary = nlohmann::json::parse(in, nullptr, false);
  std::map<std::string, std::string> kinds;
  const auto section = summary.is_object() ? summary.find(columns_of_series_key) : summary.end();
  if (section == summary.end() || !section->is_object() || !section->contains("names")) return kinds;
  for (const auto& entry : (*section)["names"]) {
    const std::string header = entry.value("name", ""), kind = entry.value("kind", "");
    if (kind.empty() || std::ranges::find(columns, header, &Column::name) == columns.end()) return {};
    kinds[header] = kind;
  }
  return kinds;
}

// Kinds that are no role's are the writer's own words for measures.
std::optional<SeriesRole> role_of(const std::string& kind, const std::string& name) {
  const auto words = std::ranges::find(all_roles, kind, &RoleWords::kind);
  if (words == all_roles.end()) return SeriesRole::measure;
  if (*words->name != 0 && words->name != name) return std::nullopt;
  return words->role;
}

std::vector<SeriesRole> roles_of(const std::filesystem::path& file, const std::vector<Column>& columns) {
  const auto kinds = stated_kinds(file, columns);
  if (kinds.empty()) return HeaderWalk(file, columns).roles();
  std::vector<SeriesRole> roles;
  for (const Column& column : columns) {
    const auto found = kinds.find(column.name);
    std::optional<SeriesRole> role;
    if (found != kinds.end()) role = role_of(found->second, without_unknown(column.name));
    if (!role)
      throw StoreError(fmt::format("{}:1: column '{}' is not one of a run's series; take it out",
                                   file.string(), column.name));
    roles.push_back(*role);
  }
  return roles;
}

void need_complete(const std::filesystem::path& file, const Series& table) {
  if (!table.complete) throw StoreError(file.string() + ": is cut off within its last row");
}

}  // namespace

std::string name_of(SeriesRole role) {
  return words_of(role).name;
}

std::string kind_of(SeriesRole role) {
  return words_of(role).kind;
}

std::string name_of_unknown(const std::string& unknown, const std::string& column) {
  return unknown + std::string(behind_unknown) + column;
}

std::string amount_name(const std::string& line) {
  return std::string(amount_prefix) + line;
}

std::string flow_name(const std::string& line, bool boundary) {
  return boundary ? std::string(flow_prefix) + line : line;
}

bool reserved_in_series(const std::string& name) {
  const std::string own = without_unknown(name);
  return is_content(own) || name.starts_with(flow_prefix) || name.starts_with(amount_prefix) ||
         std::ranges::any_of(all_roles,
                             [&](const RoleWords& words) { return *words.name != 0 && own == words.name; });
}

RunSeries::RunSeries(const std::filesystem::path& file)
    : file_(file), table_(read_series(file)), roles_(roles_of(file, table_.columns)) {
  for (const std::size_t flow : all(SeriesRole::flow)) {
    const std::string& header = column(flow).name;
    const bool boundary = header.starts_with(flow_prefix);
    const std::string line = boundary ? header.substr(flow_prefix.size()) : header;
    const auto amount = std::ranges::find(table_.columns, amount_name(line), &Column::name);
    if (amount == table_.columns.end())
      throw StoreError(
          fmt::format("{}:1: there is no column '{}' to go with '{}'; run the case again, or 'williwaw "
                      "recover' its folder",
                      file.string(), amount_name(line), header));
    lines_.push_back({line, boundary, flow, static_cast<std::size_t>(amount - table_.columns.begin())});
  }
  need_complete(file, table_);
  if (rows() == 0) throw StoreError(file.string() + ": has a header and no rows");
  const auto& times = table_.values[0];
  for (std::size_t r = 0; r < times.size(); ++r)
    if (!std::isfinite(times[r]) || (r > 0 && times[r] < times[r - 1]))
      throw StoreError(fmt::format("{}:{}: column 't': {}", file.string(), r + 2,
                                   std::isfinite(times[r]) ? "earlier than the row before" : "no time"));
}

std::vector<std::size_t> RunSeries::all(SeriesRole role) const {
  std::vector<std::size_t> result;
  for (std::size_t c = 0; c < roles_.size(); ++c)
    if (roles_[c] == role) result.push_back(c);
  return result;
}

std::vector<std::size_t> RunSeries::measures(const std::string& name) const {
  std::vector<std::size_t> result;
  for (const std::size_t c : all(SeriesRole::measure))
    if (without_unknown(column(c).name) == name) result.push_back(c);
  return result;
}

std::size_t RunSeries::probe(const std::string& name) const {
  std::string known;
  for (const std::size_t c : all(SeriesRole::probe)) {
    if (column(c).name == name) return c;
    known += (known.empty() ? "" : ", ") + column(c).name;
  }
  throw StoreError(
      fmt::format("{}: has no probe '{}'; it has {}", file_.string(), name, known.empty() ? "none" : known));
}

std::string RunSeries::names() const {
  std::string result;
  for (std::size_t c = 1; c < table_.columns.size(); ++c) result += (c > 1 ? ", " : "") + column(c).name;
  return result;
}

std::vector<std::pair<std::string, SeriesRole>> written_columns(const std::filesystem::path& file) {
  const Series table = read_series(file);
  const auto roles = HeaderWalk(file, table.columns).roles();
  std::vector<std::pair<std::string, SeriesRole>> result;
  for (std::size_t c = 0; c < roles.size(); ++c) result.emplace_back(table.columns[c].name, roles[c]);
  return result;
}

Series read_run_table(const std::filesystem::path& file, const std::vector<std::string>& headers,
                      std::size_t rows, bool more) {
  Series table = read_series(file);
  for (std::size_t c = 0; c < std::max(headers.size(), table.columns.size()); ++c) {
    const std::string found = c < table.columns.size() ? table.columns[c].name : "";
    if (c < headers.size() && found != headers[c])
      throw StoreError(fmt::format("{}:1: column {} is '{}', where a run writes '{}'", file.string(), c + 1,
                                   found, headers[c]));
    if (c >= headers.size() && !more)
      throw StoreError(
          fmt::format("{}:1: column '{}' is not one of those that a run writes there", file.string(), found));
  }
  need_complete(file, table);
  if (table.values[0].size() < rows)
    throw StoreError(fmt::format("{}: has {} row{}, where at least {} {} needed", file.string(),
                                 table.values[0].size(), table.values[0].size() == 1 ? "" : "s", rows,
                                 rows == 1 ? "is" : "are"));
  for (std::size_t c = 0; c < table.columns.size(); ++c)
    for (std::size_t r = 0; r < table.values[c].size(); ++r)
      if (!std::isfinite(table.values[c][r]))
        throw StoreError(
            fmt::format("{}:{}: no number in column '{}'", file.string(), r + 2, table.columns[c].name));
  return table;
}

}  // namespace williwaw::store
