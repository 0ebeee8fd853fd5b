// What schemes declare: order conditions, factors, intervals, and how steps are chosen by their errors.
#include "williwaw/time/scheme.hpp"

#include <doctest/doctest.h>

#include <cmath>

#include "support/smooth.hpp"

using namespace williwaw;
using namespace williwaw::test;

namespace {

using Complex = std::complex<Real>;

// Σ b·cᵏ, which must be 1/(k + 1) up to the order.
Real power_sum(const std::vector<Real>& b, const std::vector<Real>& c, int k) {
  Real sum = 0;
  for (std::size_t s = 0; s < b.size(); ++s) sum += b[s] * std::pow(c[s], k);
  return sum;
}

// Σ b·A·c: the first condition in which stages meet, 1/6 from order 3 on.
Real nested(const Tableau& t, const std::vector<Real>& b) {
  Real sum = 0;
  for (int i = 0; i < t.stages(); ++i)
    for (int j = 0; j <= i; ++j) sum += b[i] * t.a[i][j] * t.c[j];
  return sum;
}

// A channel without a matrix.
class Bare final : public Balance {
 public:
  const Layout& layout() const override { return layout_; }
  Capabilities capabilities() const override { return {}; }
  const std::vector<LedgerLine>& lines() const override { return lines_; }
  void storage(const State& y, Real, State& q) override { q = y; }
  void recover(const State& q, Real, State& y) override { y = q; }
  void rate(const State& y, Real, Parts, State& f, Ledger&) override {
    for (std::size_t n = 0; n < y.size(); ++n) f[n] = -y[n];
  }
  void linearise(const State&, Real, Real, Real, Parts, LinearSystem&) override {}
  Totals totals(const State& y, Real) override {
    Totals t;
    for (const Real u : y) t.gross += std::abs(u);
    return t;
  }

 private:
  Layout layout_{{Block{"level", Placement::cells, {3, 1, 1}, 1, 0}}};
  std::vector<LedgerLine> lines_;
};

}  // namespace

TEST_CASE("tableaus meet the conditions of the orders that they claim, the embedded ones too") {
  for (const auto& kind : test::first_order_kinds()) {
    const Scheme s = kind.make(0.5);
    if (!s.is_runge_kutta()) continue;
    CAPTURE(s.name);
    const Tableau& t = s.tableau();
    for (int i = 0; i < t.stages(); ++i) {
      Real row = 0;
      for (int j = 0; j <= i; ++j) row += t.a[i][j];
      CHECK(row == doctest::Approx(t.c[i]).epsilon(1e-12));
    }
    for (int k = 0; k < s.order; ++k)
      CHECK(power_sum(t.b, t.c, k) == doctest::Approx(1.0 / (k + 1)).epsilon(1e-12));
    if (s.order >= 3) CHECK(nested(t, t.b) == doctest::Approx(1.0 / 6).epsilon(1e-12));
    if (t.embedded.empty()) continue;
    for (int k = 0; k < t.embedded_order; ++k)
      CHECK(power_sum(t.embedded, t.c, k) == doctest::Approx(1.0 / (k + 1)).epsilon(1e-12));
    if (t.embedded_order >= 3) CHECK(nested(t, t.embedded) == doctest::Approx(1.0 / 6).epsilon(1e-12));
  }
}

TEST_CASE("factors of a step follow the exponential to the order of the scheme") {
  for (const auto& kind : test::first_order_kinds()) {
    const Scheme s = kind.make(0.6);
    CAPTURE(s.name);
    // What is left of exp(z) falls with z^(order + 1); a two-step scheme's own root does too.
    const auto miss = [&](Real z) { return std::abs(amplification(s, Complex(-z), 5) - std::exp(-z)); };
    const Real coarse = 0.2, fine = 0.1;
    CHECK(std::log2(miss(coarse) / miss(fine)) > s.order + 0.7);
    CHECK(std::abs(amplification(s, Complex(0), 5) - 1.0) < 1e-12);
  }
}

TEST_CASE("what is looked up keeps its size, and what diffuses besides falls as in implicit Euler") {
  for (const Real z : {-0.1, -1.0, -50.0})
    CHECK(std::abs(amplification(scheme("semi-lagrangian"), z) - 1 / (1 - z)) < 1e-14);
}

TEST_CASE("stiff modes vanish in L-stable schemes and only turn over in Crank-Nicolson") {
  const Complex far(-1e9);
  for (const char* name : {"implicit-euler", "sdirk4", "bdf2", "implicit-explicit"}) {
    CAPTURE(name);
    CHECK(std::abs(amplification(scheme(name), far)) < 1e-3);
    CHECK(std::isinf(real_stability_interval(scheme(name))));
  }
  CHECK(std::abs(amplification(scheme("crank-nicolson"), far)) == doctest::Approx(1).epsilon(1e-6));
  // The axes of alternating directions multiply: the factor is the product of Crank-Nicolson's.
  const Real axes[] = {-0.7, -3.1};
  const auto one = [](Real z) { return (1 + z / 2) / (1 - z / 2); };
  CHECK(amplification(scheme("adi"), axes, 0).real() == doctest::Approx(one(-0.7) * one(-3.1)));
  // What no axis has goes with the first.
  CHECK(amplification(scheme("adi"), axes, -0.4).real() ==
        doctest::Approx(1 - (0.7 + 3.1 + 0.4) / ((1 + 0.5 * (0.7 + 0.4)) * (1 + 0.5 * 3.1))));
  // Sources of the pair are explicit: beyond their own interval they grow.
  const Real still[] = {0.0};
  CHECK(std::abs(amplification(scheme("implicit-explicit"), still, -1.9)) <= 1 + 1e-12);
  CHECK(std::abs(amplification(scheme("implicit-explicit"), still, -3.0)) > 1);
}

TEST_CASE("stages of a stabilized step grow with the root of what they must hold") {
  const auto method = std::get<Stabilized>(scheme("stabilized").method);
  CHECK(method.stages_for(0.1) == 2);
  for (const Real x : {10.0, 1000.0, 30000.0}) {
    const int s = method.stages_for(x);
    CHECK(method.interval(s) >= x);
    CHECK(method.interval(s - 1) < x);
    CHECK(s == doctest::Approx(std::sqrt(1.5 * x)).epsilon(0.25));
  }
  CHECK(method.stages_for(1e12) == method.most);
  CHECK(stages(scheme("stabilized"), 1000) == method.stages_for(1000));
  CHECK(stages(scheme("rk45")) == 7);
  CHECK_FALSE(is_explicit(scheme("adi")));
  CHECK(is_explicit(scheme("stabilized")));
  CHECK_THROWS_AS(scheme("bdf2").tableau(), InputError);
}

TEST_CASE("schemes that need a matrix say so of a balance that has none") {
  Bare balance;
  for (const auto& kind : test::first_order_kinds()) {
    const Scheme s = kind.make(0.5);
    CAPTURE(s.name);
    if (is_explicit(s) && s.name != "stabilized") {
      State y{1, 2, 3};
      Ledger amounts;
      make_stepper(balance, s)->advance(y, 0, 0.1, amounts);
      CHECK(y[1] == doctest::Approx(2 * amplification(s, Complex(-0.1)).real()).epsilon(1e-12));
    } else {
      CHECK_THROWS_WITH_AS(make_stepper(balance, s), doctest::Contains("needs a matrix"), InputError);
    }
  }
}

TEST_CASE("step control shortens what missed, lengthens what was too good, and never jumps") {
  StepControl control(Tolerance{1e-3, false}, 4);
  CHECK_FALSE(control.judge(1, 40));
  CHECK(control.next() < 0.6);
  CHECK(control.next() >= 0.2);
  const Real shorter = control.next();
  CHECK(control.judge(shorter, 0.01));
  // No growth right after a rejection.
  CHECK(control.next() <= shorter);
  CHECK(control.judge(shorter, 1e-9));
  CHECK(control.next() <= 4 * shorter);
  CHECK(control.next() > 2 * shorter);
  CHECK_FALSE(control.judge(1, std::numeric_limits<Real>::quiet_NaN()));
  CHECK(control.hopeless(1e-20, 1));
  CHECK_FALSE(control.hopeless(1e-3, 1));
  CHECK(control.measure({3e-3, -3e-3}, Reductions(Layout({{"u", Placement::cells, {2, 1, 1}}})), 2) ==
        doctest::Approx(3));
  CHECK_THROWS_AS(StepControl(Tolerance{0, true}, 3), InputError);
  // As a fraction of the range the same error counts less where the range is wide.
  StepControl wide(Tolerance{1e-3, true}, 4);
  Totals totals;
  totals.lowest = 10;
  totals.highest = 60;
  wide.see(totals, {});
  CHECK(wide.measure({5e-2}, Reductions(Layout({{"u"}})), 1) == doctest::Approx(1));
}

TEST_CASE("a jump of the solution is told from an error that falls slowly, and gone over once") {
  // Errors that do not fall: taken as soon as steps are a thousand times shorter.
  StepControl control(Tolerance{1e-3, false}, 1);
  Real length = 1;
  int rejected = 0;
  while (!control.judge(length, 5 + 0.1 * length)) {
    length = control.next();
    REQUIRE(++rejected < 100);
  }
  CHECK(length <= 1e-3);
  CHECK(length > 1e-4);
  CHECK(control.memory().jumps == 1);
  CHECK(control.next() == length);
  // Steps grow again, and the next jump is looked for anew.
  CHECK(control.judge(length, 1e-4));
  CHECK(control.next() > 2 * length);
  CHECK_FALSE(control.judge(control.next(), 5));
  CHECK(control.memory().jumps == 1);
  // An error that falls with the root of the step only, by much in all, is none.
  StepControl slow(Tolerance{1e-3, false}, 1);
  length = 1;
  while (!slow.judge(length, 100 * std::sqrt(length))) length = slow.next();
  CHECK(slow.memory().jumps == 0);
  CHECK(length <= 1e-4);
}
