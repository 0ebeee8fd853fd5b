#include "study/run/tables.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "study/run/columns/kinds.hpp"
#include "williwaw/store/checked_file.hpp"
#include "williwaw/store/run_series.hpp"

namespace williwaw::study {

std::vector<std::string> write_boundaries(const Case& given, Discretization& balance, const State& y,
                                          Real time, const std::filesystem::path& folder) {
  const Grid& g = given.grid();
  const int dimension = g.volume_dimension() - 1;
  const std::string area_unit =
      given.length.unit.empty() || dimension == 0
          ? ""
          : given.length.unit + (dimension == 1 ? "" : "^" + std::to_string(dimension));
  std::vector<std::string> files;
  for (std::size_t u = 0; u < given.count(); ++u) {
    const casefile::UnknownOfCase& of = given.unknown(u);
    const std::string& name = of.problem.equation().unknown;
    std::string text = "boundary";
    for (int a = 0; a < g.dimension(); ++a)
      text += "," + store::Column{g.axis(a).name(), given.length.unit}.header();
    text += "," + store::Column{"area", area_unit}.header() + "," +
            store::Column{"flux", of.flux_scale.unit}.header() + "," +
            store::Column{name + " on the boundary", of.value.unit}.header() + "\n";
    const auto closures = balance.closures_at(time, y, u);
    const Index first = balance.layout().start(u);
    for (std::size_t s = 0; s < closures->size(); ++s) {
      const auto flows = balance.section_flows(s, y, time, u);
      const EvaluatedBoundaryClosure& boundary = (*closures)[s];
      for (Index f = 0; f < boundary.faces(); ++f) {
        const BoundaryFace& face = boundary.face(f);
        text += boundary.section().name;
        for (int a = 0; a < g.dimension(); ++a)
          text += fmt::format(",{:.10g}", given.length.shown(face.place[g.direction(a)]));
        text += fmt::format(
            ",{:.10g},{:.10g},{:.10g}\n", std::pow(given.length.factor, dimension) * face.area,
            of.flux_scale.shown_difference(flows[static_cast<std::size_t>(f)] / face.area),
            of.value.shown(boundary.boundary_value(f, y[static_cast<std::size_t>(first + face.unknown)])));
      }
    }
    files.push_back(u == 0 ? "boundaries.csv" : "boundaries-" + name + ".csv");
    store::write_file(folder / files.back(), text);
  }
  return files;
}

Report columns_section(const std::filesystem::path& series) {
  Report report;
  report.section(store::columns_of_series);
  for (const auto& [header, role] : store::written_columns(series)) {
    const auto measure =
        std::ranges::find(series_columns(), store::without_unknown(header), &SeriesColumn::name);
    const bool named = role == store::SeriesRole::measure && measure != series_columns().end();
    report.name(header, named ? measure->kind : store::kind_of(role));
  }
  return report;
}

void write_residuals(const SteadyOutcome& outcome, const std::filesystem::path& file) {
  std::string text = store::residual_headers[0] + "," + store::residual_headers[1] + "\n";
  for (std::size_t n = 0; n < outcome.residuals.size(); ++n)
    text += fmt::format("{},{:.10g}\n", n, outcome.residuals[n]);
  store::write_file(file, text);
}

}  // namespace williwaw::study
