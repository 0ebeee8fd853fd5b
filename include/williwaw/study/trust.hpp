// `run --trust`: every headline number with its uncertainty, from companion runs on coarser grids and with
// other steps.
#pragma once

#include <cmath>

#include "williwaw/study/answer.hpp"

namespace williwaw::study {

/// A part of an uncertainty: what is known of an error, with its sign, and what is not.
struct ErrorPart {
  Real known = 0, margin = 0;
  Real size() const { return std::abs(known) + margin; }
};

struct Trusted {
  Headline headline;
  /// Of the grid, of the step, or of both refined together; and of probes by linear interpolation between
  /// unknowns. Known errors may cancel.
  ErrorPart space, time, both, sampling;
  /// Why no uncertainty can be given; empty where there is one.
  std::string not_known = {};
  Real uncertainty() const {
    return std::abs(space.known + time.known + both.known + sampling.known) + space.margin + time.margin +
           both.margin + sampling.margin;
  }
};

struct Trust {
  std::vector<Trusted> numbers;
  /// Why a part is missing; empty where none is.
  std::string without_space, without_time;
  /// What the companions were, in words.
  std::vector<std::string> companions;
  Real seconds = 0;               ///< that the companions took
  bool first_stage_only = false;  ///< the case has more stages than were looked at
};

/// Solves the case and its companions. Explicit steps are refined together with the grid, so that errors that
/// compensate each other do so in all companions: 1/2 and 1/4 of the intervals, with steps 2 and 4 times as
/// long (4 and 16 times where all that happens is diffusion). Of other runs the grid is refined alone, and
/// steps of half and twice the length follow. verify::spread_of says what these lead to. Where outlines or
/// jumps fall differently on every grid, or differences are uneven, companions with 7/8, 3/4 and 5/8 of the
/// intervals are added and verify::spread_about_fit is taken. Numbers that have no limit get no uncertainty.
Trust assess(const std::filesystem::path& file, const std::vector<std::string>& overrides,
             Execution execution = {}, const Reading& reading = {});

Report trust_report(const Trust& trust);

}  // namespace williwaw::study
