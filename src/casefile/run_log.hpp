// run.log, through spdlog.
#pragma once

#include <filesystem>
#include <memory>
#include <string>

namespace williwaw::casefile {

class RunLog {
 public:
  explicit RunLog(const std::filesystem::path& file, bool go_on = false);
  RunLog(const RunLog&) = delete;
  RunLog& operator=(const RunLog&) = delete;
  ~RunLog();
  /// Writes a text line by line, each with the time of day.
  void write(const std::string& text);

 private:
  struct Open;
  std::unique_ptr<Open> open_;
};

}  // namespace williwaw::casefile
