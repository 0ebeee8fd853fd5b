#include <algorithm>
#include <cmath>

#include "domain/lines.hpp"
#include "terms/content_storage.hpp"
#include "williwaw/terms/inner_terms.hpp"

namespace williwaw {

void EvaluatedReaction::add(const Line& line, std::span<const LineRates> rates) const {
  if (!line.parts.has(Parts::source())) return;
  const Index nx = term_.of().domain->grid().size(0);
  const Real* r = amounts_.data() + nx * line.number;
  rates[static_cast<std::size_t>(term_.of().number)].add_each(nx, [r](Index i) { return r[i]; });
}

void EvaluatedReaction::book(const Evaluation&, std::span<const Real>, Parts parts, Real weight,
                             Ledger& ledger) const {
  if (parts.has(Parts::source())) ledger[term_.line()] += weight * total_;
}

void EvaluatedReaction::linearise(const Evaluation&, std::span<const Real> y, Real b, Parts parts,
                                  std::span<FaceSystem> matrices) const {
  if (!parts.has(Parts::source())) return;
  FaceSystem& matrix = matrices[static_cast<std::size_t>(term_.of().number)];
  const std::vector<Real> slope = term_.slope(term_.of().in(y), time_);
  for (std::size_t n = 0; n < slope.size(); ++n)
    matrix.diagonal[n] -= b * slope[n] * term_.storage().volume(static_cast<Index>(n));
}

ReactionTerm::ReactionTerm(OfUnknown of, Reaction reaction, std::shared_ptr<const LinearStorage> storage,
                           Function initial)
    : of_(std::move(of)),
      reaction_(std::move(reaction)),
      storage_(std::move(storage)),
      initial_(std::move(initial)) {}

Needs ReactionTerm::needs() const {
  Needs result = of_.needs(Parts::source());
  result.linear = result.same_matrix = reaction_.linear;
  result.steady_matrix = !reaction_.on_time;
  return result;
}

void ReactionTerm::declare(LedgerLines& lines) {
  line_ = lines.declare({of_.prefix + "reaction", LedgerLine::Kind::source, "", of_.number});
}

void ReactionTerm::react(const Reaction::ByLine& by_line, std::span<const Real> u, Real time,
                         std::span<Real> out) const {
  const Grid& g = of_.domain->grid();
  const Index nx = g.size(0);
  const auto length = static_cast<std::size_t>(nx);
  Points line(nx);
  for (Index l = 0; l < g.lines(); ++l) {
    for (Index i = 0; i < nx; ++i) line.set(i, g.point(i, l % g.size(1), l / g.size(1)));
    const auto first = static_cast<std::size_t>(nx * l);
    by_line(line, time, u.subspan(first, length), out.subspan(first, length));
  }
}

void ReactionTerm::evaluate(const Instant& instant, const Evaluation&,
                            std::shared_ptr<EvaluatedTerm>& evaluated) const {
  auto& now =
      renewed<EvaluatedReaction>(evaluated, [&] { return std::make_shared<EvaluatedReaction>(*this); });
  const Domain& domain = *of_.domain;
  const Grid& g = domain.grid();
  const auto count = static_cast<std::size_t>(g.count());
  const std::span<const Real> u = of_.in(instant.y);
  std::vector<Real>& amounts = now.amounts();
  amounts.assign(count, 0.0);
  const std::vector<Real> zero(u.empty() ? count : 0, 0.0);
  react(reaction_.rate, u.empty() ? zero : u, instant.time, amounts);
  for (Index n = 0; n < g.count(); ++n) {
    amounts[n] *= storage_->volume(n);
    if (!domain.outline().active(n)) amounts[n] = 0;
  }
  const Real total = sum_over(domain, [&](Index n) { return amounts[n]; });
  now.set(total, instant.time);
  if (std::isfinite(total)) return;
  // Of values that are no numbers any more the reaction is not to blame.
  for (std::size_t n = 0; n < count; ++n)
    if (!std::isfinite(amounts[n]) && (u.empty() || std::isfinite(u[n])))
      throw DataError(Subject::reaction, "",
                      "the reaction is not a finite number at " +
                          g.place_text(g.point_of(static_cast<Index>(n))) + ", time " +
                          to_text(instant.time) + (u.empty() ? "" : ", for the value " + to_text(u[n])));
}

// Largest magnitude of values; of the initial ones where these are zero.
Real ReactionTerm::size_of(std::span<const Real> u) const {
  Real size = 0;
  for (const Real value : u) size = std::max(size, std::abs(value));
  size = of_.domain->box().communicator().highest(size);
  if (size == 0 && !reaction_.linear) size = size_at_unknowns(*of_.domain, initial_);
  return size > 0 ? size : 1;
}

// As the reaction states it; exact by a difference where it is affine, else by a central difference whose
// step is the cube root of the round-off in the size of the state.
std::vector<Real> ReactionTerm::slope(std::span<const Real> u, Real time) const {
  const auto count = static_cast<std::size_t>(of_.count());
  std::vector<Real> moved(u.begin(), u.end()), result(count);
  moved.resize(count, 0.0);
  if (reaction_.slope) {
    react(reaction_.slope, moved, time, result);
    return result;
  }
  const Real size = size_of(moved);
  const Real step = reaction_.linear ? size : 6e-6 * size;
  std::vector<Real> above(count), below(count);
  for (Real& value : moved) value += step;
  react(reaction_.rate, moved, time, above);
  for (Real& value : moved) value -= 2 * step;
  react(reaction_.rate, moved, time, below);
  for (std::size_t n = 0; n < count; ++n) result[n] = (above[n] - below[n]) / (2 * step);
  return result;
}

}  // namespace williwaw
