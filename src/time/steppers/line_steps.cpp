// The theta scheme of linear equations along a line: no right-hand side is made, and rates are not evaluated.
#include <algorithm>
#include <cmath>

#include "kinds.hpp"
#include "solve/line_elimination.hpp"
#include "stage_solver.hpp"
#include "williwaw/balance/storage.hpp"
#include "williwaw/domain/sums.hpp"

namespace williwaw {

namespace {

// F and the ledger of an affine balance along a line: what they are without an unknown, and how the lines of
// the ledger hear of the unknowns at both ends.
class EndsOfLine {
 public:
  explicit EndsOfLine(Balance& balance) : balance_(balance), zero_(size(), 0.0), rate_(size()) {}

  /// False where the ledger hears of other unknowns too.
  bool learn(Real at) {
    without(at);
    const Ledger base = without_ledger_;
    State probe = zero_;
    Ledger seen(balance_.lines().size());
    for (const bool upper : {false, true}) {
      const std::size_t n = upper ? size() - 1 : 0;
      probe[n] = 1;
      balance_.rate(probe, at, Parts::all(), rate_, seen);
      probe[n] = 0;
      of_end_[upper ? 1 : 0] = seen;
      of_end_[upper ? 1 : 0].add(base, -1);
    }
    // Numbers of every size and sign, none of which can hide another.
    Real scale = 0;
    for (std::size_t n = 0; n < size(); ++n)
      probe[n] = std::sin(1.0 + 0.7 * static_cast<Real>(n % 1000)) + 0.3;
    balance_.rate(probe, at, Parts::all(), rate_, seen);
    Ledger told = base;
    told.add(of_end_[0], probe.front());
    told.add(of_end_[1], probe.back());
    for (std::size_t l = 0; l < seen.size(); ++l)
      scale = std::max({scale, std::abs(seen[l]), std::abs(told[l]), std::abs(base[l])});
    for (std::size_t l = 0; l < seen.size(); ++l)
      if (std::abs(seen[l] - told[l]) > 1e-12 * scale) return false;
    return true;
  }

  /// F without an unknown, and its ledger.
  const State& without(Real at) {
    balance_.rate(zero_, at, Parts::all(), rate_, without_ledger_);
    return rate_;
  }
  const Ledger& ledger() const { return without_ledger_; }
  const Ledger& of_end(bool upper) const { return of_end_[upper ? 1 : 0]; }

 private:
  std::size_t size() const { return static_cast<std::size_t>(balance_.layout().size()); }

  Balance& balance_;
  State zero_, rate_;
  Ledger without_ledger_ = Ledger(balance_.lines().size());
  std::array<Ledger, 2> of_end_{Ledger(balance_.lines().size()), Ledger(balance_.lines().size())};
};

// With v = theta·u₁ + (1 − theta)·u₀ the step C·(u₁ − u₀) = step·(F'·v + data) reads
// (C − theta·step·F')·v = C·u₀ + theta·step·data, and what crosses the ends is step·(what v makes of it).
class LineSteps final : public Stepper {
 public:
  LineSteps(Balance& balance, Real theta, const Solving& solving, EndsOfLine ends,
            std::vector<Real> capacities)
      : balance_(balance),
        theta_(theta),
        threads_(solving.threads),
        ends_(std::move(ends)),
        capacities_(std::move(capacities)),
        steady_(!balance.capabilities().data_change) {
    previous_.resize(capacities_.size());
    of_segments_.resize((capacities_.size() + segment_cells - 1) / segment_cells);
  }

  Totals advance(State& y, Real at, Real step, Ledger& amounts) override {
    factor(at, step);
    data(at, step);
    const Storage* storage = balance_.only_storage();
    if (storage)
      elimination_.step(y, at_ends_, theta_, previous_, [&](Index first, Index end) {
        const auto segment = of_segments_.begin() + first / segment_cells;
        std::fill(segment, of_segments_.begin() + (end + segment_cells - 1) / segment_cells, Totals());
        storage->count(0, previous_.data(), first, end, of_segments_.data());
      });
    else
      elimination_.step(y, at_ends_, theta_, previous_);
    y.swap(previous_);
    amounts = ledger_;
    for (const bool upper : {false, true}) {
      const Real before = upper ? previous_.back() : previous_.front(), after = upper ? y.back() : y.front();
      amounts.add(ends_.of_end(upper), before + theta_ * (after - before));
    }
    amounts.scale(step);
    if (!storage) return balance_.totals(y, at + step);
    TreeSum<Totals> totals;
    for (std::size_t s = 0; s < of_segments_.size(); ++s) totals.add(static_cast<Index>(s), of_segments_[s]);
    return totals.sum();
  }

  void take_back(State& y) override { y = previous_; }
  std::string solver_name() const override { return "Thomas"; }
  int factorizations() const override { return factorizations_; }

  StepperMemory remember() const override { return {{factored_weight_.value()}, {State()}, {}}; }
  void recall(const StepperMemory& memory) override { factored_weight_.recall(memory.numbers.at(0)); }

 private:
  void factor(Real at, Real step) {
    const auto weight = factored_weight_.wanted(theta_ * step);
    if (!weight) return;

    LinearSystem system;
    balance_.linearise(State(), at, 1, *weight, Parts::all(), system);
    elimination_.factor(std::get<FaceSystem>(system), capacities_, threads_);
    factored_weight_.factored(*weight);

    known_ = false;
    ++factorizations_;
  }

  // Boundary values and sources over the step, weighted as the scheme does.
  void data(Real at, Real step) {
    if (known_ && steady_) return;
    const State& start = ends_.without(at);
    ledger_ = ends_.ledger();
    added_.assign(start.begin(), start.end());
    if (!steady_) {
      ledger_.scale(1 - theta_);
      for (Real& v : added_) v *= 1 - theta_;
      const State& end = ends_.without(at + step);
      ledger_.add(ends_.ledger(), theta_);
      for (std::size_t n = 0; n < added_.size(); ++n) added_[n] += theta_ * end[n];
    }
    for (Real& v : added_) v *= theta_ * step;
    at_ends_ = {{}, added_.front(), added_.back()};
    const auto inner = std::span(added_).subspan(1, added_.size() - 2);
    if (std::ranges::any_of(inner, [](Real v) { return v != 0; })) at_ends_ = {added_};
    known_ = true;
  }

  Balance& balance_;
  Real theta_;
  int threads_;
  EndsOfLine ends_;
  std::vector<Real> capacities_;
  bool steady_;
  LineElimination elimination_;
  std::vector<Totals> of_segments_;
  State added_;
  LineElimination::Added at_ends_;
  Ledger ledger_ = Ledger(balance_.lines().size());
  FactoredWeight factored_weight_;
  bool known_ = false;
  int factorizations_ = 0;
};

}  // namespace

std::optional<Real> steppers::theta_of(const Tableau& t) {
  if (!t.embedded.empty()) return std::nullopt;
  if (t.stages() == 1 && t.a[0][0] == 1) return 1;
  if (t.stages() == 2 && t.a[0][0] == 0 && t.a[1][1] > 0 && t.starts_with_state() && t.ends_with_last_stage())
    return t.a[1][1];
  return std::nullopt;
}

std::unique_ptr<Stepper> steppers::line_steps(Balance& balance, const Tableau& tableau,
                                              const Solving& solving) {
  const auto theta = theta_of(tableau);
  const Capabilities can = balance.capabilities();
  if (!theta || solving.solver != "auto" || !can.linear || !can.matrix || can.approximate ||
      !can.steady_matrix || !can.same_matrix || can.reacts || can.second_order ||
      balance.layout().blocks().size() != 1 || balance.prescribes() || !balance.inactive().empty())
    return nullptr;
  LinearSystem matrix, storage;
  balance.linearise(State(), 0, 1, 1, Parts::all(), matrix);
  const auto* line = std::get_if<FaceSystem>(&matrix);
  if (!line || !LineElimination::takes(*line)) return nullptr;
  EndsOfLine ends(balance);
  try {
    if (!ends.learn(0)) return nullptr;
  } catch (const DataError&) {
    return nullptr;  // data begin later
  }
  balance.linearise(State(), 0, 1, 0, Parts::all(), storage);
  return std::make_unique<LineSteps>(balance, *theta, solving, std::move(ends),
                                     std::get<FaceSystem>(storage).diagonal);
}

}  // namespace williwaw
