#include "williwaw/store/apart.hpp"

#include <sys/wait.h>
#include <unistd.h>

#include <array>
#include <cerrno>
#include <csignal>
#include <cstring>

#include "williwaw/store/checked_file.hpp"

namespace williwaw::store {

namespace {

std::string all_of(int handle) {
  std::string text;
  std::array<char, 4096> piece;
  for (;;) {
    const ssize_t count = read(handle, piece.data(), piece.size());
    if (count < 0 && errno == EINTR) continue;
    if (count <= 0) return text;
    text.append(piece.data(), static_cast<std::size_t>(count));
  }
}

// In the copy: nothing of what the process does at its end may happen twice, so it ends at once.
[[noreturn]] void work_and_end(int handle, const std::function<void()>& work) {
  std::string words;
  try {
    // Ctrl-C is meant for the process that waits.
    std::signal(SIGINT, SIG_IGN);
    work();
    _exit(0);
  } catch (const std::exception& e) {
    words = e.what();
  } catch (...) {
    words = "an unknown error";
  }
  const ssize_t written = write(handle, words.data(), words.size());
  _exit(written >= 0 ? 1 : 2);
}

}  // namespace

void apart(const std::string& what, const std::function<void()>& work) {
  Apart(what, work).wait();
}

Apart::Apart(std::string what, const std::function<void()>& work) : what_(std::move(what)) {
  std::array<int, 2> ends{};
  if (pipe(ends.data()) != 0) throw StoreError(what_ + ": cannot be written: " + std::strerror(errno));
  process_ = fork();
  if (process_ < 0) {
    const int error = errno;
    close(ends[0]);
    close(ends[1]);
    throw StoreError(what_ + ": cannot be written: " + std::strerror(error));
  }
  if (process_ == 0) {
    close(ends[0]);
    work_and_end(ends[1], work);
  }
  close(ends[1]);
  handle_ = ends[0];
}

Apart::~Apart() {
  try {
    if (handle_ >= 0) wait();
  } catch (const StoreError&) {
    // Nobody asked for it.
  }
}

void Apart::wait() {
  const std::string words = all_of(handle_);
  close(handle_);
  handle_ = -1;
  int status = 0;
  while (waitpid(process_, &status, 0) < 0 && errno == EINTR) continue;
  if (WIFEXITED(status) && WEXITSTATUS(status) == 0) return;
  throw StoreError(!words.empty()
                       ? words
                       : what_ + ": was not written completely: the library for its format failed (" +
                             (WIFSIGNALED(status) ? strsignal(WTERMSIG(status)) : "no reason given") +
                             "); is the disk full?");
}

}  // namespace williwaw::store
