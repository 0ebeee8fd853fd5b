#include "williwaw/casefile/units.hpp"

#include <doctest/doctest.h>

using namespace williwaw;
using namespace williwaw::casefile;

TEST_CASE("units convert to SI and back") {
  CHECK(Unit::of("mm/day").to_si(12) == doctest::Approx(12e-3 / 86400));
  CHECK(Unit::of("g/cm^3").to_si(2.2) == doctest::Approx(2200));
  CHECK(Unit::of("degC").to_si(-22) == doctest::Approx(251.15));
  CHECK(Unit::of("degC").to_si(5, true) == doctest::Approx(5));
  CHECK(Unit::of("degC").from_si(273.15) == doctest::Approx(0));
  CHECK(Unit::of("h").from_si(7200) == doctest::Approx(2));
  CHECK(Unit::of("%").to_si(50) == doctest::Approx(0.5));
}

TEST_CASE("in a compound unit degC is a difference") {
  CHECK(Unit::of("W/m^2/degC").to_si(8) == doctest::Approx(8));
  CHECK(Unit::of("W/m^2/degC").same_dimension(Unit::of("W/m^2/K")));
}

TEST_CASE("dimensions multiply and divide") {
  const Unit flux = Unit::of("J/m^3/K") * Unit::of("degC") / Unit::of("h") * Unit::of("m");
  CHECK(flux.same_dimension(Unit::of("W/m^2")));
  CHECK_FALSE(flux.same_dimension(Unit::of("W/m^3")));
  CHECK(Unit::of("cm").power(3).to_si(1) == doctest::Approx(1));  // products are formed in SI
  CHECK((Unit::of("m") / Unit::of("mm")).is_dimensionless());
}

TEST_CASE("what is no unit is said to be none") {
  CHECK_FALSE(Unit::parse("frog"));
  CHECK_THROWS_WITH_AS(Unit::of("frog"), "'frog' is not a unit", InputError);
}

TEST_CASE("numbers with units are told from formulas") {
  const auto is = [](const char* text, Real number, const char* unit) {
    const auto m = split_measured(text);
    return m && m->number == number && m->unit == unit;
  };
  CHECK(is("0.4 m", 0.4, "m"));
  CHECK(is("-22 degC", -22, "degC"));
  CHECK(is("1.5e-9 m^2/s", 1.5e-9, "m^2/s"));
  CHECK(is("12h", 12, "h"));
  CHECK(is("8 W/m^2/K", 8, "W/m^2/K"));
  CHECK(is("35 %", 35, "%"));
  CHECK(is("+3 1/s", 3, "1/s"));
  for (const char* formula : {"18*exp(-x/slab)", "slab/2", "2 + x", "12", "-x", "3*day", "2 * x"}) {
    CAPTURE(formula);
    CHECK_FALSE(split_measured(formula));
  }
}

TEST_CASE("no unit is given a name that belongs elsewhere") {
  CHECK((Unit::of("m^2/s") / Unit::of("s")).si_text() == "m^2/s^2");
  CHECK(Unit::of("W/m^2/K").si_text() == "W/m^2/K");
  const auto in_si = [](const char* text) { return Unit::of(text).si_text(); };
  CHECK(in_si("g/cm^3") == "kg/m^3");
  CHECK(in_si("kJ/kg/K") == "J/kg/K");
  CHECK(in_si("mm/day") == "m/s");
  CHECK(in_si("m^3/day") == "m^3/s");
  CHECK(in_si("W/m^2/degC") == "W/m^2/K");
  CHECK(in_si("g/l") == "kg/m^3");
  CHECK(in_si("degC") == "K");
  CHECK(in_si("kN") == "N");
  CHECK(in_si("1/h") == "1/s");
  CHECK(in_si("m2.s-2") == "m^2/s^2");
  CHECK(in_si("%") == "1");
  CHECK(in_si("rad") == "1");
  CHECK((Unit::of("W/m/K") * Unit::of("degC")).si_text() == "kg*m/s^3");
  CHECK((Unit::of("kJ") / Unit::of("h")).si_text() == "W");
}

TEST_CASE("units of a size or power that no number holds are no units, and say so where they are written") {
  for (const char* text : {"22^-12bar222/hm", "bar^222", "km222"}) {
    CAPTURE(text);
    CHECK_FALSE(Unit::parse(text));
    CHECK_THROWS_AS(Unit::of(text), InputError);
  }
  REQUIRE(Unit::parse("bar^4"));
  CHECK(Unit::of("bar^4").to_si(2) == doctest::Approx(2e20));
}

TEST_CASE("logarithms of ratios are no units, whatever stands before them") {
  for (const char* text :
       {"Bv", "5 Bv", "0 Bv", "0 dBZ", "dBm", "10 lg(re 1 mW)", "2 ln(re 3 V)", "lb(re 1 K)"}) {
    CAPTURE(text);
    CHECK_FALSE(Unit::parse(text));
  }
}
