#include "own_command.hpp"

#include <filesystem>

namespace williwaw::cli {

namespace {
std::string own = "williwaw";
}  // namespace

std::string for_shell(const std::string& word) {
  const std::string plain = "ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789_-./+,:@%";
  if (!word.empty() && word.find_first_not_of(plain) == std::string::npos) return word;
  std::string result = "'";
  for (const char c : word) result += c == '\'' ? "'\\''" : std::string(1, c);
  return result + "'";
}

void set_own_command(const std::string& typed) {
  // Without a slash the shell has found it, and will again.
  if (typed.find('/') == std::string::npos) {
    own = for_shell(typed);
    return;
  }
  std::error_code none;
  const auto here = std::filesystem::current_path(none), whole = std::filesystem::absolute(typed, none);
  const auto near = whole.lexically_normal().lexically_relative(here);
  const bool below = !none && !near.empty() && *near.begin() != "..";
  own = for_shell(!below ? typed : near.has_parent_path() ? near.string() : "./" + near.string());
}

const std::string& own_command() {
  return own;
}

}  // namespace williwaw::cli
