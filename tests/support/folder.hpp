// A folder of this test process alone, emptied.
#pragma once

#include <unistd.h>

#include <filesystem>
#include <fstream>
#include <string>

namespace williwaw::test {

/// Removed with all it holds when the process ends.
class Scratch {
 public:
  Scratch() : path_(std::filesystem::temp_directory_path() / ("williwaw-test-" + std::to_string(getpid()))) {}
  Scratch(const Scratch&) = delete;
  Scratch& operator=(const Scratch&) = delete;
  ~Scratch() {
    std::error_code ignored;
    std::filesystem::remove_all(path_, ignored);
  }
  const std::filesystem::path& path() const { return path_; }

 private:
  std::filesystem::path path_;
};

inline std::filesystem::path fresh_folder(const std::string& name) {
  static const Scratch scratch;
  const auto folder = scratch.path() / name;
  std::filesystem::remove_all(folder);
  std::filesystem::create_directories(folder);
  return folder;
}

/// A fresh folder with a case.toml.
inline std::filesystem::path folder_of(const std::string& name, const std::string& text) {
  const auto folder = fresh_folder(name);
  std::ofstream(folder / "case.toml") << text;
  return folder;
}

}  // namespace williwaw::test
