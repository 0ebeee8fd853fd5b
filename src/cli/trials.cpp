#include "trials.hpp"

#include <fcntl.h>
#include <fmt/format.h>
#include <sys/wait.h>
#include <unistd.h>

#include <cmath>
#include <map>
#include <nlohmann/json.hpp>

#include "arguments.hpp"

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

void run_one(const std::filesystem::path& file, const std::vector<std::string>& set, int threads,
             Trial& trial) {
  auto all = set;
  all.insert(all.end(), trial.set.begin(), trial.set.end());
  const casefile::Case given = open_case(file, all, {.refinement = {}, .variant = trial.variant, .stage = 0});
  study::Prepared prepared = study::prepare(given, {threads});
  if (!given.steady && !prepared.stability.stable()) {
    trial.verdict = "unstable";
    trial.trouble = "refused: " + study::forecast(given, prepared);
    return;
  }
  study::RunOptions options;
  options.folder = trial.folder;
  const auto result = study::run_case(given, prepared, options);
  // Of several unknowns those of the first, in whose unit the table is.
  const Totals totals =
      given.count() > 1 ? prepared.balance->totals_by_unknown(prepared.initial, result.outcome.time).front()
      : result.steady   ? result.steady->totals
                        : result.outcome.totals;
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
                  : result.outcome.ending == Outcome::Ending::reached    ? "stable"
                  : result.outcome.ending == Outcome::Ending::past_limit ? "past its limit"
                  : result.outcome.ending == Outcome::Ending::unsolved   ? "not solved"
                                                                         : "blew up";
  trial.lowest = given.value.shown(totals.lowest);
  trial.highest = given.value.shown(totals.highest);
  trial.mean = given.value.shown(totals.integral / prepared.balance->volume());
  trial.seconds = result.seconds;
  if (!result.comparisons.empty()) trial.error = result.comparisons.back().norms.max;
}

json packed(const Trial& t) {
  // Numbers that are none have no place in JSON.
  const auto real = [](Real v) { return std::isfinite(v) ? json(v) : json(nullptr); };
  json j{{"verdict", t.verdict}, {"trouble", t.trouble}, {"finished", t.finished}, {"effort", t.effort}};
  j["numbers"] = {real(t.residual), real(t.lowest), real(t.mean), real(t.highest), real(t.seconds)};
  if (t.error) j["error"] = real(*t.error);
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
  t.lowest = real(n[1]);
  t.mean = real(n[2]);
  t.highest = real(n[3]);
  t.seconds = real(n[4]);
  if (j.contains("error")) t.error = real(j["error"]);
}

// What a process of its own says of a trial.
json tell_of(const std::filesystem::path& file, const std::vector<std::string>& set, int threads,
             Trial trial) {
  try {
    run_one(file, set, threads, trial);
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

Child start_child(const std::filesystem::path& file, const std::vector<std::string>& set, int threads,
                  const std::vector<Trial>& trials, std::size_t n, std::map<pid_t, Child>& running) {
  int ends[2];
  if (pipe(ends) != 0) throw std::runtime_error("no pipe to a further process");
  std::fflush(nullptr);
  const pid_t process = fork();
  if (process < 0) throw std::runtime_error("no further process can be started");
  if (process == 0) {
    close(ends[0]);
    const std::string text = tell_of(file, set, threads, trials[n]).dump();
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

std::string read_all(int from) {
  std::string text;
  char buffer[4096];
  for (;;) {
    const auto some = read(from, buffer, sizeof buffer);
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
                             const std::filesystem::path& folder) {
  std::vector<Trial> trials;
  for (const std::string& v : variants) {
    Trial t;
    t.variant = v;
    t.label = v.empty() ? "as written" : v;
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
    t.folder = folder / safe_name(name.empty() ? "as-written" : name);
  }
  return trials;
}

void run_trials(const std::filesystem::path& file, const std::vector<std::string>& set, int jobs, int threads,
                std::vector<Trial>& trials) {
  std::map<pid_t, Child> running;
  std::vector<std::string> mistakes(trials.size());
  std::size_t next = 0;
  const auto finish_one = [&] {
    // The pipe is read to its end before the process is waited for, so that none of them waits for a reader.
    const auto first = running.begin();
    const std::string text = read_all(first->second.pipe);
    const std::size_t n = first->second.trial;
    int status = 0;
    waitpid(first->first, &status, 0);
    running.erase(first);
    const json told = json::parse(text, nullptr, false);
    if (told.is_discarded() || !WIFEXITED(status)) {
      trials[n].verdict = "crashed";
      trials[n].trouble = "its process ended without a result";
    } else if (told.contains("mistake")) {
      mistakes[n] = told["mistake"];
    } else {
      unpack(told, trials[n]);
    }
  };
  while (next < trials.size() || !running.empty()) {
    if (next < trials.size() && static_cast<int>(running.size()) < jobs) {
      start_child(file, set, threads, trials, next, running);
      ++next;
    } else {
      finish_one();
    }
  }
  for (const auto& m : mistakes)
    if (!m.empty()) throw InputError(m);
}

}  // namespace williwaw::cli
