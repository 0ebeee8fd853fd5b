// Films: the same frame over and over with everything fixed but the time.
#include <algorithm>
#include <cmath>

#include "plot/film_parts.hpp"
#include "plot/kinds.hpp"

namespace williwaw::plot {

namespace {

std::string film_lacks(const FigureSource& source, const FigureRequest& request) {
  if (source.steady) return "a steady state has no times";
  return source.dimension == 3 && !request.along ? lacks_plane(source, request) : "";
}

}  // namespace

void film(const RunFolder& run, const FigureRequest& request, const Output& out, Real seconds) {
  if (out.file.extension() != ".gif")
    throw PlotError("films are written as .gif; '" + out.file.extension().string() + "' is not there yet");
  if (const auto other = of_other_unknown(run, request)) return film(*other, request, out, seconds);
  if (const std::string lacking = figure_kind("film").lacking(source_of(run), request); !lacking.empty())
    throw PlotError(lacking);
  const int dimension = run.fields().grid().dimension();
  FigureRequest fixed = request;
  const auto range = run.range();
  // One range for all frames, signed or not.
  if (!fixed.range && dimension == 1) fixed.range = padded(range);
  std::vector<Index> records = records_of(run, request, 120);
  const Real hundredths = std::clamp(100 * seconds / static_cast<Real>(records.size()), 3.0, 100.0);
  FilmParts parts(out, records.size(), std::lround(hundredths));
  parts.each([&](Gnuplot& plot, std::size_t frame) {
    const Index r = records[frame];
    if (dimension == 1 || fixed.along) {
      plot.line("set title " + quoted(title_of(run, fixed) + ", t = " + time_text(run, r)));
      plot.line("set key off");
      draw_profile_frame(plot, run, fixed, {r});
    } else {
      draw_map_frame(plot, run, fixed, r, out);
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
