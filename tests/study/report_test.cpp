#include "williwaw/study/report.hpp"

#include <doctest/doctest.h>

#include "support/json.hpp"
#include "williwaw/casefile/case.hpp"

using namespace williwaw;
using namespace williwaw::casefile;
using namespace williwaw::study;
using williwaw::test::Json;

TEST_CASE("a report says the same as text and as JSON") {
  Report r;
  r.section("limits")
      .row("this step", "60 s", Report::Data(60.0), "s")
      .row("verdict", "stable", Report::Data(true));
  r.row("scheme Δ", "rk4").note("rough data may ring");
  r.section("empty");
  CHECK(r.text() ==
        "limits\n"
        "  this step  60 s\n"
        "  verdict    stable\n"
        "  scheme Δ   rk4\n"
        "  - rough data may ring\n");
  const auto json = Json(r.json());
  CHECK(json.number("/limits/this step/value") == 60);
  CHECK(json.at("/limits/this step/unit") == "\"s\"");
  CHECK(json.at("/limits/verdict") == "true");
  CHECK(json.at("/limits/scheme Δ") == "\"rk4\"");
  CHECK(json.at("/limits/notes/0") == "\"rough data may ring\"");
}

TEST_CASE("numbers that are not finite become null in JSON and a word in text") {
  Report r;
  r.section("s").row("limit", readable(INFINITY, "s"), Report::Data(Real(INFINITY)), "s");
  CHECK(r.text() == "s\n  limit  unlimited\n");
  CHECK(Json(r.json()).at("/s/limit/value") == "null");
}

TEST_CASE("numbers, waits and sizes for people") {
  CHECK(readable(0.1 + 0.2) == "0.3");
  CHECK(readable(1234567.0, "m") == "1.23457e+06 m");
  CHECK(readable_wait(0.01) == "below 0.1 s");
  CHECK(readable_wait(600) == "10 min");
  CHECK(readable_wait(9000) == "2.5 h");
  CHECK(readable_bytes(7040) == "7.04 kB");
  CHECK(readable_bytes(2.5e9) == "2.5 GB");
}

TEST_CASE("a case with overrides is written as TOML that reads back, whatever it holds") {
  const char* const text = R"case(
title = "quotes \" and \\ and
tabs"
[constants]
a = 1
b = 2.5
c = 1e-30
[grid]
x = { from = 0, to = "a", cells = 4 }
[equation]
kind = "diffusion"
diffusivity = "b*c + a"
[initial]
value = { formula = "x > 0.5 ? a : b" }
[boundary]
west = "insulated"
east = { robin = { coefficient = 2, ambient = "a" }, flux = -1 }
[time]
until = 1
scheme = "theta"
theta = 0.75
step = 0.25
[[probe]]
name = "p"
at = [0.5]
[[probe]]
name = "q"
at = [0.75]
)case";
  // The line break inside a basic string is not TOML: mend it, so that escapes are what is tested.
  std::string mended = text;
  mended.replace(mended.find("and\ntabs"), 8, "and\\ttabs");
  const Case first = read_case_text(mended, "first.toml", {"time.theta=0.5"});
  const Case again = read_case_text(first.text, "again.toml");
  CHECK(again.title == first.title);
  CHECK(again.title == "quotes \" and \\ and\ttabs");
  CHECK(again.probes.size() == 2);
  CHECK(again.problem.equation().diffusion.coefficient[0](Point{}) ==
        first.problem.equation().diffusion.coefficient[0](Point{}));
  CHECK(again.plan.scheme.tableau().b[1] == 0.5);
  CHECK(again.problem.boundary({0, true}).conditions().size() == 2);
  CHECK(again.problem.initial({0.7, 0, 0}) == 1);
}
