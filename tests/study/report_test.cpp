#include "williwaw/study/report.hpp"

#include <doctest/doctest.h>

#include "support/json.hpp"
#include "williwaw/casefile/case.hpp"
#include "williwaw/store/run_series.hpp"

using namespace williwaw;
using namespace williwaw::casefile;
using namespace williwaw::study;
using williwaw::test::Json;

TEST_CASE("a report says the same as text and as JSON") {
  Report r;
  r.section("limits of all")
      .row("this step", "60 s", Report::Data(60.0), "s")
      .row("verdict", "stable by far", Report::Data(std::string("stable")));
  r.row("scheme Δ", "rk4").row("95 % settled", "7", Report::Data(Index{7})).row("Scheme", "again");
  r.name("flow west: flux", "flow").note("rough data may ring");
  r.section("empty");
  CHECK(r.text() ==
        "limits of all\n"
        "  this step     60 s\n"
        "  verdict       stable by far\n"
        "  scheme Δ      rk4\n"
        "  95 % settled  7\n"
        "  Scheme        again\n"
        "  - rough data may ring\n");
  const auto json = Json(r.json());
  CHECK(json.at("/limits_of_all/this_step/value") == "60.0");
  CHECK(json.at("/limits_of_all/this_step/unit") == "\"s\"");
  CHECK(json.at("/limits_of_all/verdict") == "\"stable\"");
  CHECK(json.at("/limits_of_all/scheme") == "\"rk4\"");
  // Labels that keys cannot tell apart are counted.
  CHECK(json.at("/limits_of_all/scheme_2") == "\"again\"");
  CHECK(json.at("/limits_of_all/95_percent_settled/value") == "7");
  CHECK(json.at("/limits_of_all/95_percent_settled/unit") == "\"1\"");
  CHECK(json.at("/limits_of_all/notes/0") == "\"rough data may ring\"");
  CHECK(json.at("/limits_of_all/names/0/name") == "\"flow west: flux\"");
  CHECK(json.at("/limits_of_all/names/0/kind") == "\"flow\"");
  CHECK(json.size("/empty") == 0);
}

TEST_CASE("numbers that are not finite are words, as text and as JSON") {
  Report r;
  r.section("s").row("limit", readable(INFINITY, "s"), Report::Data(Real(INFINITY)), "s");
  r.row("error", "not known: no factor", Report::Data(Real(NAN)), "s");
  CHECK(r.text() == "s\n  limit  unlimited\n  error  not known: no factor\n");
  CHECK(Json(r.json()).at("/s/limit") == "\"unlimited\"");
  CHECK(Json(r.json()).at("/s/error") == "\"not known\"");
}

TEST_CASE("keys are words in small letters") {
  CHECK(snake_case("phase lag, in time") == "phase_lag_in_time");
  CHECK(snake_case("in through west: dirichlet") == "in_through_west_dirichlet");
  CHECK(snake_case("Newton's method") == "newton_s_method");
  CHECK(snake_case("columns of series.csv") == store::columns_of_series_key);
  CHECK(snake_case(" ± ") == "value");
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
