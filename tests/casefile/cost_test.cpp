#include <doctest/doctest.h>

#include "williwaw/casefile/check.hpp"

using namespace williwaw;
using namespace williwaw::casefile;

namespace {

std::optional<Real> seconds_of(const std::string& name, const std::vector<std::string>& set) {
  const Case c = read_case(std::string(CASES) + "/" + name, set);
  const Prepared p = prepare(c);
  return measured_seconds(c, p);
}

}  // namespace

TEST_CASE("cost is told from timed steps, and not told where steps are not known") {
  const auto few = seconds_of("ice-deck.toml", {"time.until=\"1 h\"", "figure=[]"}),
             many = seconds_of("ice-deck.toml", {"time.until=\"1000 h\"", "figure=[]"});
  REQUIRE(few);
  REQUIRE(many);
  // A thousand times the steps, on a machine that others use too.
  CHECK(*many > 100 * *few);
  CHECK_FALSE(seconds_of("hut-floor.toml", {"time.scheme=sdirk4", "time.step={adaptive=1e-4}"}));
  CHECK_FALSE(seconds_of("ice-deck-steady.toml", {}));
  // Beyond a hundred thousand unknowns a coarser grid is stepped: no longer than a second or two.
  CHECK(seconds_of("brine-tank.toml",
                   {"grid.x.nodes=193", "grid.y.nodes=129", "grid.z.nodes=97", "figure=[]"}));
}
