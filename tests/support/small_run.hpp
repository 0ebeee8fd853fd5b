// The result folder of a small run, as a run leaves it, without running one.
#pragma once

#include "support/folder.hpp"
#include "williwaw/store/fields.hpp"
#include "williwaw/store/series.hpp"

namespace williwaw::test {

inline std::filesystem::path small_run(const std::string& name, int dimension, Unknowns unknowns,
                                       int records = 3) {
  const auto folder = fresh_folder(name);
  std::vector<Axis> axes{Axis("x", {0, 0.1, 0.3, 0.6, 1}, unknowns)};
  if (dimension > 1) axes.push_back(Axis::uniform("y", 0, 0.5, 6, unknowns));
  if (dimension > 2) axes.push_back(Axis::uniform("z", 0, 0.4, 5, unknowns));
  const Grid g(axes);
  store::FieldWriter fields(
      folder / "fields.nc", g,
      {"Small \"run\"", "temperature", {"m"}, {"h", 1 / 3600.0}, {"degC", 1, -273.15}, "", "test"});
  store::SeriesWriter series(folder / "series.csv", {{"t", "min"},
                                                     {"pipe", "degC"},
                                                     {"minimum", "degC"},
                                                     {"mean", "degC"},
                                                     {"maximum", "degC"},
                                                     {"total", "J"},
                                                     {"budget residual", ""},
                                                     {"interpolated", ""}});
  for (int n = 0; n < records; ++n) {
    Field f(g, 273.15 + n);
    f[1] += 5;
    f.extend();
    fields.append(3600.0 * n, f);
    series.append({60.0 * n, 0.5 * n, 0, n, 5, 7, 0, 0});
  }
  fields.finish();
  series.finish();
  return folder;
}

}  // namespace williwaw::test
