// The terminal that the program talks to: its size, its colours, keys as they are pressed.
#pragma once

#include <termios.h>

#include <optional>
#include <string>

#include "williwaw/plot/terminal.hpp"

namespace williwaw::cli {

/// Standard output is a terminal that can move its cursor.
bool shows_pictures();
/// Of the terminal behind standard output; 80 × 24 where it does not say.
plot::TerminalSize terminal_size();
/// What it says of itself in COLORTERM, TERM and NO_COLOR.
plot::TerminalColours terminal_colours();

/// A page of the terminal for pictures that replace each other, with keys read one by one; what stood there
/// before comes back at the end.
class TerminalPage {
 public:
  TerminalPage();
  TerminalPage(const TerminalPage&) = delete;
  TerminalPage& operator=(const TerminalPage&) = delete;
  ~TerminalPage();

  /// Shows these lines instead of the last ones.
  void show(const std::vector<std::string>& lines);
  /// The next key, waiting for it as long as that; nothing if none came. An arrow to the right is '>'.
  static std::optional<char> key(int milliseconds);
  /// Whether somebody asked to stop the program for a while (Ctrl-Z); then it has been, and is back.
  bool stopped_for_a_while();

 private:
  void enter();
  void leave();

  termios before_ = {};
  bool keys_;  ///< standard input is a terminal too
};

}  // namespace williwaw::cli
