#include "williwaw/store/written.hpp"

#include <algorithm>
#include <array>
#include <fstream>
#include <map>

#include "williwaw/store/checked_file.hpp"

namespace williwaw::store {

namespace {

namespace fs = std::filesystem;

constexpr const char* notes = "written";
constexpr std::array<const char*, 3> words{"run", "export", "hand"};
// Replaced by every run, complete or not at all; until then those of the run before are all there is.
constexpr std::array<const char*, 5> in_place{"fields.nc", "series.csv", "summary.json", "case.toml",
                                              "run.log"};

// Names within the folder, and whose they are.
std::map<std::string, WrittenFor> noted(const fs::path& folder) {
  std::map<std::string, WrittenFor> result;
  std::ifstream in(folder / notes);
  for (std::string line; std::getline(in, line);)
    for (std::size_t w = 0; w < words.size(); ++w) {
      const std::string head = std::string(words[w]) + "  ";
      if (line.starts_with(head)) result[line.substr(head.size())] = static_cast<WrittenFor>(w);
    }
  return result;
}

// Nothing that a damaged or foreign file may name outside of the folder.
bool within(const fs::path& name) {
  return !name.empty() && name.is_relative() &&
         std::ranges::none_of(name, [](const fs::path& part) { return part == ".."; });
}

fs::path free_name(const fs::path& wanted) {
  fs::path result = wanted;
  for (int n = 2; fs::exists(result); ++n)
    result = wanted.parent_path() /
             (wanted.stem().string() + "-" + std::to_string(n) + wanted.extension().string());
  return result;
}

}  // namespace

void note_written(const fs::path& folder, WrittenFor whose, std::span<const fs::path> files) {
  auto all = noted(folder);
  const auto before = all;
  const fs::path root = (fs::absolute(folder) / "").lexically_normal();
  for (const fs::path& file : files) {
    const fs::path name = fs::absolute(file).lexically_normal().lexically_relative(root);
    if (within(name)) all[name.generic_string()] = whose;
  }
  // A folder that nothing was written into may be one that cannot be written.
  if (all == before) return;
  std::string text;
  for (const auto& [name, of] : all)
    text += std::string(words[static_cast<std::size_t>(of)]) + "  " + name + "\n";
  write_file(folder / notes, text);
}

std::vector<Moved> clear_earlier(const fs::path& folder) {
  std::vector<Moved> moved;
  for (const auto& [name, whose] : noted(folder)) {
    const fs::path file = folder / name;
    if (!within(name) || !fs::is_regular_file(file) || std::ranges::find(in_place, name) != in_place.end())
      continue;
    if (whose == WrittenFor::hand) {
      make_folder(folder / "earlier");
      const fs::path to = free_name(folder / "earlier" / fs::path(name).filename());
      replace(file, to);
      moved.push_back({name, to.lexically_relative(folder).generic_string()});
    } else {
      remove_file(file);
    }
    // Folders that are empty now were made for these files.
    std::error_code full;
    for (fs::path above = file.parent_path(); above != folder && fs::remove(above, full);)
      above = above.parent_path();
  }
  remove_file(folder / notes);
  return moved;
}

}  // namespace williwaw::store
