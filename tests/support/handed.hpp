// What figures hand to the plotting program: commands and numbers, kept by a program of its name that stands
// before it.
#pragma once

#include <cstdlib>
#include <cstring>

#include "support/folder.hpp"
#include "support/text.hpp"
#include "williwaw/grid/types.hpp"

namespace williwaw::test {

/// The numbers that one part of a plot command reads.
struct HandedNumbers {
  std::string with;   ///< "lines", "image", ..
  std::string title;  ///< of its entry in the legend
  std::size_t rows = 0, columns = 0;
  std::vector<Real> values;

  Real at(std::size_t row, std::size_t column) const { return values.at(row * columns + column); }
};

struct HandedDrawing {
  std::vector<std::string> commands;
  std::vector<HandedNumbers> numbers;

  bool has(const std::string& part) const { return !command(part).empty(); }
  /// The first command that contains this; empty where none does.
  std::string command(const std::string& part) const {
    for (const auto& c : commands)
      if (c.find(part) != std::string::npos) return c;
    return "";
  }
  /// All commands that contain this.
  std::vector<std::string> all(const std::string& part) const {
    std::vector<std::string> result;
    for (const auto& c : commands)
      if (c.find(part) != std::string::npos) result.push_back(c);
    return result;
  }
  std::size_t count(const std::string& part) const {
    std::size_t result = 0;
    for (const auto& c : commands) result += c.find(part) != std::string::npos ? 1 : 0;
    return result;
  }
  /// The numbers behind NAME[ in "set NAME [a:b]".
  std::pair<Real, Real> range(const std::string& name) const {
    const std::string text = command("set " + name + " [");
    const std::size_t open = text.find("set " + name + " [") + 5 + name.size();
    const std::size_t colon = text.find(':', open);
    return {std::stod(text.substr(open + 1)), std::stod(text.substr(colon + 1))};
  }
  std::vector<HandedNumbers> with(const std::string& style) const {
    std::vector<HandedNumbers> result;
    for (const auto& n : numbers)
      if (n.with == style) result.push_back(n);
    return result;
  }
};

/// Keeps what every drawing from now on is made of, and lets it be drawn.
class Handed {
 public:
  explicit Handed(const std::string& name) : folder_(fresh_folder(name + "-handed")) {
    const std::string before = std::getenv("PATH");
    std::ofstream(folder_ / "gnuplot") << "#!/bin/sh\ntee '" << (folder_ / "handed").string() << "' | PATH='"
                                       << before << "' exec gnuplot \"$@\"\n";
    std::filesystem::permissions(folder_ / "gnuplot", std::filesystem::perms::owner_all);
    before_ = before;
    setenv("PATH", (folder_.string() + ":" + before).c_str(), 1);
  }
  Handed(const Handed&) = delete;
  Handed& operator=(const Handed&) = delete;
  ~Handed() { setenv("PATH", before_.c_str(), 1); }

  /// Of the last drawing.
  HandedDrawing last() const {
    const std::string all = text_of(folder_ / "handed");
    HandedDrawing drawing;
    std::size_t at = 0;
    while (at < all.size()) {
      const std::size_t end = std::min(all.find('\n', at), all.size());
      drawing.commands.push_back(all.substr(at, end - at));
      at = end + 1;
      for (HandedNumbers& numbers : announced(drawing.commands.back())) {
        numbers.values.resize(numbers.rows * numbers.columns);
        std::memcpy(numbers.values.data(), all.data() + at, numbers.values.size() * sizeof(Real));
        at += numbers.values.size() * sizeof(Real);
        drawing.numbers.push_back(std::move(numbers));
      }
    }
    return drawing;
  }

 private:
  // '-' binary record=(ROWS) format='%double%double' .. with STYLE .. title "NAME"
  static std::vector<HandedNumbers> announced(const std::string& command) {
    std::vector<HandedNumbers> result;
    const std::string mark = "'-' binary ";
    for (std::size_t at = command.find(mark); at != std::string::npos;) {
      const std::size_t next = command.find(mark, at + 1);
      const std::string part = command.substr(at, next - at);
      HandedNumbers numbers;
      const std::size_t open = part.find('('), close = part.find(')');
      const std::string size = part.substr(open + 1, close - open - 1);
      numbers.rows = std::stoul(size);
      if (const std::size_t comma = size.find(','); comma != std::string::npos)
        numbers.rows *= std::stoul(size.substr(comma + 1));
      for (std::size_t d = part.find("%double"); d != std::string::npos; d = part.find("%double", d + 1))
        ++numbers.columns;
      const std::size_t style = part.find(" with ") + 6;
      numbers.with = part.substr(style, part.find_first_of(" ,", style) - style);
      if (const std::size_t title = part.find("title \""); title != std::string::npos)
        numbers.title = part.substr(title + 7, part.find('"', title + 7) - title - 7);
      result.push_back(numbers);
      at = next;
    }
    return result;
  }

  std::filesystem::path folder_;
  std::string before_;
};

}  // namespace williwaw::test
