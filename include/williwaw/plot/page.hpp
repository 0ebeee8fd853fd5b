// One self-contained page of a run, or of several: a player of their fields, numbers and figures.
#pragma once

#include <filesystem>
#include <string>
#include <vector>

namespace williwaw::plot {

/// How large a page may become, in bytes; browsers take their time for more.
inline constexpr std::uintmax_t usual_page_bytes = 30'000'000;

/// What a page holds.
struct Page {
  std::uintmax_t bytes = 0;
  /// What of each run is on it: "21 of 21 records, all 2400 places".
  std::vector<std::string> notes;
};

/// Writes a page that needs neither a network nor other files: fields of all quantities with a player,
/// series, the numbers of summary.json and the figures that were drawn. Several runs are shown side by side
/// by one clock, in the time unit of the first one. Values are those of fields.nc to single precision. Where
/// they would make the page larger than `most_bytes`, records are left out down to a hundred, then places;
/// what is left out is told by the notes and on the page. Throws StoreError where a folder holds no finished
/// run or the page cannot be written, PlotError where no run or no room is given.
Page write_page(const std::vector<std::filesystem::path>& runs, const std::filesystem::path& file,
                std::uintmax_t most_bytes = usual_page_bytes);

}  // namespace williwaw::plot
