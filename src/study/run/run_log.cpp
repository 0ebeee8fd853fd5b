#include "study/run/run_log.hpp"

#include <fmt/format.h>
#include <spdlog/logger.h>
#include <spdlog/sinks/basic_file_sink.h>

#include <sstream>

#include "williwaw/store/checked_file.hpp"
#include "williwaw/study/report.hpp"
#include "williwaw/study/run.hpp"

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

void log_times(const std::filesystem::path& folder, const std::vector<TimePart>& parts) {
  Report report;
  report.section("time in parts");
  Real whole = 0;
  for (const TimePart& part : parts) {
    report.row(part.what, fmt::format("{:.3f} s", part.seconds), part.seconds, "s");
    whole += part.seconds;
  }
  report.row("whole", fmt::format("{:.3f} s", whole), whole, "s");
  RunLog(folder / "run.log", true).write(report.text());
}

}  // namespace williwaw::study
