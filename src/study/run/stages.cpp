#include "study/run/stages.hpp"

#include <algorithm>
#include <cmath>

#include "study/run/derived.hpp"

namespace williwaw::study {

namespace {

bool same_grid(const Grid& a, const Grid& b) {
  if (a.dimension() != b.dimension()) return false;
  for (int x = 0; x < a.dimension(); ++x)
    if (a.axis(x).unknowns() != b.axis(x).unknowns() || a.axis(x).name() != b.axis(x).name() ||
        !std::ranges::equal(a.axis(x).faces(), b.axis(x).faces()))
      return false;
  return true;
}

Case read_stage(const Case& given, Index stage, Real start) {
  Case next = open_case_text(given.text, given.file, {},
                             {.refinement = given.refinement,
                              .variant = {},
                              .stage = stage,
                              .start = start,
                              .sample = given.sample});
  if (next.steady)
    throw CaseError(next.places.of(Subject::step).place, "stage",
                    "stages follow each other in time; [steady] has none");
  if (next.problem.equation().second_order)
    throw CaseError(next.places.of(Subject::step).place, "stage",
                    "a wave has no stages yet: a state does not contain its rate; use another case with "
                    "initial.value = { from = \"..\" } and its rate");
  if (!same_grid(given.grid(), next.grid()) || given.cells.has_value() != next.cells.has_value())
    throw CaseError(next.places.of(Subject::equation).place, "stage",
                    "a stage keeps the grid of the one before; for another grid use a further case with "
                    "initial.value = { from = \"..\" }");
  bool same = next.count() == given.count();
  for (std::size_t u = 0; same && u < given.count(); ++u)
    same = given.unknown(u).problem.equation().unknown == next.unknown(u).problem.equation().unknown;
  if (!same)
    throw CaseError(next.places.of(Subject::equation).place, "stage",
                    "a stage keeps the unknowns of the one before");
  // They are columns and variables of one set of files.
  if (!std::ranges::equal(derived_fields(given), derived_fields(next), {}, &DerivedField::name,
                          &DerivedField::name))
    throw CaseError(next.places.of(Subject::equation).place, "stage",
                    "a stage keeps the derived quantities of the one before");
  if (!std::ranges::equal(sights_of(given), sights_of(next), {}, &Sight::label, &Sight::label))
    throw CaseError(next.places.of(Subject::equation).place, "stage",
                    "a stage keeps the probes of the one before");
  return next;
}

}  // namespace

Case stage_of(const Case& given, Index stage, Real start, const State& initial) {
  std::vector<Grid> grids;
  for (std::size_t u = 0; u < given.count(); ++u) grids.push_back(given.unknown(u).problem.grid());
  return stage_of(given, stage, start, initial, grids);
}

Case stage_of(const Case& given, Index stage, Real start, const State& initial,
              const std::vector<Grid>& grids) {
  Case next = read_stage(given, stage, start);
  auto first = initial.begin();
  for (std::size_t u = 0; u < next.count(); ++u) {
    casefile::UnknownOfCase& of = u == 0 ? next : next.others[u - 1];
    const Grid& g = grids[u];
    of.problem.initial = casefile::values_at(g, State(first, first + g.count()));
    of.initial.text = "the end of the stage before";
    first += g.count();
  }
  next.title = given.title + ": " + given.stages[static_cast<std::size_t>(stage - 1)];
  return next;
}

std::vector<PlannedStage> planned_stages(const Case& given, const Prepared& prepared) {
  std::vector<PlannedStage> result;
  Real start = prepared.plan.until;
  for (Index s = 1; s <= static_cast<Index>(given.stages.size()); ++s) {
    PlannedStage stage;
    stage.title = "stage " + std::to_string(s + 1) + ", " + given.stages[static_cast<std::size_t>(s - 1)];
    stage.given = std::make_shared<Case>(stage_of(given, s, start, prepared.initial));
    stage.prepared = prepare(*stage.given, {prepared.plan.threads});
    start = stage.prepared.plan.until;
    result.push_back(std::move(stage));
  }
  return result;
}

std::vector<LedgerLine> lines_of_all(const Prepared& first, const std::vector<PlannedStage>& later) {
  std::vector<LedgerLine> lines = first.balance->lines();
  for (const auto& stage : later)
    for (const auto& line : stage.prepared.balance->lines())
      if (std::ranges::find(lines, line.name, &LedgerLine::name) == lines.end()) lines.push_back(line);
  return lines;
}

}  // namespace williwaw::study
