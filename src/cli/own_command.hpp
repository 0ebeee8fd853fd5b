// How the program is called from where its user stands, for commands that it prints to be pasted.
#pragma once

#include <filesystem>
#include <string>

namespace williwaw::cli {

/// Told once, with what the shell was given.
void set_own_command(const std::string& typed);
/// "williwaw", "build/williwaw" or a path from the root, quoted where a shell needs that.
const std::string& own_command();
/// A path that lies below where the user stands, from there; any other as it is.
std::filesystem::path from_here(const std::filesystem::path& file);
/// A path or word in quotation marks where a shell would take it apart.
std::string for_shell(const std::string& word);

}  // namespace williwaw::cli
