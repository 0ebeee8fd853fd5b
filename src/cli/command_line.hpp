// The commands of the program: what they are called, which options they have, what is said of them.
#pragma once

#include <CLI/CLI.hpp>
#include <functional>
#include <memory>

namespace williwaw::cli {

/// The program's command line. The command that a parse has chosen is run by `chosen`.
struct CommandLine {
  std::unique_ptr<CLI::App> app;
  std::function<int()> chosen;
};
std::unique_ptr<CommandLine> command_line();

/// All commands and options as a page of the documentation, as a page of the manual (roff), and as completion
/// for bash.
std::string commands_as_markdown(const CLI::App& app);
std::string commands_as_manual(const CLI::App& app);
std::string commands_as_completion(const CLI::App& app);

}  // namespace williwaw::cli
