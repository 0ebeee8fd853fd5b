// Water in unsaturated columns: equilibria, closed forms, infiltration, and boundaries that switch.
#include <doctest/doctest.h>

#include <cmath>

#include "support/marching.hpp"
#include "support/smooth.hpp"
#include "williwaw/problem/soil.hpp"
#include "williwaw/solve/steady.hpp"
#include "williwaw/terms/discretization.hpp"

using namespace williwaw;
using williwaw::test::plan_of;

namespace {

const Point up{0, 0, 1};

Soil sand() {
  return soil(soil_model("van-genuchten"), {{"alpha", 3.5}, {"n", 2.5}}, {0.05, 0.4, 0.1, 1e-6});
}

Soil gardner(Real alpha) {
  return soil(soil_model("gardner"), {{"alpha", alpha}}, {0.05, 0.45, 0.2, 0});
}

Problem column(const Soil& material, Index cells, Real depth = 1, Unknowns unknowns = Unknowns::cells) {
  Problem p(Grid({Axis::uniform("z", 0, depth, cells, unknowns)}), unsaturated(material, up));
  p.default_boundary(insulated());
  return p;
}

Real wet_depth(const State& y, Real depth, Real head) {
  // From the top down to where the head is below `head`, linear between cells.
  const auto count = static_cast<Real>(y.size());
  for (std::size_t i = y.size(); i-- > 1;)
    if (y[i - 1] < head) {
      const Real fraction = (y[i] - head) / (y[i] - y[i - 1]);
      return depth - depth * (static_cast<Real>(i) + 0.5 - fraction) / count;
    }
  return depth;
}

}  // namespace

TEST_CASE("derivatives of every soil model are those of its values") {
  const std::map<std::string, std::map<std::string, Real>> numbers{
      {"van-genuchten", {{"alpha", 2.0}, {"n", 1.7}, {"connectivity", 0.5}}},
      {"brooks-corey", {{"entry_head", -0.2}, {"pore_index", 1.4}}},
      {"gardner", {{"alpha", 1.5}}}};
  for (const SoilModel& model : soil_models())
    for (const Real head : {-30.0, -2.0, -0.5, -0.21}) {
      CAPTURE(model.name);
      CAPTURE(head);
      const auto at = model.of(numbers.at(model.name));
      const Real h = 1e-6 * std::abs(head);
      const auto low = at(head - h), high = at(head + h), here = at(head);
      CHECK(here.saturation_slope ==
            doctest::Approx((high.saturation - low.saturation) / (2 * h)).epsilon(1e-6));
      CHECK(here.conductivity_slope ==
            doctest::Approx((high.conductivity - low.conductivity) / (2 * h)).epsilon(1e-6));
      CHECK(here.saturation > 0);
      CHECK(here.saturation < 1);
    }
}

TEST_CASE("van Genuchten's curves as published numbers have them") {
  // alpha·|u| = 1: S = 2^(−m), and k = S^(1/2)·(1 − 2^(−m))².
  const auto at = soil_model("van-genuchten").of({{"alpha", 2.0}, {"n", 2.0}, {"connectivity", 0.5}})(-0.5);
  CHECK(at.saturation == doctest::Approx(std::sqrt(0.5)));
  CHECK(at.conductivity == doctest::Approx(std::pow(0.5, 0.25) * std::pow(1 - std::sqrt(0.5), 2)));
}

TEST_CASE("without flow the total head is the same everywhere, through layers too") {
  const Regions regions({{"coarse", [](const Points& p, std::span<char> in) {
                            for (std::size_t i = 0; i < in.size(); ++i) in[i] = p.z[i] > 0.52 ? 1 : 0;
                          }}});
  const Soil fine = soil(soil_model("van-genuchten"), {{"alpha", 1.0}, {"n", 1.6}}, {0.1, 0.5, 0.01, 0});
  const auto labels = std::make_shared<const Regions>(regions);
  const Soil layered{Function::by_region(labels, {fine.content, sand().content}),
                     Function::by_region(labels, {fine.conductivity, sand().conductivity})};
  Problem p(Grid({Axis::uniform("z", 0, 1, 25, Unknowns::cells)}), unsaturated(layered, up), regions);
  p.boundary("bottom", dirichlet(-0.3)).boundary("top", insulated());
  p.initial = -1.0;
  auto balance = make_balance(p);
  State y = balance->initial_state();
  const SteadyOutcome out = solve_steady(*balance, y);
  CHECK(out.reached);
  for (Index i = 0; i < 25; ++i)
    CHECK(y[static_cast<std::size_t>(i)] + balance->grid().point_of(i).z ==
          doctest::Approx(-0.3).epsilon(1e-9));
}

TEST_CASE("a closed column settles with the water that it had at the start") {
  // Between saturation and nothing contents are far from proportional to the head; layers hold them apart.
  for (const Real start : {-2.0, -0.6, -0.05}) {
    CAPTURE(start);
    Problem p = column(sand(), 40);
    p.initial = start;
    auto balance = make_balance(p);
    State y = balance->initial_state();
    const Real water = balance->totals(y, 0).content;
    const SteadyOutcome out = solve_steady(*balance, y);
    CHECK(out.reached);
    CHECK(out.mean_fixed);
    CHECK(balance->totals(y, 0).content == doctest::Approx(water).epsilon(1e-10));
    const Real total_head = y[0] + balance->grid().point_of(0).z;
    for (Index i = 1; i < 40; ++i)
      CHECK(y[static_cast<std::size_t>(i)] + balance->grid().point_of(i).z ==
            doctest::Approx(total_head).epsilon(1e-7));
    // The exact content of hydrostatic water, by many slices, of the head that was found.
    Real slices = 0;
    constexpr int count = 4000;
    for (int n = 0; n < count; ++n) {
      const Real z = (n + 0.5) / count;
      slices += sand().content.at(Point{}, 0, total_head - z) / count;
    }
    CHECK(slices == doctest::Approx(water).epsilon(1e-3));
  }
}

TEST_CASE("a steady flow through a Gardner column has the head of its closed form") {
  // exp(alpha·u) = −q/K + (1 + q/K)·exp(−alpha·z) above a water table, q upwards (Gardner, 1958).
  const Real alpha = 2, conductivity = 0.2;
  for (const Real q : {-0.05, 0.002}) {
    Real last = 0;
    for (const Index n : {40, 80}) {
      Problem p = column(gardner(alpha), n);
      p.boundary("bottom", dirichlet(0.0)).boundary("top", flux(-q));
      p.initial = -0.5;
      auto balance = make_balance(p);
      State y = balance->initial_state();
      CHECK(solve_steady(*balance, y).reached);
      Real error = 0;
      for (Index i = 0; i < n; ++i) {
        const Real z = balance->grid().point_of(i).z;
        const Real exact =
            std::log(-q / conductivity + (1 + q / conductivity) * std::exp(-alpha * z)) / alpha;
        error = std::max(error, std::abs(y[static_cast<std::size_t>(i)] - exact));
      }
      CAPTURE(q);
      CAPTURE(n);
      CHECK(error < 1e-3);
      if (last > 0) CHECK(std::log2(last / error) > 1.9);
      last = error;
    }
  }
}

TEST_CASE("a Gardner column settles as its transform does, at order 2" * doctest::skip(test::instrumented)) {
  // φ = exp(alpha·u) makes it linear: φ_t = D(φ_zz + alpha·φ_z), D = K/(alpha·Δθ). Above a water table, under
  // a given flux, exp(−alpha·z/2)·sin(kz) with tan(kL) = −2k/alpha decays by D(k² + alpha²/4) (Srivastava and
  // Yeh, 1991).
  const Real alpha = 2, conductivity = 0.2, q = -0.05, length = 1, diffusivity = conductivity / (alpha * 0.4);
  Real low = M_PI / 2 / length, high = M_PI / length;
  for (int i = 0; i < 100; ++i) {
    const Real k = 0.5 * (low + high);
    (k * std::cos(k * length) + 0.5 * alpha * std::sin(k * length) > 0 ? low : high) = k;
  }
  const Real k = low, rate = diffusivity * (k * k + 0.25 * alpha * alpha);
  const auto head = [&](Real z, Real t) {
    const Real steady = -q / conductivity + (1 + q / conductivity) * std::exp(-alpha * z);
    return std::log(steady - 0.3 * std::exp(-0.5 * alpha * z - rate * t) * std::sin(k * z)) / alpha;
  };
  Real last = 0;
  for (const Index n : {20, 40}) {
    Problem p = column(gardner(alpha), n, length);
    p.boundary("bottom", dirichlet(0.0)).boundary("top", flux(-q));
    p.initial = [&](Point at) { return head(at.z, 0); };
    auto balance = make_balance(p);
    State y = balance->initial_state();
    CHECK(march(*balance, y, plan_of("sdirk4", 0.01, 0.4)).budget.relative_residual() < 1e-12);
    Real error = 0, moved = 0;
    for (Index i = 0; i < n; ++i) {
      const Real z = balance->grid().point_of(i).z;
      error = std::max(error, std::abs(y[static_cast<std::size_t>(i)] - head(z, 0.4)));
      moved = std::max(moved, std::abs(head(z, 0.4) - head(z, 0)));
    }
    CHECK(moved > 0.05);
    CHECK(error < 5e-4);
    if (last > 0) CHECK(std::log2(last / error) > 1.8);
    last = error;
  }
}

TEST_CASE("water enters a linear soil as Philip's closed form has it" * doctest::skip(test::instrumented)) {
  // The same transform in a long column with a wet surface (Philip, 1969): depth x, v = K/Δθ.
  const Real alpha = 8, speed = 0.2 / 0.4, diffusivity = speed / alpha, dry = std::exp(-6.0), until = 0.6;
  const auto wet = [&](Real x) {
    const Real root = 2 * std::sqrt(diffusivity * until);
    return dry + (1 - dry) * 0.5 *
                     (std::erfc((x - speed * until) / root) +
                      std::exp(speed * x / diffusivity) * std::erfc((x + speed * until) / root));
  };
  Real last = 0;
  for (const Index n : {50, 100, 200}) {
    Problem p = column(gardner(alpha), n, 1.5);
    p.boundary("top", dirichlet(0.0)).boundary("bottom", dirichlet(-6 / alpha));
    p.initial = -6 / alpha;
    auto balance = make_balance(p);
    State y = balance->initial_state();
    Plan plan = plan_of("sdirk4", 0, until);
    plan.adaptive = Tolerance{1e-4, true};
    CHECK(march(*balance, y, plan).budget.relative_residual() < 1e-12);
    Real error = 0;
    for (Index i = 0; i < n; ++i)
      error += std::abs(std::exp(alpha * y[static_cast<std::size_t>(i)]) -
                        wet(1.5 - balance->grid().point_of(i).z)) /
               static_cast<Real>(n);
    CAPTURE(n);
    CHECK(error < 4e-3);
    if (last > 0) CHECK(std::log2(last / error) > 1.5);
    last = error;
  }
}

TEST_CASE("a sharp front moves as Green and Ampt have it" * doctest::skip(test::instrumented)) {
  // K·t/Δθ = L − h·ln(1 + L/h) with the suction h = ∫k du/K over the front (Green and Ampt, 1911); Brooks and
  // Corey's soil with a large pore index is nearly a piston: h = |u_e|·(1 + 1/(2 + 3λ − 1)).
  const Real entry = 0.1, pores = 12, conductivity = 0.1, share = 0.35;
  const Soil piston = soil(soil_model("brooks-corey"), {{"entry_head", -entry}, {"pore_index", pores}},
                           {0.05, 0.05 + share, conductivity, 0});
  const Real suction = entry * (1 + 1 / (1 + 3 * pores)), until = 1;
  Real low = 0, high = 10;
  for (int i = 0; i < 100; ++i) {
    const Real depth = 0.5 * (low + high);
    (share * (depth - suction * std::log(1 + depth / suction)) < conductivity * until ? low : high) = depth;
  }
  Problem p = column(piston, 100, 1);
  p.boundary("top", dirichlet(0.0));
  p.initial = -1.0;
  auto balance = make_balance(p);
  State y = balance->initial_state();
  const Real before = balance->totals(y, 0).content;
  Plan plan = plan_of("implicit-euler", 0, until);
  plan.adaptive = Tolerance{1e-3, true};
  const Outcome out = march(*balance, y, plan);
  CAPTURE(out.reason);
  REQUIRE(out.ending == Outcome::Ending::reached);
  // In the moment in which a cell is full its head jumps; most of the hundred do by less than is tolerated.
  CHECK(out.jumps >= 1);
  CHECK(out.jumps < 100);
  CHECK(out.budget.relative_residual() < 1e-12);
  CHECK((out.totals.content - before) / share == doctest::Approx(low).epsilon(0.02));
  CHECK(wet_depth(y, 1, -0.5) == doctest::Approx(low).epsilon(0.03));
}

TEST_CASE("infiltration into dry soil conserves the water and its front converges" *
          doctest::skip(test::instrumented)) {
  Real depths[3];
  for (int level = 0; level < 3; ++level) {
    const Index n = 50 << level;
    Problem p = column(sand(), n);
    p.boundary("top", dirichlet(0.0));
    p.initial = -10.0;
    auto balance = make_balance(p);
    State y = balance->initial_state();
    Plan plan = plan_of("implicit-euler", 0, 1);
    plan.adaptive = Tolerance{1e-3, true};
    const Outcome out = march(*balance, y, plan);
    CAPTURE(n);
    CAPTURE(out.reason);
    REQUIRE(out.ending == Outcome::Ending::reached);
    CHECK(out.budget.relative_residual() < 1e-12);
    depths[level] = wet_depth(y, 1, -1);
    MESSAGE(n << " cells: front at " << depths[level] << ", " << out.steps << " steps, " << out.rejected
              << " rejected, " << out.newton_iterations << " Newton");
  }
  CHECK(std::abs(depths[2] - depths[1]) < 0.7 * std::abs(depths[1] - depths[0]));
  CHECK(std::abs(depths[2] - depths[1]) < 0.02);
}

TEST_CASE("rain ponds, what is not taken runs off, and both stand in the ledger") {
  for (const Unknowns unknowns : {Unknowns::cells, Unknowns::nodes}) {
    CAPTURE(test::name_of(unknowns));
    Problem p = column(sand(), 40, 0.4, unknowns);
    p.boundary("top", rain(0.15, 0.0));  // above the conductivity at saturation
    p.initial = -1.0;
    auto balance = make_balance(p);
    State y = balance->initial_state();
    Plan plan = plan_of("implicit-euler", 0.02, 4);
    const Outcome out = march(*balance, y, plan);
    CAPTURE(out.reason);
    REQUIRE(out.ending == Outcome::Ending::reached);
    CHECK(out.budget.relative_residual() < 1e-12);
    Real fallen = 0, off = 0;
    for (std::size_t l = 0; l < out.budget.lines().size(); ++l) {
      if (out.budget.lines()[l].name == "top: rain") fallen = out.budget.amounts()[static_cast<LineId>(l)];
      if (out.budget.lines()[l].name == "top: runoff") off = out.budget.amounts()[static_cast<LineId>(l)];
    }
    CHECK(fallen == doctest::Approx(0.15 * 4));
    CHECK(off < -0.1);
    // The closed column fills up and no more.
    CHECK(out.totals.content == doctest::Approx(0.4 * 0.4).epsilon(1e-3));
    CHECK(out.highest < 0.41);
    // A node on the surface does not rise above the pond.
    if (unknowns == Unknowns::nodes) CHECK(std::abs(y.back()) < 1e-6);
  }
}

TEST_CASE("a seepage face lets out what comes, and evaporation ends where the surface is dry" *
          doctest::skip(test::instrumented)) {
  for (const Unknowns unknowns : {Unknowns::cells, Unknowns::nodes}) {
    CAPTURE(test::name_of(unknowns));
    Problem p = column(sand(), 40, 0.5, unknowns);
    p.boundary("top", rain(0.02, 0.0)).boundary("bottom", seepage(0.0));
    p.initial = -0.4;
    auto balance = make_balance(p);
    State y = balance->initial_state();
    const Outcome wet = march(*balance, y, plan_of("implicit-euler", 0.1, 60));
    REQUIRE(wet.ending == Outcome::Ending::reached);
    CHECK(wet.budget.relative_residual() < 1e-12);
    // In the end as much seeps out as falls.
    const Ledger flows = flows_at(*balance, y, 60, 0, 0.1);
    Real in = 0, out = 0;
    for (std::size_t l = 0; l < balance->lines().size(); ++l) {
      if (balance->lines()[l].name == "top: rain") in = flows[static_cast<LineId>(l)];
      if (balance->lines()[l].name == "bottom: seepage") out = flows[static_cast<LineId>(l)];
    }
    CHECK(in == doctest::Approx(0.02));
    CHECK(out == doctest::Approx(-0.02).epsilon(1e-3));
    if (unknowns == Unknowns::nodes) CHECK(std::abs(y.front()) < 1e-6);
  }

  Problem dry = column(sand(), 40, 0.5);
  dry.boundary("top", evaporation(0.01, -20.0));
  dry.initial = -0.2;
  auto drying = make_balance(dry);
  State z = drying->initial_state();
  Plan plan = plan_of("implicit-euler", 0, 100);
  plan.adaptive = Tolerance{1e-2, true};
  const Outcome done = march(*drying, z, plan);
  CAPTURE(done.reason);
  REQUIRE(done.ending == Outcome::Ending::reached);
  CHECK(done.budget.relative_residual() < 1e-12);
  CHECK(z.back() > -20.0 - 1e-9);
  CHECK(z.back() < -1);
}

namespace {

// Dry sand above a water table under steady rain, far from the state that it settles at. In metres and hours.
Problem dry_sand() {
  const Soil coarse =
      soil(soil_model("van-genuchten"), {{"alpha", 14.5}, {"n", 2.68}}, {0.045, 0.43, 0.297, 0});
  Problem p(Grid({Axis::uniform("z", 0, 3, 150, Unknowns::cells)}), unsaturated(coarse, up));
  p.boundary("top", flux(0.005)).boundary("bottom", dirichlet(0.0));
  p.initial = -10.0;
  return p;
}

}  // namespace

TEST_CASE("a steady state is found from a dry start, where Newton's method alone goes astray") {
  const Problem p = dry_sand();
  auto balance = make_balance(p);
  State y = balance->initial_state();
  const SteadyOutcome out = solve_steady(*balance, y);
  CHECK(out.reached);
  for (const Real u : y) CHECK((u > -10 && u < 0.1));
  // Far above the water table gravity alone drives the flow: k(u) is the rate of the rain.
  CHECK(p.equation().diffusion.coefficient[2].at({}, 0, y.back()) == doctest::Approx(0.005).epsilon(1e-3));
}

TEST_CASE("long steps into dry soil are solved or cut, and arrive at the same state" *
          doctest::skip(test::instrumented)) {
  auto balance = make_balance(dry_sand());
  State y = balance->initial_state(), steady = y;
  const Outcome out = march(*balance, y, plan_of("implicit-euler", 5, 600));
  CAPTURE(out.reason);
  REQUIRE(out.ending == Outcome::Ending::reached);
  CHECK(out.budget.relative_residual() < 1e-12);
  CHECK(out.lowest > -10.1);
  CHECK(out.highest < 0.1);
  solve_steady(*balance, steady);
  CHECK(test::largest_difference(y, steady) < 1e-6);
  MESSAGE(out.newton_iterations << " Newton, " << out.rejected << " rejected");
}

TEST_CASE("soil dries to a thousandth of its saturation and takes up water again" *
          doctest::skip(test::instrumented)) {
  Problem p =
      column(soil(soil_model("van-genuchten"), {{"alpha", 3.5}, {"n", 2.5}}, {0, 0.4, 0.1, 0}), 20, 0.2);
  p.boundary("top", evaporation(0.01, -2000.0));
  p.initial = -0.1;
  auto balance = make_balance(p);
  State y = balance->initial_state();
  Plan plan = plan_of("implicit-euler", 0, 2e6);
  plan.adaptive = Tolerance{1e-2, true};
  const Outcome dried = march(*balance, y, plan);
  CAPTURE(dried.reason);
  REQUIRE(dried.ending == Outcome::Ending::reached);
  CHECK(dried.budget.relative_residual() < 1e-12);
  CHECK(balance->totals(y, 0).content < 0.4 * 0.2 * 1e-2);
  const Real driest = p.equation().content->at({}, 0, y.back());
  CHECK(driest < 1e-3 * 0.4);
  Problem wet = p;
  wet.boundary("top", rain(0.02, 0.0));
  auto wetting = make_balance(wet);
  plan.until = 10;
  const Outcome soaked = march(*wetting, y, plan);
  CAPTURE(soaked.reason);
  REQUIRE(soaked.ending == Outcome::Ending::reached);
  CHECK(soaked.budget.relative_residual() < 1e-12);
  CHECK(soaked.totals.content == doctest::Approx(0.4 * 0.2).epsilon(1e-3));
}
