// The williwaw program: reads arguments, hands them on, turns errors into messages and exit codes.
#include <malloc.h>

#include <CLI/CLI.hpp>
#include <csignal>
#include <iostream>

#include "command_line.hpp"
#include "commands.hpp"
#include "launch.hpp"
#include "own_command.hpp"
#include "say.hpp"
#include "williwaw/plot/figure.hpp"
#include "williwaw/ranks/mpi.hpp"
#include "williwaw/study/check.hpp"

namespace {

using namespace williwaw;

int program(int argc, char** argv) {
  cli::set_own_command(argv[0]);
  const auto line = cli::command_line();
  CLI::App& app = *line->app;
  try {
    app.parse(argc, argv);
  } catch (const CLI::ParseError& e) {
    if (!cli::speaks()) return cli::done;
    return app.exit(e) == 0 ? cli::done : cli::bad_input;
  }
  // What is not done together the first process does alone.
  const bool together =
      app.got_subcommand("run") || app.got_subcommand("check") || app.got_subcommand("sweep");
  if (!cli::speaks() && !together) return cli::done;
  const int code = cli::all_said(line->chosen());
  return cli::speaks() ? code : cli::done;
}

}  // namespace

int main(int argc, char** argv) {
  const auto complain = [](const std::string& what, int code) {
    cli::flush_said();
    // What all processes meet alike one of them tells.
    if (cli::speaks() || cli::others_wait()) std::cerr << what << std::endl;
    if (cli::others_wait()) ranks::end_all(code);
    // A launcher ends all of them as soon as one fails, before the first one has said why.
    return cli::speaks() ? code : cli::done;
  };
  // Fields that are freed go back to the system at once, so that a run takes what `check` says.
  mallopt(M_MMAP_THRESHOLD, 1 << 18);
  // A reader that goes away, or a limit on the size of files, is an error of a write like any other.
  std::signal(SIGPIPE, SIG_IGN);
  std::signal(SIGXFSZ, SIG_IGN);
  try {
    return program(argc, argv);
  } catch (const InputError& e) {
    return complain(e.what(), cli::bad_input);
  } catch (const SolverError& e) {
    return complain(e.what(), cli::not_met);
  } catch (const store::StoreError& e) {
    return complain(e.what(), cli::bad_input);
  } catch (const plot::PlotError& e) {
    return complain(e.what(), cli::bad_input);
  } catch (const std::filesystem::filesystem_error& e) {
    return complain(e.path1().string() + ": cannot be read or written: " + e.code().message(),
                    cli::bad_input);
  } catch (const std::bad_alloc&) {
    return complain("there is not enough memory for this problem", cli::bad_input);
  } catch (const std::exception& e) {
    return complain(std::string("internal error: ") + e.what(), cli::internal);
  }
}
