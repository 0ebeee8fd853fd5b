// Components of a vector on the faces normal to them, and what stands beside them at cells.
#include <doctest/doctest.h>

#include <cmath>

#include "support/marching.hpp"
#include "williwaw/grid/field_operations.hpp"
#include "williwaw/terms/problem_balance.hpp"

using namespace williwaw;
using namespace williwaw::test;

namespace {

Grid box(Index nx, Index ny, bool periodic = false, Real growth = 1) {
  const auto axis = [&](const char* name, Index n, Real length) {
    std::vector<Real> faces{0};
    for (Index i = 0; i < n; ++i) faces.push_back(faces.back() + std::pow(growth, static_cast<Real>(i)));
    for (Real& f : faces) f *= length / faces[static_cast<std::size_t>(n)];
    return growth == 1 ? Axis::uniform(name, 0, length, n, Unknowns::cells, periodic)
                       : Axis(name, faces, Unknowns::cells, periodic);
  };
  return Grid({axis("x", nx, 1), axis("y", ny, 0.8)});
}

Problem unknown(const Grid& g, const std::string& name, Real diffusivity, const Function& initial) {
  Equation e = diffusion(diffusivity);
  e.may_be_still = true;
  e.unknown = name;
  Problem p(g, e);
  p.initial = initial;
  return p;
}

// A wind in a closed box: its normal component is held at zero on the sides, the other one slips along them;
// and smoke at cells, which it carries.
std::vector<Problem> wind_and_smoke(const Grid& cells, const std::string& reconstruction) {
  std::vector<Problem> result{
      unknown(cells.on_faces(0), "u", 0.01,
              [](Point p) { return std::sin(M_PI * p.x) * (1 + std::cos(3 * p.y)); }),
      unknown(cells.on_faces(1), "v", 0.01,
              [](Point p) { return std::sin(M_PI * p.y / 0.8) * (0.5 - std::cos(4 * p.x)); }),
      unknown(cells, "smoke", 0.0, [](Point p) { return 1 + 0.5 * std::sin(7 * p.x + 3 * p.y); })};
  for (std::size_t n = 0; n < 3; ++n) {
    result[n].reconstruction = reconstruction;
    for (const char* side : {"west", "east"}) result[n].boundary(side, n == 0 ? dirichlet(0.0) : insulated());
    for (const char* side : {"south", "north"})
      result[n].boundary(side, n == 1 ? dirichlet(0.0) : insulated());
  }
  return result;
}

}  // namespace

TEST_CASE("a grid with unknowns on faces has as many along its axis as there are faces, and knows where") {
  const Grid cells = box(4, 3), u = cells.on_faces(0), v = cells.on_faces(1);
  CHECK(u.size(0) == 5);
  CHECK(u.size(1) == 3);
  CHECK(v.count() == 16);
  CHECK(u.point(1, 2).x == doctest::Approx(0.25));
  CHECK(u.point(1, 2).y == doctest::Approx(0.8 * 2.5 / 3));
  CHECK_FALSE(u.is_at_one_place());
  CHECK(u.at_cells() == cells);
  CHECK_FALSE(u == v);
  Real sum = 0;
  for (Index n = 0; n < u.count(); ++n) sum += u.volume_of(n);
  CHECK(sum == doctest::Approx(0.8));
  CHECK(box(4, 3, true).on_faces(0).size(0) == 4);
  CHECK(u.neighbour(4, 0, true) == -1);
  CHECK(box(4, 3, true).neighbour(3, 0, true) == 0);
  CHECK(box(4, 3, true).neighbour(0, 1, false) == 8);
}

TEST_CASE("values between places: straight lines stay straight on even and uneven axes, seams are crossed") {
  for (const Real growth : {1.0, 1.3}) {
    const Grid cells = box(5, 4, false, growth), faces = cells.on_faces(0);
    const auto plane = [](Point p) { return 2 + 3 * p.x - 5 * p.y; };
    std::vector<Real> on_faces;
    for (Index n = 0; n < faces.count(); ++n) on_faces.push_back(plane(faces.point_of(n)));
    const std::vector<Real> at_all = MeansBetween(cells, faces).all(on_faces);
    for (Index n = 0; n < cells.count(); ++n)
      CHECK(at_all[static_cast<std::size_t>(n)] == doctest::Approx(plane(cells.point_of(n))).epsilon(1e-13));
    // From the faces of x to those of y, inside.
    const MeansBetween across(cells.on_faces(1), faces);
    CHECK_FALSE(across.same());
    for (const Index j : {1, 2, 3})
      CHECK(across.at(on_faces.data(), 2, j, 0) ==
            doctest::Approx(plane(cells.on_faces(1).point(2, j))).epsilon(1e-13));
    // A field at cells knows what it is on sides.
    Field field(faces, on_faces);
    field.set_knows_beyond(true);
    const Field shown = at_cells(field);
    CHECK(shown.grid() == cells);
    CHECK(shown.sample({1, 0.4, 0}) == doctest::Approx(plane({1, 0.4, 0})));
    CHECK(shown.sample({0, 0.4, 0}) == doctest::Approx(plane({0, 0.4, 0})));
  }
  const Grid ring = box(6, 3, true);
  std::vector<Real> first(static_cast<std::size_t>(ring.on_faces(0).count()), 0.0);
  first[0] = 1;
  const std::vector<Real> half = MeansBetween(ring, ring.on_faces(0)).all(first);
  CHECK(half[0] == doctest::Approx(0.5));
  CHECK(half[5] == doctest::Approx(0.5));
  CHECK(half[1] == 0);
  CHECK_THROWS_AS(MeansBetween(ring, box(7, 3, true)), InputError);
}

TEST_CASE("wind on faces carries smoke at cells: nothing is lost in a closed box, every ledger closes") {
  for (const char* reconstruction : {"first-order", "van-leer", "weno5"}) {
    for (const bool advective : {false, true}) {
      CAPTURE(reconstruction);
      CAPTURE(advective);
      ProblemBalance balance(wind_and_smoke(box(12, 9), reconstruction), {},
                             advection_by_unknowns({0, 1, -1}, advective, 3));
      CHECK_FALSE(balance.is_at_one_place());
      State y = balance.initial_state();
      Plan plan;
      plan.scheme = scheme("ssprk3");
      plan.until = 0.1;
      plan.step = 0.01;
      const Real before = balance.totals_by_unknown(y, 0)[2].content;
      const Outcome o = march(balance, y, plan);
      CHECK(o.budget.worst_step() < 1e-13);
      const Real after = balance.totals_by_unknown(y, 0.1)[2].content;
      if (!advective) CHECK(after == doctest::Approx(before).epsilon(1e-13));
      // Conservative or not, it is the same smoke: what the divergence gave back has its line.
      for (std::size_t l = 0; l < balance.lines().size(); ++l)
        if (balance.lines()[l].name == "smoke divergence")
          CHECK(after == doctest::Approx(before + o.budget.amounts()[l]).epsilon(1e-12));
      // The sides hold the normal component.
      CHECK(balance.field(y, 0.1, 0).at(0, 4) == 0);
      CHECK(balance.field(y, 0.1, 1).at(3, 9) == 0);
    }
  }
}

TEST_CASE("smoke that is the same everywhere stays so in advective form, and follows the wind in the other") {
  std::vector<Problem> all = wind_and_smoke(box(8, 6), "van-leer");
  all[2].initial = 3.0;
  for (const bool advective : {false, true}) {
    ProblemBalance balance(all, {}, advection_by_unknowns({0, 1, -1}, advective, 3));
    const State y = balance.initial_state();
    State f(y.size());
    Ledger ledger(balance.lines().size());
    balance.rate(y, 0, Parts::all(), f, ledger);
    const Grid cells = box(8, 6);
    // −3·∇·v by differences of faces.
    const Index first = balance.layout().start(2);
    const Field u = balance.field(y, 0, 0), v = balance.field(y, 0, 1);
    for (Index n = 0; n < cells.count(); ++n) {
      const auto [i, j, k] = cells.position(n);
      const Real divergence = (u.at(i + 1, j) - u.at(i, j)) * 8 + (v.at(i, j + 1) - v.at(i, j)) * 6 / 0.8;
      CHECK(f[static_cast<std::size_t>(first + n)] / cells.volume_of(n) ==
            doctest::Approx(advective ? 0 : -3 * divergence).epsilon(1e-11));
    }
  }
}

TEST_CASE("a wind on faces whose axes change places is the same wind") {
  const auto made = [](bool turned) {
    const Grid g = turned ? Grid({Axis::uniform("x", 0, 0.8, 6, Unknowns::cells),
                                  Axis::uniform("y", 0, 1, 9, Unknowns::cells)})
                          : Grid({Axis::uniform("x", 0, 1, 9, Unknowns::cells),
                                  Axis::uniform("y", 0, 0.8, 6, Unknowns::cells)});
    std::vector<Problem> members;
    for (const bool along : {true, false}) {
      Problem p =
          unknown(g.on_faces(along != turned ? 0 : 1), along ? "u" : "v", 0.02, [turned, along](Point q) {
            const Real a = turned ? q.y : q.x, b = turned ? q.x : q.y;
            return along ? 0.4 * std::sin(5 * a + 2 * b) : 0.3 * std::cos(4 * b - 3 * a);
          });
      p.reconstruction = "van-leer";
      p.boundary(turned ? "south" : "west", gradient(0.0))
          .boundary(turned ? "north" : "east", dirichlet(0.2));
      p.boundary(turned ? "west" : "south", dirichlet(0.1)).boundary(turned ? "east" : "north", insulated());
      members.push_back(p);
    }
    if (turned) std::swap(members[0], members[1]);
    return members;
  };
  for (const bool advective : {false, true}) {
    CAPTURE(advective);
    ProblemBalance as_is(made(false), {}, advection_by_unknowns({0, 1, -1}, advective, 2)),
        turned(made(true), {}, advection_by_unknowns({0, 1, -1}, advective, 2));
    const State y = as_is.initial_state(), z = turned.initial_state();
    State f(y.size()), g(z.size());
    Ledger of_f(as_is.lines().size()), of_g(turned.lines().size());
    as_is.rate(y, 0, Parts::all(), f, of_f);
    turned.rate(z, 0, Parts::all(), g, of_g);
    for (const std::size_t m : {0, 1}) {
      const Grid& own = as_is.grid(m);
      const Index first = as_is.layout().start(m), other = turned.layout().start(1 - m);
      for (Index n = 0; n < own.count(); ++n) {
        const auto at = own.position(n);
        const Index there = other + turned.grid(1 - m).number(at[1], at[0]);
        CHECK(f[static_cast<std::size_t>(first + n)] ==
              doctest::Approx(g[static_cast<std::size_t>(there)]).epsilon(1e-12));
      }
    }
    CHECK(of_f.sum() == doctest::Approx(of_g.sum()));
    CHECK(of_f.gross() == doctest::Approx(of_g.gross()));
    Real sum = 0;
    for (const Real one : f) sum += one;
    CHECK(sum == doctest::Approx(of_f.sum()));
  }
}

TEST_CASE("a block with all three components keeps a wind that is the same everywhere, along each axis") {
  const Grid cells({Axis::uniform("x", 0, 1, 5, Unknowns::cells, true),
                    Axis::uniform("y", 0, 1, 4, Unknowns::cells, true),
                    Axis::uniform("z", 0, 1, 6, Unknowns::cells, true)});
  std::vector<Problem> wind;
  const Real speed[] = {0.5, -0.7, 0.3};
  for (int a = 0; a < 3; ++a)
    wind.push_back(unknown(cells.on_faces(a), std::string(1, "uvw"[a]), 0.01, speed[a]));
  // A wave in the smoke, which is moved as a whole: by how much each axis carries it is told apart.
  wind.push_back(unknown(cells, "smoke", 0, [](Point p) {
    return std::sin(2 * M_PI * p.x) + 2 * std::sin(2 * M_PI * p.y) + 3 * std::sin(2 * M_PI * p.z);
  }));
  ProblemBalance balance(wind, {}, advection_by_unknowns({0, 1, 2}, true, 4));
  const State y = balance.initial_state();
  State f(y.size());
  Ledger ledger(balance.lines().size());
  balance.rate(y, 0, Parts::all(), f, ledger);
  for (Index n = 0; n < balance.layout().start(3); ++n)
    CHECK(std::abs(f[static_cast<std::size_t>(n)]) < 1e-13);
  // Upwind differences of each wave.
  const auto wave = [](Real x) { return std::sin(2 * M_PI * x); };
  const auto upwind = [&](Real x, Real h, Real v) {
    return -v * (v > 0 ? wave(x) - wave(x - h) : wave(x + h) - wave(x)) / h;
  };
  for (Index n = 0; n < cells.count(); ++n) {
    const Point p = cells.point_of(n);
    CHECK(
        f[static_cast<std::size_t>(balance.layout().start(3) + n)] / cells.volume_of(n) ==
        doctest::Approx(upwind(p.x, 0.2, 0.5) + 2 * upwind(p.y, 0.25, -0.7) + 3 * upwind(p.z, 1.0 / 6, 0.3)));
  }
}

namespace {

// Both components turn into each other: u_t = r·v, v_t = −r·u.
SystemReaction turning(Real r) {
  SystemReaction result([r](const Points&, Real, UnknownLines u, std::span<std::span<Real>> out) {
    for (std::size_t i = 0; i < u[0].size(); ++i) {
      out[0][i] = r * u[1][i];
      out[1][i] = -r * u[0][i];
    }
  });
  result.on_place = result.on_time = false;
  result.linear = true;
  return result;
}

}  // namespace

TEST_CASE("components on faces react with what the others are there") {
  const Grid cells = box(6, 5, true);
  std::vector<Problem> wind{unknown(cells.on_faces(0), "u", 0, 2.0), unknown(cells.on_faces(1), "v", 0, 0.0)};
  ProblemBalance balance(wind, turning(M_PI));
  State y = balance.initial_state();
  Plan plan;
  plan.scheme = scheme("crank-nicolson");
  plan.until = 0.5;
  plan.step = 0.005;
  const Outcome o = march(balance, y, plan);
  CHECK(o.ending == Outcome::Ending::reached);
  CHECK(o.budget.worst_step() < 1e-12);
  // A quarter turn.
  for (Index n = 0; n < 30; ++n) {
    CHECK(std::abs(y[static_cast<std::size_t>(n)]) < 1e-3);
    CHECK(y[static_cast<std::size_t>(30 + n)] == doctest::Approx(-2).epsilon(1e-6));
  }
}

TEST_CASE("the matrix of components that react between their places is the derivative of their rates") {
  std::vector<Problem> wind = wind_and_smoke(box(5, 4), "first-order");
  ProblemBalance balance(
      wind, SystemReaction([](const Points&, Real, UnknownLines u, std::span<std::span<Real>> out) {
        for (std::size_t i = 0; i < u[0].size(); ++i) {
          out[0][i] = u[1][i] * u[2][i];
          out[1][i] = -u[0][i] * std::abs(u[0][i]);
          out[2][i] = std::sin(u[0][i]) + u[1][i];
        }
      }));
  const State y = balance.initial_state();
  LinearSystem system;
  balance.linearise(y, 0, 0, 1, Parts::all(), system);
  std::vector<std::vector<Real>> matrix(y.size(), std::vector<Real>(y.size(), 0.0));
  for (const Triplet& t : triplets_of(system))
    matrix[static_cast<std::size_t>(t.row)][static_cast<std::size_t>(t.column)] += t.value;
  const auto prescribed = balance.prescribed();
  const auto free = [&](std::size_t n) {
    return !std::ranges::binary_search(prescribed, static_cast<Index>(n));
  };
  Ledger ledger(balance.lines().size());
  for (std::size_t column = 0; column < y.size(); ++column) {
    if (!free(column)) continue;
    State high = y, low = y, of_high(y.size()), of_low(y.size());
    high[column] += 1e-5;
    low[column] -= 1e-5;
    balance.rate(high, 0, Parts::all(), of_high, ledger);
    balance.rate(low, 0, Parts::all(), of_low, ledger);
    for (std::size_t row = 0; row < y.size(); ++row)
      if (free(row))
        CHECK(matrix[row][column] ==
              doctest::Approx(-(of_high[row] - of_low[row]) / 2e-5).epsilon(1e-6).scale(0.01));
  }
}

TEST_CASE("states of unknowns on faces have the same bits for any number of threads") {
  const auto after = [](int threads) {
    ProblemBalance balance(
        System{wind_and_smoke(box(40, 30), "van-leer"), {}, advection_by_unknowns({0, 1, -1}, true, 3)},
        {threads});
    State y = balance.initial_state();
    Plan plan;
    plan.scheme = scheme("rk2");
    plan.until = 0.02;
    plan.step = 0.002;
    plan.threads = threads;
    march(balance, y, plan);
    return y;
  };
  CHECK(after(1) == after(3));
}

TEST_CASE("unknowns on faces refuse what is of one place") {
  const Grid cells = box(6, 5, true);
  const Problem u = unknown(cells.on_faces(0), "u", 0.1, 1.0), v = unknown(cells.on_faces(1), "v", 0.1, 1.0);
  CHECK_THROWS_WITH_AS(
      ProblemBalance({u, v}, {}, advection_by_unknowns({1, 0, -1}, true, 2)),
      "what advects along x stands on the faces normal to x: give the component of a vector along it",
      InputError);
  CHECK_THROWS_WITH_AS(ProblemBalance({u, v}, {}, self_advecting_flux(2)),
                       "fluxes by formulas are of unknowns at one place: take them at cells or at nodes",
                       InputError);
  System cross{{u, v}};
  cross.cross_diffusion.push_back(
      {0, 1, [](const Points&, Real, UnknownLines, std::span<Real> out) { std::ranges::fill(out, 0.1); }});
  CHECK_THROWS_WITH_AS(ProblemBalance{cross},
                       "cross diffusion is between unknowns at one place: take them at cells or at nodes",
                       InputError);
  CHECK_THROWS_AS(ProblemBalance({u, unknown(box(7, 5, true), "w", 0.1, 1.0)}), InputError);
}
