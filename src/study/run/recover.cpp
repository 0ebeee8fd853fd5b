#include <fstream>
#include <numeric>
#include <sstream>

#include "study/run/field_recorder.hpp"
#include "study/run/kept_case.hpp"
#include "study/run/recorder.hpp"
#include "williwaw/store/checked_file.hpp"
#include "williwaw/store/folder_lock.hpp"

namespace williwaw::study {

namespace {

// Whole lines at the beginning of a table that was cut off somewhere.
store::SeriesWriter::Mark whole_lines(const std::filesystem::path& file) {
  std::ifstream in(file, std::ios::binary);
  std::ostringstream all;
  all << in.rdbuf();
  const std::string text = all.str();
  const auto end = text.rfind('\n');
  const std::size_t count = end == std::string::npos ? 0 : end + 1;
  return {count, store::checksum(text.data(), count)};
}

}  // namespace

Index recover(const std::filesystem::path& folder) {
  if (!std::filesystem::is_directory(folder)) throw InputError(folder.string() + ": is no result folder");
  const store::FolderLock lock(folder);
  const store::FieldJournals journals(folder);
  if (!journals.exist())
    throw InputError(
        folder.string() + ": no journal: " +
        (std::filesystem::exists(folder / "fields.nc") ? "its run has completed its files" : "no records"));
  const Case given = read_kept_case(folder);
  const auto made = make_balance(given.system(), {0, semi_lagrangian(given.plan.scheme)});
  Discretization& balance = *made;
  const std::vector<std::size_t> rows = journals.whole_rows(shape_of_records(given));
  const std::size_t records = std::accumulate(rows.begin(), rows.end(), std::size_t{0});
  if (records == 0) throw store::StoreError(journals.file(0, 0).string() + ": no complete record");
  write_fields(given, balance, folder, rows);
  RecorderMemory memory;
  memory.series = whole_lines(folder / "series.csv.partial");
  Recorder(given, balance, balance.lines(), folder, &memory).finish();
  store::write_file(folder / "case.toml", given.text);
  // That of an earlier run says nothing of these files.
  store::remove_file(folder / "summary.json");
  return static_cast<Index>(records);
}

}  // namespace williwaw::study
