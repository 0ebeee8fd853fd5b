#include "trials.hpp"

#include <fcntl.h>
#include <fmt/format.h>
#include <signal.h>
#include <sys/wait.h>
#include <unistd.h>

#include <algorithm>
#include <cerrno>
#include <cmath>
#include <functional>
#include <iterator>
#include <map>
#include <nlohmann/json.hpp>

#include "arguments.hpp"
#include "commands.hpp"
#include "launch.hpp"
#include "williwaw/casefile/readable.hpp"
#include "williwaw/store/run_series.hpp"

namespace williwaw::cli {

namespace {

using nlohmann::json;

std::string safe_name(const std::string& text) {
  std::string result;
  for (const char c : text)
    result += std::isalnum(static_cast<unsigned char>(c)) || c == '-' || c == '.' ? c : '_';
  return result;
}

// "10..60 by 10 s": numbers from the first to the second, a unit behind the last one belongs to all.
std::optional<std::vector<std::string>> range_from(const std::string& text) {
  const auto dots = text.find(".."), by = text.find(" by ");
  if (dots == std::string::npos || by == std::string::npos || by < dots) return std::nullopt;
  const std::string last = text.substr(by + 4);
  std::size_t used = 0;
  try {
    const Real from = std::stod(text.substr(0, dots)), to = std::stod(text.substr(dots + 2, by - dots - 2));
    const Real step = std::stod(last, &used);
    const Real count = (to - from) / step;
    if (!(count >= 0 && count < 1000)) throw InputError("--vary: '" + text + "' has no end");
    std::vector<std::string> values;
    for (Index n = 0; static_cast<Real>(n) <= count + 1e-9; ++n)
      values.push_back(fmt::format("{:.10g}{}", from + static_cast<Real>(n) * step, last.substr(used)));
    return values;
  } catch (const std::logic_error&) {
    throw InputError("--vary: '" + text + "' is not FROM..TO by STEP");
  }
}

json packed(const Trial& t) {
  // Numbers that are none have no place in JSON.
  const auto real = [](Real v) { return std::isfinite(v) ? json(v) : json(nullptr); };
  json j{{"verdict", t.verdict}, {"trouble", t.trouble}, {"finished", t.finished}, {"effort", t.effort}};
  j["numbers"] = {real(t.residual), real(t.seconds)};
  j["values"] = json::array();
  for (const study::EndValue& v : t.values) j["values"].push_back({v.name, real(v.value), v.unit, v.flow});
  return j;
}

void unpack(const json& j, Trial& t) {
  const auto real = [](const json& v) { return v.is_null() ? NAN : v.get<Real>(); };
  t.verdict = j.at("verdict");
  t.trouble = j.at("trouble");
  t.finished = j.at("finished");
  t.effort = j.at("effort");
  const json& n = j.at("numbers");
  t.residual = real(n[0]);
  t.seconds = real(n[1]);
  for (const json& v : j.at("values")) t.values.push_back({v[0], real(v[1]), v[2], v[3]});
}

// What came of a trial, kept for those who resume all of them.
constexpr const char* outcome_file = "outcome.json";

// The same case ended before.
bool was_finished(const casefile::Case& given, Trial& trial) {
  const auto file = trial.folder / outcome_file, text = trial.folder / "case.toml";
  if (!std::filesystem::exists(file) || !std::filesystem::exists(text)) return false;
  const json told = json::parse(casefile::case_text(file), nullptr, false);
  if (told.is_discarded() || casefile::case_text(text) != given.text) return false;
  unpack(told, trial);
  return true;
}

void run_one(const std::filesystem::path& file, const std::vector<std::string>& set, const TrialRules& rules,
             Trial& trial) {
  auto all = set;
  all.insert(all.end(), trial.set.begin(), trial.set.end());
  const casefile::Case given = cli::open_case(
      file, all, {.refinement = {}, .variant = trial.variant, .sample = trial.sample}, rules.memory);
  if (rules.resume && was_finished(given, trial)) return;
  std::filesystem::remove(trial.folder / outcome_file);
  study::Prepared prepared = study::prepare(given, {rules.threads});
  if (rules.force) prepared.plan.stable_values.reset();
  if (!given.steady && !prepared.stability.stable() && !rules.force) {
    trial.verdict = "unstable";
    trial.trouble = "refused: " + study::forecast(given, prepared);
    return;
  }
  study::RunOptions options;
  options.folder = trial.folder;
  options.resume = rules.resume;
  if (rules.checkpoint_seconds) options.checkpoint_seconds = *rules.checkpoint_seconds;
  options.observers.interrupt = rules.interrupt;
  const auto result = study::run_case(given, prepared, options);
  trial.finished = true;
  trial.effort = result.steady ? result.steady->iterations() : result.outcome.steps;
  trial.residual =
      result.steady ? result.steady->residuals.back() : result.outcome.budget.relative_residual();
  // What semi-Lagrangian steps did not conserve is a line of their budget, and no residual of it.
  if (prepared.balance->capabilities().semi_lagrangian && !result.steady) {
    const Ledger& amounts = result.outcome.budget.amounts();
    const Real gross = result.outcome.totals.gross + amounts.gross();
    if (gross > 0) trial.residual = std::abs(amounts[prepared.balance->semi_lagrangian().line()]) / gross;
  }
  trial.verdict = result.steady ? (result.steady->reached ? "reached" : "not reached")
                  : result.outcome.ending == Outcome::Ending::reached     ? "stable"
                  : result.outcome.ending == Outcome::Ending::past_limit  ? "past its limit"
                  : result.outcome.ending == Outcome::Ending::unsolved    ? "not solved"
                  : result.outcome.ending == Outcome::Ending::interrupted ? "stopped"
                                                                          : "blew up";
  trial.values = study::values_at_end(given, prepared, result, trial.folder);
  trial.seconds = result.seconds;
  trial.trouble = result.outcome.reason;
}

// What a process of its own says of a trial.
json tell_of(const std::filesystem::path& file, const std::vector<std::string>& set, const TrialRules& rules,
             Trial trial) {
  try {
    run_one(file, set, rules, trial);
    if (rules.remembered && trial.finished && trial.verdict != "stopped")
      store::write_file(trial.folder / outcome_file, packed(trial).dump() + "\n");
  } catch (const casefile::CaseError& e) {
    // A solver that cannot take this problem is a result; a word that is wrong is a mistake.
    const std::string what = e.what();
    if (what.find(": steady.solver: ") == std::string::npos ||
        what.find("unknown value") != std::string::npos)
      return {{"mistake", what}};
    trial.verdict = "cannot";
    trial.trouble = what.substr(what.rfind(": ") + 2);
  } catch (const SolverError& e) {
    trial.verdict = "cannot";
    trial.trouble = e.what();
  } catch (const std::exception& e) {
    return {{"mistake", e.what()}};
  }
  return packed(trial);
}

struct Child {
  std::size_t trial;
  int pipe;
};

Child start_child(const std::filesystem::path& file, const std::vector<std::string>& set,
                  const TrialRules& rules, const std::vector<Trial>& trials, std::size_t n,
                  std::map<pid_t, Child>& running) {
  int ends[2];
  if (pipe(ends) != 0) throw std::runtime_error("no pipe to a further process");
  std::fflush(nullptr);
  const pid_t process = fork();
  if (process < 0) throw std::runtime_error("no further process can be started");
  if (process == 0) {
    close(ends[0]);
    const std::string text = tell_of(file, set, rules, trials[n]).dump();
    std::size_t sent = 0;
    while (sent < text.size()) {
      const auto some = write(ends[1], text.data() + sent, text.size() - sent);
      if (some <= 0) break;
      sent += static_cast<std::size_t>(some);
    }
    close(ends[1]);
    _exit(0);
  }
  close(ends[1]);
  running[process] = {n, ends[0]};
  return running[process];
}

template <class Stopped, class Stop>
std::string read_all(int from, const Stopped& stopped, const Stop& stop) {
  std::string text;
  char buffer[4096];
  for (;;) {
    const auto some = read(from, buffer, sizeof buffer);
    if (some < 0 && errno == EINTR) {
      // Who asks this process alone to stop means all of them.
      if (stopped()) stop();
      continue;
    }
    if (some <= 0) break;
    text.append(buffer, static_cast<std::size_t>(some));
  }
  close(from);
  return text;
}

}  // namespace

Varied varied_from(const std::string& option) {
  const auto equals = option.find('=');
  if (equals == std::string::npos || equals == 0 || equals + 1 == option.size())
    throw InputError("--vary: '" + option +
                     "' is not KEY=A,B,C, such as steady.solver=cg,multigrid, nor KEY=FROM..TO by STEP");
  const std::string values = option.substr(equals + 1);
  if (const auto range = range_from(values)) return {option.substr(0, equals), *range};
  return {option.substr(0, equals), split_outside(values, ',')};
}

std::vector<Trial> trials_of(const std::vector<std::string>& variants, const std::vector<Varied>& varied,
                             const std::filesystem::path& folder, const std::string& as_written) {
  std::vector<Trial> trials;
  for (const std::string& v : variants) {
    Trial t;
    t.variant = v;
    t.label = v.empty() ? as_written : v;
    trials.push_back(t);
  }
  if (variants.empty()) trials.emplace_back();
  for (const Varied& key : varied) {
    std::vector<Trial> next;
    for (const Trial& t : trials)
      for (const std::string& value : key.values) {
        Trial one = t;
        one.set.push_back(key.key + "=" + value);
        // With one key alone its value says it all.
        const bool alone = varied.size() == 1 && variants.empty();
        one.label += alone ? value : (one.label.empty() ? "" : ", ") + key.key + "=" + value;
        next.push_back(one);
      }
    trials = std::move(next);
  }
  for (Trial& t : trials) {
    std::string name = t.variant.empty() ? "" : t.variant;
    for (const auto& s : t.set) name += (name.empty() ? "" : "-") + s;
    std::ranges::replace(name, '=', '-');
    if (name.empty()) {
      name = as_written;
      std::ranges::replace(name, ' ', '-');
    }
    t.folder = folder / safe_name(name);
  }
  return trials;
}

namespace {

// What the processes of this rank's trials say, for each trial; nothing of those of other ranks, and of those
// that were not begun before somebody asked to stop.
std::vector<std::string> told_here(const std::filesystem::path& file, const std::vector<std::string>& set,
                                   const TrialRules& rules, const std::vector<Trial>& trials) {
  const std::size_t ranks = rules.ranks ? static_cast<std::size_t>(rules.ranks->size()) : 1;
  std::map<pid_t, Child> running;
  std::vector<std::string> told(trials.size());
  std::size_t next = rules.ranks ? static_cast<std::size_t>(rules.ranks->rank()) : 0;
  const auto stopped = [&] { return rules.interrupt && rules.interrupt(); };
  const auto finish_one = [&] {
    // The pipe is read to its end before the process is waited for, so that none of them waits for a reader.
    const auto first = running.begin();
    std::string text = read_all(first->second.pipe, stopped, [&] {
      for (const auto& child : running) kill(child.first, SIGTERM);
    });
    int status = 0;
    while (waitpid(first->first, &status, 0) < 0 && errno == EINTR) continue;
    told[first->second.trial] = WIFEXITED(status) && !text.empty() ? std::move(text) : "crashed";
    running.erase(first);
  };
  while ((next < trials.size() && !stopped()) || !running.empty()) {
    if (next < trials.size() && !stopped() && static_cast<int>(running.size()) < rules.jobs) {
      start_child(file, set, rules, trials, next, running);
      next += ranks;
    } else {
      finish_one();
    }
  }
  return told;
}

// The words of all ranks, on all of them: those of each rank as its number of words, then each one's place
// and length, then its characters.
void share_words(Communicator& ranks, std::vector<std::string>& words) {
  std::vector<Real> own;
  for (std::size_t n = 0; n < words.size(); ++n) {
    if (words[n].empty()) continue;
    own.push_back(static_cast<Real>(n));
    own.push_back(static_cast<Real>(words[n].size()));
    for (const char c : words[n]) own.push_back(static_cast<unsigned char>(c));
  }
  const std::vector<Real> all = ranks.gathered(own);
  for (std::size_t at = 0; at < all.size();) {
    std::string& word = words.at(static_cast<std::size_t>(all[at]));
    const auto length = static_cast<std::size_t>(all[at + 1]);
    word.clear();
    for (std::size_t c = 0; c < length; ++c)
      word += static_cast<char>(static_cast<unsigned char>(all[at + 2 + c]));
    at += 2 + length;
  }
}

}  // namespace

void run_trials(const std::filesystem::path& file, const std::vector<std::string>& set,
                const TrialRules& rules, std::vector<Trial>& trials) {
  // A rank that fails by itself must not leave the others waiting for its words.
  if (rules.ranks) march_begins();
  std::vector<std::string> told = told_here(file, set, rules, trials);
  if (rules.ranks) share_words(*rules.ranks, told);
  march_ends();
  std::string mistake;
  std::size_t mistakes = 0;
  for (std::size_t n = 0; n < trials.size(); ++n) {
    if (told[n].empty()) {
      trials[n].verdict = "stopped";
      continue;
    }
    const json words = json::parse(told[n], nullptr, false);
    if (words.is_discarded()) {
      trials[n].verdict = "crashed";
      trials[n].trouble = "its process ended without a result";
    } else if (words.contains("mistake")) {
      ++mistakes;
      trials[n].verdict = "refused";
      trials[n].trouble = words["mistake"];
      if (mistake.empty()) mistake = words["mistake"];
    } else {
      unpack(words, trials[n]);
    }
  }
  if (mistakes == trials.size()) throw InputError(mistake);
}

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
