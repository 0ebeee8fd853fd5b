// Films: the same frame over and over with everything fixed but the time.
#include <algorithm>
#include <cmath>

#include "plot/film_parts.hpp"
#include "plot/panels.hpp"

namespace williwaw::plot {

namespace {

constexpr Index most_frames = 120;
constexpr Real seconds_unless_given = 10, fastest = 50;

std::string film_lacks(const FigureSource& source, const FigureRequest& request) {
  if (source.steady) return "a steady state has no times";
  return source.dimension == 3 && !request.along ? lacks_plane(source, request) : "";
}

// The records that a film shows, and how long it is.
std::pair<std::vector<Index>, Real> frames_of(const RunFolder& run, const FigureRequest& request,
                                              const FilmLength& length) {
  const Real rate = length.frames_per_second.value_or(0);
  // So many as the rate asks for, where both are given; all of them where the rate alone is.
  const Real asked = !length.frames_per_second ? static_cast<Real>(most_frames)
                     : length.seconds          ? std::max(1.0, std::round(rate * *length.seconds))
                                               : static_cast<Real>(run.fields().times().size());
  std::vector<Index> records = records_of(run, request, static_cast<Index>(asked));
  const Real seconds = length.seconds             ? *length.seconds
                       : length.frames_per_second ? static_cast<Real>(records.size()) / rate
                                                  : seconds_unless_given;
  // Faster than that nobody sees, and films of hundredths of a second cannot tell.
  const auto most = static_cast<std::size_t>(std::max(1.0, std::floor(fastest * seconds)));
  return {spread_out(records, most), seconds};
}

}  // namespace

void film(const RunFolder& run, const FigureRequest& request, const Output& out, const FilmLength& length) {
  if (const auto other = of_other_unknown(run, request)) return film(*other, request, out, length);
  if (const std::string lacking = figure_kind("film").lacking(source_of(run), request); !lacking.empty())
    throw PlotError(lacking);
  const int dimension = run.fields().grid().dimension();
  FigureRequest fixed = request;
  const auto range = run.range();
  // One range for all frames, signed or not.
  if (!fixed.range && dimension == 1) fixed.range = padded(range);
  const auto frames = frames_of(run, request, length);
  const std::vector<Index>& records = frames.first;
  FilmParts parts(out, records.size(), frames.second);
  parts.each([&](Gnuplot& plot, std::size_t frame) {
    const Index r = records[frame];
    if (dimension == 1 || fixed.along) {
      plot.line("set title " + quoted(title_of(run, fixed) + ", t = " + time_text(run, r)));
      plot.line("set key off");
      draw_profile_frame(plot, run, fixed, {r}, false);
    } else {
      draw_map_frame(plot, run, fixed, r, out, false);
    }
  });
  parts.finish();
}

FigureKind figures::film() {
  return {.name = "film",
          .draw = [](const RunFolder& run, const FigureRequest& request,
                     const Output& out) { film(run, request, out); },
          .lacks = film_lacks,
          .extension = "gif"};
}

}  // namespace williwaw::plot
