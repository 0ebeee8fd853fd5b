#include "terms/waves/wave_system.hpp"

#include <algorithm>
#include <cmath>

#include "domain/lines.hpp"

namespace williwaw {

namespace {

// Flows of the terms are rates of change: a unit of an unknown is what a control volume stores.
std::vector<Unknown> unknowns_of(const WaveMedium& medium) {
  const LinearStorage& storage = *medium.parts().storage;
  const auto rates = std::make_shared<const LinearStorage>(
      medium.parts().of.domain, std::vector<Real>(static_cast<std::size_t>(medium.grid().count()), 1.0),
      std::vector<Real>(storage.volumes().begin(), storage.volumes().end()));
  std::vector<Unknown> result{{medium.parts().problem->equation().unknown, rates}, {"rate", rates}};
  for (int a = 0; a < medium.axes(); ++a)
    result.push_back({"stress along " + medium.grid().axis(a).name(), rates});
  return result;
}

std::vector<std::unique_ptr<Term>> terms_of(const WaveMedium& medium, TermBalance& balance) {
  std::vector<std::unique_ptr<Term>> result;
  result.push_back(std::make_unique<DisplacementTerm>(medium));
  result.push_back(std::make_unique<ForcingTerm>(medium, balance));
  result.push_back(std::make_unique<WaveFluxTerm>(medium));
  return result;
}

LedgerLines lines_of(const TermBalance& balance) {
  LedgerLines result;
  for (const LedgerLine& line : balance.lines()) result.declare(line);
  return result;
}

}  // namespace

WaveSystem::WaveSystem(TermBalance& balance, const ProblemTerms& parts)
    : medium_(parts), system_(unknowns_of(medium_), terms_of(medium_, balance), lines_of(balance)) {}

State WaveSystem::initial(const State& u, Real at) const {
  const Problem& problem = *medium_.parts().problem;
  const Grid& g = medium_.grid();
  const Outline& outline = medium_.domain().outline();
  State y(static_cast<std::size_t>(layout().size()), 0.0);
  std::ranges::copy(u, y.begin());
  Real* const p = y.data() + layout().start(WaveUnknowns::p);
  for (Index n = 0; n < g.count(); ++n)
    if (outline.active(n)) p[n] = problem.initial_rate(g.point_of(n), at);
  for (int a = 0; a < g.dimension(); ++a) {
    Real* const stress = y.data() + layout().start(static_cast<std::size_t>(WaveUnknowns::stress + a));
    const Real h = medium_.spacing(a);
    for (Index n = 0; n < g.count(); ++n) {
      if (!outline.active(n)) continue;
      Point low = g.point_of(n), high = low;
      low[g.direction(a)] -= 0.5 * h;
      high[g.direction(a)] += 0.5 * h;
      stress[n] = medium_.conductivity(a, n) * (problem.initial(high, at) - problem.initial(low, at)) / h;
    }
  }
  return y;
}

void WaveSystem::rate(const State& y, Real at, Real step, State& out, Ledger& powers) {
  out.resize(y.size());
  system_.rate({at, step, y}, Parts::all(), out, powers);
  // States are put together of rates as they are.
  system_.exchange(out);
}

Totals WaveSystem::totals(const State& y) const {
  expect(static_cast<Index>(y.size()) == layout().size(), "WaveSystem::totals: size of the state");
  const Grid& g = medium_.grid();
  const Domain& domain = medium_.domain();
  const auto count = [&](Index n, Totals& sums) {
    const Real volume = g.volume_of(n);
    const auto value = [&](int unknown) { return wave_block(medium_, y.data(), unknown)[n]; };
    sums.kinetic += 0.5 * volume * medium_.storage(n) * value(WaveUnknowns::p) * value(WaveUnknowns::p);
    for (int a = 0; a < g.dimension(); ++a) {
      const Real stress = value(WaveUnknowns::stress + a);
      sums.potential += 0.5 * volume * stress * stress / medium_.conductivity(a, n);
    }
    sums.see(value(WaveUnknowns::u), volume);
  };
  Totals result = tree_over<Totals>(domain, [&](Index line, SubtreeSums<Totals>& sum) {
    for (const auto& run : domain.runs(line))
      for (Index i = run.first; i < run.first + run.count; ++i)
        count(g.size(0) * line + i, sum.leaf(domain.segments().number(line, i)));
  });
  result.content = result.kinetic + result.potential;
  result.gross = result.content;
  return result;
}

std::pair<Real, Index> WaveSystem::fastest() const {
  std::pair<Real, Index> worst{0, 0};
  for (Index n = 0; n < medium_.grid().count(); ++n) {
    if (!medium_.domain().outline().active(n)) continue;
    Real sum = 0;
    for (int a = 0; a < medium_.axes(); ++a) sum += medium_.speed(a, n) / medium_.spacing(a);
    if (sum > worst.first) worst = {sum, n};
  }
  return worst;
}

}  // namespace williwaw
