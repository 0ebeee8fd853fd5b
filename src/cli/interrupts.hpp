// Signals that ask a run to stop and keep what is there.
#pragma once

namespace williwaw::cli {

/// From here on an interrupt (Ctrl-C) or a request to end is remembered instead of ending the program.
void listen_for_signals();
/// Somebody has asked for it, by a signal or by a key.
bool interrupt_asked();
void ask_interrupt();

}  // namespace williwaw::cli
