// Rates and steps in one pass against the matrix of the same balance, which is put together by other code:
// for every number of axes, form of line, kind of end and cut.
#include <doctest/doctest.h>

#include <cmath>
#include <random>

#include "williwaw/williwaw.hpp"

using namespace williwaw;

namespace {

enum class Form { uniform, stretched, varying };
enum class Ends { boundaries, periodic, prescribed };
enum class Extra { none, source, cut };

Problem problem_of(int dimension, Index nx, Form form, Ends ends, Extra extra) {
  const Unknowns unknowns = ends == Ends::prescribed ? Unknowns::nodes : Unknowns::cells;
  const auto axis = [&](const char* name, Index count, bool periodic) {
    if (form != Form::stretched) return Axis::uniform(name, 0, 1.2, count, unknowns, periodic);
    std::vector<Real> faces{0};
    for (Index i = 0; i < count; ++i)
      faces.push_back(faces.back() + 0.1 + 0.03 * static_cast<Real>(i * i % 5));
    return Axis(name, faces, unknowns, periodic);
  };
  std::vector<Axis> axes{axis("x", nx, ends == Ends::periodic)};
  const char* names[] = {"x", "y", "z"};
  for (int a = 1; a < dimension; ++a) axes.push_back(axis(names[a], 3, false));
  Equation equation = form == Form::varying
                          ? diffusion([](Point p) { return 1 + p.x + 0.5 * p.y * p.z; }, 1.3)
                          : diffusion(0.7, 1.3);
  if (extra == Extra::source) equation.source = [](Point p) { return 2 + std::sin(5 * p.x); };
  const Regions hole(
      {{"hole", inside([](Point p) { return p.x > 0.25 && p.x < 0.5 && p.y < 0.45; }), false}});
  Problem p = extra == Extra::cut ? Problem(Grid(axes), equation, hole) : Problem(Grid(axes), equation);
  if (ends == Ends::prescribed) p.boundary("west", dirichlet(0.8)).boundary("east", robin(2.0, 0.3));
  if (ends == Ends::boundaries) p.boundary("west", robin(1.5, 0.2)).boundary("east", flux(0.4));
  if (extra == Extra::cut) p.boundary("hole", dirichlet(0.5));
  p.default_boundary(insulated());
  return p;
}

State product(const LinearSystem& system, const State& y) {
  State out(y.size(), 0.0);
  for (const auto& t : triplets_of(system))
    out[static_cast<std::size_t>(t.row)] += t.value * y[static_cast<std::size_t>(t.column)];
  return out;
}

void compare(const Problem& p) {
  ProblemBalance balance(p, {1});
  const std::size_t count = static_cast<std::size_t>(p.grid().count());
  std::mt19937 random(static_cast<unsigned>(count));
  std::uniform_real_distribution<Real> value(-1, 1);
  State y(count), none(count, 0.0), rate(count), rate_of_none(count), next(count);
  for (std::size_t n = 0; n < count; ++n)
    y[n] = balance.outline().active(static_cast<Index>(n)) ? value(random) : 0;
  balance.prescribe(0, y);
  balance.prescribe(0, none);
  Ledger ledger(balance.lines().size());
  balance.rate(none, 0, Parts::all(), rate_of_none, ledger);
  balance.rate(y, 0, Parts::all(), rate, ledger);
  LinearSystem conductances, capacities;
  balance.linearise(y, 0, 0, 1, Parts::all(), conductances);
  balance.linearise(y, 0, 1, 0, Parts::all(), capacities);
  State difference(count);
  for (std::size_t n = 0; n < count; ++n) difference[n] = y[n] - none[n];
  const State flow = product(conductances, difference), capacity = product(capacities, State(count, 1.0));
  std::vector<char> prescribed(count, 0);
  for (const Index h : balance.prescribed()) prescribed[static_cast<std::size_t>(h)] = 1;

  const Real step = 0.003;
  Ledger amounts(balance.lines().size());
  const Totals totals = balance.advance(y, 0, step, next, amounts);
  Totals sums;
  Real gained = 0;
  for (std::size_t n = 0; n < count; ++n) {
    if (!balance.outline().active(static_cast<Index>(n))) continue;
    const Real own = balance.conductances(0)->capacity(static_cast<Index>(n));
    sums.content += own * next[n];
    sums.gross += own * std::abs(next[n]);
    sums.lowest = std::min(sums.lowest, next[n]);
    sums.highest = std::max(sums.highest, next[n]);
    gained += own * (next[n] - y[n]);
    if (prescribed[n]) {
      CHECK(next[n] == y[n]);
      continue;
    }
    CHECK(own == doctest::Approx(capacity[n]));
    CHECK(rate[n] == doctest::Approx(rate_of_none[n] - flow[n]).epsilon(1e-11));
    CHECK(next[n] == doctest::Approx(y[n] + step * rate[n] / own).epsilon(1e-12));
  }
  CHECK(totals.content == doctest::Approx(sums.content).epsilon(1e-12));
  CHECK(totals.gross == doctest::Approx(sums.gross).epsilon(1e-12));
  CHECK(totals.integral == doctest::Approx(sums.content / 1.3).epsilon(1e-12));
  CHECK(totals.lowest == sums.lowest);
  CHECK(totals.highest == sums.highest);
  // What came in by all lines is what is there more.
  Real came = 0;
  for (std::size_t l = 0; l < amounts.size(); ++l) came += amounts[l];
  CHECK(came == doctest::Approx(gained).epsilon(1e-9));
}

}  // namespace

TEST_CASE("rates, steps, sums and bookings in one pass are those of the matrix, whatever a line is like") {
#ifdef WILLIWAW_SANITIZED  // the ends of loops are what counts there
  const std::vector<Index> lengths{1, 2, 3};
  constexpr int least = 80;
#else
  const std::vector<Index> lengths{1, 2, 3, 4, 9};
  constexpr int least = 231;
#endif
  int compared = 0;
  for (int dimension = 1; dimension <= 3; ++dimension)
    for (const Index nx : lengths)
      for (const Form form : {Form::uniform, Form::stretched, Form::varying})
        for (const Ends ends : {Ends::boundaries, Ends::periodic, Ends::prescribed})
          for (const Extra extra : {Extra::none, Extra::source, Extra::cut}) {
            if (extra == Extra::cut && (nx < 9 || dimension == 1)) continue;
            if (ends == Ends::periodic && nx < 3) continue;
            CAPTURE(dimension);
            CAPTURE(nx);
            CAPTURE(static_cast<int>(form));
            CAPTURE(static_cast<int>(ends));
            CAPTURE(static_cast<int>(extra));
            compare(problem_of(dimension, nx, form, ends, extra));
            ++compared;
          }
  CHECK(compared >= least);
}
