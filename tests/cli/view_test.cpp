// The page of a run in a browser: it loads, it shows what fields.nc holds, and keys step through it.
#include <doctest/doctest.h>

#include <cmath>
#include <filesystem>
#include <fstream>
#include <regex>

#include "support/program.hpp"
#include "williwaw/store/fields.hpp"

using namespace williwaw;
using namespace williwaw::test;

namespace {

const std::string plan = R"case(title = "Dye & <ink>"
[grid]
x = { from = "0 m", to = "3 m", cells = 30 }
y = { from = "0 m", to = "2 m", cells = 20 }
[region.pier]
where = "sqrt((x - 2)^2 + (y - 1)^2) < 0.4"
active = false
[equation]
kind = "diffusion"
unknown = { name = "dye", unit = "g/m^3" }
diffusivity = "0.01 m^2/s"
[initial]
value = { formula = "2 + sin(3*x)*cos(2*y)", unit = "g/m^3" }
[boundary]
west = { dirichlet = "4 g/m^3" }
default = "insulated"
[time]
until = "120 s"
scheme = "crank-nicolson"
step = "2 s"
[record]
every = "20 s"
series = "10 s"
[[probe]]
name = "quay"
at = ["0.5 m", "0.5 m"]
)case";

// What a browser makes of a page: its elements once all scripts have run, and what it complained about.
Printed opened(const std::filesystem::path& page, const std::string& place = "") {
  return run_in(page.parent_path(),
                "timeout -k 5 120 chromium --headless --no-sandbox --disable-gpu --disable-dev-shm-usage "
                "--user-data-dir=browser --enable-logging=stderr --window-size=1280,900 "
                "--virtual-time-budget=4000 --dump-dom 'file://" +
                    page.string() + place + "'");
}

std::string element(const Printed& page, const std::string& id) {
  std::smatch found;
  const std::regex wanted("id=\"" + id + "\"[^>]*>([^<]*)<");
  REQUIRE(std::regex_search(page.out, found, wanted));
  return found[1];
}

void check_no_complaint(const Printed& page) {
  CHECK(page.code == 0);
  CHECK(page.error.find("CONSOLE") == std::string::npos);
}

// Opened with presses of keys that follow by themselves.
Printed opened_with_keys(const std::filesystem::path& page, const std::string& keys) {
  const auto copy = page.parent_path() / "keys.html";
  std::string text = text_of(page);
  const std::string end = "</body>";
  const auto at = text.rfind(end);
  REQUIRE(at != std::string::npos);
  text.insert(at, "<script>for (const key of [" + keys +
                      "]) document.body.dispatchEvent(new KeyboardEvent('keydown', { key, bubbles: true }));"
                      "</script>");
  std::ofstream(copy, std::ios::binary) << text;
  return opened(copy);
}

}  // namespace

TEST_CASE("a page of a run shows in a browser what its file of fields holds") {
  const auto folder = folder_of("view", plan);
  REQUIRE(williwaw_in(folder, "run case.toml --quiet").code == 0);
  const Printed written = williwaw_in(folder, "view case.out");
  REQUIRE(written.code == 0);
  CHECK(written.out.find("7 of 7 records, all 600 places") != std::string::npos);
  const auto page = folder / "case.out" / "view.html";
  REQUIRE(std::filesystem::exists(page));
  const store::FieldReader fields(folder / "case.out" / "fields.nc");
  for (const auto& [record, time, i, j] : {std::tuple(0, "0", 3, 4), {2, "40", 10, 11}, {6, "120", 0, 19}}) {
    const Real x = fields.grid().axis(0).points()[i], y = fields.grid().axis(1).points()[j];
    const Printed seen =
        opened(page, "#t=" + std::string(time) + "&x=" + std::to_string(x) + "&y=" + std::to_string(y));
    check_no_complaint(seen);
    std::smatch value;
    const std::string told = element(seen, "pointed");
    CAPTURE(told);
    const std::regex form("dye = ([-0-9.e]+) g/m³ at x = ([-0-9.e]+) m, y = ([-0-9.e]+) m, t = ([0-9.]+) s");
    REQUIRE(std::regex_search(told, value, form));
    CHECK(std::stod(value[1]) == doctest::Approx(fields.field(record).at(i, j)).epsilon(1e-5));
    CHECK(std::stod(value[2]) == doctest::Approx(x));
    CHECK(std::stod(value[3]) == doctest::Approx(y));
    CHECK(value[4] == std::string(time));
  }
  // The middle of the pier is not part of the sound.
  CHECK(element(opened(page, "#t=40&x=2&y=1"), "pointed").find("no value") != std::string::npos);
  CHECK(opened(page).out.find("Dye &amp; &lt;ink&gt;") != std::string::npos);
}

TEST_CASE("keys step through a page") {
  const auto folder = folder_of("view", plan);
  REQUIRE(williwaw_in(folder, "run case.toml --quiet").code == 0);
  REQUIRE(williwaw_in(folder, "view case.out").code == 0);
  const auto page = folder / "case.out" / "view.html";
  const auto time_after = [&](const std::string& keys) {
    const Printed seen = opened_with_keys(page, keys);
    check_no_complaint(seen);
    const std::string told = element(seen, "pointed");
    return told.substr(told.rfind("t = "));
  };
  CHECK(time_after("'ArrowRight', 'ArrowRight', 'ArrowRight', 'ArrowLeft'") == "t = 40 s");
  CHECK(time_after("'End'") == "t = 120 s");
  CHECK(time_after("'End', 'ArrowRight', 'Home', 'ArrowLeft', 'ArrowRight'") == "t = 20 s");
  // Played to the end, where it stops.
  CHECK(time_after("' '") == "t = 120 s");
}

TEST_CASE("runs stand side by side, of lines and blocks too") {
  const auto folder = folder_of("view", plan);
  REQUIRE(williwaw_in(folder, "run case.toml --quiet").code == 0);
  REQUIRE(williwaw_in(folder, "run case.toml --quiet -o later.out --set 'initial.value=\"1 g/m^3\"'").code ==
          0);
  REQUIRE(williwaw_in(folder, "view case.out later.out -o both.html").code == 0);
  const Printed both = opened(folder / "both.html", "#t=0&x=0.55&y=0.55");
  check_no_complaint(both);
  const std::string told = element(both, "pointed");
  CAPTURE(told);
  CHECK(told.find("later: dye = 1 g/m³ at x = 0.55 m") != std::string::npos);
  CHECK(told.find("case: dye = ") != std::string::npos);
  REQUIRE(williwaw_in(folder,
                      std::string("run '") + CASES + "/hut-floor.toml' --quiet -o rod.out --set 'figure=[]'")
              .code == 0);
  REQUIRE(williwaw_in(folder, std::string("run '") + CASES +
                                  "/brine-tank.toml' --quiet -o tank.out --set 'figure=[]'")
              .code == 0);
  for (const char* name : {"rod", "tank"}) {
    CAPTURE(std::string(name));
    REQUIRE(williwaw_in(folder, std::string("view ") + name + ".out").code == 0);
    for (const char* place : {"", "#space-time=1"}) {
      const Printed seen = opened(folder / (std::string(name) + ".out") / "view.html", place);
      check_no_complaint(seen);
      CHECK(element(seen, "pointed").find(" at ") != std::string::npos);
    }
  }
  const Printed none = williwaw_in(folder, "view nowhere.out");
  CHECK(none.code == 2);
  CHECK(none.error.find("nowhere.out") != std::string::npos);
}
