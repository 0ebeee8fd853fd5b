// Steady states against exact ones: profiles, layers, shells, series, outlines, budgets.
#include <doctest/doctest.h>

#include <cmath>

#include "williwaw/williwaw.hpp"

using namespace williwaw;

namespace {

struct Solved {
  ProblemBalance balance;
  State y;
  SteadyOutcome outcome;

  explicit Solved(const Problem& problem, const std::string& solver = "auto")
      : balance(problem),
        y(balance.initial_state()),
        outcome(solve_steady(balance, y, 0, {.solver = solver, .tolerance = 1e-12})) {}

  Real flow(const std::string& line) const {
    Real sum = 0;
    for (std::size_t l = 0; l < balance.lines().size(); ++l)
      if (balance.lines()[l].side == line || balance.lines()[l].name == line) sum += outcome.flows[l];
    return sum;
  }
  template <class Exact>
  Real worst(const Exact& exact) const {
    Real most = 0;
    for (Index n = 0; n < balance.grid().count(); ++n)
      if (balance.outline().active(n))
        most = std::max(most, std::abs(y[n] - exact(balance.grid().point_of(n))));
    return most;
  }
  // What comes in less what the solver left, over all that flows.
  Real imbalance() const { return std::abs(outcome.flows.sum() - outcome.left) / outcome.flows.gross(); }
};

Grid line(Index n, Unknowns u) {
  return Grid({Axis::uniform("x", 0, 1, n, u)});
}

constexpr std::array both{Unknowns::cells, Unknowns::nodes};

}  // namespace

TEST_CASE("two layers are exact on any grid, wherever they meet, with and without a contact resistance") {
  for (const Unknowns u : both)
    for (const Real at : {0.3, 0.37, 0.4123, 0.5, 0.99})
      for (const Real contact : {0.0, 0.7}) {
        const Regions regions({{"left", inside([at](Point p) { return p.x < at; })}});
        const auto shared = std::make_shared<const Regions>(regions);
        Equation e = diffusion(Function::by_region(shared, {5.0, 0.5}));
        if (contact > 0) e.contacts = {{0, 1, contact}};
        Problem p(Grid({Axis("x", {0, 0.2, 0.4, 0.5, 0.8, 1}, u)}), e, regions);
        p.boundary("west", dirichlet(1.0)).boundary("east", dirichlet(4.0));
        const Solved s(p);
        const Real flux = 3 / (at / 0.5 + contact + (1 - at) / 5);
        CHECK(s.flow("east") == doctest::Approx(flux).epsilon(1e-12));
        CHECK(s.flow("west") == doctest::Approx(-flux).epsilon(1e-12));
        // An unknown on the contact itself is on both sides of the jump.
        const bool on_contact = contact > 0 && at == (u == Unknowns::nodes ? 0.5 : 0.3);
        if (!on_contact)
          CHECK(s.worst([&](Point q) { return q.x < at ? 1 + flux * q.x / 0.5 : 4 - flux * (1 - q.x) / 5; }) <
                1e-11);
      }
}

TEST_CASE("Newton's steps are shortened where whole ones lead away from a steady state") {
  // A reaction −atan(u): whole steps from |u| > 1.4 end further out on the other side, every time.
  for (const Real start : {2.0, 5.0, 40.0}) {
    Equation e = diffusion(0.1);
    e.reaction = Reaction::of([](Real u) { return -std::atan(u); });
    Problem p(line(6, Unknowns::cells), e);
    p.initial = start;
    p.default_boundary(insulated());
    const Solved s(p);
    CAPTURE(start);
    CHECK(s.outcome.reached);
    CHECK(s.worst([](Point) { return 0.0; }) < 1e-9);
    CHECK(s.outcome.iterations() < 30);
  }
}

TEST_CASE("linear profiles and uniform sources in one dimension") {
  for (const Unknowns u : both) {
    Problem linear(Grid({Axis("x", {0, 0.1, 0.4, 0.9, 1}, u)}), diffusion(2.0));
    linear.boundary("west", robin(3.0, 1.0)).boundary("east", flux(4.0));
    // Flux 4 in through the east, out through the west: u = 1 + 4/3 + 2x.
    CHECK(Solved(linear).worst([](Point p) { return 1 + 4.0 / 3 + 2 * p.x; }) < 1e-12);

    Problem heated(line(10, u), diffusion(0.5, 1.0, 3.0));
    heated.boundary("west", dirichlet(2.0)).boundary("east", insulated());
    const Solved s(heated);
    CHECK(s.flow("west") == doctest::Approx(-3));
    const auto exact = [](Point p) { return 2 + 3 * (p.x - 0.5 * p.x * p.x) / 0.5; };
    // At nodes exact; at cells all values lie f·h²/(8k) off, which is what half a cell to the boundary
    // leaves.
    CHECK(s.worst(exact) == doctest::Approx(u == Unknowns::nodes ? 0 : 3 * 0.01 / (8 * 0.5)).epsilon(1e-9));
  }
}

TEST_CASE("cylindrical and spherical shells are exact; solid ones too, at nodes") {
  for (const Coordinates c : {Coordinates::cylindrical, Coordinates::spherical})
    for (const Unknowns u : both) {
      const bool pipe = c == Coordinates::cylindrical;
      Problem shell(Grid({Axis::radial(c, {0.5, 0.6, 0.8, 1.1, 1.3}, u)}), diffusion(2.0));
      shell.boundary("inner", dirichlet(1.0)).boundary("outer", dirichlet(3.0));
      const Real a = 0.5, b = 1.3;
      const Solved s(shell);
      CHECK(s.worst([&](Point p) {
        return pipe ? 1 + 2 * std::log(p.x / a) / std::log(b / a)
                    : 1 + 2 * (1 / a - 1 / p.x) / (1 / a - 1 / b);
      }) < 1e-12);
      CHECK(s.flow("outer") ==
            doctest::Approx(pipe ? 2 * 2 * M_PI * 2 / std::log(b / a) : 2 * 4 * M_PI * 2 / (1 / a - 1 / b)));

      std::vector<Real> errors;
      for (const Index n : {8, 16}) {
        std::vector<Real> faces;
        for (Index i = 0; i <= n; ++i) faces.push_back(0.8 * static_cast<Real>(i) / static_cast<Real>(n));
        Problem solid(Grid({Axis::radial(c, faces, u)}), diffusion(2.0, 1.0, 3.0));
        solid.boundary("outer", robin(1.5, 0.0));
        const Solved full(solid);
        const int d = pipe ? 2 : 3;
        const Real volume = pipe ? M_PI * 0.64 : 4 * M_PI / 3 * 0.512;
        CHECK(full.flow("outer") == doctest::Approx(-3 * volume));
        errors.push_back(
            full.worst([&](Point p) { return 3 * 0.8 / (d * 1.5) + 3 * (0.64 - p.x * p.x) / (2 * d * 2); }));
      }
      if (u == Unknowns::nodes) CHECK(errors[1] < 1e-12);
      if (u == Unknowns::cells) CHECK(std::log2(errors[0] / errors[1]) == doctest::Approx(2).epsilon(0.05));
    }
}

TEST_CASE("a rod of r and z: what is wrapped up along r and what flows along z") {
  for (const Unknowns u : both) {
    // u = r² − 2z² satisfies Laplace's equation in cylindrical coordinates.
    std::vector<Real> errors;
    for (const Index n : {8, 16}) {
      std::vector<Real> faces;
      for (Index i = 0; i <= n; ++i) faces.push_back(static_cast<Real>(i) / static_cast<Real>(n));
      Problem rod(Grid({Axis::radial(Coordinates::cylindrical, faces, u), Axis::uniform("z", 0, 1, n, u)}),
                  diffusion(1.0));
      const Function exact([](Point p) { return p.x * p.x - 2 * p.z * p.z; });
      rod.boundary("outer", dirichlet(exact))
          .boundary("bottom", insulated())
          .boundary("top", dirichlet(exact));
      errors.push_back(Solved(rod).worst([&](Point p) { return p.x * p.x - 2 * p.z * p.z; }));
    }
    if (u == Unknowns::nodes) CHECK(errors[1] < 1e-10);
    if (u == Unknowns::cells) CHECK(std::log2(errors[0] / errors[1]) > 1.7);
  }
}

TEST_CASE("a plate with four different boundaries: second order against its series") {
  // Prescribed at 1 below, prescribed at 0 on the west, insulated on the east, exchange with 0 on top. Modes
  // sin((n−½)πx); along y each is c·cosh + s·sinh.
  const Real h = 2;
  const auto exact = [h](Point p) {
    Real sum = 0;
    for (int n = 1; n <= 400; ++n) {
      const Real k = (n - 0.5) * M_PI, amplitude = 2 / k;
      // e^{-ky}-scaled to avoid overflow: u = A·(e^{-ky} + R e^{-k(2-y)})/(1 + R e^{-2k}), with −u_y = h·u at
      // y = 1.
      const Real r = (k - h) / (k + h);
      const Real value = (std::exp(-k * p.y) + r * std::exp(-k * (2 - p.y))) / (1 + r * std::exp(-2 * k));
      sum += amplitude * value * std::sin(k * p.x);
    }
    return sum;
  };
  for (const Unknowns u : both) {
    std::vector<Real> errors;
    for (const Index n : {24, 48}) {
      Problem p(Grid({Axis::uniform("x", 0, 1, n, u), Axis::uniform("y", 0, 1, n, u)}), diffusion(1.0));
      p.boundary("west", dirichlet(0.0))
          .boundary("south", dirichlet(1.0))
          .boundary("east", insulated())
          .boundary("north", robin(h, 0.0));
      const Solved s(p);
      CHECK(s.imbalance() < 1e-12);
      // Away from the corner in which the data jump.
      Real worst = 0;
      for (Index m = 0; m < s.balance.grid().count(); ++m)
        if (const Point q = s.balance.grid().point_of(m); std::hypot(q.x, q.y) > 0.3 && q.y > 0.04)
          worst = std::max(worst, std::abs(s.y[m] - exact(q)));
      errors.push_back(worst);
    }
    CHECK(std::log2(errors[0] / errors[1]) > 1.8);
  }
}

TEST_CASE(
    "a disc cut out by formula: the flow through its boundary converges, for flux, exchange and prescribed "
    "boundaries") {
  const Point middle{0.03, -0.02, 0};
  const Real radius = 0.6;
  const auto exact = [&](Point p) { return std::log(std::hypot(p.x - middle.x, p.y - middle.y)); };
  for (const Unknowns u : both)
    for (const std::string kind : {"flux", "robin", "dirichlet"}) {
      std::vector<Real> flows, errors;
      for (const Index n : {20, 40, 80}) {
        const Regions disc(
            {{"disc", inside([=](Point p) { return std::hypot(p.x - middle.x, p.y - middle.y) < radius; }),
              false, "", false}});
        Problem p(Grid({Axis::uniform("x", -1, 1, n, u), Axis::uniform("y", -1, 1, n, u)}), diffusion(1.0),
                  disc);
        // The field ln r leaves through the disc: 1/radius for each unit of length.
        p.boundary("disc", kind == "flux"    ? flux(-1 / radius)
                           : kind == "robin" ? robin(3.0, std::log(radius) - 1 / (3 * radius))
                                             : dirichlet(exact));
        p.default_boundary(dirichlet(exact));
        const Solved s(p);
        CHECK(s.imbalance() < 1e-11);
        flows.push_back(s.flow("disc") + 2 * M_PI);
        errors.push_back(s.worst(exact));
      }
      // Flows: second order for flux and exchange; prescribed boundaries jump about it as unknowns fall
      // inside or outside.
      CHECK(std::abs(flows[2]) < (kind == "dirichlet" ? 1e-3 : 2e-4) * 2 * M_PI);
      CHECK(std::log2(std::abs(flows[0] / flows[2])) / 2 > (kind == "dirichlet" ? 1.0 : 1.5));
      CHECK(std::log2(errors[0] / errors[2]) / 2 > 0.7);
      CHECK(errors[2] < 4e-3);
    }
}

TEST_CASE("totals are the same when the domain is flipped or turned") {
  // An L with a round hole, two materials, parts and points, in four positions.
  std::vector<std::array<Real, 3>> seen;
  for (const int turn : {0, 1, 2, 3}) {
    const auto to_first = [turn](Point p) {
      Point q = p;
      if (turn == 1) q = {1 - p.x, p.y, 0};  // flipped
      if (turn == 2) q = {p.y, p.x, 0};      // mirrored at the diagonal
      if (turn == 3) q = {1 - p.y, p.x, 0};  // turned by 90 degrees
      return q;
    };
    const auto from_first = [turn](Point q) {
      Point p = q;
      if (turn == 1) p = {1 - q.x, q.y, 0};
      if (turn == 2) p = {q.y, q.x, 0};
      if (turn == 3) p = {q.y, 1 - q.x, 0};
      return p;
    };
    const Regions regions({{"corner", inside([=](Point p) {
                              const Point q = to_first(p);
                              return q.x > 0.6 && q.y > 0.5;
                            }),
                            false, "", false},
                           {"hole", inside([=](Point p) {
                              const Point q = to_first(p);
                              return std::hypot(q.x - 0.3, q.y - 0.27) < 0.11;
                            }),
                            false, "", false},
                           {"core", inside([=](Point p) {
                              const Point q = to_first(p);
                              return q.y > 0.63 && q.x < 0.4;
                            })}});
    const auto shared = std::make_shared<const Regions>(regions);
    Equation e = diffusion(Function::by_region(shared, {1.0, 1.0, 1.0, 20.0}), 1.0,
                           Function::by_region(shared, {0.5, 0.0, 0.0, 2.0}));
    e.points = {{"well", from_first({0.72, 0.31, 0}), -0.4}};
    Problem p(
        Grid({Axis::uniform("x", 0, 1, 40, Unknowns::cells), Axis::uniform("y", 0, 1, 40, Unknowns::cells)}),
        e, regions);
    p.boundary("corner", robin(2.0, 1.0)).boundary("hole", dirichlet(3.0)).default_boundary(insulated());
    p.part({"window", "corner", "", inside([=](Point q) { return to_first(q).x > 0.8; }), flux(0.7)});
    const Solved s(p, "multigrid");
    CHECK(s.imbalance() < 1e-10);
    CHECK(s.flow("point well") == doctest::Approx(-0.4).epsilon(1e-12));
    CHECK(s.flow("window") == doctest::Approx(0.7 * 0.2).epsilon(1e-12));
    CHECK(s.flow("source") ==
          doctest::Approx(0.5 * (1 - 0.2 - M_PI * 0.0121) + 1.5 * 0.4 * 0.37).epsilon(2e-3));
    seen.push_back({s.flow("corner"), s.flow("hole"), s.flow("source")});
  }
  for (const auto& flows : seen)
    for (std::size_t f = 0; f < 3; ++f) CHECK(flows[f] == doctest::Approx(seen[0][f]).epsilon(1e-9));
}

TEST_CASE("linear and nonlinear reactions against exact profiles") {
  for (const Unknowns u : both) {
    // u'' = 4u: cosh profile; loss to the sides of a fin.
    std::vector<Real> errors;
    for (const Index n : {10, 20}) {
      Equation e = diffusion(1.0);
      e.reaction = Reaction::of([](Real v) { return -4 * v; }, true);
      Problem p(line(n, u), e);
      p.boundary("west", dirichlet(1.0)).boundary("east", insulated());
      const Solved s(p);
      CHECK(s.outcome.newton_steps == 1);
      CHECK(s.imbalance() < 1e-12);
      errors.push_back(s.worst([](Point q) { return std::cosh(2 * (1 - q.x)) / std::cosh(2.0); }));
    }
    CHECK(std::log2(errors[0] / errors[1]) > 1.85);
    // u'' = 6u²: u = 1/(1 + x)².
    errors.clear();
    for (const Index n : {10, 20}) {
      Equation e = diffusion(1.0);
      e.reaction = Reaction::of([](Real v) { return -6 * v * v; });
      Problem p(line(n, u), e);
      p.initial = 0.5;
      p.boundary("west", dirichlet(1.0)).boundary("east", dirichlet(0.25));
      const Solved s(p);
      CHECK(s.outcome.reached);
      CHECK(s.outcome.newton_steps > 2);
      errors.push_back(s.worst([](Point q) { return 1 / ((1 + q.x) * (1 + q.x)); }));
    }
    CHECK(std::log2(errors[0] / errors[1]) > 1.8);
  }
}

TEST_CASE("a boundary that radiates takes the temperature at which it gives off what comes through") {
  for (const Unknowns u : both) {
    Problem p(line(7, u), heat(1.6, 2300.0, 900.0));
    p.initial = 280.0;
    p.boundary("west", dirichlet(300.0)).boundary("east", radiation(0.9, 240.0));
    const Solved s(p);
    CHECK(s.outcome.reached);
    // 1.6·(300 − T) = εσ(T⁴ − 240⁴), by bisection.
    Real low = 240, high = 300;
    for (int n = 0; n < 100; ++n) {
      const Real t = 0.5 * (low + high);
      (1.6 * (300 - t) > 0.9 * 5.670374419e-8 * (std::pow(t, 4) - std::pow(240, 4)) ? low : high) = t;
    }
    CHECK(s.flow("east") == doctest::Approx(-1.6 * (300 - low)).epsilon(1e-10));
    CHECK(s.worst([&](Point q) { return 300 + (low - 300) * q.x; }) < 1e-8);
  }
}

TEST_CASE("corners that two prescribed boundaries share: the mean, or the first that is named") {
  const Grid g({Axis::uniform("x", 0, 1, 4, Unknowns::nodes), Axis::uniform("y", 0, 1, 4, Unknowns::nodes)});
  Problem p(g, diffusion(1.0));
  p.boundary("west", dirichlet(1.0)).boundary("south", dirichlet(3.0)).default_boundary(insulated());
  CHECK(Solved(p).y[0] == 2);
  p.corners = {"south"};
  CHECK(Solved(p).y[0] == 3);
  p.corners = {"north", "west", "south"};
  CHECK(Solved(p).y[0] == 1);
}

TEST_CASE("parts: the last one counts, what they leave is the side's, and what is left open is an error") {
  const Grid g(
      {Axis::uniform("x", 0, 1, 10, Unknowns::cells), Axis::uniform("y", 0, 1, 10, Unknowns::cells)});
  Problem p(g, diffusion(1.0));
  p.boundary("west", dirichlet(0.0)).boundary("east", insulated()).boundary("south", insulated());
  p.part({"all", "north", "", inside([](Point q) { return q.x < 0.85; }), flux(1.0)});
  CHECK_THROWS_WITH_AS(
      ProblemBalance{p},
      "no condition for 2 faces of side 'north': give it a condition, or a default for all sides not named",
      InputError);
  p.boundary("north", flux(5.0));
  p.part({"some", "", "", inside([](Point q) { return q.x < 0.35 && q.y > 0.99; }), flux(2.0)});
  const Solved s(p);
  CHECK(s.flow("some") == doctest::Approx(0.3 * 2));
  CHECK(s.flow("all") == doctest::Approx(0.5));
  CHECK(s.flow("north") == doctest::Approx(0.2 * 5));
  CHECK_THROWS_AS(p.part({"all", "north", "", {}, insulated()}), InputError);
  CHECK_THROWS_AS(p.part({"x", "roof", "", {}, insulated()}), InputError);
  CHECK_THROWS_AS(p.part({"y", "north", "sand", {}, insulated()}), InputError);
  p.part({"nothing", "north", "", inside([](Point q) { return q.x > 2; }), insulated()});
  CHECK_THROWS_AS(ProblemBalance{p}, InputError);
}

TEST_CASE("a part that ends between two nodes shares their faces") {
  const Grid g({Axis::uniform("x", 0, 1, 10, Unknowns::nodes), Axis::uniform("y", 0, 1, 4, Unknowns::nodes)});
  Problem p(g, diffusion(1.0));
  p.boundary("south", dirichlet(0.0)).default_boundary(insulated());
  p.part({"left", "north", "", inside([](Point q) { return q.x < 0.5; }), flux(2.0)});
  CHECK(Solved(p).flow("left") == doctest::Approx(1.0));
}

TEST_CASE("parts touch a material") {
  const Grid g(
      {Axis::uniform("x", 0, 1, 10, Unknowns::cells), Axis::uniform("y", 0, 1, 10, Unknowns::cells)});
  const Regions sand({{"sand", inside([](Point q) { return q.x + q.y < 0.55; })}});
  Problem p(g, diffusion(1.0), sand);
  p.boundary("east", dirichlet(0.0)).default_boundary(insulated());
  p.part({"wet", "", "sand", {}, flux(1.0)});
  CHECK(Solved(p).flow("wet") == doctest::Approx(0.5 + 0.5).epsilon(0.11));
}

TEST_CASE("what flows in through the faces of a boundary adds up to its lines of the ledger") {
  // Prescribed, exchanging, given and carried flows, on unknowns beside boundaries and on them.
  for (const Unknowns u : {Unknowns::cells, Unknowns::nodes})
    for (const bool advected : {false, true}) {
      CAPTURE(static_cast<int>(u));
      CAPTURE(advected);
      const Grid g({Axis::uniform("x", 0, 2, 12, u), Axis::uniform("y", 0, 1, 9, u)});
      Problem p(g, advected ? transport(Velocity(0.4, 0.0), 0.7) : diffusion(0.7));
      p.initial = 0.0;
      p.boundary("west", dirichlet([](Point q) { return 3 + q.y; })).boundary("north", robin(2.0, -1.0));
      p.boundary("south", flux(0.25)).boundary("east", advected ? outflow() : dirichlet(-2.0));
      const Solved s(p);
      ProblemBalance balance(p);
      for (std::size_t c = 0; c < balance.closures().size(); ++c) {
        Real sum = 0;
        for (const Real flow : balance.section_flows(c, s.y, 0)) sum += flow;
        const std::string& name = balance.closures()[c].section().name;
        CAPTURE(name);
        CHECK(sum == doctest::Approx(s.flow(name)).epsilon(1e-8));
        // The warm side gives, the others take, but for the south with its given flux.
        CHECK((sum > 0) == (name == "west" || name == "south"));
      }
    }
}
