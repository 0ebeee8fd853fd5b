// Looking for the memory of a case says nothing of what is wrong with it: its reader does.
#include "williwaw/study/memory.hpp"

#include <doctest/doctest.h>

#include <fstream>

#include "support/folder.hpp"

using namespace williwaw;

TEST_CASE("the memory of a case that cannot be read is not known, and nothing is thrown") {
  const auto folder = test::fresh_folder("memory of bad cases");
  const std::string grid = "[grid]\nx = { from = 0, to = 1, cells = 20 }\n";
  for (const std::string& text :
       {std::string("[grid\n"), std::string("[grid]\nx = { from = 0, to = 1 }\n"),
        std::string("title = \"no grid\"\n"), grid, grid + "[equation]\nkind = \"no such kind\"\n"}) {
    CAPTURE(text);
    std::ofstream(folder / "case.toml") << text;
    study::MemoryLook look(folder / "case.toml", {});
    CHECK_FALSE(look.known());
    CHECK_FALSE(look.bytes());
  }
  study::MemoryLook nowhere(folder / "nowhere.toml", {});
  CHECK_FALSE(nowhere.bytes());
}
