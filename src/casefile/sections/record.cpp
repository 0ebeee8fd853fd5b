// [record] and [[probe]]: what is written while a case runs.
#include <fmt/format.h>

#include <algorithm>
#include <chrono>
#include <cmath>
#include <cstdio>

#include "casefile/sections/sections.hpp"

namespace williwaw::casefile {

namespace {

// "2026-01-15", with or without hours, minutes and seconds, as "2026-01-15 18:00:00"; nothing for what is no
// date.
std::optional<std::string> date_from(const std::string& text) {
  int year = 0, month = 0, day = 0, hour = 0, minute = 0, second = 0, end = 0;
  const auto read = [&](const char* form, auto*... numbers) {
    end = 0;
    return std::sscanf(text.c_str(), form, numbers..., &end) == sizeof...(numbers) &&
           end == static_cast<int>(text.size());
  };
  char between[2] = {};
  const bool whole =
      read("%4d-%2d-%2d%n", &year, &month, &day) ||
      read("%4d-%2d-%2d%1[ T]%2d:%2d%n", &year, &month, &day, between, &hour, &minute) ||
      read("%4d-%2d-%2d%1[ T]%2d:%2d:%2d%n", &year, &month, &day, between, &hour, &minute, &second);
  using namespace std::chrono;
  const year_month_day date{std::chrono::year(year), std::chrono::month(static_cast<unsigned>(month)),
                            std::chrono::day(static_cast<unsigned>(day))};
  // The calendar of files counts as ours does from then on.
  const bool there = date.ok() && year >= 1583 && hour >= 0 && hour < 24 && minute >= 0 && minute < 60 &&
                     second >= 0 && second < 60;
  if (!whole || !there) return std::nullopt;
  return fmt::format("{:04}-{:02}-{:02} {:02}:{:02}:{:02}", year, month, day, hour, minute, second);
}

}  // namespace

void read_records(const Context& context, const Node& root, Case& result) {
  if (const Node* node = root.find("record")) {
    const Section section(context, *node, "record");
    section.allow({"every", "times", "every_steps", "series", "start_date"}, {});
    if (result.steady) throw CaseError(node->place.text(), "record", "a steady state has no times to record");
    if (section.has("every") + section.has("times") + section.has("every_steps") > 1)
      throw CaseError(node->place.text(), "record", "give one of every, times and every_steps");
    const Real until = result.plan.until;
    if (section.has("every")) {
      const Real every = read_time_value(context, section, "every");
      if (!(every > 0)) section.fail("every", "must be above zero");
      result.record_every = every;
      if ((until - context.start) / every > 1e6)
        section.fail("every", "more than a million records would be written");
      for (Index n = 1; context.start + static_cast<Real>(n) * every < until * (1 + 1e-9); ++n)
        result.plan.records.push_back(context.start + static_cast<Real>(n) * every);
    }
    if (const Node* times = section.find("times")) {
      if (!times->is_array()) section.fail("times", "a list of times is needed here, [..]");
      for (const auto& item : times->array()) {
        const Real t = read_number(context, item, "record.times", a_time());
        // Times of other stages are no business of this one.
        const bool elsewhere = context.start > 0 || !result.stages.empty();
        if (elsewhere && (t < context.start || t > until * (1 + 1e-9)) &&
            !(result.settled.ends_run || (result.cycle && result.cycle->ends_run)))
          continue;
        if (!(t >= 0 && (t <= until * (1 + 1e-9) ||
                         (result.settled.ends_run || (result.cycle && result.cycle->ends_run)))))
          throw CaseError(item.place.text(), "record.times", "lies outside the run (0 to its end)");
        result.plan.records.push_back(t);
      }
      std::ranges::sort(result.plan.records);
    }
    if (section.has("every_steps")) result.plan.record_every_steps = section.whole("every_steps", 1);
    if (section.has("start_date")) {
      const auto date = date_from(section.word("start_date", ""));
      if (!date) section.fail("start_date", "a date is needed here, \"2026-01-15\" or \"2026-01-15 18:00\"");
      if (result.time.unit.empty())
        section.fail("start_date", "times of this case have no unit, so that none of them is a date");
      result.start_date = *date;
    }
    if (section.has("series")) {
      result.plan.series_every = read_time_value(context, section, "series");
      if (!(result.plan.series_every > 0)) section.fail("series", "must be above zero");
    }
  }
  if (const Node* probes = root.find("probe")) {
    if (!probes->is_array()) throw CaseError(probes->place.text(), "probe", "write [[probe]], once for each");
    for (const auto& item : probes->array()) {
      const Section section(context, item, "probe");
      section.allow({"name", "at", "of"}, {"region", "measure"});
      Probe probe;
      section.need("name", "a name for the probe");
      probe.name = section.word("name", "");
      if (probe.name.empty() || probe.name.find_first_of(",\"\n") != std::string::npos)
        section.fail("name", "a name without commas and quotation marks is needed here");
      probe.place = section.find("name")->place.text();
      if (std::ranges::find(result.probes, probe.name, &Probe::name) != result.probes.end())
        section.fail("name", "two probes are called '" + probe.name + "'");
      probe.at =
          read_point(context, section.need("at", "the probe's place"), "probe.at", result.problem.grid());
      probe.of = section.word("of", "");
      if (const Words names = result.quantities();
          !probe.of.empty() && std::ranges::find(names, probe.of) == names.end())
        refuse_word(section.find("of")->place.text(), "probe.of", "name", probe.of, names, {});
      result.probes.push_back(probe);
    }
  }
}

}  // namespace williwaw::casefile
