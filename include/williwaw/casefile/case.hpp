// Case files: TOML with units and formulas, read into a Problem and a Plan.
#pragma once

#include <filesystem>
#include <limits>
#include <map>

#include "williwaw/casefile/error.hpp"
#include "williwaw/casefile/units.hpp"
#include "williwaw/problem/system.hpp"
#include "williwaw/solve/steady.hpp"
#include "williwaw/store/scale.hpp"
#include "williwaw/time/march.hpp"

namespace williwaw::casefile {

/// A value as the case gives it: what the program uses, and how it was written.
struct Value {
  Function function;
  std::string text;
  /// SI value and unit where it is a plain number with a unit; empty otherwise.
  std::string si;
};

struct Probe {
  std::string name;
  Point at;
  std::string of = {};     ///< an unknown, or what follows from them; empty: each unknown
  std::string place = {};  ///< "file:line" of its name; columns that it is not called like are the recorder's
};

/// A figure as a case or a command asks for it. Times are SI.
struct FigureRequest {
  std::string kind;
  std::string of;  ///< empty: the unknown
  std::string title;
  std::vector<Real> times;
  Index every = 0;
  std::optional<std::pair<Real, Real>> range;  ///< in shown units
  std::optional<std::pair<Point, Point>> along;
  std::optional<Point> at;  ///< a plane of a block: the axis named in at_axis
  int at_axis = -1;
  Index levels = 0;  ///< of contours; 0: a dozen or so
  /// Of pictures in perspective: azimuth of who looks, from the first axis towards the second, and height
  /// above the horizon, in degrees.
  std::optional<std::array<Real, 2>> view = {};
  std::filesystem::path folder = {};  ///< of the case, from where other results and tables are looked for
  std::string place = {};             ///< "file:line" in a case; its kind is checked by whoever draws it
};

/// Another resolution than the one written down: every interval of the grid cut into `grid` (or `coarsen` of
/// them joined), every step into `step`.
struct Refinement {
  Index grid = 1;
  Index coarsen = 1;
  Real step = 1;
};

/// How `converge` goes from level to level.
struct RefinementStudy {
  bool grid = true, step = true;
  Real step_power = 2;  ///< steps shrink with this power of the spacing where both are refined
  Index levels = 4;
};

/// How the step is chosen.
struct StepChoice {
  bool of_limit = false;
  bool courant = false;            ///< the Courant number is given
  Real value = 0;                  ///< SI, or the fraction
  std::string adaptive_text = {};  ///< what the error of a step may be, in words; empty for fixed steps
};

/// Where a key stands (file and line), and its name.
struct KeyPlace {
  std::string place, key;
};

/// Which key of a case each subject of an error (InputError::subject) came from.
class KeyPlaces {
 public:
  /// The first key of a subject and name counts.
  void add(Subject subject, KeyPlace place, const std::string& name = {});
  /// The key of a subject and name; else that of the subject, else [equation].
  const KeyPlace& of(Subject subject, const std::string& name = {}) const;
  /// The error of a declaration as an error of its key.
  CaseError error(const InputError& e) const { return error(e.subject(), e.what(), e.name()); }
  CaseError error(Subject subject, const std::string& text, const std::string& name = {}) const;

 private:
  std::map<std::pair<Subject, std::string>, KeyPlace> places_;
};

/// What a case says of one unknown.
struct UnknownOfCase {
  Problem problem;
  std::string equation_formula = {};
  std::vector<std::pair<std::string, Value>> coefficients = {};
  /// For each side, cut-out and part what acts there, in words.
  std::vector<std::pair<std::string, std::string>> boundaries = {};
  Value initial = {};
  std::optional<Value> initial_rate = {};  ///< of waves
  store::Scale value = {};
  /// The unknown is a temperature on a scale: nothing of it may lie below zero kelvin.
  bool absolute_temperature = false;
  /// Unit of the amount that the budget counts; it is an SI one.
  std::string amount_unit = {};
  /// Amounts in a time, as the budget of a steady state and the series show them, and what crosses a unit of
  /// area: for each day where the case says what flows for each day.
  store::Scale flow_scale = {}, flux_scale = {};
  std::optional<Value> exact = {};
  bool exact_is_initial = false;
};

/// What is told of a quantity over several samples besides its mean.
inline constexpr const char* statistics_of_samples[] = {".spread", ".p10", ".p50", ".p90"};

/// Components of a vector among the unknowns, along x, y, z as far as there are axes.
struct VectorOfUnknowns {
  std::string name;
  std::vector<std::size_t> components;
};

/// [derived] NAME: what follows from the unknowns by a formula.
struct DerivedOfCase {
  std::string name;
  store::Scale scale = {};
  OfUnknowns value = {};
  std::string text = {};  ///< the formula as it was written
};

/// A case is what it says of its first unknown, of others where there are some, and of all of them together.
struct Case : UnknownOfCase {
  std::filesystem::path file = {};
  std::string text = {};  ///< TOML that reads as what is run
  std::string title = {};
  std::vector<UnknownOfCase> others = {};
  /// Where unknowns stand on faces, the grid of cells.
  std::optional<Grid> cells = {};
  SystemReaction reaction = {};  ///< of several unknowns
  std::shared_ptr<const SystemFlux> flux = nullptr;
  std::vector<CrossDiffusion> cross_diffusion = {};
  bool characteristic = false;  ///< characteristic variables of the flux are reconstructed
  /// Formulas of what unknowns make of each other, as the case writes them.
  std::vector<std::pair<std::string, Value>> shared_terms = {};
  std::vector<VectorOfUnknowns> vectors = {};
  std::vector<DerivedOfCase> derived = {};
  /// Axes along which the flux is recorded, under the name "flux.z".
  std::vector<int> fluxes = {};
  Plan plan = {};  ///< complete but for the step, which `prepare` fills in
  /// Set for a case that asks for the steady state instead of a run in time.
  std::optional<SteadyRules> steady = {};
  /// A run in time that looks for its steady state.
  struct Settled {
    bool ends_run = false;  ///< until = "settled"
    Real fraction = 0.99;   ///< of the initial distance to the steady state
  };
  Settled settled = {};
  /// A run under data that repeat.
  struct Cycle {
    Real period = 0;
    Real tolerance = 0;     ///< largest change from one cycle to the next
    bool ends_run = false;  ///< until = "cycle"
  };
  std::optional<Cycle> cycle = {};
  StepChoice step = {};
  RefinementStudy refinement_study = {};
  /// [samples] count, and which of them this is: formulas know it as `sample`, and seeds are counted on by
  /// it.
  Index samples = 1, sample = 0;
  /// Titles of what [[variant]] and [[stage]] declare.
  std::vector<std::string> variants = {}, stages = {};
  std::string as_written = "as written";  ///< what the case without a variant is called beside them
  Refinement refinement = {};
  std::string start_date = {};  ///< "2026-01-15 18:00:00" of t = 0; empty: none
  Real record_every = 0;        ///< interval of whole records, SI; 0 where none is given
  store::Scale length = {}, time = {};
  std::vector<Probe> probes = {};
  std::vector<FigureRequest> figures = {};
  /// Keys for errors that are found when the case is prepared, or while it runs.
  KeyPlaces places = {};

  std::size_t count() const { return 1 + others.size(); }
  /// The grid that results are shown on: that of the unknowns, or of cells where they stand on faces.
  const Grid& grid() const { return cells ? *cells : problem.grid(); }
  /// kind = "system", of one unknown or several.
  bool is_system() const { return problem.equation().kind == "system"; }
  const UnknownOfCase& unknown(std::size_t number) const {
    return number == 0 ? *this : others.at(number - 1);
  }
  /// The number of the unknown of this name; nothing for a name that none has.
  std::optional<std::size_t> number_of(const std::string& name) const;
  std::string flux_name(int axis) const { return "flux." + grid().axis(axis).name(); }
  /// Names of all that can be shown as a field: unknowns, what follows from them, and what follows from
  /// vectors.
  std::vector<std::string> quantities() const;
  /// These and, of several samples, their statistics: "u.spread", "u.p10", "u.p50", "u.p90".
  std::vector<std::string> recorded_quantities() const;
  /// All unknowns and what couples them.
  System system() const;

  /// A duration in SI for people, in the unit of time that suits its size.
  std::string duration(Real seconds, int digits = 6) const;
};

struct Unbuilt;

/// What is read of a case file besides its plain contents.
struct Reading {
  Refinement refinement = {};
  std::string variant = {};  ///< by its title; laid over the case before overrides
  Index stage = 0;           ///< 0: the case itself; its stages follow, each laid over the one before
  Real start = 0;            ///< when the stage starts, SI
  Index sample = 0;          ///< of those that [samples] declares
  /// Called before anything as large as the grid is built; throws CaseError to refuse the case.
  std::function<void(const Unbuilt&)> before_grid = {};
};

/// A case whose grid is not built yet.
struct Unbuilt {
  const std::string& text;
  const std::filesystem::path& name;
  const std::vector<std::string>& overrides;
  const Reading& reading;
  std::span<const Real> sizes;  ///< unknowns along each axis
  std::string place;            ///< file and line of [grid]
};

/// Unknowns along each axis, without building the grid; none for a grid that a reader would refuse. Throws
/// CaseError for text that cannot be read.
std::vector<Real> grid_sizes(const std::string& text, const std::filesystem::path& name,
                             const std::vector<std::string>& overrides = {}, const Reading& reading = {});
/// Unknowns in all of a grid of these sizes; 0 where there are none.
Real unknowns_of(std::span<const Real> sizes);
/// The text of a case file. Throws CaseError.
std::string case_text(const std::filesystem::path& file);

/// Reads a case. `overrides` are "key=value", applied in order. Throws CaseError.
Case read_case(const std::filesystem::path& file, const std::vector<std::string>& overrides = {},
               const Reading& reading = {});
/// The same from text that never was in a file.
Case read_case_text(const std::string& text, const std::filesystem::path& name,
                    const std::vector<std::string>& overrides = {}, const Reading& reading = {});

/// A function that gives these values at the unknowns of a grid.
Function values_at(const Grid& grid, State values);

/// Writes a commented starter case of an equation kind; throws InputError for a kind that is not there.
std::string starter_case(const std::string& kind);
/// "heat, diffusion, ..": the kinds that have one.
std::string starter_names();

}  // namespace williwaw::casefile
