// Runs a command and keeps what it printed.
#pragma once

#include <sys/wait.h>

#include <cstdio>
#include <filesystem>
#include <string>

#include "support/folder.hpp"
#include "support/text.hpp"

namespace williwaw::test {

struct Printed {
  int code = -1;
  std::string out, error;
};

/// Runs a command of the shell in a folder.
inline Printed run_in(const std::filesystem::path& folder, const std::string& given) {
  const auto out = fresh_folder("printed") / "out";
  const auto error = out.parent_path() / "error";
  const std::string command =
      "cd '" + folder.string() + "' && " + given + " >'" + out.string() + "' 2>'" + error.string() + "'";
  Printed printed;
  const int status = std::system(command.c_str());
  printed.code = WIFEXITED(status) ? WEXITSTATUS(status) : -1;
  printed.out = text_of(out);
  printed.error = text_of(error);
  return printed;
}

/// Runs `williwaw ARGUMENTS` in a folder.
inline Printed williwaw_in(const std::filesystem::path& folder, const std::string& arguments) {
  return run_in(folder, std::string("'") + PROGRAM + "' " + arguments);
}

}  // namespace williwaw::test
