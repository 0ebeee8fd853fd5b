// Energies of a state and its rate, and the work over a step of schemes that know both at its ends.
#include <algorithm>
#include <cmath>

#include "../domain/summing.hpp"
#include "diffusion_sweep.hpp"
#include "wave_motion.hpp"
#include "wide_differences.hpp"

namespace williwaw {

Totals WaveMotion::totals(const State& y, const State& v, Real at) {
  balance_.prepare(at, y);
  pair_forces(y);
  TreeSum<Totals> all;
  for (Index n = 0; n < balance_.grid().count(); ++n) {
    if (!balance_.outline_.active(n)) continue;
    Totals& sums = all.leaf(leaf(n));
    sums.kinetic += 0.5 * capacity(n) * v[n] * v[n];
    sums.potential -= 0.5 * y[n] * pair_[n];
    sums.see(y[n], balance_.couplings_.volume(n));
  }
  Totals t = all.sum();
  for (const Closure& wall : balance_.closures_) {
    TreeSum<Real> springs;
    for (Index f = 0; f < wall.faces(); ++f) {
      const Real stretched = y[wall.unknown(f)] - anchor_of(wall, f);
      springs.leaf(leaf(wall.unknown(f))) += 0.5 * spring(wall, f) * stretched * stretched;
    }
    t.potential += springs.sum();
  }
  t.content = t.kinetic + t.potential;
  t.gross = t.kinetic + std::abs(t.potential);
  return t;
}

void WaveMotion::book_means(const State& y0, const State& v0, const State& force0, const State& y1,
                            const State& v1, const State& force1, Real at, Real step, Ledger& amounts) {
  find_drag();
  amounts.clear();
  const auto sum_of = [&](const auto& term) {
    return sum_over(balance_.grid().size(0), balance_.grid().lines(), balance_.threads_, term);
  };
  // Half of what acts at each end, over the whole way.
  for (const bool end : {false, true}) {
    const State& y = end ? y1 : y0;
    balance_.prepare(end ? at + step : at, y);
    for (std::size_t c = 0; c < balance_.closures_.size(); ++c) {
      const Closure& wall = balance_.closures_[c];
      std::vector<TreeSum<Real>> booked(wall.conditions());
      for (Index f = 0; f < wall.faces(); ++f) {
        const Index n = wall.unknown(f);
        const Real moved = y1[n] - y0[n];
        if (!wall.imposes())
          for (std::size_t k = 0; k < wall.conditions(); ++k)
            booked[k].leaf(leaf(n)) += 0.5 * wall.flow_of(k, f, 0) * moved;
        if (const Real d = wall.drag(f); d != 0 && end) booked[0].leaf(leaf(n)) -= d * moved * moved / step;
      }
      for (std::size_t k = 0; k < booked.size(); ++k) amounts[wall.line(k)] += booked[k].sum();
    }
    amounts[balance_.source_line_] += sum_of([&](Index n) {
      return 0.5 * (y1[n] - y0[n]) *
             (balance_.source_.empty() ? balance_.source_density_ * balance_.couplings_.volume(n)
                                       : balance_.source_[n]);
    });
    for (std::size_t p = 0; p < balance_.points_.size(); ++p) {
      const Index n = balance_.points_[p].unknown;
      amounts[balance_.points_[p].line] += 0.5 * balance_.points_[p].rate * (y1[n] - y0[n]);
    }
  }
  // A wall that imposes its value does the mean force times the way of the wall itself.
  std::vector<std::vector<Real>> starts(balance_.closures_.size());
  for (const bool end : {false, true})
    for (std::size_t c = 0; c < balance_.closures_.size(); ++c) {
      Closure& wall = balance_.closures_[c];
      if (!wall.imposes()) continue;
      TreeSum<Real> booked;
      wall.update(balance_.couplings_, end ? at + step : at, false, State());
      for (Index f = 0; f < wall.faces(); ++f) {
        if (!end) {
          starts[c].push_back(anchor_of(wall, f));
          continue;
        }
        const Index n = wall.unknown(f);
        const Real first = starts[c][static_cast<std::size_t>(f)], last = anchor_of(wall, f);
        booked.leaf(leaf(n)) += 0.5 * wall.pull(f) * (first + last - y0[n] - y1[n]) * (last - first);
      }
      amounts[wall.line()] += booked.sum();
    }
  if (!damping_.empty())
    amounts[damping_line_] -=
        sum_of([&](Index n) { return damping_[n] * (y1[n] - y0[n]) * (y1[n] - y0[n]) / step; });
  const auto work_at = [&](std::size_t h) {
    const Index n = balance_.held_[h];
    const Real moved = y1[n] - y0[n], drag = drag_.empty() ? 0 : drag_[n];
    const Real gained = 0.5 * capacity(n) * (v1[n] - v0[n]) * (v1[n] + v0[n]);
    return gained + (drag * moved / step - 0.5 * (force0[n] + force1[n])) * moved;
  };
  balance_.book_each_held(work_at, amounts);
}

}  // namespace williwaw
