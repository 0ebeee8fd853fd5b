#include <algorithm>

#include "terms/waves/wave_system_terms.hpp"

namespace williwaw {

namespace {

// Of a term that writes the rates of one unknown from what stands beside it in the same cell.
Needs needs_of_writer(int unknown) {
  Needs result;
  result.unknowns = {unknown};
  result.halo = 0;
  result.matrix = false;
  result.writes_first = true;
  return result;
}

class EvaluatedDisplacement final : public EvaluatedTerm {
 public:
  explicit EvaluatedDisplacement(const WaveMedium& medium) : medium_(medium) {}
  void add(const Line& line, std::span<const LineRates> rates) const override {
    const Index nx = medium_.grid().size(0);
    const Real* p = wave_block(medium_, line.y, WaveUnknowns::p) + nx * line.number;
    std::copy_n(p, nx, rates[WaveUnknowns::u].flows());
  }

 private:
  const WaveMedium& medium_;
};

/// What appears inside at one time: amounts for every control volume.
class EvaluatedForcing final : public EvaluatedTerm {
 public:
  explicit EvaluatedForcing(const ForcingTerm& term) : term_(term) {}

  void add(const Line& line, std::span<const LineRates> rates) const override;
  void book(const Evaluation& now, std::span<const Real> y, Parts parts, Real weight,
            Ledger& ledger) const override;
  void update(TermBalance& balance, const Instant& instant);

 private:
  const ForcingTerm& term_;
  State amounts_;
  std::vector<EvaluatedPoints::Rate> points_;
};

void EvaluatedForcing::update(TermBalance& balance, const Instant& instant) {
  const ProblemTerms& parts = term_.medium().parts();
  const Instant of_displacement{instant.time, 0, parts.of.in(instant.y)};
  amounts_.resize(of_displacement.y.size());
  Ledger counted(balance.lines().size());
  balance.rate(of_displacement, Parts::source(), amounts_, counted);
  if (!parts.points) return;
  const auto now = balance.at(of_displacement);
  const auto all = now->of(*parts.points).all();
  points_.assign(all.begin(), all.end());
}

void EvaluatedForcing::add(const Line& line, std::span<const LineRates> rates) const {
  const WaveMedium& medium = term_.medium();
  const Domain& domain = medium.domain();
  const Index nx = domain.grid().size(0), start = nx * line.number;
  const LinearStorage& volumes = *medium.parts().storage;
  const Real* p = wave_block(medium, line.y, WaveUnknowns::p) + start;
  Real* out = rates[WaveUnknowns::p].flows();
  std::fill_n(out, nx, 0.0);
  SubtreeSums<Real>&work = line.booked[term_.source_line()], &damped = line.booked[term_.damping_line()];
  for (const auto& run : domain.runs(line.number))
    for (Index i = run.first; i < run.first + run.count; ++i) {
      const Index n = start + i, leaf = domain.segments().number(line.number, i);
      const Real volume = volumes.volume(n), amount = amounts_[static_cast<std::size_t>(n)];
      work.leaf(leaf) += amount * p[i];
      damped.leaf(leaf) -= volume * medium.storage(n) * medium.damping(n) * p[i] * p[i];
      out[i] = amount / (volume * medium.storage(n)) - medium.damping(n) * p[i];
    }
}

// The lines have counted points among the sources.
void EvaluatedForcing::book(const Evaluation&, std::span<const Real> y, Parts, Real weight,
                            Ledger& ledger) const {
  const Real* p = wave_block(term_.medium(), y.data(), WaveUnknowns::p);
  Real all = 0;
  for (const auto& point : points_) {
    const Real power = weight * point.rate * p[point.unknown];
    ledger[point.line] += power;
    all += power;
  }
  ledger[term_.source_line()] -= all;
}

}  // namespace

Needs DisplacementTerm::needs() const {
  return needs_of_writer(WaveUnknowns::u);
}

void DisplacementTerm::evaluate(const Instant&, const Evaluation&,
                                std::shared_ptr<EvaluatedTerm>& evaluated) const {
  if (!evaluated) evaluated = std::make_shared<EvaluatedDisplacement>(medium_);
}

Needs ForcingTerm::needs() const {
  return needs_of_writer(WaveUnknowns::p);
}

void ForcingTerm::evaluate(const Instant& instant, const Evaluation&,
                           std::shared_ptr<EvaluatedTerm>& evaluated) const {
  renewed<EvaluatedForcing>(evaluated, [&] {
    return std::make_shared<EvaluatedForcing>(*this);
  }).update(balance_, instant);
}

}  // namespace williwaw
