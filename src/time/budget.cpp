#include "williwaw/time/budget.hpp"

#include <algorithm>
#include <cmath>
#include <stdexcept>

#include "williwaw/grid/expect.hpp"

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

Budget Budget::within_step(const Ledger& amounts, Real fraction, const Totals& totals) const {
  Budget between = *this;
  between.amounts_.add(amounts, fraction - 1);
  between.flows_ -= (1 - fraction) * amounts.gross();
  between.content_ = totals.content;
  between.gross_ = totals.gross;
  return between;
}

Real Budget::relative_residual() const {
  const Real scale = gross_ + flows_;
  return scale > 0 ? std::abs(residual()) / scale : 0;
}

void Budget::keep_by_unknown(const std::vector<Totals>& initial) {
  initial_of_.clear();
  for (const Totals& totals : initial) initial_of_.push_back(totals.content);
}

Real Budget::relative_residual_of(std::size_t unknown, const Totals& now) const {
  expect(unknown < initial_of_.size(), "Budget: an unknown whose budget is kept");
  Real residual = now.content - initial_of_[unknown], flows = 0;
  for (std::size_t l = 0; l < lines_.size(); ++l) {
    if (lines_[l].unknown != static_cast<int>(unknown)) continue;
    residual -= amounts_[l];
    flows += std::abs(amounts_[l]);
  }
  const Real scale = now.gross + flows;
  return scale > 0 ? std::abs(residual) / scale : 0;
}

// Of several unknowns their contents follow, and whose budget each line belongs to.
std::vector<Real> Budget::remember() const {
  std::vector<Real> numbers{initial_, jump_, content_, gross_, flows_, worst_step_};
  if (initial_of_.empty()) return numbers;
  numbers.insert(numbers.end(), initial_of_.begin(), initial_of_.end());
  for (const LedgerLine& line : lines_) numbers.push_back(line.unknown);
  return numbers;
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
  constexpr std::size_t of_all = 6;
  if (numbers.size() == of_all) return b;
  const std::size_t count = b.lines_.size();
  if (numbers.size() < of_all + count) throw std::out_of_range("numbers of a budget");
  const std::size_t first_line = numbers.size() - count;
  b.initial_of_.assign(numbers.begin() + of_all, numbers.begin() + static_cast<std::ptrdiff_t>(first_line));
  for (std::size_t l = 0; l < count; ++l) b.lines_[l].unknown = static_cast<int>(numbers[first_line + l]);
  return b;
}

}  // namespace williwaw
