// Energies of a state and its rate, and the work over a step of schemes that know both at its ends.
#include <algorithm>
#include <cmath>

#include "domain/lines.hpp"
#include "terms/waves/wave_dynamics.hpp"

namespace williwaw {

Totals WaveDynamics::totals(const State& y, const State& v, Real at) {
  const auto now = balance_.at({at, 0, y});
  pair_forces(*now, y, pairs_);
  BoxSum<Totals> all(*parts_.of.domain);
  for (Index n = 0; n < grid().count(); ++n) {
    if (!parts_.outline().active(n)) continue;
    Totals& sums = all.leaf(n);
    sums.kinetic += 0.5 * capacity(n) * v[n] * v[n];
    sums.potential -= 0.5 * y[n] * pairs_[n];
    sums.see(y[n], parts_.storage->volume(n));
  }
  Totals t = all.sum();
  for (const EvaluatedBoundaryClosure& boundary : closures(*now)) {
    BoxSum<Real> springs(*parts_.of.domain);
    for (Index f = 0; f < boundary.faces(); ++f) {
      const Real stretched = y[boundary.unknown(f)] - anchor_of(boundary, f);
      springs.leaf(boundary.unknown(f)) += 0.5 * spring(boundary, f) * stretched * stretched;
    }
    t.potential += springs.sum();
  }
  t.content = t.kinetic + t.potential;
  t.gross = t.kinetic + std::abs(t.potential);
  return t;
}

void WaveDynamics::book_means(const State& y0, const State& v0, const State& force0, const State& y1,
                              const State& v1, const State& force1, Real at, Real step, Ledger& amounts) {
  const Fixed& fixed = this->fixed();
  amounts.clear();
  const auto by_owner_of = [&](Index n, const auto& value) {
    BoxSum<Real> sum(*parts_.of.domain);
    if (n >= 0) sum.leaf(n) = value();
    return sum.sum();
  };
  const auto sum_of = [&](const auto& term) { return sum_over(*parts_.of.domain, term); };
  const LineId source_line = parts_.source_term->line();
  const auto start = balance_.at({at, 0, y0}), last = balance_.at({at + step, 0, y1});
  // Half of what acts at each end, over the whole way.
  for (const bool end : {false, true}) {
    const Evaluation& now = end ? *last : *start;
    for (const EvaluatedBoundaryClosure& boundary : closures(now)) {
      std::vector<BoxSum<Real>> booked(boundary.conditions(), BoxSum<Real>(*parts_.of.domain));
      for (Index f = 0; f < boundary.faces(); ++f) {
        const Index n = boundary.unknown(f);
        const Real moved = y1[n] - y0[n];
        if (!boundary.imposes())
          for (std::size_t k = 0; k < boundary.conditions(); ++k)
            booked[k].leaf(n) += 0.5 * boundary.flow_of(k, f, 0) * moved;
        if (const Real d = boundary.damping(f); d != 0 && end) booked[0].leaf(n) -= d * moved * moved / step;
      }
      for (std::size_t k = 0; k < booked.size(); ++k) amounts[boundary.line(k)] += booked[k].sum();
    }
    const EvaluatedSource& source = now.of(parts_.source);
    amounts[source_line] +=
        sum_of([&](Index n) { return 0.5 * (y1[n] - y0[n]) * source.amount(n, parts_.storage->volume(n)); });
    if (parts_.points)
      for (const auto& point : now.of(*parts_.points).all())
        amounts[point.line] += by_owner_of(
            point.unknown, [&] { return 0.5 * point.rate * (y1[point.unknown] - y0[point.unknown]); });
  }
  // A boundary that imposes its value does the mean force times the way of the boundary itself.
  for (std::size_t c = 0; c < boundaries_.size(); ++c) {
    const EvaluatedBoundaryClosure &before = closures(*start)[c], &after = closures(*last)[c];
    if (!after.imposes()) continue;
    BoxSum<Real> booked(*parts_.of.domain);
    for (Index f = 0; f < after.faces(); ++f) {
      const Index n = after.unknown(f);
      const Real from = anchor_of(before, f), to = anchor_of(after, f);
      booked.leaf(n) += 0.5 * after.pull(f) * (from + to - y0[n] - y1[n]) * (to - from);
    }
    amounts[after.line()] += booked.sum();
  }
  if (!fixed.damping.empty())
    amounts[parts_.wave_lines.damping] -=
        sum_of([&](Index n) { return fixed.damping[n] * (y1[n] - y0[n]) * (y1[n] - y0[n]) / step; });
  std::vector<Real> worked;
  for (const Index n : prescribed()) {
    const Real moved = y1[n] - y0[n], damping = fixed.total_damping.empty() ? 0 : fixed.total_damping[n];
    const Real gained = 0.5 * capacity(n) * (v1[n] - v0[n]) * (v1[n] + v0[n]);
    worked.push_back(gained + (damping * moved / step - 0.5 * (force0[n] + force1[n])) * moved);
  }
  parts_.boundary->book_prescribed(worked, amounts);
}

}  // namespace williwaw
