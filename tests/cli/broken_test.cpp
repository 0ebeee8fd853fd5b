// Every case under tests/broken has one mistake. Its first line is the whole message that it must get.
#include <doctest/doctest.h>

#include <algorithm>
#include <vector>

#include "support/program.hpp"

using namespace williwaw::test;

TEST_CASE("broken cases get their message, exit code 2, and leave nothing behind") {
  const std::filesystem::path folder = std::string(TESTS) + "/broken";
  std::vector<std::filesystem::path> files;
  for (const auto& entry : std::filesystem::directory_iterator(folder))
    if (entry.path().extension() == ".toml") files.push_back(entry.path().filename());
  std::sort(files.begin(), files.end());
  CHECK(files.size() >= 95);
  const auto results = fresh_folder("broken") / "out";
#ifdef WILLIWAW_SANITIZED  // instrumented programs take long to start: every sixth case
  for (std::size_t n = 0; n < files.size(); ++n)
    if (n % 6 != 0) files[n].clear();
  std::erase_if(files, [](const auto& file) { return file.empty(); });
#endif
  for (const auto& file : files) {
    const std::string text = text_of(folder / file), mark = "# expect: ";
    CAPTURE(file.string());
    REQUIRE(text.starts_with(mark));
    const std::string expected = text.substr(mark.size(), text.find('\n') - mark.size() + 1);
    CHECK(expected.size() > 20);
    const Printed run = williwaw_in(folder, "run " + file.string() + " -o '" + results.string() + "'");
    CHECK(run.code == 2);
    CHECK(run.error == expected);
    CHECK(run.out.empty());
    CHECK_FALSE(std::filesystem::exists(results));
    // `check` must not think otherwise.
#ifndef WILLIWAW_SANITIZED  // instrumented, once is enough: both commands read cases by the same call
    CHECK(williwaw_in(folder, "check " + file.string()).error == expected);
#endif
  }
}
