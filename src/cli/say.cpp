#include "say.hpp"

#include <cerrno>
#include <cstdio>
#include <cstring>

#include "commands.hpp"

namespace williwaw::cli {

namespace {

// The first error of standard output; EPIPE means that nobody listens any more.
int error_of_output = 0;

void note_error() {
  if (error_of_output == 0) error_of_output = errno == 0 ? EIO : errno;
}

}  // namespace

void say_text(const std::string& text) {
  if (error_of_output != 0 || text.empty()) return;
  errno = 0;
  if (std::fwrite(text.data(), 1, text.size(), stdout) != text.size()) note_error();
}

void flush_said() {
  if (error_of_output != 0) return;
  errno = 0;
  if (std::fflush(stdout) != 0) note_error();
}

int all_said(int code) {
  flush_said();
  if (error_of_output == 0 || error_of_output == EPIPE) return code;
  std::fprintf(stderr, "standard output: cannot be written: %s\n", std::strerror(error_of_output));
  return code == done ? bad_input : code;
}

}  // namespace williwaw::cli
