// What a run says while it goes on: one line that renews itself on a terminal, a few plain lines otherwise.
#pragma once

#include <chrono>
#include <optional>
#include <string>
#include <vector>

#include "williwaw/study/run.hpp"

namespace williwaw::cli {

class LiveLine {
 public:
  /// On several ranks a state is not whole, and what is told follows from sums alone.
  LiveLine(const casefile::Case& given, const study::Prepared& prepared, bool quiet, bool shared);
  void show(const StepInfo& info);
  /// Clears the line before other text follows.
  void end();
  /// A further stage begins.
  void begin(const study::Prepared& prepared);

  /// What is said of a step, in so many columns; to be told of the first step at least.
  std::string line(const StepInfo& info, std::size_t columns);
  /// Where the stage ends, in SI.
  Real end_time() const { return end_; }
  /// So long nothing was done, which the remaining time leaves out.
  void waited(std::chrono::steady_clock::duration time) { start_ += time; }

 private:
  struct Part {
    std::string text;
    int rank;  ///< where there is no room, parts of higher rank go first
  };
  std::vector<Part> parts(const StepInfo& info) const;
  void add_values(const StepInfo& info, std::vector<Part>& parts) const;
  std::string remaining(Real fraction) const;
  static std::string in_columns(std::vector<Part> parts, std::size_t columns);

  const casefile::Case& given_;
  Real begin_, end_;
  std::optional<Real> first_;  ///< time of the first step seen: that of a run that goes on lies further on
  Discretization* balance_;
  bool quiet_, shared_;
  bool terminal_;
  bool shown_ = false;
  int tenths_ = 0;
  std::chrono::steady_clock::time_point start_, last_;
};

}  // namespace williwaw::cli
