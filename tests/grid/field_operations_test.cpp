// Fields as objects: derivatives against formulas, integrals kept by resampling, noise that is one field on
// every grid.
#include "williwaw/grid/field_operations.hpp"

#include <doctest/doctest.h>

#include "support/advected.hpp"

using namespace williwaw;
using namespace williwaw::test;

namespace {

Real wave_of(const Point& p) {
  return std::sin(2 * M_PI * p.x) * std::cos(2 * M_PI * p.y);
}

Real largest(const Field& f) {
  return std::max(std::abs(f.lowest()), std::abs(f.highest()));
}

Grid uneven_line(Index cells) {
  std::vector<Real> faces;
  for (Index i = 0; i <= cells; ++i) {
    const Real s = static_cast<Real>(i) / static_cast<Real>(cells);
    faces.push_back(s + 0.1 * s * (1 - s));
  }
  return Grid({Axis("x", faces, Unknowns::cells)});
}

}  // namespace

TEST_CASE("arithmetic works value by value and beyond the boundaries") {
  const Grid g({Axis::uniform("x", 0, 1, 5, Unknowns::cells)});
  const Field a = sample(g, [](const Point&p) { return 1 + p.x; }),
              b = sample(g, [](const Point&p) { return 2 * p.x; });
  const Field c = 3 * (a + b) / a - b * b + (1 - a);
  for (Index n = -1; n <= 5; ++n) {
    const Real x = a.at(n) - 1;
    CHECK(c.at(n) == doctest::Approx(3 * (1 + 3 * x) / (1 + x) - 4 * x * x - x));
  }
  CHECK(applied(-a, [](Real v) { return v * v; }).at(2) == doctest::Approx(a.at(2) * a.at(2)));
  CHECK_THROWS_AS(a + Field(Grid({Axis::uniform("x", 0, 1, 6, Unknowns::cells)})), InputError);
}

TEST_CASE("gradient, divergence and Laplacian are of second order") {
  const auto errors = [](Index n) {
    const Grid g = periodic_plan(n);
    const Field f = sample(g, wave_of);
    const VectorField slope = gradient(f);
    const Field x = slope[0] - sample(g, [](const Point& p) {
                      return 2 * M_PI * std::cos(2 * M_PI * p.x) * std::cos(2 * M_PI * p.y);
                    });
    const Field second = laplacian(f) + 8 * M_PI * M_PI * f, other = divergence(slope) + 8 * M_PI * M_PI * f;
    return std::array{largest(x), largest(second), largest(other)};
  };
  const auto coarse = errors(20), fine = errors(40);
  for (std::size_t k = 0; k < 3; ++k)
    CHECK(order_between(coarse[k], fine[k]) == doctest::Approx(2).epsilon(0.05));
}

TEST_CASE("boundaries count in derivatives by what lies beyond them") {
  // With the boundary's own values a parabola has its slope and its second derivative up to the boundary.
  Problem p(uneven_line(12), diffusion(1.0));
  p.initial = [](Point q) { return q.x * q.x; };
  p.boundary("west", dirichlet(0.0)).boundary("east", dirichlet(1.0));
  ProblemBalance balance(p);
  const Field f = balance.field(balance.initial_state(), 0);
  const VectorField slope = gradient(f);
  for (Index i = 1; i < 11; ++i) CHECK(slope[0][i] == doctest::Approx(2 * p.grid().point(i).x).epsilon(1e-9));
  CHECK(slope[0][0] == doctest::Approx(2 * p.grid().point(0).x).epsilon(0.6));
  const FaceField faces = face_gradient(f);
  CHECK(faces.at(0, 12) == doctest::Approx(2).epsilon(0.06));
  CHECK(at_unknowns(faces)[0][5] == doctest::Approx(2 * p.grid().point(5).x).epsilon(0.02));
}

TEST_CASE("resampling keeps integrals or values, whatever the grids") {
  const Grid fine(
      {Axis::uniform("x", 0, 1, 60, Unknowns::cells), Axis::uniform("y", 0, 2, 44, Unknowns::cells)});
  const Grid other(
      {Axis::uniform("x", 0, 1, 17, Unknowns::cells), Axis::uniform("y", 0, 2, 90, Unknowns::cells)});
  const Field f = sample(fine, [](const Point& p) { return 1 + p.x * p.x + std::sin(3 * p.y); });
  const Field kept = resample(f, other, Resampling::conserve), between = resample(f, other);
  CHECK(kept.integral() == doctest::Approx(f.integral()).epsilon(1e-13));
  CHECK(between.difference([](const Point& p) { return 1 + p.x * p.x + std::sin(3 * p.y); }).max < 0.05);
  CHECK(kept.highest() <= f.highest());
  CHECK(resample(resample(f, other, Resampling::conserve), fine, Resampling::conserve).integral() ==
        doctest::Approx(f.integral()).epsilon(1e-13));
  CHECK_THROWS_AS(resample(f, uneven_line(4)), InputError);
}

TEST_CASE("slices are fields of one dimension less") {
  const Grid block({Axis::uniform("x", 0, 1, 8, Unknowns::nodes),
                    Axis::uniform("y", 0, 1, 6, Unknowns::nodes),
                    Axis::uniform("z", 0, 1, 4, Unknowns::nodes)});
  const Field f = sample(block, [](const Point& p) { return p.x + 10 * p.y + 100 * p.z; });
  const Field plane = slice(f, 1, 0.4);
  CHECK(plane.grid().dimension() == 2);
  CHECK(plane.sample({0.3, 0, 0.6}) == doctest::Approx(0.3 + 4 + 60));
  CHECK(slice(plane, 1, 0.25).sample({0.5, 0, 0}) == doctest::Approx(0.5 + 4 + 25));
  CHECK_THROWS_AS(slice(slice(plane, 1, 0.25), 0, 0.1), InputError);
}

TEST_CASE("noise has its size and length, repeats by its seed, and is the same on every grid") {
  const Grid coarse = periodic_plan(32), fine = periodic_plan(96);
  const auto noise = smooth_noise(coarse, 2, 0.05, 7);
  const Field a = sample(coarse, noise), b = sample(fine, smooth_noise(fine, 2, 0.05, 7));
  CHECK(a.norms().l2 == doctest::Approx(2).epsilon(0.15));
  CHECK(std::abs(a.mean()) < 0.5);
  // Every third point of the fine grid is one of the coarse grid's.
  Real apart = 0;
  for (Index j = 0; j < 32; ++j)
    for (Index i = 0; i < 32; ++i) apart = std::max(apart, std::abs(a.at(i, j) - b.at(3 * i + 1, 3 * j + 1)));
  CHECK(apart < 1e-9);
  CHECK(noise({0.3, 1.2, 0}) == doctest::Approx(noise({1.3, 0.2, 0})).epsilon(1e-9));
  CHECK(smooth_noise(coarse, 2, 0.05, 8)({0.3, 0.2, 0}) != noise({0.3, 0.2, 0}));
  // Correlation at one length is exp(−1/2).
  const Field moved = sample(fine, [&](const Point& p) { return noise({p.x + 0.05, p.y, 0}); });
  CHECK((b * moved).mean() / (b * b).mean() == doctest::Approx(std::exp(-0.5)).epsilon(0.15));
}

TEST_CASE("noise of many places is that of each, on lines and off them") {
  const Grid domain = periodic_plan(32);
  const auto one = smooth_noise(domain, 2, 0.05, 7);
  const auto many = smooth_noise_by_line(domain, 2, 0.05, 7);
  for (const bool line : {true, false})
    for (const Index count : {1, 5, 40, 41}) {
      Points places(count);
      for (Index i = 0; i < count; ++i) {
        const Real at = static_cast<Real>(i);
        places.set(i, {0.013 * at * at, line ? 0.7 : 0.02 * at, line ? 0.1 : 0.3 * at});
      }
      std::vector<Real> values(static_cast<std::size_t>(count), 5.0);
      // The second time with what is known of the line.
      for (int time = 0; time < 2; ++time) {
        many(places, values);
        for (Index i = 0; i < count; ++i) CHECK(std::abs(values[i] - one(places[i])) < 1e-11);
        if (line) std::ranges::fill(places.y, 1.3);
      }
    }
}

TEST_CASE("batches are advanced together and each as if alone") {
  Problem p(periodic_line(40), transport(Velocity(1.0), 0.01));
  ProblemBalance balance(p);
  std::vector<State> batch;
  for (std::uint64_t seed = 1; seed <= 4; ++seed)
    batch.push_back(sample(p.grid(), smooth_noise(p.grid(), 1, 0.1, seed)).values());
  const std::vector<State> start = batch;
  Plan plan;
  plan.scheme = scheme("ssprk3");
  plan.until = 0.2;
  plan.step = 0.01;
  const auto outcomes = march_batch(balance, batch, plan);
  REQUIRE(outcomes.size() == 4);
  for (std::size_t n = 0; n < 4; ++n) {
    ProblemBalance own(p);
    State alone = start[n];
    march(own, alone, plan);
    CHECK(alone == batch[n]);
  }
}

namespace {

Grid with_sides(Index n, Unknowns unknowns) {
  return Grid({Axis::uniform("x", 0, 1, n, unknowns), Axis::uniform("y", 0, 2, n + 3, unknowns)});
}

Real smooth(const Point& p) {
  return std::exp(0.7 * p.x) * std::cos(1.3 * p.y + 0.4);
}

}  // namespace

TEST_CASE("derivatives reach their order beside sides, with what lies beyond known and unknown") {
  for (const Unknowns unknowns : {Unknowns::cells, Unknowns::nodes})
    for (const bool known : {true, false}) {
      const auto errors = [&](Index n) {
        const Grid g = with_sides(n, unknowns);
        Field f = sample(g, smooth);
        CHECK(f.knows_beyond());
        if (!known) f.extend();
        const VectorField slope = gradient(f);
        const Field x = slope[0] - sample(g, [](const Point& p) { return 0.7 * smooth(p); });
        const Field second =
            laplacian(f) - sample(g, [](const Point& p) { return (0.49 - 1.69) * smooth(p); });
        return std::array{largest(x), largest(second), largest(divergence(slope) - laplacian(f))};
      };
      CAPTURE(known);
      CAPTURE(unknowns == Unknowns::nodes);
      const auto coarse = errors(20), fine = errors(40);
      CHECK(order_between(coarse[0], fine[0]) > 1.8);
      // One-sided slopes leave a first order beside sides.
      CHECK(order_between(coarse[1], fine[1]) > (known ? 1.75 : 0.8));
      CHECK(fine[1] < (known ? 2e-3 : 0.1));
    }
}

TEST_CASE("derivatives do not know which axis is which, with what lies beyond known and unknown") {
  const auto value = [](Real a, Real b) { return std::sin(2 * a + 0.3) * std::exp(b) + a * a * b; };
  for (const Unknowns unknowns : {Unknowns::cells, Unknowns::nodes})
    for (const bool known : {true, false}) {
      const auto of = [&](bool turned) {
        const Axis first(turned ? "y" : "x", {0, 0.1, 0.25, 0.4, 0.6, 0.7, 1}, unknowns),
            second(turned ? "x" : "y", {0, 0.2, 0.3, 0.5, 0.9}, unknowns);
        Field f = sample(Grid(turned ? std::vector<Axis>{second, first} : std::vector<Axis>{first, second}),
                         [&](const Point& q) { return turned ? value(q.y, q.x) : value(q.x, q.y); });
        if (!known) f.extend();
        return f;
      };
      CAPTURE(known);
      const Field f = of(false), g = of(true);
      const VectorField slope = gradient(f), other = gradient(g);
      const Field second = laplacian(f), other_second = laplacian(g);
      const Index n = f.grid().size(0), m = f.grid().size(1);
      for (Index j = 0; j < m; ++j)
        for (Index i = 0; i < n; ++i) {
          CHECK(slope[0][i + n * j] == doctest::Approx(other[1][j + m * i]).epsilon(1e-11));
          CHECK(slope[1][i + n * j] == doctest::Approx(other[0][j + m * i]).epsilon(1e-11));
          CHECK(second[i + n * j] == doctest::Approx(other_second[j + m * i]).epsilon(1e-10));
        }
    }
}

TEST_CASE("resampling between cells and nodes is second-order up to edges and corners") {
  const auto error = [](Index n, Unknowns from, Unknowns to, bool known) {
    Field f = sample(with_sides(n, from), smooth);
    if (!known) f.extend();
    return resample(f, with_sides(n, to)).difference(smooth).max;
  };
  for (const bool known : {true, false}) {
    CHECK(order_between(error(20, Unknowns::cells, Unknowns::nodes, known),
                        error(40, Unknowns::cells, Unknowns::nodes, known)) > 1.7);
    CHECK(error(40, Unknowns::cells, Unknowns::nodes, known) < 4e-3);
    CHECK(error(40, Unknowns::nodes, Unknowns::cells, known) < 2e-3);
  }
}

TEST_CASE("fields of the wrong size are refused") {
  Field f(with_sides(4, Unknowns::cells));
  CHECK_THROWS_AS(f.set_raw(std::vector<Real>(3)), InputError);
  CHECK_THROWS_AS(f.assign(std::vector<Real>(3)), InputError);
  CHECK_THROWS_AS(Field(f.grid(), std::vector<Real>(5)), InputError);
}

TEST_CASE(
    "cubic sampling is exact for cubics, beside boundaries and across seams too, and linear beside "
    "cut-outs") {
  const auto cubic = [](const Point& p) { return 1 + p.x * p.x * p.x - 2 * p.x * p.y * p.y + p.y; };
  const Grid g({Axis("x", {0, 0.1, 0.25, 0.45, 0.7, 1}, Unknowns::cells),
                Axis::uniform("y", 0, 2, 6, Unknowns::cells)});
  const Field f = sample(g, cubic);
  for (const Point p : {Point{0.33, 0.91, 0}, Point{0.01, 1.99, 0}, Point{1, 0, 0}})
    CHECK(sample_cubic(f, p) == doctest::Approx(cubic(p)).epsilon(1e-12));
  CHECK(std::abs(f.sample({0.33, 0.91, 0}) - cubic({0.33, 0.91, 0})) > 1e-4);
  Real error[2];
  for (const int level : {0, 1}) {
    const Grid ring({Axis::uniform("x", 0, 1, 16 << level, Unknowns::cells, true)});
    const Field wave = sample(ring, [](const Point& p) { return std::sin(2 * M_PI * p.x); });
    error[level] = std::abs(sample_cubic(wave, {0.995, 0, 0}) - std::sin(2 * M_PI * 0.995));
  }
  CHECK(std::log2(error[0] / error[1]) > 3);
  Field holed = f;
  const std::vector<Index> gone{g.number(2, 2)};
  holed.leave_out(gone);
  CHECK(sample_cubic(holed, {0.85, 0.5, 0}) == holed.sample({0.85, 0.5, 0}));
  CHECK_THROWS_AS(sample_cubic(f, {1.1, 0, 0}), InputError);
}

TEST_CASE("arithmetic with numbers on either side, and amounts kept between grids of one extent only") {
  const Grid g({Axis::uniform("x", 0, 1, 5, Unknowns::cells), Axis::uniform("y", 0, 2, 4, Unknowns::cells)});
  const Field a = sample(g, [](const Point& p) { return 1 + p.x + p.y; });
  const Field sum = a + 2.0, difference = a - 3.0, product = a * 4.0, quotient = a / 5.0;
  for (Index n = 0; n < g.count(); ++n) {
    CHECK(sum[n] == a[n] + 2);
    CHECK(difference[n] == a[n] - 3);
    CHECK(product[n] == a[n] * 4);
    CHECK(quotient[n] == doctest::Approx(a[n] / 5));
  }
  const Grid finer(
      {Axis::uniform("x", 0, 1, 7, Unknowns::cells), Axis::uniform("y", 0, 2, 3, Unknowns::cells)});
  const Field moved = resample(a, finer, Resampling::conserve);
  Real before = 0, after = 0;
  for (Index n = 0; n < g.count(); ++n) before += g.volume_of(n) * a[n];
  for (Index n = 0; n < finer.count(); ++n) after += finer.volume_of(n) * moved[n];
  CHECK(after == doctest::Approx(before).epsilon(1e-13));
  for (const auto& [from, to] : {std::pair{0.1, 2.0}, {0.0, 1.9}}) {
    const Grid other(
        {Axis::uniform("x", 0, 1, 7, Unknowns::cells), Axis::uniform("y", from, to, 3, Unknowns::cells)});
    CHECK_THROWS_WITH_AS(resample(a, other, Resampling::conserve),
                         "amounts are conserved between grids over the same extent only; along y they differ",
                         InputError);
  }
}

TEST_CASE("extents that differ do so in any unit") {
  for (const Real unit : {1e-7, 1.0, 1e7}) {
    const auto of = [unit](Real to, Index n) {
      return Grid({Axis::uniform("x", 0, to * unit, n, Unknowns::cells)});
    };
    const Field a(of(1, 6), State(6, 2.0));
    CHECK_THROWS_AS(resample(a, of(1.5, 4), Resampling::conserve), InputError);
    CHECK(resample(a, of(1, 4), Resampling::conserve)[3] == doctest::Approx(2));
  }
}

TEST_CASE("a linear vector field is exact on every face, sides included, and at the unknowns again") {
  const auto linear = [](int a, const Point& p) {
    return 2 - a + (3 + a) * p.x - (1.5 + a) * p.y + 0.7 * p.z;
  };
  for (const Unknowns unknowns : {Unknowns::cells, Unknowns::nodes})
    for (int dimension = 1; dimension <= 3; ++dimension)
      for (const bool known : {true, false}) {
        CAPTURE(dimension);
        CAPTURE(known);
        std::vector<Axis> axes;
        for (int a = 0; a < dimension; ++a)
          axes.push_back(Axis::uniform(std::string(1, "xyz"[a]), -1 + a, 1 + a, 4 + a, unknowns));
        const Grid g(axes);
        VectorField field(g);
        for (int a = 0; a < dimension; ++a) {
          field[a] = sample(g, [&](const Point& p) { return linear(a, p); });
          if (!known) field[a].extend();
        }
        const FaceField faces = interpolate_to_faces(field);
        for (int a = 0; a < dimension; ++a) {
          const auto points = g.axis(a).points();
          const Index size = g.size(a);
          for (Index n = 0; n < g.count(); ++n)
            for (const bool above : {false, true}) {
              auto at = g.position(n);
              Point place = g.point_of(n);
              if (above) ++at[static_cast<std::size_t>(a)];
              const Index face = at[static_cast<std::size_t>(a)];
              place[a] = face == 0      ? g.axis(a).from()
                         : face == size ? g.axis(a).to()
                                        : 0.5 * (points[face - 1] + points[face]);
              CAPTURE(face);
              CHECK(faces.at(a, at[0], at[1], at[2]) == doctest::Approx(linear(a, place)).epsilon(1e-12));
            }
        }
        const VectorField again = at_unknowns(faces);
        for (int a = 0; a < dimension; ++a)
          for (Index n = 0; n < g.count(); ++n) {
            const Index i = g.position(n)[static_cast<std::size_t>(a)];
            // The faces of a node on a side are that side and half an interval away.
            if (unknowns == Unknowns::nodes && (i == 0 || i == g.size(a) - 1)) continue;
            CHECK(again[a][n] == doctest::Approx(linear(a, g.point_of(n))).epsilon(1e-12));
          }
      }
}
