// `check`: what will be solved and whether the step is stable, without solving anything.
#pragma once

#include "williwaw/study/open_case.hpp"
#include "williwaw/study/report.hpp"
#include "williwaw/verify/advection.hpp"
#include "williwaw/verify/dispersion.hpp"
#include "williwaw/verify/forecast.hpp"
#include "williwaw/verify/uniform_state.hpp"
#include "williwaw/version.hpp"

namespace williwaw::study {

class SettledWatch;
class CycleWatch;

/// A case made ready to run: its balance, the judgement of its step and its schedule.
struct Prepared {
  Plan plan;  ///< with the step filled in
  /// Of a steady case: the solver it takes.
  std::optional<SteadyPreview> steady;
  /// Of a run in time: what it may settle to.
  std::shared_ptr<SettledWatch> settled;
  bool ends_when_settled = false;
  /// Of a run under data that repeat.
  std::shared_ptr<CycleWatch> cycle;
  std::unique_ptr<Discretization> balance;
  verify::Stability stability;
  /// After a run that ended otherwise than judged: what happened. No report repeats the verdict.
  std::string refuted;
  /// Of a step that is not stable, where the modes can be told.
  std::optional<verify::Forecast> forecast;
  /// Of unknowns that react with each other: the state in which nothing changes, and what grows about it.
  std::optional<verify::UniformState> uniform;
  /// Of a wave: what the grid makes of its speed.
  std::optional<verify::Dispersion> dispersion;
  /// Where something is advected: what that means for the step and the grid.
  std::optional<verify::AdvectionNumbers> advection;
  std::vector<Interval> intervals;
  State initial;
  /// Decay rate of the slowest mode, 0 where nothing fixes the mean; nothing where it is not known.
  std::optional<Real> slowest;
  /// Steps in all, and the longest of them.
  Index steps = 0;
  Real longest_step = 0;
  /// How long the run will take, s, as `measured_seconds` found it.
  std::optional<Real> seconds;
  /// Bytes that it will take at its peak, as `peak_memory` found them.
  std::optional<Real> memory;
};

/// Builds the balance and, for a run in time, judges the step and lays out the schedule. Throws CaseError.
Prepared prepare(const Case& given, Execution execution = {});

/// A stage as it is planned: from the case's own initial values, since the end of the one before is not known
/// yet.
struct PlannedStage {
  std::string title;  ///< "stage 2, door opens"
  std::shared_ptr<Case> given;
  Prepared prepared;
};
/// The stages after the first; none for a case without. Throws CaseError for a stage that changes the grid,
/// is steady or has no end after its start.
std::vector<PlannedStage> planned_stages(const Case& given, const Prepared& prepared);

/// The whole report of `check`. Rows are those of INTERFACE: equation, grid, boundaries, schemes, stability,
/// warnings, cost.
Report check_report(const Case& given, Prepared& prepared);
/// The short form that `run` starts with.
Report brief_report(const Case& given, const Prepared& prepared);
/// The discrete equation of the unknown whose control volume holds `place`.
Report stencil_report(const Case& given, Prepared& prepared, const Point& place);
/// Reads "0.12" or "0.12,0.3" in shown units. Throws InputError.
Point place_from(const Case& given, const std::string& text);

/// What is known against a step beyond the limit, in one sentence.
std::string forecast(const Case& given, const Prepared& prepared);

}  // namespace williwaw::study
