// A run to look at while it goes on: its field drawn in the terminal, with keys to pause and to stop it.
#pragma once

#include <chrono>
#include <functional>
#include <memory>

#include "live_line.hpp"
#include "terminal.hpp"

namespace williwaw::cli {

class Watch {
 public:
  /// Shows the line under its pictures; `stop` is called once somebody asks for the end, `stopped` tells
  /// whether that was done, by whomever.
  Watch(const casefile::Case& given, const study::Prepared& prepared, LiveLine& line,
        std::function<void()> stop, std::function<bool()> stopped);
  /// To be told of every step; waits here while the run is paused.
  void show(const StepInfo& info);
  /// A further stage begins.
  void begin(const casefile::Case& stage, const study::Prepared& prepared);
  /// Leaves the page, with the last picture where other text follows.
  void end();

 private:
  using Clock = std::chrono::steady_clock;

  void heed(char key);
  void draw(const StepInfo& info);
  void wait(const StepInfo& info);
  std::pair<Real, Real> range_of(const Field& field);

  const casefile::Case* given_;
  Discretization* balance_;
  LiveLine& line_;
  std::function<void()> stop_;
  std::function<bool()> stopped_;
  std::unique_ptr<TerminalPage> page_;
  std::vector<std::string> last_;
  Clock::time_point drawn_;
  std::size_t unknown_ = 0;
  bool paused_ = false, one_step_ = false;
  bool own_range_ = false;  ///< of each picture, otherwise of all that were seen
  std::optional<std::pair<Real, Real>> seen_;
};

}  // namespace williwaw::cli
