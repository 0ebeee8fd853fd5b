#include "williwaw/plot/terminal.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <limits>
#include <optional>

#include "panels.hpp"
#include "williwaw/study/report.hpp"

namespace williwaw::plot {

namespace {

using study::width_of;

constexpr int fewest_columns = 20, fewest_rows = 6;
constexpr Real nothing = std::numeric_limits<Real>::quiet_NaN();

std::string number(Real si, const store::Scale& scale) {
  return fmt::format("{:.4g}", scale.shown(si));
}

// `left` and `right` at the ends of a line, `middle` between them where there is room.
std::string between_ends(std::string left, const std::string& middle, const std::string& right,
                         std::size_t width) {
  const std::size_t taken = width_of(left) + width_of(right);
  if (taken + 1 > width) return left;
  std::size_t room = width - taken;
  if (width_of(middle) + 2 <= room) {
    const std::size_t before = (room - width_of(middle)) / 2;
    left += std::string(before, ' ') + middle;
    room -= before + width_of(middle);
  }
  return left + std::string(room, ' ') + right;
}

// The number of that of 256 colours which is most like one. A cube of 6 × 6 × 6 of them begins at 16 and has
// the levels 0, 95, 135 .. 255; 24 greys begin at 232 and have the levels 8, 18 .. 238. Eyes tell green best,
// blue least.
long nearest_of_256(long r, long g, long b) {
  const auto away = [&](long red, long green, long blue) {
    return 3 * (r - red) * (r - red) + 6 * (g - green) * (g - green) + 2 * (b - blue) * (b - blue);
  };
  const auto step = [](long v) { return v < 48 ? 0 : v < 115 ? 1 : (v - 35) / 40; };
  const auto level = [](long n) { return n == 0 ? 0 : 55 + 40 * n; };
  const long grey = std::clamp(((3 * r + 6 * g + 2 * b) / 11 - 3) / 10, 0L, 23L), tone = 8 + 10 * grey;
  if (away(tone, tone, tone) < away(level(step(r)), level(step(g)), level(step(b)))) return 232 + grey;
  return 16 + 36 * step(r) + 6 * step(g) + step(b);
}

// Colours of a terminal, given as sequences that begin to use them.
class Paint {
 public:
  Paint(TerminalColours colours, std::pair<Real, Real> range, bool signed_field)
      : colours_(colours), range_(range), signed_(signed_field) {}

  // From 0 to 1 within the range.
  Real part(Real value) const {
    const Real width = range_.second - range_.first;
    return width > 0 ? std::clamp((value - range_.first) / width, 0.0, 1.0) : 0.5;
  }
  Colour of(Real value) const { return signed_ ? diverging(part(value)) : sequential(part(value)); }
  bool coloured() const { return colours_ != TerminalColours::shades; }
  // Of the letter (38) or of what is behind it (48).
  std::string use(const Colour& colour, int where) const {
    const auto byte = [](Real v) { return std::lround(255 * std::clamp(v, 0.0, 1.0)); };
    const long r = byte(colour.red), g = byte(colour.green), b = byte(colour.blue);
    if (colours_ == TerminalColours::direct) return fmt::format("\033[{};2;{};{};{}m", where, r, g, b);
    return fmt::format("\033[{};5;{}m", where, nearest_of_256(r, g, b));
  }
  std::string shade(Real value) const {
    static const std::array<const char*, 5> shades{"·", "░", "▒", "▓", "█"};
    return shades[static_cast<std::size_t>(std::min(4.0, 5 * part(value)))];
  }
  // Two values above each other in one character; one that is no number stays empty.
  std::string halves(Real upper, Real lower) const {
    const bool above = !std::isnan(upper), below = !std::isnan(lower);
    if (!above && !below) return " ";
    if (!coloured()) return shade(above && below ? 0.5 * (upper + lower) : above ? upper : lower);
    const std::string end = "\033[0m";
    if (!below) return use(of(upper), 38) + "▀" + end;
    if (!above) return use(of(lower), 38) + "▄" + end;
    const std::string behind = use(of(lower), 48);
    // A blank leaves no seam between both halves, as letters of some fonts do.
    if (use(of(upper), 48) == behind) return behind + " " + end;
    return use(of(upper), 38) + behind + "▀" + end;
  }
  std::string accented(const std::string& text) const {
    return coloured() ? use(accent(), 38) + text + "\033[0m" : text;
  }

 private:
  TerminalColours colours_;
  std::pair<Real, Real> range_;
  bool signed_;
};

// The bar that says which colour is which value.
std::string bar(const TerminalLegend& legend, const Paint& paint, std::pair<Real, Real> range, int width) {
  // What is nothing beside the other end of the range is not written with its exponent.
  const Real reach = range.second - range.first;
  const auto end = [&](Real value) {
    return number(std::abs(value) < 1e-12 * reach ? 0 : value, legend.value);
  };
  const std::string low = end(range.first) + " ", high = " " + end(range.second) + legend.value.suffix(),
                    name = legend.name + "  ";
  std::string text = name + low;
  const int room = std::min(24, width - static_cast<int>(width_of(name) + width_of(low) + width_of(high)));
  if (room < 4) return "";
  for (int c = 0; c < room; ++c) {
    const Real value = range.first + (c + 0.5) / room * (range.second - range.first);
    text += paint.halves(value, value);
  }
  return text + high;
}

// Numbers of the unknowns along an axis that lie within a part of it; at least the one in its middle.
std::pair<Index, Index> within(const Axis& axis, Real from, Real to) {
  const auto bounds = axis.bounds();
  const auto number = [&](Real place) {
    const auto above = std::upper_bound(bounds.begin(), bounds.end(), place);
    return std::clamp<Index>(static_cast<Index>(above - bounds.begin()) - 1, 0, axis.size() - 1);
  };
  const Index middle = number(0.5 * (from + to));
  // Where unknowns lie closer than pixels, those whose middle is in it.
  const auto points = axis.points();
  const auto first = std::lower_bound(points.begin(), points.end(), from) - points.begin();
  const auto end = std::lower_bound(points.begin(), points.end(), to) - points.begin();
  if (end - first < 2) return {middle, middle + 1};
  return {first, end};
}

// The mean of the values in each of columns × rows pixels, rows from above.
std::vector<Real> pixels(const Field& field, int columns, int rows) {
  const Grid& grid = field.grid();
  const Axis &x = grid.axis(0), &y = grid.axis(1);
  const Index k = middle_plane(grid).at;
  const auto part = [](const Axis& axis, int n, int count) {
    return within(axis, axis.from() + axis.length() * n / count,
                  axis.from() + axis.length() * (n + 1) / count);
  };
  std::vector<Real> result;
  for (int row = 0; row < rows; ++row)
    for (int column = 0; column < columns; ++column) {
      const auto across = part(x, column, columns), along = part(y, rows - 1 - row, rows);
      Real sum = 0, count = 0;
      for (Index j = along.first; j < along.second; ++j)
        for (Index i = across.first; i < across.second; ++i) {
          const Real value = field.at(i, j, k);
          if (std::isnan(value)) continue;
          sum += value;
          ++count;
        }
      result.push_back(count > 0 ? sum / count : nothing);
    }
  return result;
}

std::vector<std::string> plan(const Field& field, const TerminalLegend& legend, TerminalColours colours,
                              const TerminalSize& size) {
  const Grid& grid = field.grid();
  const Axis &x = grid.axis(0), &y = grid.axis(1);
  auto range = legend.range;
  const bool signed_field = is_signed(legend.value, range);
  const Paint paint(colours, range, signed_field);
  const std::string unit = legend.length.suffix();
  const std::string top = " " + number(y.to(), legend.length) + unit,
                    bottom = " " + number(y.from(), legend.length) + unit;
  const int beside = static_cast<int>(std::max({width_of(top), width_of(bottom), std::size_t{3}}));
  // A character is about twice as high as wide, and shows two values.
  const int widest = size.columns - beside, highest = 2 * (size.rows - 2);
  int columns = widest, rows = highest;
  const Real ratio = y.length() / x.length();
  if (ratio < 6 && ratio > 1.0 / 6) {
    columns = std::clamp(static_cast<int>(std::lround(highest / ratio)), 2, widest);
    rows = std::clamp(static_cast<int>(std::lround(columns * ratio)), 2, highest);
    rows += rows % 2;
  }
  const std::vector<Real> values = pixels(field, columns, rows);
  const auto at = [&](int row, int column) {
    return values[static_cast<std::size_t>(row) * static_cast<std::size_t>(columns) +
                  static_cast<std::size_t>(column)];
  };
  std::vector<std::string> lines;
  for (int row = 0; row < rows; row += 2) {
    std::string line;
    for (int column = 0; column < columns; ++column)
      line += paint.halves(at(row, column), at(row + 1, column));
    if (row == 0) line += top;
    if (row + 2 == rows && rows > 2) line += bottom;
    if (rows > 6 && row / 2 == rows / 4) line += " " + y.name();
    lines.push_back(std::move(line));
  }
  lines.push_back(between_ends(number(x.from(), legend.length), x.name(),
                               number(x.to(), legend.length) + unit, static_cast<std::size_t>(columns)));
  std::string last = bar(legend, paint, range, size.columns);
  if (grid.dimension() > 2) {
    const Axis& z = grid.axis(2);
    const std::string plane =
        fmt::format("   {} = {}{}", z.name(),
                    number(z.points()[static_cast<std::size_t>(middle_plane(grid).at)], legend.length), unit);
    const std::string plain =
        bar(legend, Paint(TerminalColours::shades, range, signed_field), range, size.columns);
    if (width_of(plain) + width_of(plane) <= static_cast<std::size_t>(size.columns)) last += plane;
  }
  lines.push_back(std::move(last));
  return lines;
}

// A sheet of dots, 2 × 4 in each character (the patterns of Unicode's block of braille).
class Dots {
 public:
  Dots(int columns, int rows)
      : columns_(columns), cells_(static_cast<std::size_t>(columns) * static_cast<std::size_t>(rows), 0) {}
  void set(int x, int from_above) {
    static constexpr std::array<std::array<unsigned, 2>, 4> bits{{{1, 8}, {2, 16}, {4, 32}, {64, 128}}};
    cells_[static_cast<std::size_t>(from_above / 4 * columns_ + x / 2)] |=
        bits[static_cast<std::size_t>(from_above % 4)][static_cast<std::size_t>(x % 2)];
  }
  std::string line(int row) const {
    std::string text;
    for (int c = 0; c < columns_; ++c) {
      const unsigned dots = cells_[static_cast<std::size_t>(row * columns_ + c)];
      // U+2800 and what is set, as UTF-8.
      text += '\xe2';
      text += static_cast<char>(0xa0 | (dots >> 6));
      text += static_cast<char>(0x80 | (dots & 0x3f));
    }
    return text;
  }

 private:
  int columns_;
  std::vector<unsigned> cells_;
};

std::vector<std::string> profile(const Field& field, const TerminalLegend& legend, TerminalColours colours,
                                 const TerminalSize& size) {
  const Axis& axis = field.grid().axis(0);
  const auto [low, high] = legend.range;
  const Paint paint(colours, legend.range, false);
  const std::string top = number(high, legend.value), bottom = number(low, legend.value);
  const std::size_t beside = std::max(width_of(top), width_of(bottom));
  const int columns = size.columns - static_cast<int>(beside) - 1, rows = size.rows - 2;
  Dots dots(columns, rows);
  const int across = 2 * columns, up = 4 * rows;
  std::optional<int> last;
  for (int n = 0; n < across; ++n) {
    const Real place = axis.from() + axis.length() * (n + 0.5) / across;
    const Real value = field.sample({place, 0, 0});
    if (std::isnan(value)) {
      last.reset();
      continue;
    }
    const Real part = high > low ? std::clamp((value - low) / (high - low), 0.0, 1.0) : 0.5;
    const int at = static_cast<int>(std::lround((1 - part) * (up - 1)));
    // Steep parts stay joined.
    for (int d = std::min(at, last.value_or(at)); d <= std::max(at, last.value_or(at)); ++d) dots.set(n, d);
    last = at;
  }
  std::vector<std::string> lines{legend.name + legend.value.bracket()};
  for (int row = 0; row < rows; ++row) {
    const std::string label = row == 0 ? top : row + 1 == rows ? bottom : std::string();
    lines.push_back(std::string(beside - width_of(label), ' ') + label + "│" +
                    paint.accented(dots.line(row)));
  }
  lines.push_back(std::string(beside + 1, ' ') +
                  between_ends(number(axis.from(), legend.length), axis.name(),
                               number(axis.to(), legend.length) + legend.length.suffix(),
                               static_cast<std::size_t>(columns)));
  return lines;
}

}  // namespace

std::vector<std::string> terminal_picture(const Field& field, const TerminalLegend& legend,
                                          TerminalColours colours, const TerminalSize& size) {
  if (size.columns < fewest_columns || size.rows < fewest_rows) return {};
  return field.grid().dimension() == 1 ? profile(field, legend, colours, size)
                                       : plan(field, legend, colours, size);
}

}  // namespace williwaw::plot
