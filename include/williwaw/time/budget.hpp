// The running budget: what is there now against what was there and what came in.
#pragma once

#include "williwaw/balance/balance.hpp"

namespace williwaw {

class Budget {
 public:
  Budget() = default;
  /// `jump` is what boundaries added at the start by setting prescribed unknowns to their values.
  Budget(std::vector<LedgerLine> lines, const Totals& initial, Real jump);

  /// After a step with these amounts, which led to these totals.
  void add(const Ledger& amounts, const Totals& totals);

  /// As it was with only a fraction of the last step done, totals and amounts taken as linear in time.
  /// `amounts` are those of the step, `totals` those in between.
  Budget within_step(const Ledger& amounts, Real fraction, const Totals& totals) const;

  const std::vector<LedgerLine>& lines() const { return lines_; }
  /// What came in on each line since the start.
  const Ledger& amounts() const { return amounts_; }
  Real initial_content() const { return initial_; }
  Real jump() const { return jump_; }
  Real content() const { return content_; }
  /// Content now less content at the start, the jump and all that came in: 0 but for round-off and what
  /// solvers left.
  Real residual() const { return content_ - initial_ - jump_ - amounts_.sum(); }
  /// The residual over gross content plus gross flows.
  Real relative_residual() const;
  /// Keeps the budget of each unknown by itself too, from its totals at the start, jump included.
  void keep_by_unknown(const std::vector<Totals>& initial);
  /// The relative residual of one unknown whose totals are these now: what came in on its lines against what
  /// its content changed by. Of budgets that are kept by unknown.
  Real relative_residual_of(std::size_t unknown, const Totals& now) const;
  /// Content of one unknown at the start, jump included; of budgets that are kept by unknown.
  Real initial_content_of(std::size_t unknown) const { return initial_of_.at(unknown); }
  /// Content at the start and all that came in, without what went out and without one line.
  Real supplied_besides(LineId line) const;
  /// The same for single steps: the largest so far.
  Real worst_step() const { return worst_step_; }

  /// All numbers but the amounts, to be written down, and the budget that they came from.
  std::vector<Real> remember() const;
  static Budget recall(std::vector<LedgerLine> lines, const Ledger& amounts,
                       const std::vector<Real>& numbers);

 private:
  std::vector<LedgerLine> lines_;
  Ledger amounts_;
  Real initial_ = 0;
  Real jump_ = 0;
  Real content_ = 0;
  Real gross_ = 0;
  Real flows_ = 0;
  Real worst_step_ = 0;
  std::vector<Real> initial_of_;  ///< content of each unknown at the start; empty where there is one alone
};

}  // namespace williwaw
