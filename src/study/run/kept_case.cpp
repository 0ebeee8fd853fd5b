#include "study/run/kept_case.hpp"

#include <fstream>
#include <sstream>

#include "williwaw/store/checked_file.hpp"

namespace williwaw::study {

namespace {

// Its first line says where files that it names are looked for.
constexpr const char* read_from = "# read from ";

}  // namespace

std::filesystem::path kept_case(const std::filesystem::path& folder) {
  return folder / "case.journal";
}

void keep_case(const Case& given, const std::filesystem::path& folder) {
  store::write_file(kept_case(folder),
                    read_from + std::filesystem::absolute(given.file).string() + "\n" + given.text);
}

Case read_kept_case(const std::filesystem::path& folder) {
  std::ifstream in(kept_case(folder));
  std::string first;
  std::ostringstream text;
  if (!std::getline(in, first) || !first.starts_with(read_from))
    throw store::StoreError(kept_case(folder).string() +
                            ": cannot be read: without it nobody knows the grid");
  text << in.rdbuf();
  return open_case_text(text.str(), first.substr(std::string(read_from).size()));
}

}  // namespace williwaw::study
