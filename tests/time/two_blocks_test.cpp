// A balance that is nothing like diffusion: two blocks, one at cells with nonlinear storage, one at faces
// with a prescribed value at each end, and a matrix that is no FaceSystem. It runs through the same march.
#include <doctest/doctest.h>

#include <cmath>

#include "williwaw/time/march.hpp"

using namespace williwaw;

namespace {

// Water in a closed channel: level h at cells with storage h + h³/10, flow m at faces.
//   d/dt (h + h³/10) = −∂m/∂x,   dm/dt = −∂h/∂x − m/4,   m = inflow(t) at the west end, 0 at the east end.
class Channel final : public Balance {
 public:
  explicit Channel(Index cells)
      : n_(cells), size_(1.0 / static_cast<Real>(cells)), prescribed_{cells, 2 * cells} {
    layout_ = Layout({Block{"level", Placement::cells, {n_, 1, 1}, 1, 0},
                      Block{"flow", Placement::face_x, {n_ + 1, 1, 1}, 1, 0}});
    lines_ = {{"west: inflow", LedgerLine::Kind::boundary, "west"}};
  }
  static Real inflow(Real t) { return 0.2 * std::sin(3 * t); }

  const Layout& layout() const override { return layout_; }
  Capabilities capabilities() const override {
    return {.linear = false, .steady_matrix = false, .matrix = true};
  }
  const std::vector<LedgerLine>& lines() const override { return lines_; }
  std::span<const Index> prescribed() const override { return prescribed_; }

  void storage(const State& y, Real, State& q) override {
    for (Index i = 0; i < n_; ++i) q[level(i)] = size_ * (y[level(i)] + 0.1 * std::pow(y[level(i)], 3));
    for (Index f = 0; f <= n_; ++f) q[flow(f)] = size_ * y[flow(f)];
  }
  void recover(const State& q, Real, State& y) override {
    for (Index i = 0; i < n_; ++i) {
      Real h = y[level(i)];
      for (int k = 0; k < 50; ++k) h -= (h + 0.1 * h * h * h - q[level(i)] / size_) / (1 + 0.3 * h * h);
      y[level(i)] = h;
    }
    for (Index f = 0; f <= n_; ++f) y[flow(f)] = q[flow(f)] / size_;
  }
  void rate(const State& y, Real, Parts, State& f, Ledger& ledger) override {
    for (Index i = 0; i < n_; ++i) f[level(i)] = y[flow(i)] - y[flow(i + 1)];
    f[flow(0)] = f[flow(n_)] = 0;
    for (Index i = 1; i < n_; ++i) f[flow(i)] = y[level(i - 1)] - y[level(i)] - 0.25 * size_ * y[flow(i)];
    ledger[LineId{0}] = y[flow(0)];
  }
  void linearise(const State& y, Real, Real a, Real b, Parts, LinearSystem& system) override {
    SparseSystem m{layout_.size(), {}};
    for (Index i = 0; i < n_; ++i) {
      m.entries.push_back({level(i), level(i), a * size_ * (1 + 0.3 * y[level(i)] * y[level(i)])});
      if (i > 0) m.entries.push_back({level(i), flow(i), -b});
      if (i + 1 < n_) m.entries.push_back({level(i), flow(i + 1), b});
    }
    for (const Index f : prescribed_) m.entries.push_back({f, f, 1});
    for (Index i = 1; i < n_; ++i) {
      m.entries.push_back({flow(i), flow(i), (a + 0.25 * b) * size_});
      m.entries.push_back({flow(i), level(i - 1), -b});
      m.entries.push_back({flow(i), level(i), b});
    }
    system = std::move(m);
  }
  void prescribe(Real at, State& y) override {
    y[flow(0)] = inflow(at);
    y[flow(n_)] = 0;
  }
  Totals totals(const State& y, Real) override {
    Totals t;
    for (Index i = 0; i < n_; ++i) {
      const Real h = y[level(i)], q = size_ * (h + 0.1 * h * h * h);
      t.content += q;
      t.gross += std::abs(q);
      t.integral += size_ * h;
      t.lowest = std::min(t.lowest, h);
      t.highest = std::max(t.highest, h);
    }
    return t;
  }
  State start() const {
    State y(static_cast<std::size_t>(layout_.size()));
    for (Index i = 0; i < n_; ++i)
      y[level(i)] = 1 + 0.5 * std::cos(M_PI * size_ * (static_cast<Real>(i) + 0.5));
    return y;
  }

 private:
  Index level(Index i) const { return layout_.number(0, 0, i); }
  Index flow(Index f) const { return layout_.number(1, 0, f); }

  Index n_;
  Real size_;
  std::vector<Index> prescribed_;
  Layout layout_;
  std::vector<LedgerLine> lines_;
};

struct Result {
  State state;
  Outcome outcome;
};

Result run(const Scheme& s, Index steps) {
  Channel channel(16);
  Result r{channel.start(), {}};
  Plan plan;
  plan.scheme = s;
  plan.until = 1;
  plan.step = 1 / static_cast<Real>(steps);
  r.outcome = march(channel, r.state, plan);
  return r;
}

Real difference(const State& a, const State& b) {
  Real most = 0;
  for (std::size_t n = 0; n < a.size(); ++n) most = std::max(most, std::abs(a[n] - b[n]));
  return most;
}

}  // namespace

TEST_CASE(
    "a balance of two blocks with nonlinear storage keeps its budget under explicit and implicit schemes") {
  for (const auto& s :
       {scheme("rk4"), scheme("theta", 0.5), scheme("theta", 0.7), scheme("explicit-euler")}) {
    CAPTURE(s.name);
    const Result r = run(s, 200);
    CHECK(r.outcome.ending == Outcome::Ending::reached);
    CHECK(r.outcome.budget.relative_residual() < 1e-12);
    CHECK(r.outcome.budget.worst_step() < 1e-12);
    // Something did flow in, and what did is the integral of the prescribed inflow.
    CHECK(r.outcome.budget.amounts()[0] == doctest::Approx(0.2 / 3 * (1 - std::cos(3.0))).epsilon(5e-3));
  }
}

TEST_CASE("orders in time of a nonlinear system of two blocks") {
  const State reference = run(scheme("rk4"), 3200).state;
  const auto order = [&](const Scheme& s, Index steps) {
    return std::log2(difference(run(s, steps).state, reference) /
                     difference(run(s, 2 * steps).state, reference));
  };
  CHECK(order(scheme("rk4"), 50) == doctest::Approx(4).epsilon(0.05));
  CHECK(order(scheme("theta", 0.5), 50) == doctest::Approx(2).epsilon(0.05));
  CHECK(order(scheme("theta", 0.8), 200) == doctest::Approx(1).epsilon(0.1));
}

TEST_CASE("layouts number blocks, components and halos") {
  const Layout l(
      {Block{"a", Placement::cells, {4, 3, 1}, 2, 1}, Block{"b", Placement::face_x, {5, 1, 1}, 1, 0}});
  CHECK(l.size() == 2 * 6 * 5 + 5);
  CHECK(l.number(0, 0, -1, -1) == 0);
  CHECK(l.number(0, 0, 0, 0) == 7);
  CHECK(l.number(0, 1, 0, 0) == 37);
  CHECK(l.number(1, 0, 2) == 62);
  CHECK_THROWS_AS(Layout({Block{"none", Placement::cells, {1, 1, 1}, 0, 0}}), InputError);
}
