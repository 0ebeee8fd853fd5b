#include "watch.hpp"

#include <algorithm>
#include <utility>

#include "say.hpp"

namespace williwaw::cli {

namespace {

constexpr auto between_pictures = std::chrono::milliseconds(100);
constexpr int looks_for_keys = 100;  // milliseconds, while a run is paused

// No more than so many characters of a text.
std::string cut_to(std::string text, std::size_t columns) {
  std::size_t at = 0;
  for (std::size_t n = 0; n < columns && at < text.size(); ++n) do
      ++at;
    while (at < text.size() && (text[at] & 0xc0) == 0x80);
  text.resize(at);
  return text;
}

}  // namespace

Watch::Watch(const casefile::Case& given, const study::Prepared& prepared, LiveLine& line,
             std::function<void()> stop, std::function<bool()> stopped)
    : given_(&given),
      balance_(prepared.balance.get()),
      line_(line),
      stop_(std::move(stop)),
      stopped_(std::move(stopped)) {}

void Watch::begin(const casefile::Case& stage, const study::Prepared& prepared) {
  end();
  given_ = &stage;
  balance_ = prepared.balance.get();
  seen_.reset();
}

void Watch::end() {
  if (!page_) return;
  page_.reset();
  for (const std::string& line : last_) say("{}\n", line);
  say("\n");
  flush_said();
}

void Watch::show(const StepInfo& info) {
  if (!page_) page_ = std::make_unique<TerminalPage>();
  const auto now = Clock::now();
  const bool last = info.time >= line_.end_time();
  if (!last && !paused_ && !one_step_ && now - drawn_ < between_pictures) return;
  page_->stopped_for_a_while();
  // A step that was asked for while the run was paused ends in a pause.
  if (std::exchange(one_step_, false)) paused_ = true;
  while (const auto key = TerminalPage::key(0)) heed(*key);
  draw(info);
  if (paused_) wait(info);
  drawn_ = Clock::now();
}

void Watch::wait(const StepInfo& info) {
  const auto since = Clock::now();
  auto size = terminal_size();
  while (paused_ && !stopped_()) {
    const auto key = TerminalPage::key(looks_for_keys);
    if (key) heed(*key);
    const auto now = terminal_size();
    const bool other_size = now.columns != size.columns || now.rows != size.rows;
    size = now;
    if (page_->stopped_for_a_while() || key || other_size) draw(info);
  }
  line_.waited(Clock::now() - since);
}

void Watch::heed(char key) {
  switch (key) {
    case ' ':
    case 'p':
      paused_ = !paused_;
      break;
    case '>':
    case 'n':
      if (paused_) one_step_ = true;
      paused_ = false;
      break;
    case 'u':
      unknown_ = (unknown_ + 1) % given_->count();
      seen_.reset();
      break;
    case 'r':
      own_range_ = !own_range_;
      break;
    case 's':
    case 'q':
      stop_();
      break;
    default:
      break;
  }
}

// A field that fades is seen to fade by the range of all pictures so far.
std::pair<Real, Real> Watch::range_of(const Field& field) {
  const std::pair own{field.lowest(), field.highest()};
  if (!seen_) seen_ = own;
  seen_ = {std::min(seen_->first, own.first), std::max(seen_->second, own.second)};
  return own_range_ ? own : *seen_;
}

void Watch::draw(const StepInfo& info) {
  const auto size = terminal_size();
  const std::vector<Field> fields = study::shown_fields(*given_, *balance_, info.state, info.time);
  const Field& field = fields[unknown_];
  const plot::TerminalLegend legend{given_->unknown(unknown_).problem.equation().unknown, given_->length,
                                    given_->unknown(unknown_).value, range_of(field)};
  const auto columns = static_cast<std::size_t>(size.columns);
  // A title above, below the line of numbers and that of keys, and nothing in the last row.
  last_ = plot::terminal_picture(field, legend, terminal_colours(), {size.columns, size.rows - 4});
  last_.insert(last_.begin(), cut_to(given_->title.empty() ? "run" : given_->title, columns));
  last_.push_back(line_.line(info, columns));
  auto lines = last_;
  const std::string keys = std::string(paused_ ? "paused: space goes on, n takes a step" : "space pauses") +
                           ", r range of " + (own_range_ ? "all pictures" : "this picture") +
                           (given_->count() > 1 ? ", u next unknown" : "") + ", s stops";
  lines.push_back(cut_to(keys, columns));
  page_->show(lines);
}

}  // namespace williwaw::cli
