// The ledger: how much came in through each boundary and from each source, line by line.
#pragma once

#include "williwaw/grid/types.hpp"

namespace williwaw {

/// What a line of the ledger counts. Amounts are positive when they come into the domain.
struct LedgerLine {
  enum class Kind { boundary, source };
  std::string name;  ///< "west: robin", "source"
  Kind kind = Kind::boundary;
  std::string side;  ///< empty for sources
  int unknown = 0;   ///< whose budget it belongs to
};

/// A line of the ledger, known to whoever declared it.
enum class LineId : std::size_t {};

/// The lines of a balance, in the order in which they were declared.
class LedgerLines {
 public:
  LineId declare(LedgerLine line) {
    all_.push_back(std::move(line));
    return LineId(all_.size() - 1);
  }
  const std::vector<LedgerLine>& all() const { return all_; }
  std::size_t size() const { return all_.size(); }

 private:
  std::vector<LedgerLine> all_;
};

/// One number for each line: rates while a rate is evaluated, amounts over a step.
class Ledger {
 public:
  Ledger() = default;
  explicit Ledger(std::size_t lines) : entries_(lines, 0.0) {}

  std::size_t size() const { return entries_.size(); }
  /// To go through all lines; what is booked is booked by its id.
  Real operator[](std::size_t line) const { return entries_[line]; }
  Real operator[](LineId line) const { return entries_[static_cast<std::size_t>(line)]; }
  Real& operator[](LineId line) { return entries_[static_cast<std::size_t>(line)]; }
  void clear() { entries_.assign(entries_.size(), 0.0); }
  void scale(Real factor) {
    for (Real& entry : entries_) entry *= factor;
  }
  void add(const Ledger& other, Real weight) {
    for (std::size_t l = 0; l < entries_.size(); ++l) entries_[l] += weight * other.entries_[l];
  }
  Real sum() const {
    Real total = 0;
    for (const Real e : entries_) total += e;
    return total;
  }
  Real gross() const {
    Real total = 0;
    for (const Real e : entries_) total += e < 0 ? -e : e;
    return total;
  }

 private:
  std::vector<Real> entries_;
};

}  // namespace williwaw
