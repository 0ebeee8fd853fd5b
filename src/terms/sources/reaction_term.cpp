#include <algorithm>
#include <cmath>

#include "domain/lines.hpp"
#include "grid/line_points.hpp"
#include "grid/threads.hpp"
#include "terms/content_storage.hpp"
#include "terms/made_inside.hpp"
#include "williwaw/terms/inner_terms.hpp"

namespace williwaw {

struct ReactionTerm::Workspace final : TermScratch {
  explicit Workspace(const Grid& grid) : places(grid), made(static_cast<std::size_t>(grid.size(0))) {}
  LinePoints places;
  std::vector<Real> made;
};

// What is made in each unit of volume, until the next call with the same scratch.
Real* ReactionTerm::rates(Real time, const Line& line) const {
  auto& workspace = static_cast<Workspace&>(*line.scratch);
  const auto nx = static_cast<std::size_t>(of_.domain->grid().size(0));
  const Real* const u = line.y + of_.first + static_cast<Index>(nx) * line.number;
  reaction_.rate(workspace.places.at(line.j, line.k), time, {u, nx}, workspace.made);
  return workspace.made.data();
}

std::unique_ptr<TermScratch> ReactionTerm::scratch() const {
  return std::make_unique<Workspace>(of_.domain->grid());
}

void EvaluatedReaction::add(const Line& line, std::span<const LineRates> rates) const {
  if (!line.parts.has(Parts::source())) return;
  add_made(line, term_.of(), term_.storage(), term_.stores_evenly(), term_.line(),
           rates[static_cast<std::size_t>(term_.of().number)], term_.rates(time_, line));
}

void EvaluatedReaction::densities(const Line& line, std::span<LineDensities> of_unknowns) const {
  of_unknowns[static_cast<std::size_t>(term_.of().number)] = {term_.rates(time_, line), term_.line()};
}

void EvaluatedReaction::book(const Evaluation&, std::span<const Real> y, Parts parts, Real,
                             Ledger& ledger) const {
  if (parts.has(Parts::source()) && !std::isfinite(ledger[term_.line()])) term_.refuse(time_, y);
}

// Nothing bounds what it makes. One that comes and goes is looked at for what is no number at times to come.
void EvaluatedReaction::bound(std::vector<DataBounds>& pieces) const {
  pieces.emplace_back().steady = true;
  if (!term_.needs().steady_matrix) term_.refuse(time_, {});
}

void EvaluatedReaction::linearise(const Evaluation&, std::span<const Real> y, Real b, Parts parts,
                                  std::span<FaceSystem> matrices) const {
  if (!parts.has(Parts::source())) return;
  FaceSystem& matrix = matrices[static_cast<std::size_t>(term_.of().number)];
  const std::vector<Real> slope = term_.slope(term_.of().in(y), time_);
  const Index nx = term_.of().domain->grid().size(0);
  each_line(*term_.of().domain, [&](std::size_t, Index line, Index, Index) {
    for (Index n = nx * line; n < nx * (line + 1); ++n)
      matrix.diagonal[n] -= b * slope[n] * term_.storage().volume(n);
  });
}

ReactionTerm::ReactionTerm(OfUnknown of, Reaction reaction, std::shared_ptr<const LinearStorage> storage,
                           Function initial)
    : of_(std::move(of)),
      reaction_(std::move(reaction)),
      storage_(std::move(storage)),
      initial_(std::move(initial)),
      stores_evenly_(williwaw::stores_evenly(*of_.domain, *storage_)) {}

Needs ReactionTerm::needs() const {
  Needs result = of_.needs(Parts::source());
  result.halo = 0;
  result.about_state = false;
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
  const Index rows = g.size(1);
  const auto length = static_cast<std::size_t>(g.size(0));
  on_all_threads(
      g.lines(), threads_for(g.count(), of_.domain->threads()), [&] { return LinePoints(g); },
      [&](LinePoints& places, Index l) {
        const auto first = length * static_cast<std::size_t>(l);
        by_line(places.at(l % rows, l / rows), time, u.subspan(first, length), out.subspan(first, length));
      });
}

void ReactionTerm::evaluate(const Instant& instant, const Evaluation&,
                            std::shared_ptr<EvaluatedTerm>& evaluated) const {
  renewed<EvaluatedReaction>(evaluated, [&] {
    return std::make_shared<EvaluatedReaction>(*this, instant.time);
  }).set(instant.time);
}

// Of values that are no numbers any more the reaction is not to blame.
void ReactionTerm::refuse(Real time, std::span<const Real> y) const {
  const Grid& g = of_.domain->grid();
  const auto count = static_cast<std::size_t>(g.count());
  const std::vector<Real> zero(y.empty() ? count : 0, 0.0);
  const std::span<const Real> u = y.empty() ? zero : of_.in(y);
  std::vector<Real> rates(count);
  react(reaction_.rate, u, time, rates);
  for (std::size_t n = 0; n < count; ++n)
    if (const auto unknown = static_cast<Index>(n);
        of_.domain->outline().active(unknown) && !std::isfinite(rates[n]) && std::isfinite(u[n]))
      throw DataError(Subject::reaction, "",
                      "the reaction is not a finite number at " + g.place_text(g.point_of(unknown)) +
                          ", time " + to_text(time) + (y.empty() ? "" : ", for the value " + to_text(u[n])));
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
