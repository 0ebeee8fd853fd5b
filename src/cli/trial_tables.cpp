#include "trial_tables.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <functional>
#include <iterator>

#include "williwaw/casefile/readable.hpp"
#include "williwaw/store/run_series.hpp"

namespace williwaw::cli {

namespace {

using study::width_of;

std::string padded(const std::string& text, std::size_t width) {
  return text + std::string(width - std::min(width, width_of(text)), ' ');
}

using store::Column;

const study::EndValue* value_of(const Trial& trial, const Column& column) {
  const auto found = std::ranges::find(trial.values, column.name, &study::EndValue::name);
  return found == trial.values.end() ? nullptr : &*found;
}

// Numbers that all or some of the trials have, in the order of those that have them first.
std::vector<Column> columns_of(const std::vector<Trial>& trials) {
  std::vector<Column> result;
  for (const Trial& t : trials)
    for (const study::EndValue& v : t.values)
      if (std::ranges::find(result, v.name, &Column::name) == result.end())
        result.push_back({v.name, v.unit});
  // Flows that are 0 in all of them say nothing.
  std::erase_if(result, [&](const Column& column) {
    return std::ranges::all_of(trials, [&](const Trial& t) {
      const study::EndValue* v = value_of(t, column);
      return !v || (v->flow && v->value == 0);
    });
  });
  return result;
}

// What a reader looks at first.
bool comes_first(const Column& column) {
  const std::string name = store::without_unknown(column.name);
  return name == "minimum" || name == "mean" || name == "maximum" || name == "error maximum";
}

std::string cell(const study::EndValue* v) {
  if (!v) return "";
  return v->name.find("error ") == std::string::npos ? fmt::format("{:.6g}", v->value)
                                                     : fmt::format("{:.3e}", v->value);
}

std::string right(const std::string& text, std::size_t least) {
  return std::string(std::max(least, width_of(text)) - width_of(text), ' ') + text;
}

std::size_t width_of(const Column& column) {
  return std::max<std::size_t>(11, width_of(column.header()));
}

constexpr std::size_t widest_table = 118;

}  // namespace

std::string table_of(const std::vector<Trial>& trials, const std::string& head, bool steady) {
  std::vector<Column> first = columns_of(trials), others;
  std::ranges::copy_if(first, std::back_inserter(others), std::not_fn(comes_first));
  std::erase_if(first, std::not_fn(comes_first));
  std::size_t width = width_of(head);
  for (const Trial& t : trials) width = std::max(width, width_of(t.label));
  const auto cells = [&](const Trial& t, const std::vector<Column>& columns) {
    std::string text;
    for (const Column& column : columns) text += "  " + right(cell(value_of(t, column)), width_of(column));
    return text;
  };
  const auto headers = [](const std::vector<Column>& columns) {
    std::string text;
    for (const Column& column : columns) text += "  " + right(column.header(), width_of(column));
    return text;
  };
  std::string text = fmt::format("{}  {:<11}  {:>10}  {:>10}{}  {:>8}\n", padded(head, width), "verdict",
                                 steady ? "iterations" : "steps", steady ? "residual" : "budget",
                                 headers(first), "time [s]");
  for (const Trial& t : trials)
    text += t.finished ? fmt::format("{}  {:<11}  {:>10}  {:>10.2e}{}  {:>8.2g}\n", padded(t.label, width),
                                     t.verdict, t.effort, t.residual, cells(t, first), t.seconds)
                       : fmt::format("{}  {:<11}  {}\n", padded(t.label, width), t.verdict, t.trouble);
  // As many columns as lines of a screen have room for, in each further table.
  while (!others.empty()) {
    std::vector<Column> some;
    std::size_t taken = width;
    while (!others.empty() && (some.empty() || taken + 2 + width_of(others.front()) <= widest_table)) {
      taken += 2 + width_of(others.front());
      some.push_back(others.front());
      others.erase(others.begin());
    }
    text += fmt::format("\n{}{}\n", padded(head, width), headers(some));
    for (const Trial& t : trials)
      if (t.finished) text += padded(t.label, width) + cells(t, some) + "\n";
  }
  return text;
}

std::string csv_of(const std::vector<Trial>& trials, const std::string& head, bool steady) {
  const std::vector<Column> columns = columns_of(trials);
  std::string text = fmt::format("{},verdict,{},{}", store::quoted(head), steady ? "iterations" : "steps",
                                 steady ? "residual" : "budget");
  for (const Column& column : columns) text += "," + store::quoted(column.header());
  text += ",time [s]\n";
  for (const Trial& t : trials) {
    text += store::quoted(t.label) + "," + t.verdict;
    text += t.finished ? fmt::format(",{},{:.10g}", t.effort, t.residual) : ",,";
    for (const Column& column : columns) {
      const study::EndValue* v = value_of(t, column);
      text += v ? fmt::format(",{:.10g}", v->value) : ",";
    }
    text += t.finished ? fmt::format(",{:.4g}\n", t.seconds) : ",\n";
  }
  return text;
}

study::Report report_of(const std::vector<Trial>& trials, bool steady) {
  study::Report report;
  const auto real = [](Real v) { return study::Report::Data(v); };
  for (const Trial& t : trials) {
    report.section(t.label);
    report.row("verdict", t.verdict);
    if (!t.trouble.empty()) report.row("trouble", t.trouble);
    if (!t.finished) continue;
    report.row(steady ? "iterations" : "steps", std::to_string(t.effort), study::Report::Data(t.effort));
    report.row(steady ? "residual" : "budget", fmt::format("{:.2e}", t.residual), real(t.residual));
    for (const study::EndValue& v : t.values)
      report.row(v.name, casefile::readable(v.value, v.unit), real(v.value), v.unit);
    report.row("time", casefile::readable(t.seconds, "s"), real(t.seconds), "s");
    report.row("folder", t.folder.string());
  }
  return report;
}

}  // namespace williwaw::cli
