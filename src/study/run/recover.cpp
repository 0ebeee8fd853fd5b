#include <fstream>
#include <sstream>

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
  const auto journal = folder / "fields.journal";
  if (!std::filesystem::exists(journal))
    throw InputError(
        folder.string() + ": no journal: " +
        (std::filesystem::exists(folder / "fields.nc") ? "its run has completed its files" : "no records"));
  const Case given = read_kept_case(folder);
  const auto made = make_balance(given.system(), {0, semi_lagrangian(given.plan.scheme)});
  Discretization& balance = *made;
  RecorderMemory memory;
  memory.fields = store::Journal::whole_rows(journal, Recorder::row_length(given, balance));
  memory.series = whole_lines(folder / "series.csv.partial");
  if (memory.fields == 0) throw store::StoreError(journal.string() + ": no complete record");
  Recorder recorder(given, balance, balance.lines(), folder, &memory);
  recorder.finish();
  store::write_file(folder / "case.toml", given.text);
  // That of an earlier run says nothing of these files.
  store::remove_file(folder / "summary.json");
  return static_cast<Index>(memory.fields);
}

}  // namespace williwaw::study
