#include <fmt/format.h>

#include <array>
#include <cmath>

#include "arguments.hpp"
#include "commands.hpp"
#include "say.hpp"
#include "williwaw/plot/overlay.hpp"
#include "williwaw/store/written.hpp"

namespace williwaw::cli {

namespace {

using casefile::FigureRequest;

void take_plane(const std::string& text, const plot::RunFolder& run, FigureRequest& request) {
  const Grid& g = run.fields().grid();
  const auto equals = text.find('=');
  for (int a = 0; a < g.dimension() && equals != std::string::npos; ++a)
    if (text.substr(0, equals) == g.axis(a).name()) {
      request.at_axis = a;
      Point p;
      p[g.direction(a)] = quantity(text.substr(equals + 1), run.fields().description().length, "--at");
      request.at = p;
      return;
    }
  throw InputError("--at: give an axis and a position, such as z=0.1");
}

// Opened for the unknown that is to be shown.
plot::RunFolder open_run(const PlotArguments& a) {
  if (a.of.empty() || (!a.kind.empty() && plot::figure_kind(a.kind).of != plot::Shown::unknown))
    return plot::RunFolder(a.run);
  try {
    return plot::RunFolder(a.run, a.of);
  } catch (const store::UnknownName& e) {
    throw InputError("--of: this run has " + e.known());
  }
}

FigureRequest request_from(const PlotArguments& a, const plot::RunFolder& run) {
  FigureRequest request;
  request.kind = a.kind.empty() ? (run.fields().grid().dimension() == 1 ? "profiles" : "map") : a.kind;
  request.of = a.of;
  const auto& d = run.fields().description();
  request.levels = a.levels;
  // The first unknown needs no name.
  if (plot::figure_kind(request.kind).of == plot::Shown::unknown && a.of == run.fields().unknowns().front())
    request.of.clear();
  for (const auto& t : split(a.times, ',')) request.times.push_back(quantity(t, d.time, "--times"));
  if (!a.range.empty()) {
    const auto ends = split(a.range, ',');
    if (ends.size() != 2) throw InputError("--range: give two values, LOWEST,HIGHEST");
    request.range = {d.value.shown(quantity(ends[0], d.value, "--range")),
                     d.value.shown(quantity(ends[1], d.value, "--range"))};
    if (!(request.range->second > request.range->first))
      throw InputError("--range: the second value must lie above the first");
  }
  if (!a.view.empty()) {
    const auto angles = split(a.view, ',');
    if (angles.size() != 2) throw InputError("--view: give two angles in degrees, AZIMUTH,HEIGHT");
    request.view = std::array{quantity(angles[0], {}, "--view"), quantity(angles[1], {}, "--view")};
    if (!(std::abs((*request.view)[0]) <= 360 && std::abs((*request.view)[1]) <= 90))
      throw InputError("--view: azimuths lie between -360 and 360, heights between -90 and 90");
  }
  if (!a.along.empty()) request.along = line(a.along, run.fields().grid(), d.length, "--along");
  if (!a.at.empty()) take_plane(a.at, run, request);
  return request;
}

plot::Output output_from(const PlotArguments& a) {
  plot::Output out;
  const auto parts = split(a.size, 'x');
  try {
    if (parts.size() != 2) throw std::invalid_argument("");
    out.width = std::stoi(parts[0]);
    out.height = std::stoi(parts[1]);
  } catch (const std::exception&) {
    throw InputError("--size: '" + a.size + "' is not WIDTHxHEIGHT, such as 1280x800");
  }
  if (out.width < 200 || out.height < 150 || out.width > 8000 || out.height > 8000)
    throw InputError("--size: from 200x150 to 8000x8000");
  out.file = a.output;
  return out;
}

// Of a case that was not run: what the analysis has to show.
int plot_case(const PlotArguments& a) {
  const plot::FigureKind& kind = plot::figure_kind(a.kind.empty() ? "stability" : a.kind);
  if (!kind.draw_case)
    throw InputError("plot: of a case there are " + plot::figure_names(true) + "; " + kind.name +
                     " belongs to the result folder of a run");
  const casefile::Case given = open_case(a.run, a.set);
  study::Prepared prepared = study::prepare(given);
  plot::Output out = output_from(a);
  if (out.file.empty()) out.file = a.run.stem().string() + "-" + kind.name + "." + a.format;
  plot::draw_analysis(kind, given, prepared, out);
  say("{}\n", out.file.string());
  return done;
}

}  // namespace

casefile::Case open_case(const std::filesystem::path& file, const std::vector<std::string>& set,
                         const casefile::Reading& reading, const study::MemoryLimit& limit) {
  casefile::Case given = study::open_case(file, set, reading, limit);
  plot::check_figures(given);
  return given;
}

int plot(const PlotArguments& arguments) {
  if (arguments.run.extension() == ".toml") return plot_case(arguments);
  const plot::RunFolder folder = open_run(arguments);
  const auto files =
      plot::draw(folder, request_from(arguments, folder), arguments.format, output_from(arguments));
  store::note_written(folder.folder(), store::WrittenFor::hand, files);
  for (const auto& file : files) say("{}\n", file.string());
  return done;
}

int film(const PlotArguments& arguments) {
  const plot::RunFolder folder = open_run(arguments);
  plot::Output out = output_from(arguments);
  if (out.file.empty()) out.file = arguments.run / "figures" / "film.gif";
  plot::FilmLength length;
  if (arguments.seconds > 0) length.seconds = arguments.seconds;
  if (arguments.fps > 0) length.frames_per_second = arguments.fps;
  plot::film(folder, request_from(arguments, folder), out, length);
  store::note_written(folder.folder(), store::WrittenFor::hand, {{out.file}});
  say("{}\n", out.file.string());
  return done;
}

}  // namespace williwaw::cli
