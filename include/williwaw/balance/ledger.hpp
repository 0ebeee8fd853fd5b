// The ledger: how much came in through each wall and from each source, line by line.
#pragma once

#include "williwaw/grid/types.hpp"

namespace williwaw {

/// What a line of the ledger counts. Amounts are positive when they come into the domain.
struct LedgerLine {
  enum class Kind { wall, source };
  std::string name;  ///< "west: robin", "source"
  Kind kind = Kind::wall;
  std::string side;  ///< empty for sources
};

/// One number for each line: rates while a rate is evaluated, amounts over a step.
class Ledger {
 public:
  Ledger() = default;
  explicit Ledger(std::size_t lines) : entries_(lines, 0.0) {}

  std::size_t size() const { return entries_.size(); }
  Real operator[](std::size_t line) const { return entries_[line]; }
  Real& operator[](std::size_t line) { return entries_[line]; }
  void clear() { entries_.assign(entries_.size(), 0.0); }
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
