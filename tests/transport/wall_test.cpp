// Ends of what is carried along: inflow, outflow, walls that are closed, outlets where the stream turns back.
#include <doctest/doctest.h>

#include <array>
#include <map>

#include "support/carried.hpp"

using namespace williwaw;
using namespace williwaw::test;

namespace {

Grid open_line(Index cells) {
  return Grid({Axis::uniform("x", 0, 1, cells, Unknowns::cells)});
}

Real line_amount(const Carried& run, const std::string& name) {
  for (std::size_t l = 0; l < run.lines.size(); ++l)
    if (run.lines[l].name == name) return run.outcome.budget.amounts()[l];
  FAIL("no such line: " << name);
  return 0;
}

}  // namespace

TEST_CASE("what comes in by a value in time leaves at the other end") {
  const auto signal = [](Real t) { return t < 0 ? 0.0 : std::sin(3 * t) * std::sin(3 * t); };
  const auto error = [&](Index cells) {
    Problem p(open_line(cells), transport(Velocity(1.0)));
    p.reconstruction = "van-leer";
    p.wall("west", dirichlet(signal)).wall("east", outflow());
    const Carried run = carry(p, "ssprk3", 0.45, static_cast<Real>(cells), 1.7);
    CHECK(run.outcome.budget.worst_step() < 1e-13);
    // ∫ sin²(3t) dt up to 1.7 came in; what left came in before 0.7.
    const auto integral = [](Real t) { return 0.5 * t - std::sin(6 * t) / 12; };
    CHECK(line_amount(run, "west: dirichlet") == doctest::Approx(integral(1.7)).epsilon(1e-3));
    CHECK(line_amount(run, "east: outflow") == doctest::Approx(-integral(0.7)).epsilon(0.02));
    return mean_error(p, run.state, [&](Point q) { return signal(1.7 - q.x); });
  };
  CHECK(order_between(error(80), error(160)) > 1.7);
}

TEST_CASE("nothing leaves through closed walls, and a total flux is all that comes in") {
  Problem p(open_line(50), transport(Velocity(-0.7), 0.01));
  p.initial = [](Point q) { return 1 + std::cos(3 * q.x); };
  p.reconstruction = "mc";
  p.wall("west", insulated()).wall("east", flux(0.25));
  const Carried run = carry(p, "ssprk3", 0.4, 100, 2);
  CHECK(line_amount(run, "west: insulated") == 0);
  CHECK(line_amount(run, "east: flux") == doctest::Approx(0.5).epsilon(1e-12));
  CHECK(run.outcome.budget.worst_step() < 1e-13);
}

TEST_CASE("what a stream brings is booked by the condition that lets it in") {
  // A flux from a sill beside a slope that is given: the flux passes by itself, the stream with the other.
  Problem p(open_line(50), transport(Velocity(0.4), 0.02));
  p.initial = 1.0;
  p.reconstruction = "van-leer";
  p.wall("west", flux(0.05) + gradient(0.0)).wall("east", outflow());
  const Carried run = carry(p, "ssprk3", 0.3, 20 + 4 * 0.02 * 2500, 0.5);
  CHECK(line_amount(run, "west: flux") == doctest::Approx(0.025).epsilon(1e-12));
  CHECK(line_amount(run, "west: gradient") > 0.19);
  CHECK(run.outcome.budget.worst_step() < 1e-13);
}

TEST_CASE("a diffusive flux leaves the stream out") {
  // Steady: v·u − D·u' is the same everywhere.
  Problem p(open_line(200), transport(Velocity(1.0), 0.05));
  p.wall("west", dirichlet(2.0)).wall("east", diffusive_flux(0.1));
  p.numerical_flux = "central";
  DiffusionBalance balance(p);
  State y = balance.initial_state();
  const SteadyOutcome found = solve_steady(balance, y);
  CHECK(found.reached);
  // u = 2 + c·(exp(x/D) − 1)·.., with D·u'(1) = 0.1
  const auto exact = [](Real x) { return 2 + 0.1 * (std::exp((x - 1) / 0.05) - std::exp(-1 / 0.05)); };
  for (Index i = 0; i < 200; ++i) CHECK(y[i] == doctest::Approx(exact(p.grid().point(i).x)).epsilon(2e-4));
}

TEST_CASE("totals stay in closed and periodic domains, whatever the velocity does") {
  const auto axis = [](const char* name, bool periodic) {
    std::vector<Real> marks;
    for (int i = 0; i <= 12; ++i) marks.push_back(i / 12.0);
    return Axis(name, marks, Unknowns::cells, periodic);
  };
  for (const bool periodic : {false, true})
    for (const char* scheme_name :
         {"explicit-euler", "ssprk3", "rk4", "implicit-euler", "crank-nicolson", "implicit-explicit", "bdf2"})
      for (const char* name : {"none", "van-leer"}) {
        if (instrumented && std::string(name) == "none") continue;
        CAPTURE(periodic);
        CAPTURE(scheme_name);
        CAPTURE(name);
        Problem p(Grid({axis("x", periodic), axis("y", periodic)}),
                  transport(Velocity([](Point q,
                                        Real t) { return std::sin(6 * q.y + t) + 0.4 * std::cos(5 * q.x); },
                                     [](Point q) { return std::cos(7 * q.x); }),
                            0.003));
        p.initial = [](Point q) { return 1 + std::sin(9 * q.x) * std::cos(4 * q.y); };
        p.reconstruction = name;
        if (!periodic) p.other_walls(insulated());
        const Carried run = carry(p, scheme_name, 0.3, 45, 0.15);
        CHECK(run.outcome.budget.worst_step() < 1e-12);
        const DiffusionBalance balance(p);
        const Real before = DiffusionBalance(p).totals(run.start, 0).content;
        CHECK(std::abs(run.outcome.totals.content - before) < 3e-10 * run.outcome.totals.gross);
      }
}

TEST_CASE("the advective form keeps a uniform value where a velocity compresses") {
  Problem p(open_line(40), transport(Velocity([](Point q) { return 1 - 0.8 * q.x; })));
  p.initial = 3.0;
  p.wall("west", dirichlet(3.0)).wall("east", outflow());
  const auto end = [&](bool conservative) {
    Problem q = p;
    Equation e = p.equation();
    e.stream->conservative = conservative;
    Problem r(p.grid(), e);
    r.initial = 3.0;
    r.wall("west", dirichlet(3.0)).wall("east", outflow());
    const Carried run = carry(r, "ssprk3", 0.4, 40, 1);
    CHECK(run.outcome.budget.worst_step() < 1e-13);
    return run.outcome.totals;
  };
  CHECK(end(false).highest == doctest::Approx(3).epsilon(1e-12));
  CHECK(end(true).highest > 6);
  DiffusionBalance balance(p);
  const Transport* transport = balance.transport(0, balance.initial_state());
  CHECK(transport->velocities().compresses());
  CHECK(transport->velocities().compressing() == doctest::Approx(0.8));
}

namespace {

// A basin with a mouth in the east through which the tide runs in and out, faster on one side of it.
Problem basin(const Wall& mouth) {
  const auto axis = [](const char* name, Index n) { return Axis::uniform(name, 0, 1, n, Unknowns::cells); };
  const auto psi = [](Point q, Real t) {
    // Out in the north of the mouth, in in its south, and turning about with the tide.
    return 0.6 * std::sin(2 * M_PI * t) * q.x * q.x * std::sin(2 * M_PI * q.y) / (2 * M_PI) +
           0.15 * q.x * q.x * std::sin(M_PI * q.y);
  };
  Problem p(Grid({axis("x", 24), axis("y", 24)}), transport(Velocity::of_stream_function(psi)));
  p.initial = [](Point q) { return std::exp(-20 * ((q.x - 0.7) * (q.x - 0.7) + (q.y - 0.4) * (q.y - 0.4))); };
  p.reconstruction = "van-leer";
  p.wall("east", mouth).other_walls(insulated());
  return p;
}

}  // namespace

TEST_CASE("outlets where the stream turns back stay stable for twenty cycles, and a plain one does not" *
          doctest::skip(instrumented)) {
  const Real fastest = 24 * 1.5;
  for (const Wall& mouth : {outflow_returning(0.0), outflow_stabilised()}) {
    const Carried run = carry(basin(mouth), "ssprk3", 0.45, fastest, 20);
    CHECK(run.outcome.ending == Outcome::Ending::reached);
    CHECK(run.outcome.totals.highest < 1);
    CHECK(run.outcome.totals.lowest > -1e-9);
    CHECK(run.outcome.budget.worst_step() < 1e-12);
  }
  const Carried plain = carry(basin(outflow()), "ssprk3", 0.45, fastest, 20);
  CHECK(plain.outcome.ending == Outcome::Ending::blew_up);
  CHECK(plain.outcome.time < 19);
}

TEST_CASE("a velocity is made free of divergence, and says what that changed") {
  const auto axis = [](const char* name, Index n) { return Axis::uniform(name, 0, 1, n, Unknowns::cells); };
  Velocity v([](Point q) { return 1 + 0.3 * std::sin(5 * q.y) * q.x; },
             [](Point q) { return 0.2 * std::cos(4 * q.x); });
  v.divergence_free = true;
  const std::vector<Region> cut{
      {"islet", inside([](const Point& q) { return std::hypot(q.x - 0.5, q.y - 0.5) < 0.2; }), false}};
  Problem p(Grid({axis("x", 30), axis("y", 20)}), transport(v, 1e-3), Regions(cut));
  p.wall("west", dirichlet(1.0)).wall("east", outflow()).other_walls(insulated());
  DiffusionBalance balance(p);
  const auto& velocities = balance.transport(0, balance.initial_state())->velocities();
  CHECK(!velocities.compresses());
  CHECK(velocities.correction().share > 0.05);
  CHECK(velocities.correction().divergence_before > 0.1);
  // A uniform value is then a steady state.
  State one(static_cast<std::size_t>(p.grid().count()), 1.0), f(one.size());
  for (const Index n : balance.absent()) one[n] = 0;
  Ledger ledger(balance.lines().size());
  balance.rate(one, 0, Parts::all(), f, ledger);
  CHECK(largest_difference(f, State(f.size(), 0.0)) < 1e-12);
}

TEST_CASE("instants are joined linearly in time and repeat") {
  Velocity v([](Point, Real t) { return t * t; });
  v.instants = {0, 1, 2, 3};
  v.period = 4;
  Problem p(periodic_line(8), transport(v));
  DiffusionBalance balance(p);
  const State y = balance.initial_state();
  const auto at = [&](Real t) { return balance.transport(t, y)->velocities().row(0, 0, 0)[3]; };
  CHECK(at(1) == doctest::Approx(1));
  CHECK(at(1.5) == doctest::Approx(2.5));
  CHECK(at(3.5) == doctest::Approx(4.5));  // on the way from 9 back to 0
  CHECK(at(6.5) == doctest::Approx(6.5));
  CHECK(at(0.25) == doctest::Approx(0.25));
}

TEST_CASE("beside a cut-out slopes do without what is gone, on one side or both") {
  const Regions pier(
      {{"pier", inside([](Point q) { return std::abs(q.x - 0.5) < 0.125 && std::abs(q.y - 0.5) < 0.125; }),
        false}});
  const auto rates = [&](const char* reconstruction, Real speed) {
    Problem p(
        Grid({Axis::uniform("x", 0, 1, 16, Unknowns::cells), Axis::uniform("y", 0, 1, 16, Unknowns::cells)}),
        transport(Velocity(speed, 0.0)), pier);
    p.reconstruction = reconstruction;
    p.wall("pier", outflow()).other_walls(outflow());
    DiffusionBalance balance(p);
    State y(256, 0.0), f(256);
    for (Index n = 0; n < 256; ++n) {
      const Real x = p.grid().point_of(n).x;
      if (balance.outline().active(n)) y[n] = 1 + x + x * x;
    }
    Ledger ledger(balance.lines().size());
    balance.rate(y, 0, Parts::all(), f, ledger);
    return f;
  };
  const auto at = [](const State& f, Index i, Index j) { return f[static_cast<std::size_t>(i + 16 * j)]; };
  const State none = rates("none", 1), none_back = rates("none", -1);
  for (const char* limited : {"minmod", "van-leer", "mc", "superbee"}) {
    CAPTURE(limited);
    const State sloped = rates(limited, 1), back = rates(limited, -1);
    // The pier takes cells 6 to 9 of both axes. The slope in cell 10 would look at cell 9, that in cell 5 at
    // cell 6.
    CHECK(at(sloped, 10, 8) == doctest::Approx(at(none, 10, 8)).epsilon(1e-12));
    CHECK(at(back, 5, 8) == doctest::Approx(at(none_back, 5, 8)).epsilon(1e-12));
    // Elsewhere slopes count, and upstream of the pier they are those of the open water.
    for (const Index i : {3, 4, 12}) {
      CHECK(std::abs(at(sloped, i, 8) - at(none, i, 8)) > 1e-4);
      CHECK(at(sloped, i, 8) == doctest::Approx(at(sloped, i, 2)).epsilon(1e-12));
    }
  }
}

TEST_CASE("axes that change places change nothing: uneven ones, slopes and ends along each of them") {
  const std::vector<std::vector<Real>> marks{
      {0, 0.1, 0.25, 0.45, 0.5, 0.8, 1}, {0, 0.2, 0.3, 0.6, 0.7, 1.1}, {0, 0.3, 0.4, 0.8, 1}};
  const std::array<Real, 3> speed{1.0, -0.6, 0.4};
  const auto value = [](Real a, Real b, Real c) {
    return std::sin(4 * a + 1) + a * b * b + std::cos(3 * b + c) * (1 + c);
  };
  for (int rank = 2; rank <= (instrumented ? 2 : 3); ++rank)
    for (const Unknowns unknowns : {Unknowns::cells, Unknowns::nodes})
      for (const char* reconstruction : {"none", "minmod", "van-leer", "mc", "superbee"}) {
        CAPTURE(rank);
        CAPTURE(reconstruction);
        // order[a]: which of the directions lies along axis a.
        const auto rates = [&](const std::array<int, 3>& order) {
          std::vector<Axis> axes;
          for (int a = 0; a < rank; ++a)
            axes.push_back(Axis(std::string(1, "xyz"[a]),
                                marks[static_cast<std::size_t>(order[static_cast<std::size_t>(a)])],
                                unknowns));
          std::array<Real, 3> along{0, 0, 0};
          for (std::size_t a = 0; a < static_cast<std::size_t>(rank); ++a)
            along[a] = speed[static_cast<std::size_t>(order[a])];
          Problem p(Grid(axes), transport(Velocity(along[0], along[1], along[2]), 0.01));
          p.reconstruction = reconstruction;
          p.other_walls(outflow_returning(0.3));
          DiffusionBalance balance(p);
          const Grid& g = p.grid();
          State y(static_cast<std::size_t>(g.count())), f(y.size());
          std::array<std::size_t, 3> back{0, 1, 2};
          for (std::size_t a = 0; a < static_cast<std::size_t>(rank); ++a)
            back[static_cast<std::size_t>(order[a])] = a;
          for (Index n = 0; n < g.count(); ++n) {
            const Point q = g.point_of(n);
            const std::array<Real, 3> at{q.x, q.y, q.z};
            y[static_cast<std::size_t>(n)] = value(at[back[0]], at[back[1]], rank == 3 ? at[back[2]] : 0);
          }
          Ledger ledger(balance.lines().size());
          balance.rate(y, 0, Parts::all(), f, ledger);
          // By their places in the first order.
          std::map<std::array<Index, 3>, Real> by_place;
          for (Index n = 0; n < g.count(); ++n) {
            const auto at = g.position(n);
            by_place[{at[back[0]], at[back[1]], at[back[2]]}] = f[static_cast<std::size_t>(n)];
          }
          return by_place;
        };
        const auto first = rates({0, 1, 2});
        for (const std::array<int, 3>& order :
             {std::array{1, 0, 2}, std::array{2, 0, 1}, std::array{1, 2, 0}}) {
          if (rank == 2 && order[2] != 2) continue;
          const auto other = rates(order);
          REQUIRE(other.size() == first.size());
          for (const auto& [place, rate] : first)
            CHECK(other.at(place) == doctest::Approx(rate).epsilon(1e-11));
        }
      }
}

TEST_CASE("the limit of what is carried and diffuses does not know which way round its axis is") {
  const std::vector<Real> marks{0, 0.02, 0.05, 0.1, 0.2, 0.4, 0.7, 1};
  std::vector<Real> turned;
  for (auto m = marks.rbegin(); m != marks.rend(); ++m) turned.push_back(1 - *m);
  const auto limit = [&](const std::vector<Real>& of, Real speed, const Function& diffusivity) {
    Equation e = transport(Velocity(speed));
    e.diffusion.coefficient[0] = diffusivity;
    Problem p(Grid({Axis("x", of, Unknowns::cells)}), e);
    p.other_walls(outflow());
    return verify::stability(p, scheme("ssprk3"), 1e-4);
  };
  for (const Real strength : {0.01, 0.1, 1.0}) {
    CAPTURE(strength);
    const auto one = limit(marks, 1, [=](Point q) { return strength * (0.1 + q.x); }),
               other = limit(turned, -1, [=](Point q) { return strength * (1.1 - q.x); });
    CHECK(one.interior.step == doctest::Approx(other.interior.step).epsilon(1e-9));
    CHECK(one.limit.step == doctest::Approx(other.limit.step).epsilon(1e-9));
    CHECK(one.positivity.step == doctest::Approx(other.positivity.step).epsilon(1e-9));
  }
}
