#include "williwaw/store/written.hpp"

#include <doctest/doctest.h>

#include <fstream>

#include "support/folder.hpp"
#include "support/text.hpp"
#include "williwaw/store/checked_file.hpp"

using namespace williwaw;
using namespace williwaw::store;
namespace fs = std::filesystem;

namespace {

fs::path put(const fs::path& file, const std::string& text = "text") {
  fs::create_directories(file.parent_path());
  std::ofstream(file) << text;
  return file;
}

}  // namespace

TEST_CASE("a run that replaces another one takes away what that one left, and nothing else") {
  const auto folder = test::fresh_folder("written") / "run.out";
  const std::vector<fs::path> by_run{put(folder / "fields.nc"), put(folder / "steps.csv"),
                                     put(folder / "figures" / "map.png")};
  const std::vector<fs::path> exported{put(folder / "export" / "fields.csv"), put(folder / "view.html")};
  const std::vector<fs::path> by_hand{put(folder / "figures" / "film.gif", "mine"),
                                      put(folder.parent_path() / "outside.png")};
  const auto nobodys = put(folder / "figures" / "notes.txt");
  note_written(folder, WrittenFor::run, by_run);
  note_written(folder / ".", WrittenFor::export_, exported);
  note_written(folder, WrittenFor::hand, by_hand);
  // Of what stands outside of it the folder knows nothing.
  CHECK(test::text_of(folder / "written").find("outside") == std::string::npos);

  const auto moved = clear_earlier(folder);
  REQUIRE(moved.size() == 1);
  CHECK(moved[0].from == "figures/film.gif");
  CHECK(moved[0].to == "earlier/film.gif");
  CHECK(test::text_of(folder / "earlier" / "film.gif") == "mine");
  CHECK_FALSE(fs::exists(folder / "steps.csv"));
  CHECK_FALSE(fs::exists(folder / "figures" / "map.png"));
  CHECK_FALSE(fs::exists(folder / "export"));
  CHECK_FALSE(fs::exists(folder / "view.html"));
  CHECK_FALSE(fs::exists(folder / "written"));
  // Replaced when there is something to put there.
  CHECK(fs::exists(folder / "fields.nc"));
  CHECK(fs::exists(nobodys));
  CHECK(fs::exists(folder.parent_path() / "outside.png"));

  // Nothing by hand is lost to another one of its name.
  note_written(folder, WrittenFor::hand, std::vector{put(folder / "figures" / "film.gif", "other")});
  CHECK(clear_earlier(folder)[0].to == "earlier/film-2.gif");
  CHECK(test::text_of(folder / "earlier" / "film.gif") == "mine");
  CHECK(test::text_of(folder / "earlier" / "film-2.gif") == "other");
  CHECK(clear_earlier(folder).empty());
}

TEST_CASE("a note that names what lies outside of the folder moves nothing") {
  const auto folder = test::fresh_folder("written") / "run.out";
  const auto outside = put(folder.parent_path() / "thesis.txt");
  put(folder / "written", "run  ../thesis.txt\nhand  " + outside.string() + "\nrun  \nnonsense\n");
  CHECK(clear_earlier(folder).empty());
  CHECK(fs::exists(outside));
  // Another's figure may be noted without a right to write where nothing is to be noted.
  note_written("/proc", WrittenFor::hand, std::vector{outside});
  CHECK_THROWS_AS(note_written("/proc", WrittenFor::hand, std::vector{fs::path("/proc/none.png")}),
                  StoreError);
}
