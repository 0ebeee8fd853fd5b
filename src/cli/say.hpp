// What the program prints. Somebody who stops reading (`| head -1`) does not stop a run; a full disk behind
// standard output is told at the end.
#pragma once

#include <fmt/format.h>

#include <string>

namespace williwaw::cli {

void say_text(const std::string& text);

template <class... Arguments>
void say(fmt::format_string<Arguments...> format, Arguments&&... arguments) {
  say_text(fmt::format(format, std::forward<Arguments>(arguments)...));
}

/// Everything said so far is with its reader.
void flush_said();

/// The exit code once all is said: `code`, or bad_input where the output could not be written.
int all_said(int code);

}  // namespace williwaw::cli
