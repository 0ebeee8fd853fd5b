#include "williwaw/time/budget.hpp"

#include <algorithm>
#include <cmath>

namespace williwaw {

Budget::Budget(std::vector<LedgerLine> lines, const Totals& initial, Real jump)
    : lines_(std::move(lines)),
      amounts_(lines_.size()),
      initial_(initial.content - jump),
      jump_(jump),
      content_(initial.content),
      gross_(initial.gross),
      flows_(std::abs(jump)) {}

void Budget::add(const Ledger& amounts, const Totals& totals) {
  const Real residual = totals.content - content_ - amounts.sum();
  const Real flow = amounts.gross();
  amounts_.add(amounts, 1);
  flows_ += flow;
  content_ = totals.content;
  const Real scale = std::max(gross_, totals.gross) + flow;
  gross_ = totals.gross;
  if (scale > 0) worst_step_ = std::max(worst_step_, std::abs(residual) / scale);
}

Budget Budget::within_step(const Ledger& amounts, Real share, const Totals& totals) const {
  Budget between = *this;
  between.amounts_.add(amounts, share - 1);
  between.flows_ -= (1 - share) * amounts.gross();
  between.content_ = totals.content;
  between.gross_ = totals.gross;
  return between;
}

Real Budget::relative_residual() const {
  const Real scale = gross_ + flows_;
  return scale > 0 ? std::abs(residual()) / scale : 0;
}

Real Budget::supplied_besides(LineId line) const {
  Real sum = std::abs(initial_ + jump_);
  for (std::size_t l = 0; l < amounts_.size(); ++l)
    if (LineId(l) != line) sum += std::max(amounts_[l], 0.0);
  return sum;
}

Budget Budget::recall(std::vector<LedgerLine> lines, const Ledger& amounts,
                      const std::vector<Real>& numbers) {
  Budget b;
  b.lines_ = std::move(lines);
  b.amounts_ = amounts;
  b.initial_ = numbers.at(0);
  b.jump_ = numbers.at(1);
  b.content_ = numbers.at(2);
  b.gross_ = numbers.at(3);
  b.flows_ = numbers.at(4);
  b.worst_step_ = numbers.at(5);
  return b;
}

}  // namespace williwaw
