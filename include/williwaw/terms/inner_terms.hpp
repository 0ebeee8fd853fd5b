// What appears or is lost inside: sources, point sources and reactions.
#pragma once

#include "williwaw/balance/term.hpp"
#include "williwaw/boundary/boundary_terms.hpp"
#include "williwaw/terms/control_volumes.hpp"

namespace williwaw {

/// A source at one time.
class EvaluatedSource final : public EvaluatedTerm {
 public:
  EvaluatedSource(const OfUnknown& of, LineId line) : of_(of), line_(line) {}

  bool idle() const override { return factor_ == 0; }
  Acts acts(Index) const override { return idle() ? Acts::nowhere : Acts::anywhere; }
  void add(const Line& line, std::span<const LineRates> rates) const override;
  void book(const Evaluation& now, std::span<const Real> y, Parts parts, Real weight,
            Ledger& ledger) const override;
  void bound(std::vector<DataBounds>& pieces) const override;

  /// Amount per time in control volume n, whose volume is given.
  Real amount(Index n, Real volume) const {
    return factor_ == 0 ? 0 : factor_ * (amounts_->each.empty() ? volume : amounts_->each[n]);
  }
  void update(const Function& source, Real time, const ControlVolumes& volumes, const LinearStorage& storage);

 private:
  const OfUnknown& of_;
  LineId line_;
  Real time_ = 0;
  /// A source as it lies over the control volumes. Copies of the evaluation share it.
  struct Amounts {
    std::vector<Real> each;  ///< per time in each control volume; empty: a density of 1 everywhere
    Real total = 0;
    Real rise = 0, fall = 0;  ///< fastest ones of the unknown
  };
  void lay_out(const Function& source, Real time, const ControlVolumes& volumes,
               const LinearStorage& storage);

  bool ready_ = false, steady_ = true;
  Real factor_ = 0;  ///< of the amounts: what depends on time alone
  std::shared_ptr<Amounts> amounts_;
};

class SourceTerm final : public Term {
 public:
  SourceTerm(OfUnknown of, Function source, std::shared_ptr<const ControlVolumes> volumes,
             std::shared_ptr<const LinearStorage> storage);

  Needs needs() const override;
  void declare(LedgerLines& lines) override;
  void evaluate(const Instant& instant, const Evaluation& earlier,
                std::shared_ptr<EvaluatedTerm>& evaluated) const override;
  LineId line() const { return line_; }

 private:
  OfUnknown of_;
  Function source_;
  std::shared_ptr<const ControlVolumes> volumes_;
  std::shared_ptr<const LinearStorage> storage_;
  LineId line_{};
};

/// Point sources at one time.
class EvaluatedPoints final : public EvaluatedTerm {
 public:
  struct Rate {
    Index unknown;
    LineId line;
    Real rate;
  };
  EvaluatedPoints(const OfUnknown& of, std::vector<Rate> rates,
                  const std::vector<std::vector<std::size_t>>& of_line)
      : of_(of), rates_(std::move(rates)), of_line_(of_line) {}

  Acts acts(Index line) const override {
    return of_line_[static_cast<std::size_t>(line)].empty() ? Acts::nowhere : Acts::anywhere;
  }
  void add(const Line& line, std::span<const LineRates> rates) const override;
  void book(const Evaluation& now, std::span<const Real> y, Parts parts, Real weight,
            Ledger& ledger) const override;
  void bound(std::vector<DataBounds>& pieces) const override;

  /// In the problem's order.
  std::span<const Rate> all() const { return rates_; }
  void update(const std::vector<PointSource>& points, Real time, const LinearStorage& storage);

 private:
  const OfUnknown& of_;
  std::vector<Rate> rates_;
  const std::vector<std::vector<std::size_t>>& of_line_;
  Real rise_ = 0, fall_ = 0;
};

class PointSourcesTerm final : public Term {
 public:
  PointSourcesTerm(OfUnknown of, std::vector<PointSource> points,
                   std::shared_ptr<const LinearStorage> storage);

  Needs needs() const override;
  void declare(LedgerLines& lines) override;
  void evaluate(const Instant& instant, const Evaluation& earlier,
                std::shared_ptr<EvaluatedTerm>& evaluated) const override;

 private:
  OfUnknown of_;
  std::vector<PointSource> points_;
  std::shared_ptr<const LinearStorage> storage_;
  std::vector<EvaluatedPoints::Rate> places_;
  std::vector<std::vector<std::size_t>> of_line_;
};

/// A reaction at one time, about one state.
class EvaluatedReaction;

class ReactionTerm final : public Term {
 public:
  /// `initial` tells what values are of the order of where a state is zero.
  ReactionTerm(OfUnknown of, Reaction reaction, std::shared_ptr<const LinearStorage> storage,
               Function initial);

  Needs needs() const override;
  void declare(LedgerLines& lines) override;
  void evaluate(const Instant& instant, const Evaluation& earlier,
                std::shared_ptr<EvaluatedTerm>& evaluated) const override;

  std::unique_ptr<TermScratch> scratch() const override;

  /// What is made in each unit of volume of a line, until the next call with the same scratch.
  Real* rates(Real time, const Line& line) const;
  /// d rate/du for each unit of volume about the values of a block.
  std::vector<Real> slope(std::span<const Real> u, Real time) const;
  /// Throws DataError for a place where what is made of a value is no finite number; `y` is a whole state,
  /// or empty for zeros.
  void refuse(Real time, std::span<const Real> y) const;
  /// All control volumes of a line store the same for each unit of volume.
  bool stores_evenly() const { return stores_evenly_; }
  const OfUnknown& of() const { return of_; }
  const LinearStorage& storage() const { return *storage_; }
  LineId line() const { return line_; }

 private:
  struct Workspace;
  Real size_of(std::span<const Real> u) const;
  void react(const Reaction::ByLine& by_line, std::span<const Real> u, Real time, std::span<Real> out) const;

  OfUnknown of_;
  Reaction reaction_;
  std::shared_ptr<const LinearStorage> storage_;
  Function initial_;
  bool stores_evenly_;
  LineId line_{};
};

class EvaluatedReaction final : public EvaluatedTerm {
 public:
  EvaluatedReaction(const ReactionTerm& term, Real time) : term_(term), time_(time) {}

  bool makes_densities() const override { return term_.stores_evenly(); }
  void densities(const Line& line, std::span<LineDensities> of_unknowns) const override;
  void add(const Line& line, std::span<const LineRates> rates) const override;
  void book(const Evaluation& now, std::span<const Real> y, Parts parts, Real weight,
            Ledger& ledger) const override;
  void linearise(const Evaluation& now, std::span<const Real> y, Real b, Parts parts,
                 std::span<FaceSystem> matrices) const override;
  void bound(std::vector<DataBounds>& pieces) const override;

  void set(Real time) { time_ = time; }

 private:
  const ReactionTerm& term_;
  Real time_;
};

}  // namespace williwaw
