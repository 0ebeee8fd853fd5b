#include "arguments.hpp"
#include "commands.hpp"
#include "say.hpp"
#include "williwaw/store/export.hpp"
#include "williwaw/store/written.hpp"

namespace williwaw::cli {

int export_run(const ExportArguments& arguments) {
  const store::FieldReader fields(arguments.run / "fields.nc");
  const auto records = records_at(arguments.times, fields);
  if (arguments.layout != "long" && arguments.to != "csv") throw InputError("--layout belongs to --to csv");
  const auto folder = arguments.folder.empty() ? arguments.run / "export" : arguments.folder;
  const auto files =
      arguments.to == "csv"
          ? store::export_csv(
                fields, records,
                arguments.layout == "wide" ? store::TableLayout::wide : store::TableLayout::tall, folder)
      : arguments.to == "vtk" ? store::export_vtk(fields, records, folder)
                              : store::export_npy(fields, records, folder);
  store::note_written(arguments.run, store::WrittenFor::export_, files);
  for (const auto& f : files) say("{}\n", f.string());
  return done;
}

}  // namespace williwaw::cli
