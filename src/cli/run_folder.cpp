#include "run_folder.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <functional>

#include "williwaw/study/run.hpp"

namespace williwaw::cli {

void check_folder(const std::filesystem::path& folder) {
  if (!std::filesystem::exists(folder)) return;
  if (!std::filesystem::is_directory(folder))
    throw InputError(folder.string() + ": is a file; give another name with -o");
  const auto known = [](const std::filesystem::directory_entry& entry) {
    return entry.path().filename() == "lock";
  };
  const bool foreign = std::ranges::any_of(std::filesystem::directory_iterator(folder), std::not_fn(known));
  if (foreign && !std::filesystem::exists(folder / "run.log"))
    throw InputError(folder.string() + ": contains other files; give another folder with -o");
}

std::filesystem::path folder_of(const RunArguments& arguments) {
  return arguments.folder.empty() ? study::default_folder(arguments.file) : arguments.folder;
}

std::filesystem::path numbered(const std::filesystem::path& folder, Index number) {
  if (number <= 1) return folder;
  const auto whole = folder.has_filename() ? folder : folder.parent_path();
  return whole.parent_path() /
         fmt::format("{}-{}{}", whole.stem().string(), number, whole.extension().string());
}

Index next_number(const std::filesystem::path& folder) {
  Index number = 1;
  while (std::filesystem::exists(numbered(folder, number))) ++number;
  return number;
}

}  // namespace williwaw::cli
