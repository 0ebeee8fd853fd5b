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

inline bool says(const std::string& text, const std::string& words) {
  return text.find(words) != std::string::npos;
}

}  // namespace williwaw::test
