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
#include <map>
#include <nlohmann/json.hpp>

#include "arguments.hpp"
#include "commands.hpp"
#include "launch.hpp"
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

}  // namespace williwaw::cli
