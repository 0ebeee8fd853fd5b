#include "williwaw/study/compare.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "study/refine/in_time.hpp"
#include "study/wording.hpp"
#include "williwaw/casefile/formula.hpp"
#include "williwaw/casefile/units.hpp"
#include "williwaw/store/run_series.hpp"

namespace williwaw::study {

using casefile::common_constants;
using casefile::compile;
using casefile::converted;
using casefile::Unit;

namespace {

void take_norms(ComparedTime& at) {
  Real sum = 0, squares = 0, all = 0;
  for (std::size_t n = 0; n < at.values.size(); ++n) {
    const Real d = std::abs(at.values[n].difference());
    sum += at.values[n].weight * d;
    squares += at.values[n].weight * d * d;
    all += at.values[n].weight;
    if (d > at.norms.max || n == 0) {
      at.norms.max = d;
      at.norms.where = static_cast<Index>(n);
    }
  }
  if (!(all > 0)) return;
  at.norms.l1 = sum / all;
  at.norms.l2 = std::sqrt(squares / all);
}

// `value(time, place)` is what the other one says, nothing where it says nothing; all in the run's shown
// units.
template <class Value>
void over_records(const store::FieldReader& run, const Value& value, Comparing& result) {
  for (std::size_t r = 0; r < run.times().size(); ++r) {
    ComparedTime at{run.times()[r], {}, {}};
    const Field field = run.field(static_cast<Index>(r));
    for (Index n = 0; n < run.grid().count(); ++n) {
      if (field.is_left_out(n)) continue;
      const Point place = run.grid().point_of(n);
      const std::optional<Real> other = value(at.time, place);
      if (other && std::isfinite(*other))
        at.values.push_back({at.time, place, true, field[n], *other, run.grid().volume_of(n)});
    }
    if (at.values.empty()) continue;
    take_norms(at);
    result.times.push_back(std::move(at));
  }
}

void against_run(const store::FieldReader& run, const std::filesystem::path& folder, Comparing& result) {
  OtherRun other(run, folder);
  result.other = folder.string();
  over_records(
      run, [&](Real t, const Point& place) { return other.at(t, place); }, result);
  if (other.between() > 0)
    result.notes.push_back(
        "some times lie between records of the other run, and are taken linearly between them");
}

void against_function(const store::FieldReader& run, const Function& f, Comparing& result) {
  const auto& d = run.description();
  over_records(
      run,
      [&](Real t, Point place) -> std::optional<Real> {
        for (int s = 0; s < 3; ++s) place[s] = d.length.si(place[s]);
        return d.value.shown(f(place, d.time.si(t)));
      },
      result);
}

// A column in the run's units: "t [h]" of a run in seconds is converted.
std::vector<Real> in_units(const store::Series& table, std::size_t column, const store::Scale& wanted,
                           const std::string& file) {
  std::vector<Real> values = table.values[column];
  const std::string& unit = table.columns[column].unit;
  if (unit.empty() || unit == wanted.unit) return values;
  const auto parsed = Unit::parse(unit);
  if (!parsed || wanted.unit.empty() || !parsed->same_dimension(Unit::of(wanted.unit)))
    throw InputError(
        fmt::format("{}: column '{}' is in '{}', which does not fit{}", file, table.columns[column].name,
                    unit, wanted.unit.empty() ? "; this run has no units" : "; '" + wanted.unit + "' would"));
  for (Real& v : values) v = wanted.shown(parsed->to_si(v));
  return values;
}

// Probe values over time against a column of a table.
void against_probe(const std::filesystem::path& folder, const store::Series& table, std::size_t time_column,
                   std::size_t value_column, const store::FieldReader& run, const std::string& file,
                   Comparing& result) {
  const store::RunSeries series(folder / "series.csv");
  const std::string& name = table.columns[value_column].name;
  const auto column = series.table().find(name);
  if (!column)
    throw InputError(fmt::format(
        "{}: has times and a column '{}', but no such column is in the run's series; there are {}", file,
        name, series.names()));
  const auto times = in_units(table, time_column, run.description().time, file);
  const auto values = in_units(table, value_column, run.description().value, file);
  const auto t = converted(series.values(0), series.column(0).unit, run.description().time.unit);
  const auto& v = series.values(*column);
  for (std::size_t n = 0; n < times.size(); ++n) {
    const Real slack = 1e-9 * (t.back() - t.front());
    if (times[n] < t.front() - slack || times[n] > t.back() + slack) continue;
    std::size_t i = 0;
    while (i + 2 < t.size() && t[i + 1] < times[n]) ++i;
    const Real w =
        t.size() < 2 || t[i + 1] == t[i] ? 0 : std::clamp((times[n] - t[i]) / (t[i + 1] - t[i]), 0.0, 1.0);
    const Real here = t.size() < 2 ? v[0] : (1 - w) * v[i] + w * v[i + 1];
    ComparedTime at{times[n], {}, {{times[n], Point{}, false, here, values[n], 1}}};
    take_norms(at);
    result.times.push_back(std::move(at));
  }
  result.axes.clear();
}

std::vector<std::string> names_over_time(const std::filesystem::path& folder) {
  const store::RunSeries series(folder / "series.csv");
  std::vector<std::string> result;
  for (std::size_t c = 1; c < series.table().columns.size(); ++c) result.push_back(series.column(c).name);
  return result;
}

// Of the columns beside time and coordinates, the one that is meant: the only one, or the only one with a
// name of the run. The others are left out with a note.
std::size_t column_of_values(const store::Series& table, const std::vector<std::size_t>& others,
                             const std::vector<std::string>& names, const std::string& file,
                             Comparing& result) {
  if (others.empty()) throw InputError(file + ": has no column of values beside time and coordinates");
  if (others.size() == 1) return others[0];
  std::vector<std::size_t> fitting;
  std::string listed;
  for (const std::size_t c : others) {
    if (std::ranges::find(names, table.columns[c].name) != names.end()) fitting.push_back(c);
    listed += (listed.empty() ? "'" : ", '") + table.columns[c].name + "'";
  }
  if (fitting.size() != 1)
    throw InputError(
        fmt::format("{}: has the columns {} beside time and coordinates, {} of them named as in the "
                    "run; leave one",
                    file, listed, fitting.empty() ? "none" : std::to_string(fitting.size())));
  std::string left_out;
  for (const std::size_t c : others)
    if (c != fitting[0]) left_out += (left_out.empty() ? "'" : ", '") + table.columns[c].name + "'";
  result.notes.push_back(fmt::format("{}: column{} {} left out; '{}' is compared", file,
                                     others.size() > 2 ? "s" : "", left_out, table.columns[fitting[0]].name));
  return fitting[0];
}

// A column of values with the time of each row.
struct TimedColumn {
  std::size_t column;
  std::vector<Real> times;
};

// Columns "NAME at t = 6 h" of a table with a column for each time; none where it is no such table.
std::vector<TimedColumn> columns_by_time(const store::Series& table, const store::Description& d,
                                         const std::string& file) {
  std::vector<TimedColumn> result;
  const std::string before = d.unknown + " at t = ";
  for (std::size_t c = 0; c < table.columns.size(); ++c) {
    const std::string& name = table.columns[c].name;
    if (!name.starts_with(before)) continue;
    const std::string text = name.substr(before.size());
    std::size_t used = 0;
    Real time = NAN;
    try {
      time = std::stod(text, &used);
    } catch (const std::logic_error&) {
      used = 0;
    }
    std::string unit = text.substr(used);
    unit.erase(0, unit.find_first_not_of(' '));
    const auto parsed = Unit::parse(unit.empty() ? d.time.unit : unit);
    const bool fits =
        d.time.unit.empty() ? unit.empty() : parsed && parsed->same_dimension(Unit::of(d.time.unit));
    if (used == 0 || !fits)
      throw InputError(
          fmt::format("{}: column '{}': a time in a unit of time is needed behind 't ='", file, name));
    if (!d.time.unit.empty()) time = d.time.shown(parsed->to_si(time));
    result.push_back({c, std::vector<Real>(table.values[c].size(), time)});
  }
  return result;
}

void against_table(const std::filesystem::path& folder, const store::FieldReader& run,
                   const std::string& file, Comparing& result) {
  const store::Series table = store::read_series(file);
  const auto& d = run.description();
  const Grid& g = run.grid();
  result.other = file;
  const auto time_column = table.find("t");
  std::vector<std::size_t> coordinates;
  for (int a = 0; a < g.dimension(); ++a)
    if (const auto c = table.find(g.axis(a).name())) coordinates.push_back(*c);
  const bool over_time = coordinates.empty() && time_column.has_value();
  std::vector<std::size_t> others;
  for (std::size_t c = 0; c < table.columns.size(); ++c)
    if (c != time_column && std::ranges::find(coordinates, c) == coordinates.end()) others.push_back(c);
  std::vector<TimedColumn> columns = columns_by_time(table, d, file);
  if (columns.empty()) {
    const std::size_t values = column_of_values(
        table, others, over_time ? names_over_time(folder) : std::vector{d.unknown}, file, result);
    if (over_time) return against_probe(folder, table, *time_column, values, run, file, result);
    columns.push_back({values, time_column
                                   ? in_units(table, *time_column, d.time, file)
                                   : std::vector<Real>(table.values[values].size(), run.times().back())});
  }
  if (static_cast<int>(coordinates.size()) != g.dimension())
    throw InputError(
        file + ": needs a column for each of the run's axes, with its name as header, and t for the time");
  std::vector<std::vector<Real>> places;
  for (const std::size_t c : coordinates) places.push_back(in_units(table, c, d.length, file));
  InTime in_time(run);
  Index outside = 0, all = 0;
  for (const TimedColumn& column : columns) {
    const auto values = in_units(table, column.column, d.value, file);
    for (std::size_t n = 0; n < values.size(); ++n) {
      Point place;
      for (int a = 0; a < g.dimension(); ++a) place[g.direction(a)] = places[static_cast<std::size_t>(a)][n];
      ++all;
      const Real time = column.times[n];
      if (!in_time.covers(time) || !inside(g, place)) {
        ++outside;
        continue;
      }
      auto at = std::ranges::find(result.times, time, &ComparedTime::time);
      if (at == result.times.end()) {
        result.times.push_back({time, {}, {}});
        at = result.times.end() - 1;
      }
      at->values.push_back({time, place, true, in_time.sample(time, place), values[n]});
    }
  }
  for (auto& at : result.times) take_norms(at);
  if (outside > 0)
    result.notes.push_back(
        fmt::format("{} of {} rows lie outside the run's time or domain and were left out", outside, all));
}

std::string place_of(const Comparing& c, const ComparedValue& v) {
  std::string text;
  const char* names = "xyz";
  for (std::size_t a = 0; a < c.axes.size(); ++a) {
    int direction = static_cast<int>(std::string(names).find(c.axes[a]));
    if (direction < 0) direction = 0;
    text +=
        fmt::format("{}{} = {}", a == 0 ? "" : ", ", c.axes[a], readable(v.place[direction], c.length_unit));
  }
  return text;
}

}  // namespace

Comparing compare(const std::filesystem::path& run, const std::string& other, bool formula) {
  const store::FieldReader fields(run / "fields.nc");
  const auto& d = fields.description();
  Comparing result{d.unknown, run.string(), "", d.time.unit, d.length.unit, d.value.unit, {}, {}, {}};
  for (int a = 0; a < fields.grid().dimension(); ++a) result.axes.push_back(fields.grid().axis(a).name());
  if (formula) {
    auto variables = result.axes;
    variables.push_back("t");
    against_function(fields, compile(other, common_constants(), variables), result);
    result.other = other;
  } else if (other == "exact") {
    const Case given = open_case_text(d.case_text, run / "case.toml");
    if (!given.exact) throw InputError(run.string() + ": its case has no [exact] solution");
    result.other = given.exact_is_initial ? "the initial value" : given.exact->text;
    against_function(fields, given.exact_is_initial ? given.problem.initial : given.exact->function, result);
  } else if (std::filesystem::is_directory(other)) {
    against_run(fields, other, result);
  } else if (std::filesystem::exists(other)) {
    against_table(run, fields, other, result);
  } else {
    throw InputError("'" + other +
                     "' is neither a result folder nor a table; for a formula write --formula \"..\"");
  }
  if (result.times.empty()) throw InputError("the two have no place and time in common");
  return result;
}

Report comparing_report(const Comparing& c) {
  Report report;
  report.section(c.run + " against " + c.other);
  const ComparedTime* worst = &c.times.front();
  // Rows of a table count alike.
  const bool weighted = std::ranges::any_of(c.times, [](const ComparedTime& at) {
    return std::ranges::any_of(at.values, [](const ComparedValue& v) { return v.weight != 1; });
  });
  for (const auto& at : c.times) {
    report.row(
        "at " + readable(at.time, c.time_unit),
        fmt::format("{}L1 {:.3e}, L2 {:.3e}; maximum {:.3e}{}", weighted ? "weighted by volume " : "",
                    at.norms.l1, at.norms.l2, at.norms.max, c.value_unit.empty() ? "" : " " + c.value_unit),
        number(at.norms.max), c.value_unit);
    if (at.norms.max > worst->norms.max) worst = &at;
  }
  const ComparedValue& v = worst->values[static_cast<std::size_t>(worst->norms.where)];
  const std::string place = v.placed ? place_of(c, v) : "";
  report.row("largest difference",
             fmt::format("{:.4g}{} at t = {}{}: {:.8g} against {:.8g}", v.difference(),
                         c.value_unit.empty() ? "" : " " + c.value_unit, readable(v.time, c.time_unit),
                         place.empty() ? "" : ", " + place, v.run, v.other),
             number(v.difference()), c.value_unit);
  for (const auto& n : c.notes) report.note(n);
  return report;
}

std::string comparing_table(const Comparing& c, int digits, Index rows) {
  std::vector<const ComparedValue*> all;
  for (const auto& at : c.times)
    for (const auto& v : at.values) all.push_back(&v);
  // Evenly spread where there are more than asked for.
  const auto count = std::min<std::size_t>(all.size(), static_cast<std::size_t>(rows));
  const auto header = [&](const std::string& name, const std::string& unit) {
    return unit.empty() ? name : name + " [" + unit + "]";
  };
  std::string text = fmt::format("{:>12}", header("t", c.time_unit));
  const bool placed = all.front()->placed;
  if (placed)
    for (const auto& axis : c.axes) text += fmt::format("{:>14}", header(axis, c.length_unit));
  const int width = digits + 14;
  text += fmt::format("{:>{}}{:>{}}{:>20}\n", header("run", c.value_unit), width,
                      header("other", c.value_unit), width, header("difference", c.value_unit));
  for (std::size_t n = 0; n < count; ++n) {
    const ComparedValue& v = *all[count < 2 ? 0 : n * (all.size() - 1) / (count - 1)];
    text += fmt::format("{:>12.6g}", v.time);
    if (placed)
      for (const auto& axis : c.axes) {
        const auto direction = std::string("xyz").find(axis);
        text += fmt::format("{:>14.6g}",
                            v.place[direction == std::string::npos ? 0 : static_cast<int>(direction)]);
      }
    text += fmt::format("{:>{}.{}f}{:>{}.{}f}{:>22.3e}\n", v.run, width, digits, v.other, width, digits,
                        v.difference());
  }
  return text;
}

}  // namespace williwaw::study
