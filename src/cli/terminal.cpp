#include "terminal.hpp"

#include <poll.h>
#include <sys/ioctl.h>
#include <unistd.h>

#include <atomic>
#include <csignal>
#include <cstdlib>

#include "say.hpp"

namespace williwaw::cli {

namespace {

std::string from_environment(const char* name) {
  const char* text = std::getenv(name);
  return text ? text : "";
}

std::atomic<bool> stop_asked = false;

void ask_stop(int) {
  stop_asked = true;
}

}  // namespace

bool shows_pictures() {
  const std::string kind = from_environment("TERM");
  return isatty(STDOUT_FILENO) != 0 && !kind.empty() && kind != "dumb";
}

plot::TerminalSize terminal_size() {
  winsize size = {};
  plot::TerminalSize result;
  if (ioctl(STDOUT_FILENO, TIOCGWINSZ, &size) != 0) return result;
  if (size.ws_col > 0) result.columns = size.ws_col;
  if (size.ws_row > 0) result.rows = size.ws_row;
  return result;
}

plot::TerminalColours terminal_colours() {
  if (!from_environment("NO_COLOR").empty()) return plot::TerminalColours::shades;
  const std::string depth = from_environment("COLORTERM"), kind = from_environment("TERM");
  if (depth == "truecolor" || depth == "24bit") return plot::TerminalColours::direct;
  // The console of Linux and terminals without an entry know 8 colours, which make no picture.
  const bool many = kind.find("256") != std::string::npos || kind.rfind("xterm", 0) == 0;
  return many ? plot::TerminalColours::palette : plot::TerminalColours::shades;
}

TerminalPage::TerminalPage() : keys_(isatty(STDIN_FILENO) != 0 && tcgetattr(STDIN_FILENO, &before_) == 0) {
  stop_asked = false;
  struct sigaction action = {};
  action.sa_handler = ask_stop;
  sigaction(SIGTSTP, &action, nullptr);
  enter();
}

TerminalPage::~TerminalPage() {
  leave();
  std::signal(SIGTSTP, SIG_DFL);
}

void TerminalPage::enter() {
  if (keys_) {
    termios one_by_one = before_;
    one_by_one.c_lflag &= ~static_cast<tcflag_t>(ICANON | ECHO);
    one_by_one.c_cc[VMIN] = 0;
    one_by_one.c_cc[VTIME] = 0;
    tcsetattr(STDIN_FILENO, TCSANOW, &one_by_one);
  }
  // A second page, without a cursor.
  say("\033[?1049h\033[?25l\033[2J");
  flush_said();
}

void TerminalPage::leave() {
  say("\033[?25h\033[?1049l");
  flush_said();
  if (keys_) tcsetattr(STDIN_FILENO, TCSANOW, &before_);
}

void TerminalPage::show(const std::vector<std::string>& lines) {
  // Line by line over what was there: a cleared page would flicker. Lines are cleared before they are
  // written, since behind a full one the cursor stands on its last character.
  std::string text = "\033[H";
  for (std::size_t n = 0; n < lines.size(); ++n) text += (n > 0 ? "\r\n\033[2K" : "\033[2K") + lines[n];
  say("{}\r\n\033[J", text);
  flush_said();
}

std::optional<char> TerminalPage::key(int milliseconds) {
  pollfd input = {.fd = STDIN_FILENO, .events = POLLIN, .revents = 0};
  if (poll(&input, 1, milliseconds) <= 0 || (input.revents & POLLIN) == 0) return std::nullopt;
  std::array<char, 8> pressed{};
  const auto count = read(STDIN_FILENO, pressed.data(), 1);
  if (count != 1) return std::nullopt;
  if (pressed[0] != '\033') return pressed[0];
  // The rest of a key that sends several characters comes with its first.
  const auto more = poll(&input, 1, 0) > 0 ? read(STDIN_FILENO, pressed.data() + 1, 2) : 0;
  return more == 2 && pressed[2] == 'C' ? '>' : '\033';
}

bool TerminalPage::stopped_for_a_while() {
  if (!stop_asked.exchange(false)) return false;
  leave();
  std::raise(SIGSTOP);
  enter();
  return true;
}

}  // namespace williwaw::cli
