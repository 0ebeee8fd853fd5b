// Balances put together from terms of the test's own: a storage that is not linear, a conductivity that
// depends on the unknown, a sink with a line of the ledger.
#include <doctest/doctest.h>

#include <cmath>

#include "support/marching.hpp"

using namespace williwaw;
using namespace williwaw::test;

namespace {

// Q = u + u³ in every unit of volume.
class CubicStorage final : public Storage {
 public:
  explicit CubicStorage(std::shared_ptr<const Domain> domain) : Storage(std::move(domain)) {}
  static Real of(Real u) { return u + u * u * u; }
  static Real slope_of(Real u) { return 1 + 3 * u * u; }
  // The only real root of u + u³ = w.
  static Real root(Real w) {
    Real u = w / (1 + std::cbrt(w * w));
    for (int n = 0; n < 50; ++n) u -= (of(u) - w) / slope_of(u);
    return u;
  }

  void amount(Index line, const Real* u, Real* q) const override {
    each(line, [&](Index i, Real v) { q[i] = v * of(u[i]); });
  }
  void slope(Index line, const Real* u, Real* out) const override {
    each(line, [&](Index i, Real v) { out[i] = v * slope_of(u[i]); });
  }
  void recover(Index line, const Real* q, Real* u) const override {
    each(line, [&](Index i, Real v) { u[i] = root(q[i] / v); });
  }

 private:
  template <class Visit>
  void each(Index line, const Visit& visit) const {
    const Index nx = domain().grid().size(0);
    for (Index i = 0; i < nx; ++i) visit(i, volume(nx * line + i));
  }
};

// What flows between neighbours along x with conductivity 1 + 3u², between closed ends.
class CubicConduction final : public Term {
 public:
  explicit CubicConduction(OfUnknown of) : of_(std::move(of)) {}
  Needs needs() const override {
    Needs result;
    result.linear = result.same_matrix = false;
    result.parts = Parts::flux(0);
    return result;
  }
  void evaluate(const Instant& instant, const Evaluation&,
                std::shared_ptr<EvaluatedTerm>& evaluated) const override;

  OfUnknown of_;
};

class EvaluatedCubic final : public EvaluatedTerm {
 public:
  explicit EvaluatedCubic(const OfUnknown& of) : of_(of) {}

  void add(const Line& line, std::span<const LineRates> rates) const override {
    if (!line.parts.has(Parts::flux(0))) return;
    const Index nx = of_.domain->grid().size(0);
    const Real* u = line.y + nx * line.number;
    for (Index i = 0; i + 1 < nx; ++i) {
      const Real flow = conductances[static_cast<std::size_t>(nx * line.number + i)] * (u[i + 1] - u[i]);
      rates[0].add(i, flow);
      rates[0].add(i + 1, -flow);
    }
  }
  // The derivative of the flow, that of the conductance included.
  void linearise(const Evaluation&, std::span<const Real> y, Real b, Parts,
                 std::span<FaceSystem> matrices) const override {
    const Grid& g = of_.domain->grid();
    for (Index n = 0; n < g.count(); ++n) {
      if (n % g.size(0) + 1 == g.size(0)) continue;
      const Real k = conductances[static_cast<std::size_t>(n)], change = 3 * (y[n + 1] - y[n]) / gap,
                 low = -k + change * y[n], high = k + change * y[n + 1];
      FaceSystem& m = matrices[0];
      m.diagonal[n] -= b * low;
      m.upper[0][n] -= b * high;
      m.lower[0][n + 1] += b * low;
      m.diagonal[n + 1] += b * high;
    }
  }

  const OfUnknown& of_;
  Real gap = 1;
  std::vector<Real> conductances;
};

void CubicConduction::evaluate(const Instant& instant, const Evaluation&,
                               std::shared_ptr<EvaluatedTerm>& evaluated) const {
  auto& now = renewed<EvaluatedCubic>(evaluated, [&] { return std::make_shared<EvaluatedCubic>(of_); });
  const Grid& g = of_.domain->grid();
  now.gap = g.axis(0).gaps()[1];
  now.conductances.assign(static_cast<std::size_t>(g.count()), 0.0);
  // The state that they are asked about is the one that they depend on.
  for (Index n = 0; !instant.y.empty() && n < g.count(); ++n)
    if (n % g.size(0) + 1 < g.size(0))
      now.conductances[static_cast<std::size_t>(n)] =
          0.5 * (CubicStorage::slope_of(instant.y[n]) + CubicStorage::slope_of(instant.y[n + 1])) / now.gap;
}

// Takes `rate`·u away from every unit of volume, booked on a ledger line of its own.
class Sink final : public Term {
 public:
  Sink(OfUnknown of, Real rate) : of_(std::move(of)), rate_(rate) {}
  Needs needs() const override {
    Needs result;
    result.parts = Parts::source();
    return result;
  }
  void declare(LedgerLines& lines) override { line_ = lines.declare({"sink", LedgerLine::Kind::source, ""}); }
  void evaluate(const Instant&, const Evaluation&, std::shared_ptr<EvaluatedTerm>& evaluated) const override {
    if (!evaluated) evaluated = std::make_shared<Evaluated>(*this);
  }

 private:
  class Evaluated final : public EvaluatedTerm {
   public:
    explicit Evaluated(const Sink& sink) : sink_(sink) {}
    void add(const Line& line, std::span<const LineRates> rates) const override {
      const Domain& domain = *sink_.of_.domain;
      const Index nx = domain.grid().size(0);
      for (Index i = 0; line.parts.has(Parts::source()) && i < nx; ++i) {
        const Index n = nx * line.number + i;
        const Real flow = -sink_.rate_ * domain.grid().volume_of(n) * line.y[n];
        rates[0].add(i, flow);
        line.booked[sink_.line_].leaf(domain.segments().number(line.number, i)) += flow;
      }
    }
    void linearise(const Evaluation&, std::span<const Real>, Real b, Parts parts,
                   std::span<FaceSystem> matrices) const override {
      for (std::size_t n = 0; parts.has(Parts::source()) && n < matrices[0].diagonal.size(); ++n)
        matrices[0].diagonal[n] +=
            b * sink_.rate_ * sink_.of_.domain->grid().volume_of(static_cast<Index>(n));
    }

   private:
    const Sink& sink_;
  };

  OfUnknown of_;
  Real rate_;
  LineId line_{};
};

struct Cubic {
  std::shared_ptr<const Domain> domain;
  std::unique_ptr<TermBalance> balance;
  State y;

  Cubic(Index cells, Real sink = 0)
      : domain(std::make_shared<const Domain>(Grid({Axis::uniform("x", 0, 1, cells, Unknowns::cells)}),
                                              Outline{})) {
    std::vector<std::unique_ptr<Term>> terms;
    terms.push_back(std::make_unique<CubicConduction>(OfUnknown{domain}));
    if (sink != 0) terms.push_back(std::make_unique<Sink>(OfUnknown{domain}, sink));
    balance = std::make_unique<TermBalance>(
        std::vector<Unknown>{{"u", std::make_shared<CubicStorage>(domain)}}, std::move(terms));
    for (Index i = 0; i < cells; ++i)
      y.push_back(CubicStorage::root(2 + std::cos(M_PI * domain->grid().point(i).x)));
  }
  // Q(u) diffuses with conductivity 1, whatever Q is: k(u)∇u = ∇Q(u).
  Real worst(Real time) const {
    Real most = 0;
    for (Index i = 0; i < domain->grid().count(); ++i) {
      const Real x = domain->grid().point(i).x;
      const Real w = 2 + std::exp(-M_PI * M_PI * time) * std::cos(M_PI * x);
      most = std::max(most, std::abs(y[static_cast<std::size_t>(i)] - CubicStorage::root(w)));
    }
    return most;
  }
};

}  // namespace

TEST_CASE("a storage that is not linear and a conductivity of the unknown: exact by Q(u), in every scheme") {
  for (const char* name : {"explicit-euler", "rk4", "implicit-euler", "crank-nicolson", "bdf2", "sdirk4"}) {
    CAPTURE(name);
    const Scheme s = scheme(name);
    std::vector<Real> errors;
    for (const Index cells : {16, 32}) {
      Cubic cubic(cells);
      CHECK_FALSE(cubic.balance->capabilities().linear);
      CHECK_FALSE(cubic.balance->capabilities().same_matrix);
      const Totals start = cubic.balance->totals(cubic.y, 0);
      CHECK(start.content == doctest::Approx(2).epsilon(1e-12));
      Plan plan;
      plan.scheme = s;
      // Of first order in time the step goes with the square of the spacing.
      plan.step = 0.2 / static_cast<Real>(cells * cells);
      plan.until = 0.05;
      plan.trim = true;
      const Outcome o = march(*cubic.balance, cubic.y, plan);
      CHECK(o.ending == Outcome::Ending::reached);
      // What is counted is Q, and nothing leaves.
      CHECK(o.totals.content == doctest::Approx(2).epsilon(1e-9));
      CHECK(o.budget.worst_step() < 1e-9);
      errors.push_back(cubic.worst(0.05));
    }
    CHECK(order_between(errors[0], errors[1]) > 1.9);
    CHECK(errors[1] < 2e-3);
  }
}

TEST_CASE("a sink written beside the library keeps its own account, explicit and implicit") {
  for (const char* name : {"explicit-euler", "rk4", "crank-nicolson"}) {
    CAPTURE(name);
    Cubic cubic(20, 3.0);
    REQUIRE(cubic.balance->lines().size() == 1);
    CHECK(cubic.balance->lines()[0].name == "sink");
    Plan plan;
    plan.scheme = scheme(name);
    plan.step = 1e-4;
    plan.until = 0.02;
    const Outcome o = march(*cubic.balance, cubic.y, plan);
    CHECK(o.budget.worst_step() < 1e-9);
    const Real taken = o.budget.amounts()[0];
    // Of Q = u + u³ it takes 3·u: some 3·∫u dt.
    CHECK(taken < -0.05);
    CHECK(o.totals.content == doctest::Approx(2 + taken).epsilon(1e-9));
  }
}

TEST_CASE("evaluations of two times stand side by side") {
  Problem p(Grid({Axis::uniform("x", 0, 1, 8, Unknowns::cells)}),
            diffusion([](Real t) { return 1 + t; }, 1.0, [](Point, Real t) { return 2 * t; }));
  p.boundary("west", dirichlet([](Real t) { return 5 * t; })).boundary("east", insulated());
  ProblemBalance balance(p);
  const auto early = balance.conductances(1), late = balance.conductances(3);
  const auto closures_early = balance.closures_at(1), closures_late = balance.closures_at(3);
  CHECK(early->conductivity(0) == 2);
  CHECK(late->conductivity(0) == 4);
  CHECK((*closures_early)[0].boundary_value(0, 0) == doctest::Approx(5));
  CHECK((*closures_late)[0].boundary_value(0, 0) == doctest::Approx(15));
  // Whatever was asked in between, a rate is that of its own time.
  const State y(8, 0.0);
  State first(8), again(8);
  Ledger flows(balance.lines().size());
  balance.rate(y, 1, Parts::all(), first, flows);
  balance.rate(y, 7, Parts::all(), again, flows);
  balance.data_bounds(4);
  balance.rate(y, 1, Parts::all(), again, flows);
  CHECK(first == again);
}

TEST_CASE("terms that cannot stand together are told") {
  const auto domain =
      std::make_shared<const Domain>(Grid({Axis::uniform("x", 0, 1, 4, Unknowns::cells)}), Outline{});
  const auto storage = std::make_shared<LinearStorage>(domain, 1.0);
  CHECK_THROWS_WITH_AS(TermBalance({}, {}), "a balance needs one unknown at least", InputError);
  CHECK_THROWS_WITH_AS(TermBalance({{"u", nullptr}}, {}), "unknown 'u' of a balance has no storage",
                       InputError);
  std::vector<std::unique_ptr<Term>> none(1);
  CHECK_THROWS_WITH_AS(TermBalance({{"u", storage}}, std::move(none)), "a term of a balance is not there",
                       InputError);
  std::vector<std::unique_ptr<Term>> of_another;
  of_another.push_back(std::make_unique<SystemReactionTerm>(SystemReaction{}, domain->grid()));
  LedgerLines lines;
  static_cast<SystemReactionTerm&>(*of_another.back()).add_unknown({domain, 2, 0, "x "}, "x", storage, lines);
  CHECK_THROWS_AS(TermBalance({{"u", storage}}, std::move(of_another)), InputError);
}

#ifdef WILLIWAW_ASSERT
TEST_CASE("broken preconditions are told where they are asserted") {
  Problem p(Grid({Axis::uniform("x", 0, 1, 4, Unknowns::cells)}), diffusion(1.0));
  p.default_boundary(insulated());
  ProblemBalance balance(p);
  State y(4, 1.0), other(4), small(3);
  Ledger ledger(balance.lines().size()), none(0);
  CHECK_THROWS_AS(balance.rate(y, 0, Parts::all(), y, ledger), PreconditionError);
  CHECK_THROWS_AS(balance.rate(y, 0, Parts::all(), small, ledger), PreconditionError);
  CHECK_THROWS_AS(balance.rate(y, 0, Parts::all(), other, none), PreconditionError);
  CHECK_THROWS_AS(balance.advance(y, 0, 0.01, y, ledger), PreconditionError);
  CHECK_THROWS_AS(balance.storage(small, 0, other), PreconditionError);
  CHECK_THROWS_AS(balance.recover(y, 0, y), PreconditionError);
  CHECK_THROWS_AS(balance.totals(small, 0), PreconditionError);
  CHECK_THROWS_AS(balance.advection(), PreconditionError);
  CHECK_THROWS_AS(solve_steady(balance, small, 0, {}), PreconditionError);
  CHECK_THROWS_AS(flows_at(balance, y, 0, 0, 0), PreconditionError);
  LinearSystem system;
  balance.linearise(y, 0, 1, 1, Parts::all(), system);
  const auto solver = make_solver("direct", system, {});
  CHECK_THROWS_AS(solver->solve(y, other), PreconditionError);
  solver->factor(system);
  CHECK_THROWS_AS(solver->solve(y, small), PreconditionError);
  CHECK_NOTHROW(solver->solve(y, other));
  CHECK_THROWS_AS(LinearStorage(std::make_shared<const Domain>(p.grid(), Outline{}), {1.0}, {}),
                  PreconditionError);
}
#endif
