#include "williwaw/plot/terminal.hpp"

#include <doctest/doctest.h>

#include <cmath>

#include "williwaw/plot/theme.hpp"

using namespace williwaw;

namespace {

Grid plan_of(Index columns, Index rows, Real width, Real height) {
  return Grid({Axis::uniform("x", 0, width, columns, Unknowns::cells),
               Axis::uniform("y", 0, height, rows, Unknowns::cells)});
}

// What stands in a line besides colours, character by character.
std::vector<std::string> letters(const std::string& line) {
  std::vector<std::string> result;
  for (std::size_t n = 0; n < line.size(); ++n) {
    if (line[n] == '\033') {
      n = line.find('m', n);
    } else if ((line[n] & 0xc0) == 0x80) {
      result.back() += line[n];
    } else {
      result.emplace_back(1, line[n]);
    }
  }
  return result;
}

std::string letters_from(const std::string& line, std::size_t from) {
  std::string result;
  const auto all = letters(line);
  for (std::size_t n = from; n < all.size(); ++n) result += all[n];
  return result;
}

std::string colour_behind(const plot::Colour& c) {
  const auto byte = [](Real v) { return std::to_string(std::lround(255 * v)); };
  return "\033[48;2;" + byte(c.red) + ";" + byte(c.green) + ";" + byte(c.blue) + "m";
}

const plot::TerminalLegend legend{"depth", {"m", 1, 0}, {"cm", 100, 0}, {0, 1}};

}  // namespace

TEST_CASE("a plan in a terminal stands the right way up, in the colours of figures") {
  // Four quarters: low below, left of them 0 and 1/3, above 2/3 and 1.
  Field field(plan_of(2, 2, 2, 2));
  field.at(1, 0) = 1.0 / 3;
  field.at(0, 1) = 2.0 / 3;
  field.at(1, 1) = 1;
  const auto lines = plot::terminal_picture(field, legend, plot::TerminalColours::direct, {40, 12});
  // 10 rows of two values each for 20 columns, and two lines below.
  REQUIRE(lines.size() == 12);
  const auto begins = [](const std::string& line, Real s) {
    return line.find(colour_behind(plot::sequential(s))) == 0;
  };
  CHECK(begins(lines[0], 2.0 / 3));
  CHECK(begins(lines[9], 0));
  CHECK(lines[0].find(colour_behind(plot::sequential(1))) != std::string::npos);
  CHECK(lines[9].find(colour_behind(plot::sequential(1.0 / 3))) != std::string::npos);
  CHECK(letters_from(lines[0], 20) == " 2 m");
  CHECK(letters_from(lines[9], 20) == " 0 m");
  CHECK(lines[10].substr(0, 2) == "0 ");
  CHECK(lines[10].find("x") != std::string::npos);
  CHECK(lines[11].find("depth  0 ") == 0);
  CHECK(lines[11].find(" 100 cm") != std::string::npos);
}

TEST_CASE("signed fields have the colours of both sides, and cut-outs stay empty") {
  Field field(plan_of(3, 1, 3, 1));
  field.at(0) = -1;
  field.at(1) = std::nan("");
  field.at(2) = 0.8;
  const auto lines =
      plot::terminal_picture(field, {"w", {}, {}, {-1, 0.8}}, plot::TerminalColours::direct, {33, 20});
  CHECK(lines[0].find(colour_behind(plot::diverging(0))) == 0);
  CHECK(lines[0].find(colour_behind(plot::diverging(0.9))) != std::string::npos);
  const auto shown = letters(lines[0]);
  REQUIRE(shown.size() >= 30);
  for (std::size_t n = 10; n < 20; ++n) CHECK(shown[n] == " ");
  // Without colours lows are told from what is left out.
  const auto plain =
      plot::terminal_picture(field, {"w", {}, {}, {-1, 0.8}}, plot::TerminalColours::shades, {33, 20});
  CHECK(letters(plain[0])[0] == "·");
  CHECK(letters(plain[0])[15] == " ");
  CHECK(letters(plain[0])[29] == "█");
  CHECK(plain[0].find('\033') == std::string::npos);
}

TEST_CASE("many values in one pixel are shown by their mean") {
  Field field(plan_of(4000, 4000, 1, 1));
  for (Index j = 0; j < 4000; ++j)
    for (Index i = 0; i < 4000; ++i) field.at(i, j) = (i + j) % 2 == 0 ? 1 : 0.5;
  const auto lines = plot::terminal_picture(field, legend, plot::TerminalColours::direct, {44, 12});
  CHECK(lines[0].find(colour_behind(plot::sequential(0.75))) == 0);
}

TEST_CASE("a profile in a terminal is a curve between its boundaries") {
  Field field(Grid({Axis::uniform("x", 0, 1, 64, Unknowns::cells)}));
  for (Index i = 0; i < 64; ++i) field.at(i) = (static_cast<Real>(i) + 0.5) / 64;
  field.extend();
  const auto lines = plot::terminal_picture(field, legend, plot::TerminalColours::shades, {30, 10});
  REQUIRE(lines.size() == 10);
  CHECK(lines[0] == "depth [cm]");
  CHECK(lines[1].find("100│") == 0);
  CHECK(lines[8].find("  0│") == 0);
  CHECK(lines[9].find("1 m") == lines[9].size() - 3);
  // From below on the left to above on the right: where each line has its first dot.
  std::size_t last = 100;
  for (std::size_t row = 1; row <= 8; ++row) {
    const auto all = letters(lines[row]);
    REQUIRE(all.size() == 30);
    std::size_t first = 4;
    while (first < all.size() && all[first] == "⠀") ++first;
    REQUIRE(first < all.size());
    CHECK(first < last);
    last = first;
  }
  CHECK(last == 4);
}

TEST_CASE("every picture fits into the terminal it is for") {
  Field sheet(plan_of(50, 30, 5, 3)), tall(plan_of(10, 300, 1, 30));
  Field block(
      Grid({Axis::uniform("x", 0, 1, 4, Unknowns::cells), Axis::uniform("y", 0, 1, 4, Unknowns::cells),
            Axis::uniform("z", 0, 2, 4, Unknowns::cells)}));
  Field line_of_cells(Grid({Axis::uniform("x", 0, 1, 8, Unknowns::cells)}));
  for (const Field* field : {&sheet, &tall, &block, &line_of_cells})
    for (const plot::TerminalSize size : {plot::TerminalSize{20, 6}, {37, 11}, {80, 24}, {200, 60}}) {
      CAPTURE(size.columns);
      const auto lines = plot::terminal_picture(*field, legend, plot::TerminalColours::palette, size);
      CHECK(!lines.empty());
      CHECK(lines.size() <= static_cast<std::size_t>(size.rows));
      for (const auto& line : lines) CHECK(letters(line).size() <= static_cast<std::size_t>(size.columns));
    }
  CHECK(plot::terminal_picture(sheet, legend, plot::TerminalColours::palette, {19, 24}).empty());
  const auto shown = plot::terminal_picture(block, legend, plot::TerminalColours::palette, {80, 24});
  CHECK(shown.back().find("z = 1.25 m") != std::string::npos);
}
