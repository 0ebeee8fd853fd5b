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

// What stands in the README between two texts, for the first time.
std::string between(const std::string& begin, const std::string& end) {
  const std::string readme = text_of(std::string(TESTS) + "/../README.md");
  REQUIRE(readme.find(begin) != std::string::npos);
  const auto from = readme.find(begin) + begin.size();
  return readme.substr(from, readme.find(end, from) - from);
}

}  // namespace

TEST_CASE("the case in ten lines is one, and its step is stable") {
  const Case c = read_case_text(between("cat > floor.toml <<'END'\n", "END\n"), "floor.toml");
  const Prepared p = prepare(c);
  CHECK(p.stability.stable());
  CHECK(c.figures.size() == 3);
  CHECK(c.value.unit == "degC");
}

TEST_CASE("the program in ten lines is the example that is built and run") {
  CHECK(between("```cpp\n", "```") == text_of(std::string(TESTS) + "/../examples/ten_lines.cpp"));
}
