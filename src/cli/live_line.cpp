#include "live_line.hpp"

#include <fmt/format.h>
#include <unistd.h>

#include <algorithm>

#include "say.hpp"
#include "terminal.hpp"

namespace williwaw::cli {

using Clock = std::chrono::steady_clock;

namespace {

constexpr std::size_t columns_of_lines = 80;

}  // namespace

LiveLine::LiveLine(const casefile::Case& given, const study::Prepared& prepared, bool quiet, bool shared)
    : given_(given),
      begin_(prepared.plan.start),
      end_(prepared.plan.until),
      balance_(prepared.balance.get()),
      quiet_(quiet),
      shared_(shared),
      terminal_(isatty(STDOUT_FILENO) != 0),
      start_(Clock::now()),
      last_(start_) {}

void LiveLine::show(const StepInfo& m) {
  if (quiet_) return;
  if (!first_) first_ = m.time - m.step_length;
  // Looking at the clock at every step of a small problem would cost more than the step.
  if (m.step % 64 != 0 && m.time < end_ && given_.problem.grid().count() < 20000) return;
  const auto now = Clock::now();
  if (terminal_) {
    if (now - last_ < std::chrono::milliseconds(150)) return;
    last_ = now;
    say("\r\033[K{}", in_columns(parts(m), static_cast<std::size_t>(terminal_size().columns)));
    flush_said();
    shown_ = true;
  } else if (now - start_ > std::chrono::seconds(2)) {
    const int tenths = static_cast<int>(10 * (m.time - begin_) / (end_ - begin_));
    if (tenths <= tenths_) return;
    tenths_ = tenths;
    say("{}\n", in_columns(parts(m), columns_of_lines));
    flush_said();
  }
}

void LiveLine::begin(const study::Prepared& prepared) {
  end();
  balance_ = prepared.balance.get();
  begin_ = prepared.plan.start;
  end_ = prepared.plan.until;
  start_ = last_ = Clock::now();
  tenths_ = 0;
  first_.reset();
}

void LiveLine::end() {
  if (shown_) say("\r\033[K");
  shown_ = false;
}

std::string LiveLine::line(const StepInfo& m, std::size_t columns) {
  if (!first_) first_ = m.time - m.step_length;
  return in_columns(parts(m), columns);
}

// What fits into a line that must not wrap: parts of the highest rank are left out first.
std::string LiveLine::in_columns(std::vector<Part> parts, std::size_t columns) {
  std::erase_if(parts, [](const Part& part) { return part.text.empty(); });
  for (;;) {
    std::string line;
    for (const Part& part : parts) line += (line.empty() ? "" : "  ") + part.text;
    // The last column is the cursor's.
    if (study::width_of(line) < columns || parts.size() <= 1) return line;
    parts.erase(std::ranges::max_element(parts, {}, &Part::rank));
  }
}

// What is left of the way at the pace of those steps that were seen.
std::string LiveLine::remaining(Real fraction) const {
  const Real elapsed = std::chrono::duration<Real>(Clock::now() - start_).count();
  const Real done = fraction - (*first_ - begin_) / (end_ - begin_);
  return done > 0 ? casefile::readable_wait(elapsed * (1 - fraction) / done) + " left" : "";
}

std::vector<LiveLine::Part> LiveLine::parts(const StepInfo& m) const {
  const Real fraction = (m.time - begin_) / (end_ - begin_);
  std::vector<Part> result;
  if (terminal_) {
    constexpr int width = 20;
    std::string bar;
    for (int i = 0; i < width; ++i) bar += i < fraction * width ? "━" : "╌";
    result.push_back({bar, 5});
  }
  result.push_back({fmt::format("{:3.0f} %", 100 * fraction), 0});
  result.push_back({fmt::format("t = {:.4g}{}", given_.time.shown(m.time), given_.time.suffix()), 1});
  result.push_back({remaining(fraction), 2});
  result.push_back({fmt::format("step {}", m.step), 6});
  add_values(m, result);
  return result;
}

// Of several unknowns the range of each.
void LiveLine::add_values(const StepInfo& m, std::vector<Part>& parts) const {
  if (given_.count() == 1) {
    const auto value = [&](Real v) { return fmt::format("{:.4g}", given_.value.shown(v)); };
    parts.push_back({"min " + value(m.totals.lowest), 3});
    parts.push_back({"mean " + value(m.totals.integral / balance_->volume()), 4});
    parts.push_back({"max " + value(m.totals.highest) + given_.value.suffix(), 3});
    if (!shared_)
      parts.push_back({fmt::format("change {:.2g}", given_.value.shown_difference(m.change())), 7});
    return;
  }
  if (shared_) return;
  const auto each = balance_->totals_by_unknown(m.state, m.time);
  for (std::size_t u = 0; u < each.size(); ++u) {
    const store::Scale& scale = given_.unknown(u).value;
    parts.push_back({fmt::format("{} {:.4g} to {:.4g}{}", given_.unknown(u).problem.equation().unknown,
                                 scale.shown(each[u].lowest), scale.shown(each[u].highest), scale.suffix()),
                     3 + static_cast<int>(u)});
  }
}

}  // namespace williwaw::cli
