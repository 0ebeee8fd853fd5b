#include "run_figures.hpp"

#include <fmt/format.h>

namespace williwaw::cli {

Drawn draw_figures(const casefile::Case& given, const study::Prepared& prepared,
                   const std::filesystem::path& folder) {
  Drawn drawn;
  if (given.figures.empty()) return drawn;
  const plot::RunFolder finished(folder);
  Stopwatch watch;
  for (const auto& figure : given.figures) {
    try {
      // What the analysis shows needs no results.
      if (const auto& kind = plot::figure_kind(figure.kind); kind.draw_case) {
        plot::Output out;
        out.file = folder / "figures" / (figure.kind + ".png");
        plot::draw_analysis(kind, given, prepared, out);
        drawn.files.push_back(out.file);
      } else {
        for (auto& file : plot::draw(finished, figure)) drawn.files.push_back(std::move(file));
      }
    } catch (const plot::PlotError& e) {
      drawn.complaints.emplace_back(e.what());
    }
    drawn.times.push_back({"figure " + figure.kind, watch.lap()});
  }
  store::note_written(folder, store::WrittenFor::run, drawn.files);
  return drawn;
}

void tell_not_drawn(const Drawn& drawn) {
  for (const auto& c : drawn.complaints) fmt::print(stderr, "a figure was not drawn: {}\n", c);
}

void tell_moved(const std::vector<store::Moved>& earlier, const std::filesystem::path& folder,
                study::Report& report) {
  for (const auto& moved : earlier)
    report.note(fmt::format("{} shows the results of an earlier run: it is {} now", moved.from,
                            (folder / moved.to).string()));
}

}  // namespace williwaw::cli
