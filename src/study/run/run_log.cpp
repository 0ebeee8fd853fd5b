#include "study/run/run_log.hpp"

#include <spdlog/logger.h>
#include <spdlog/sinks/basic_file_sink.h>

#include <sstream>

#include "williwaw/store/checked_file.hpp"

namespace williwaw::study {

struct RunLog::Open {
  spdlog::logger logger;
};

RunLog::RunLog(const std::filesystem::path& file, bool go_on) try {
  // A logger of its own, in no registry: two runs in one program do not meet.
  auto sink = std::make_shared<spdlog::sinks::basic_file_sink_mt>(file.string(), !go_on);
  sink->set_pattern("%Y-%m-%d %H:%M:%S  %v");
  open_ = std::make_unique<Open>(Open{spdlog::logger("run", sink)});
  open_->logger.set_error_handler(
      [this, file](const std::string& what) { trouble_ = file.string() + ": " + what; });
} catch (const spdlog::spdlog_ex& e) {
  throw store::StoreError(file.string() + ": cannot be written: " + e.what());
}

RunLog::~RunLog() {
  open_->logger.flush();
}

void RunLog::write(const std::string& text) {
  std::istringstream lines(text);
  for (std::string line; std::getline(lines, line);) open_->logger.info(line);
  open_->logger.flush();
  if (!trouble_.empty()) throw store::StoreError(trouble_);
}

}  // namespace williwaw::study
