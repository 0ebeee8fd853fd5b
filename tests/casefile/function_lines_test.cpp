// The functions of formulas: near those of the C library, the same bits at every place and on every
// processor.
#include <doctest/doctest.h>

#include <bit>
#include <cmath>

#include "williwaw/casefile/formula.hpp"

using namespace williwaw;

namespace {

struct Known {
  const char* formula;
  Real (*value)(Real);
  Real from, to;
};

const Known known[] = {{"exp(x)", [](Real v) { return std::exp(v); }, -700, 700},
                       {"log(x)", [](Real v) { return std::log(v); }, 1e-3, 1e6},
                       {"sin(x)", [](Real v) { return std::sin(v); }, -1e4, 1e4},
                       {"cos(x)", [](Real v) { return std::cos(v); }, -1e4, 1e4},
                       {"tan(x)", [](Real v) { return std::tan(v); }, -20, 20},
                       {"tanh(x)", [](Real v) { return std::tanh(v); }, -15, 15},
                       {"atan(x)", [](Real v) { return std::atan(v); }, -50, 50},
                       {"erf(x)", [](Real v) { return std::erf(v); }, -5, 5},
                       {"x^0.37", [](Real v) { return std::pow(v, 0.37); }, 1e-6, 1e6},
                       {"1.7^x", [](Real v) { return std::pow(1.7, v); }, -300, 300}};

std::vector<Real> places(const Known& k, std::size_t count) {
  std::vector<Real> result;
  for (std::size_t n = 0; n < count; ++n)
    result.push_back(k.from + (k.to - k.from) * (static_cast<Real>(n) + 0.25) / static_cast<Real>(count));
  return result;
}

std::vector<Real> values(const char* formula, const std::vector<Real>& x) {
  const Function f = casefile::compile(formula, {}, {"x"});
  Points line(static_cast<Index>(x.size()));
  line.x = x;
  std::vector<Real> result(x.size());
  f.evaluate(line, 0, result);
  return result;
}

}  // namespace

TEST_CASE("functions of formulas are within two units in the last place of the C library") {
  for (const Known& k : known) {
    CAPTURE(k.formula);
    const auto x = places(k, 20011), f = values(k.formula, x);
    std::int64_t furthest = 0;
    for (std::size_t n = 0; n < x.size(); ++n)
      furthest = std::max(
          furthest, std::abs(std::bit_cast<std::int64_t>(f[n]) - std::bit_cast<std::int64_t>(k.value(x[n]))));
    CHECK(furthest <= 2);
  }
}

TEST_CASE("a value of a formula does not depend on its place, and has the bits that are written here") {
  // FNV-1a (Fowler, Noll and Vo, 1991) over the bits of all values.
  std::uint64_t hash = 14695981039346656037ull;
  for (const Known& k : known) {
    CAPTURE(k.formula);
    const auto x = places(k, 1003), f = values(k.formula, x);
    const Function one = casefile::compile(k.formula, {}, {"x"});
    for (std::size_t n = 0; n < x.size(); ++n) {
      CHECK(one({x[n], 0, 0}) == f[n]);
      for (int byte = 0; byte < 64; byte += 8)
        hash = (hash ^ (std::bit_cast<std::uint64_t>(f[n]) >> byte & 255)) * 1099511628211ull;
    }
    for (std::size_t first = 1; first < 8; ++first) {
      const auto later =
          values(k.formula, std::vector<Real>(x.begin() + static_cast<std::ptrdiff_t>(first), x.end()));
      CHECK(std::equal(later.begin(), later.end(), f.begin() + static_cast<std::ptrdiff_t>(first)));
    }
  }
  CHECK(hash == 5661245337713899598u);
}
