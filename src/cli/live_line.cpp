#include "live_line.hpp"

#include <fmt/format.h>
#include <unistd.h>

#include "say.hpp"

namespace williwaw::cli {

using Clock = std::chrono::steady_clock;

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
  // Looking at the clock at every step of a small problem would cost more than the step.
  if (m.step % 64 != 0 && m.time < end_ && given_.problem.grid().count() < 20000) return;
  const auto now = Clock::now();
  if (terminal_) {
    if (now - last_ < std::chrono::milliseconds(150)) return;
    last_ = now;
    say("\r\033[K{}", text(m, true));
    flush_said();
    shown_ = true;
  } else if (now - start_ > std::chrono::seconds(2)) {
    const int tenths = static_cast<int>(10 * (m.time - begin_) / (end_ - begin_));
    if (tenths <= tenths_) return;
    tenths_ = tenths;
    say("{}\n", text(m, false));
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
}

void LiveLine::end() {
  if (shown_) say("\r\033[K");
  shown_ = false;
}

std::string LiveLine::text(const StepInfo& m, bool with_bar) const {
  const Real fraction = (m.time - begin_) / (end_ - begin_);
  std::string bar;
  if (with_bar) {
    constexpr int width = 20;
    for (int i = 0; i < width; ++i) bar += i < fraction * width ? "━" : "╌";
    bar += ' ';
  }
  const Real elapsed = std::chrono::duration<Real>(Clock::now() - start_).count();
  return fmt::format("{}{:3.0f} %  t = {:.4g}{}  step {}  {}  {} left", bar, 100 * fraction,
                     given_.time.shown(m.time), given_.time.suffix(), m.step, values(m),
                     casefile::readable_wait(elapsed * (1 - fraction) / fraction));
}

// Of several unknowns the range of each.
std::string LiveLine::values(const StepInfo& m) const {
  if (given_.count() == 1) {
    const auto value = [&](Real v) { return fmt::format("{:.4g}", given_.value.shown(v)); };
    const std::string change =
        shared_ ? "" : fmt::format("  change {:.2g}", given_.value.shown_difference(m.change()));
    return fmt::format("min {}  mean {}  max {}{}{}", value(m.totals.lowest),
                       value(m.totals.integral / balance_->volume()), value(m.totals.highest),
                       given_.value.suffix(), change);
  }
  if (shared_) return "";
  std::string text;
  const auto each = balance_->totals_by_unknown(m.state, m.time);
  for (std::size_t u = 0; u < each.size(); ++u) {
    const store::Scale& scale = given_.unknown(u).value;
    text += fmt::format("{}{} {:.4g} to {:.4g}{}", u == 0 ? "" : "  ",
                        given_.unknown(u).problem.equation().unknown, scale.shown(each[u].lowest),
                        scale.shown(each[u].highest), scale.suffix());
  }
  return text;
}

}  // namespace williwaw::cli
