#include <fmt/format.h>

#include <algorithm>

#include "arguments.hpp"
#include "commands.hpp"
#include "say.hpp"
#include "williwaw/store/export.hpp"

namespace williwaw::cli {

int export_run(const ExportArguments& arguments) {
  const store::FieldReader fields(arguments.run / "fields.nc");
  std::vector<Index> records;
  const auto& times = fields.times();
  for (const auto& text : split(arguments.times, ',')) {
    const Real wanted = fields.description().time.shown(quantity(text, fields.description().time, "--times"));
    const auto nearest = std::ranges::min_element(times, {}, [&](Real t) { return std::abs(t - wanted); });
    if (std::abs(*nearest - wanted) > 1e-6 * (std::abs(times.back()) + 1e-300))
      throw InputError(fmt::format("--times: no record at {}; the nearest is at {:.6g}{}", text, *nearest,
                                   fields.description().time.suffix()));
    records.push_back(nearest - times.begin());
  }
  if (arguments.times.empty())
    for (Index r = 0; r < static_cast<Index>(times.size()); ++r) records.push_back(r);
  if (arguments.layout != "long" && arguments.to != "csv") throw InputError("--layout belongs to --to csv");
  const auto folder = arguments.folder.empty() ? arguments.run / "export" : arguments.folder;
  const auto files =
      arguments.to == "csv"
          ? store::export_csv(
                fields, records,
                arguments.layout == "wide" ? store::TableLayout::wide : store::TableLayout::tall, folder)
      : arguments.to == "vtk" ? store::export_vtk(fields, records, folder)
                              : store::export_npy(fields, records, folder);
  for (const auto& f : files) say("{}\n", f.string());
  return done;
}

}  // namespace williwaw::cli
