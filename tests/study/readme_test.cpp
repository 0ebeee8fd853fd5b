// What the README shows must work as it stands.
#include <doctest/doctest.h>

#include <fstream>
#include <sstream>

#include "support/text.hpp"
#include "williwaw/study/check.hpp"

using namespace williwaw::casefile;
using namespace williwaw::study;
using williwaw::test::text_of;

namespace {

// The first block of the README in a language.
std::string block(const std::string& language) {
  const std::string readme = text_of(std::string(TESTS) + "/../README.md"), mark = "```" + language + "\n";
  const auto from = readme.find(mark) + mark.size();
  REQUIRE(from != std::string::npos);
  return readme.substr(from, readme.find("```", from) - from);
}

}  // namespace

TEST_CASE("the case in ten lines is one, and its step is stable") {
  const Case c = read_case_text(block("toml"), "floor.toml");
  const Prepared p = prepare(c);
  CHECK(p.stability.stable());
  CHECK(c.figures.size() == 3);
  CHECK(c.value.unit == "degC");
}

TEST_CASE("the program in ten lines is the example that is built and run") {
  CHECK(block("cpp") == text_of(std::string(TESTS) + "/../examples/ten_lines.cpp"));
}
