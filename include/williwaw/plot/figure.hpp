// Figures of runs, drawn by gnuplot.
#pragma once

#include <filesystem>
#include <functional>
#include <optional>

#include "williwaw/casefile/case.hpp"
#include "williwaw/store/run_series.hpp"

namespace williwaw::study {
struct Prepared;
}

namespace williwaw::plot {

/// A figure cannot be drawn: gnuplot is not there or refused, or the run lacks what was asked for.
class PlotError : public std::runtime_error {
 public:
  using std::runtime_error::runtime_error;
};

/// The result folder of a run, opened for drawing.
class RunFolder {
 public:
  /// Of the first unknown unless another one is named. Throws StoreError if the folder holds no finished run,
  /// or none of that unknown.
  explicit RunFolder(std::filesystem::path folder, const std::string& unknown = {});

  const std::filesystem::path& folder() const { return folder_; }
  const store::FieldReader& fields() const { return fields_; }
  /// Read when it is first asked for: figures of fields need none. Throws StoreError.
  const store::RunSeries& series() const;
  /// Extremes over all records, computed once.
  std::pair<Real, Real> range() const;
  /// The record nearest to a time in SI.
  Index record_at(Real time) const;

 private:
  std::filesystem::path folder_;
  store::FieldReader fields_;
  mutable std::optional<store::RunSeries> series_;
  mutable std::optional<std::pair<Real, Real>> range_;
};

struct Output {
  std::filesystem::path file;  ///< its ending tells the format: png, svg or pdf (gif for films)
  int width = 1280;
  int height = 800;
};

/// What a case or a run has to show, as far as it decides which figures there are.
struct FigureSource {
  int dimension = 1;
  bool steady = false;
  bool velocity = false;  ///< a velocity field is recorded
  bool vectors = false;   ///< unknowns are components of vectors
  bool exact = false;     ///< an exact solution is known
  bool spectra = true;    ///< of probes of waves
  bool adaptive = false;  ///< steps are chosen by their errors
  bool steps = true;      ///< and each of them was recorded, in some stage
  bool waves = true;
  bool modes = true;  ///< those of a step grow or decay by themselves
};
FigureSource source_of(const casefile::Case& given);
FigureSource source_of(const RunFolder& run);

/// What `of` names in a request for a figure; `other` is what a run is compared with.
enum class Shown { unknown, column, boundary, probe, other };

/// A kind of figure as cases and commands name it.
struct FigureKind {
  std::string name;
  /// Draws results to one file; empty for a kind that shows the analysis of a case.
  std::function<void(const RunFolder&, const casefile::FigureRequest&, const Output&)> draw = {};
  /// Draws the analysis of a case that was prepared.
  std::function<void(const casefile::Case&, const study::Prepared&, const Output&)> draw_case = {};
  /// What the source or the request lacks for a figure of this kind; empty text: nothing. No function:
  /// nothing ever.
  std::function<std::string(const FigureSource&, const casefile::FigureRequest&)> lacks = {};
  Shown of = Shown::unknown;
  bool one_time = false;  ///< shows a single record; several times make several files
  /// Where a kind of one time shows all of them after all. No function: nowhere.
  std::function<bool(const FigureSource&, const casefile::FigureRequest&)> all_times = {};
  std::string extension = {};  ///< of a kind that has a format of its own
  bool perspective = false;    ///< `view` says from where it is seen
  bool bands = false;          ///< `levels` says how many there are

  /// "map: two axes are needed ..", or nothing where the source and the request have all that it takes.
  std::string lacking(const FigureSource& source, const casefile::FigureRequest& request) const;
};

/// Every kind of figure there is.
const std::vector<FigureKind>& figure_kinds();
/// Throws PlotError for a name that is not there.
const FigureKind& figure_kind(const std::string& name);
/// Names of the kinds that are drawn from a case (true) or from results, separated by commas.
std::string figure_names(bool of_case);
/// What a comparison is with: the word "exact", or a result folder or table, looked for in the folder of the
/// case first.
std::string other_of(const casefile::FigureRequest& request);
/// Draws the analysis of a case by a kind that has `draw_case`. Throws PlotError.
void draw_analysis(const FigureKind& kind, const casefile::Case& given, const study::Prepared& prepared,
                   const Output& out);
/// Throws CaseError with file, line and remedy where the case asks for a figure that is not there, or that it
/// lacks something for.
void check_figures(const casefile::Case& given);

/// The same of figures of columns of the series, once the case is prepared. Of a case in stages nothing is
/// refused: later ones may have columns that the first one has not. Throws CaseError.
void check_figures(const casefile::Case& given, const study::Prepared& prepared);

/// Draws a figure into folder/figures (or to `out` if its file is set) and returns the files. Throws
/// PlotError.
std::vector<std::filesystem::path> draw(const RunFolder& run, const casefile::FigureRequest& request,
                                        const std::string& format = "png", Output out = {});

/// How long a film is, and how many frames it shows in a second. With both as many records are shown as that
/// takes, or all; with the rate alone all records; with neither up to 120 in 10 s. Never more than 50 a
/// second.
struct FilmLength {
  std::optional<Real> seconds = {}, frames_per_second = {};
};

/// A film of the whole run as an animated GIF or, where there is ffmpeg, as mp4: fixed axes and range, the
/// time in the title.
void film(const RunFolder& run, const casefile::FigureRequest& request, const Output& out,
          const FilmLength& length = {});

}  // namespace williwaw::plot
