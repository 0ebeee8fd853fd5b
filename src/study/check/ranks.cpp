#include "williwaw/study/ranks.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <chrono>

#include "study/wording.hpp"
#include "williwaw/domain/sums.hpp"
#include "williwaw/study/open_case.hpp"

namespace williwaw::study {

namespace {

using Clock = std::chrono::steady_clock;

// Seconds of an exchange of so many values with the rank beside this one; the last of an odd number waits.
Real seconds_of_exchange(Communicator& ranks, std::size_t values, int repeats) {
  const int other = ranks.rank() ^ 1;
  const std::vector<Real> sent(values, 1.0);
  std::vector<Real> received(values);
  const Communicator::Message message{other, sent, received};
  const bool paired = other < ranks.size();
  Real least = 1e300;
  for (int n = 0; n < repeats; ++n) {
    const auto start = Clock::now();
    ranks.exchange(std::span(&message, paired ? 1 : 0));
    least = std::min(least, std::chrono::duration<Real>(Clock::now() - start).count());
  }
  return ranks.highest(paired ? least : 0);
}

Index stages_of(const Prepared& prepared) {
  const auto* tableau = std::get_if<Tableau>(&prepared.plan.scheme.method);
  return tableau ? tableau->stages() : 1;
}

}  // namespace

Network measured_network(Communicator& ranks) {
  constexpr std::size_t many = 1 << 16;
  seconds_of_exchange(ranks, many, 2);
  const Real one = seconds_of_exchange(ranks, 1, 400), long_one = seconds_of_exchange(ranks, many, 30);
  return {one, static_cast<Real>(many * sizeof(Real)) / std::max(long_one - one, 1e-12)};
}

bool cuts_lines(const Case& given) try {
  if (given.steady || !is_explicit(given.plan.scheme)) return false;
  for (Index stage = 1; stage <= static_cast<Index>(given.stages.size()); ++stage) {
    const Case later = open_case_text(given.text, given.file, {},
                                      {.refinement = given.refinement,
                                       .variant = {},
                                       .stage = stage,
                                       .start = given.plan.until,
                                       .sample = given.sample});
    if (later.steady || !is_explicit(later.plan.scheme)) return false;
  }
  return true;
} catch (const InputError&) {
  // What is wrong with a stage is told where it is looked at.
  return false;
}

std::string boxes_in_words(const Decomposition& boxes, const Grid& grid) {
  std::string text;
  for (int a = 0; a < grid.dimension(); ++a)
    text += fmt::format("{}{}", a == 0 ? "" : " x ", boxes.boxes()[static_cast<std::size_t>(a)]);
  return text + (boxes.count() == 1 ? " box" : " boxes");
}

void ranks_section(const Case& given, const Prepared& prepared, const Decomposition& boxes,
                   const std::optional<Network>& network, Report& report) {
  const Grid& grid = given.problem.grid();
  report.section("ranks");
  report.row("ranks", std::to_string(boxes.count()), Index{boxes.count()});
  report.row("boxes", boxes_in_words(boxes, grid));
  report.row("halo", fmt::format("{} cell{}", boxes.halo(), boxes.halo() == 1 ? "" : "s"),
             Index{boxes.halo()});
  if (boxes.boxes()[0] > 1)
    report.note(fmt::format("along {} a halo of {} cells, a segment of the sums that go along it",
                            grid.axis(0).name(), segment_cells));
  Index largest = 0, smallest = grid.count(), all = 0;
  for (int box = 0; box < boxes.count(); ++box) {
    all += boxes.cells(box);
    largest = std::max(largest, boxes.cells(box));
    smallest = std::min(smallest, boxes.cells(box));
  }
  report.row("cells of a box",
             largest == smallest ? std::to_string(largest) : fmt::format("{} to {}", smallest, largest),
             largest);
  if (given.problem.regions().cuts())
    report.note("of lines in which something is active; others are passed over");
  if (boxes.count() == 1) return;
  StepOnRanks step{0, static_cast<Index>(given.count()), stages_of(prepared)};
  const Real bytes = bytes_sent(boxes, step);
  report.row("sent in a step", "at most " + readable_bytes(bytes) + " by a rank", bytes, "B");
  if (!network) {
    report.note("the efficiency follows from measured latency and bandwidth: start check with the launcher");
    return;
  }
  report.row("latency", fmt::format("{:.2g} µs", 1e6 * network->latency), network->latency, "s");
  report.row("bandwidth", fmt::format("{:.3g} GB/s", 1e-9 * network->bandwidth), network->bandwidth, "B/s");
  if (!prepared.seconds || prepared.steps == 0) return;
  step.seconds_of_place = *prepared.seconds / static_cast<Real>(prepared.steps) / static_cast<Real>(all);
  const Real share = efficiency(boxes, all, step, *network);
  report.row("efficiency", fmt::format("about {:.2g} of {} times as fast", share, boxes.count()), share);
  report.note("on machines or cores of their own; ranks that share a memory share its bandwidth too");
}

}  // namespace williwaw::study
