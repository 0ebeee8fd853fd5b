// Figures that a case asks for, once its run has ended.
#pragma once

#include <chrono>
#include <utility>

#include "williwaw/plot/figure.hpp"
#include "williwaw/store/written.hpp"
#include "williwaw/study/run.hpp"

namespace williwaw::cli {

/// Seconds since the last look at it.
class Stopwatch {
 public:
  Real lap() {
    const auto now = std::chrono::steady_clock::now();
    return std::chrono::duration<Real>(now - std::exchange(last_, now)).count();
  }

 private:
  std::chrono::steady_clock::time_point last_ = std::chrono::steady_clock::now();
};

struct Drawn {
  std::vector<std::filesystem::path> files = {};
  std::vector<std::string> complaints = {};  ///< of figures that were not drawn
  std::vector<study::TimePart> times = {};
};

/// Draws all of them; what cannot be drawn is told and stops nothing.
Drawn draw_figures(const casefile::Case& given, const study::Prepared& prepared,
                   const std::filesystem::path& folder);
/// Their complaints, on standard error.
void tell_not_drawn(const Drawn& drawn);
/// What somebody had drawn of an earlier run in the folder.
void tell_moved(const std::vector<store::Moved>& earlier, const std::filesystem::path& folder,
                study::Report& report);

}  // namespace williwaw::cli
