#include "williwaw/space/balance.hpp"

#include <algorithm>

namespace williwaw {

void Totals::add(const Totals& other) {
  content += other.content;
  gross += other.gross;
  integral += other.integral;
  kinetic += other.kinetic;
  potential += other.potential;
  lowest = std::min(lowest, other.lowest);
  highest = std::max(highest, other.highest);
}

void Balance::book_held(const State&, Ledger&) {}

Totals Balance::advance(const State& y, Real at, Real step, State& out, Ledger& amounts) {
  State before(y.size()), flow(y.size());
  storage(y, at, before);
  amounts.clear();
  Ledger rates(amounts.size());
  rate(y, at, Parts::all(), flow, rates);
  State after(y.size());
  for (std::size_t n = 0; n < y.size(); ++n) after[n] = before[n] + step * flow[n];
  out = y;
  recover(after, at + step, out);
  amounts.add(rates, step);
  if (!held().empty()) {
    pin(at + step, out);
    State missing(y.size());
    storage(out, at + step, missing);
    for (std::size_t n = 0; n < y.size(); ++n) missing[n] -= after[n];
    book_held(missing, amounts);
  }
  return totals(out, at + step);
}

Totals Balance::stage(const State&, const State&, Real, Real, Real, State&, Ledger&, const Totals*) {
  throw InputError("this balance does not offer stages in one pass");
}

}  // namespace williwaw
