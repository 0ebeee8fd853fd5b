// Whatever is done to a case file, reading it ends in a case or in a CaseError: never in another exception, a
// crash or a silent change of meaning.
#include <doctest/doctest.h>

#include <fstream>
#include <random>
#include <sstream>

#include "support/text.hpp"
#include "williwaw/study/check.hpp"

using namespace williwaw::casefile;
using namespace williwaw::study;
using williwaw::test::text_of;

namespace {

enum class Attempt { fine, refused, other };

Attempt read(const std::string& text, std::string& message) {
  try {
    const Case c = read_case_text(text, "mutant.toml");
    // Only small problems are built: a mutation may well ask for a thousand million cells.
    if (c.problem.grid().count() < 20000 && c.plan.until < 1e9) prepare(c);
    return Attempt::fine;
  } catch (const CaseError& e) {
    message = e.what();
    return Attempt::refused;
  } catch (const std::exception& e) {
    message = e.what();
    return Attempt::other;
  }
}

}  // namespace

TEST_CASE("every line of a case may be missing") {
  const std::string whole = text_of(std::string(CASES) + "/hut-floor.toml");
  std::size_t start = 0;
  int refused = 0;
  while (start < whole.size()) {
    const auto end = whole.find('\n', start);
    std::string message;
    const Attempt r = read(whole.substr(0, start) + whole.substr(end + 1), message);
    CAPTURE(whole.substr(start, end - start));
    CAPTURE(message);
    CHECK(r != Attempt::other);
    if (r == Attempt::refused) {
      ++refused;
      CHECK(message.find("mutant.toml") == 0);
    }
    start = end + 1;
  }
  CHECK(refused > 10);
}

TEST_CASE("every letter may be another") {
  const std::string whole = text_of(std::string(CASES) + "/hut-floor-explicit.toml");
  std::mt19937 generator(12);
  const std::string letters = "abz019.-+*/^()[]{}\"'=, \n#%";
  for (int n = 0; n < 1500; ++n) {
    std::string mutant = whole;
    for (int change = 0; change <= n % 3; ++change)
      mutant[generator() % mutant.size()] = letters[generator() % letters.size()];
    std::string message;
    const Attempt r = read(mutant, message);
    CAPTURE(message);
    if (r == Attempt::other) MESSAGE(mutant);
    CHECK(r != Attempt::other);
  }
}

TEST_CASE("every word may stand twice or be swapped for another value") {
  const std::string whole = text_of(std::string(CASES) + "/brine-tank.toml");
  for (const std::string value :
       {"\"\"", "-1", "1e400", "nan", "[]", "{}", "true", "\"0 m\"", "\"1e99 day\"", "1979-05-27"}) {
    std::size_t at = whole.find(" = ");
    while (at != std::string::npos) {
      const auto end = whole.find('\n', at);
      std::string message;
      const Attempt r = read(whole.substr(0, at) + " = " + value + whole.substr(end), message);
      CAPTURE(value);
      CAPTURE(message);
      CAPTURE(whole.substr(whole.rfind('\n', at) + 1, end - whole.rfind('\n', at) - 1));
      CHECK(r != Attempt::other);
      at = whole.find(" = ", end);
    }
  }
}
