// The whole of a file.
#pragma once

#include <filesystem>
#include <fstream>
#include <sstream>
#include <string>

namespace williwaw::test {

inline std::string text_of(const std::filesystem::path& file) {
  std::ostringstream text;
  text << std::ifstream(file, std::ios::binary).rdbuf();
  return text.str();
}

}  // namespace williwaw::test
