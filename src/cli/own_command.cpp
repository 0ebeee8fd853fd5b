#include "own_command.hpp"

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
  const auto near = from_here(typed);
  own = for_shell(near.has_parent_path() ? near.string() : "./" + near.string());
}

std::filesystem::path from_here(const std::filesystem::path& file) {
  std::error_code gone;
  const auto near = std::filesystem::absolute(file, gone)
                        .lexically_normal()
                        .lexically_relative(std::filesystem::current_path(gone));
  return gone || near.empty() || *near.begin() == ".." ? file : near;
}

const std::string& own_command() {
  return own;
}

}  // namespace williwaw::cli
