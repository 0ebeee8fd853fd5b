// Changes case files where they stay case files: numbers by factors, words by words of the same kind, lines
// by other lines. Half of what comes out shall still be accepted.
#include <algorithm>
#include <array>
#include <cstdint>
#include <cstring>
#include <random>
#include <string>
#include <vector>

#include "counted.hpp"

extern "C" std::size_t LLVMFuzzerMutate(std::uint8_t* data, std::size_t size, std::size_t most);

namespace {

using Random = std::minstd_rand;

std::size_t below(Random& random, std::size_t count) {
  return count == 0 ? 0 : std::uniform_int_distribution<std::size_t>(0, count - 1)(random);
}

// Words that may stand in each other's place.
const std::vector<std::vector<std::string>>& kinds() {
  static const std::vector<std::vector<std::string>> all{
      {"explicit-euler", "rk2", "ssprk3", "rk4", "rk45", "rkc", "implicit-euler", "crank-nicolson", "bdf2",
       "sdirk4", "adi", "leapfrog", "newmark", "semi-lagrangian"},
      {"\"insulated\"", "{ dirichlet = 0 }", "{ flux = 1 }", "{ gradient = 0.5 }",
       "{ robin = { coefficient = 2, ambient = 1 } }", "\"periodic\"", "\"outflow\""},
      {"\"diffusion\"", "\"transport\"", "\"conservation\"", "\"wave\"", "\"heat\""},
      {"\"cells\"", "\"nodes\""},
      {"\"first-order\"", "\"minmod\"", "\"superbee\"", "\"van-leer\"", "\"monotonized-central\"",
       "\"third-order\"", "\"weno5\""},
      {"\"upwind\"", "\"central\"", "\"lax-wendroff\"", "\"local-lax-friedrichs\"", "\"hybrid\""},
      {"sin", "cos", "exp", "sqrt", "abs", "log", "tanh"},
      {"x", "y", "t", "u", "r", "z"},
      {" + ", " - ", "*", "/", "^"}};
  return all;
}

std::vector<std::string> lines_of(const std::string& text) {
  std::vector<std::string> lines{""};
  for (const char c : text)
    if (c == '\n')
      lines.emplace_back();
    else
      lines.back() += c;
  return lines;
}

void change_number(std::string& text, Random& random) {
  std::vector<std::pair<std::size_t, std::size_t>> numbers;
  for (std::size_t i = 0; i < text.size(); ++i) {
    if (text[i] < '0' || text[i] > '9') continue;
    std::size_t end = i;
    while (end < text.size() && (std::strchr("0123456789.e", text[end]) && text[end])) ++end;
    numbers.emplace_back(i, end - i);
    i = end;
  }
  if (numbers.empty()) return;
  static const std::array<const char*, 14> values{"0",     "1",   "2", "0.5", "-1", "1e-9", "1e9",
                                                  "1e308", "nan", "3", "0.1", "12", "7",    "inf"};
  const auto [at, count] = numbers[below(random, numbers.size())];
  text.replace(at, count, values[below(random, values.size())]);
}

void change_word(std::string& text, Random& random) {
  const auto& kind = kinds()[below(random, kinds().size())];
  std::vector<std::pair<std::size_t, std::size_t>> found;
  for (const auto& word : kind)
    for (std::size_t at = text.find(word); at != std::string::npos; at = text.find(word, at + 1))
      found.emplace_back(at, word.size());
  if (found.empty()) return;
  const auto [at, count] = found[below(random, found.size())];
  text.replace(at, count, kind[below(random, kind.size())]);
}

void change_lines(std::string& text, Random& random) {
  auto lines = lines_of(text);
  const std::size_t a = below(random, lines.size()), b = below(random, lines.size());
  if (below(random, 2) == 0)
    lines.erase(lines.begin() + static_cast<std::ptrdiff_t>(a));
  else
    lines[a] = lines[b];
  text.clear();
  for (const auto& line : lines) text += line + "\n";
}

}  // namespace

extern "C" std::size_t LLVMFuzzerCustomMutator(std::uint8_t* data, std::size_t size, std::size_t most,
                                               unsigned int seed) {
  Random random(seed);
  if (below(random, 20) == 0) return LLVMFuzzerMutate(data, size, most);
  std::string text(reinterpret_cast<const char*>(data), size);
  const auto& accepted = williwaw::fuzz::accepted_inputs();
  if (!accepted.empty() && below(random, 10) < 9) text = accepted[below(random, accepted.size())];
  for (std::size_t n = below(random, 4) == 0 ? 2 : 1; n > 0; --n) {
    const std::size_t what = below(random, 10);
    if (what < 5)
      change_number(text, random);
    else if (what < 9)
      change_word(text, random);
    else
      change_lines(text, random);
  }
  const std::size_t count = std::min(text.size(), most);
  std::memcpy(data, text.data(), count);
  return count;
}
