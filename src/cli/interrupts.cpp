#include "interrupts.hpp"

#include <atomic>
#include <csignal>

namespace williwaw::cli {

namespace {

std::atomic<bool> asked = false;

void hear(int) {
  asked = true;
}

}  // namespace

// A reading that waits is told too, so that it can look.
void listen_for_signals() {
  struct sigaction action = {};
  action.sa_handler = hear;
  sigaction(SIGINT, &action, nullptr);
  sigaction(SIGTERM, &action, nullptr);
}

bool interrupt_asked() {
  return asked;
}

void ask_interrupt() {
  asked = true;
}

}  // namespace williwaw::cli
