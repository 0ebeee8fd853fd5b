// run.log, through spdlog.
#pragma once

#include <filesystem>
#include <memory>
#include <string>

namespace williwaw::study {

class RunLog {
 public:
  explicit RunLog(const std::filesystem::path& file, bool go_on = false);
  RunLog(const RunLog&) = delete;
  RunLog& operator=(const RunLog&) = delete;
  ~RunLog();
  /// Writes a text line by line, each with the time of day. Throws StoreError where that fails.
  void write(const std::string& text);

 private:
  struct Open;
  std::unique_ptr<Open> open_;
  std::string trouble_;  ///< what the library could not write
};

}  // namespace williwaw::study
