#include "williwaw/boundary/boundary_terms.hpp"

#include <algorithm>

#include "domain/lines.hpp"

namespace williwaw {

void EvaluatedBoundaryClosures::bound(std::vector<DataBounds>& pieces) const {
  for (const EvaluatedBoundaryClosure& boundary : all_) pieces.push_back(boundary.data_bounds());
}

void EvaluatedBoundaryClosures::linearise(const Evaluation&, std::span<const Real>, Real b, Parts parts,
                                          std::span<FaceSystem> matrices) const {
  FaceSystem& matrix = matrices[static_cast<std::size_t>(unknown_)];
  for (const EvaluatedBoundaryClosure& boundary : all_)
    for (Index f = 0; f < boundary.faces(); ++f)
      if (parts.has(Parts::flux(boundary.face(f).axis)))
        matrix.diagonal[boundary.unknown(f)] += b * boundary.pull(f);
}

BoundaryClosures::BoundaryClosures(OfUnknown of, std::vector<BoundaryClosure> closures,
                                   std::vector<std::string> corners, Medium medium)
    : of_(std::move(of)),
      all_(std::move(closures)),
      corners_(std::move(corners)),
      medium_(std::move(medium)) {
  for (const BoundaryClosure& closure : all_)
    positions_.emplace_back(closure.moves() ? static_cast<std::size_t>(closure.faces()) : 0, 0.0);
  find_prescribed();
}

void BoundaryClosures::find_prescribed() {
  const Grid& g = of_.domain->grid();
  shape_.extent = {g.size(0), g.size(1), g.size(2)};
  for (int a = 0; a < g.dimension(); ++a) shape_.periodic[a] = g.axis(a).periodic();
  // Gathered from the boundaries, so that nothing is stored for unknowns that no boundary holds.
  std::vector<std::pair<Index, Holder>> found;
  for (std::size_t c = 0; c < all_.size(); ++c)
    for (Index f = 0; all_[c].prescribes() && f < all_[c].faces(); ++f)
      if (all_[c].prescribes(f)) found.push_back({all_[c].unknown(f), {c, f}});
  shared_.resize(all_.size());
  std::ranges::stable_sort(found, {}, &std::pair<Index, Holder>::first);
  for (const auto& [unknown, holder] : found) {
    if (in_block_.empty() || in_block_.back() != unknown) {
      in_block_.push_back(unknown);
      in_state_.push_back(of_.first + unknown);
      holders_.emplace_back();
    }
    holders_.back().push_back(holder);
  }
  for (std::size_t h = 0; h < holders_.size(); ++h) {
    if (holders_[h].size() < 2) continue;
    for (const Holder& holder : holders_[h]) {
      std::vector<Index>& places = shared_[holder.closure];
      places.resize(static_cast<std::size_t>(all_[holder.closure].faces()), -1);
      places[static_cast<std::size_t>(holder.face)] = static_cast<Index>(h);
    }
  }
  Communicator& ranks = of_.domain->box().communicator();
  for (const BoundaryClosure& closure : all_) prescribing_.push_back(ranks.any(closure.prescribes()));
}

Needs BoundaryClosures::needs() const {
  Needs result = of_.needs(Parts::fluxes());
  result.linear = result.same_matrix = std::ranges::all_of(all_, &BoundaryClosure::is_linear);
  result.about_state = !result.linear;
  result.steady_matrix = std::ranges::none_of(all_, &BoundaryClosure::left_side_depends_on_time);
  result.adds = false;
  return result;
}

void BoundaryClosures::declare(LedgerLines& lines) {
  for (BoundaryClosure& closure : all_) closure.declare(lines, of_.prefix, of_.number);
}

void BoundaryClosures::update(const Instant& instant, const Evaluation& earlier, bool prescribing_only,
                              std::shared_ptr<EvaluatedTerm>& evaluated) const {
  const BoundaryMedium& medium = medium_(earlier);
  // What others look at as well is not copied where nothing changes.
  if (evaluated && !prescribing_only) {
    const auto& last = static_cast<const EvaluatedBoundaryClosures&>(*evaluated);
    if (std::ranges::all_of(last, [&](const EvaluatedBoundaryClosure& closure) {
          return closure.is_at(medium, instant.time);
        }))
      return;
  }
  auto& now = renewed<EvaluatedBoundaryClosures>(evaluated, [&] {
    return std::make_shared<EvaluatedBoundaryClosures>(
        of_.number, std::vector<EvaluatedBoundaryClosure>(all_.begin(), all_.end()));
  });
  for (std::size_t c = 0; c < all_.size(); ++c)
    if (!prescribing_only || all_[c].prescribes())
      now.all()[c].update(medium, instant.time, of_.in(instant.y), positions_[c]);
  if (!prescribing_only) return;
  now.values().resize(in_block_.size());
  for (std::size_t h = 0; h < in_block_.size(); ++h) now.values()[h] = choose(holders_[h], now);
}

void BoundaryClosures::evaluate(const Instant& instant, const Evaluation& earlier,
                                std::shared_ptr<EvaluatedTerm>& evaluated) const {
  update(instant, earlier, false, evaluated);
}

void BoundaryClosures::evaluate_prescribed(const Instant& instant, const Evaluation& earlier,
                                           std::shared_ptr<EvaluatedTerm>& evaluated) const {
  update(instant, earlier, true, evaluated);
}

// Where several boundaries hold one node the first that `corners` names decides; without one it takes the
// mean of what the boundaries say, each of them heard once however many faces it has there.
Real BoundaryClosures::choose(const std::vector<Holder>& holders,
                              const EvaluatedBoundaryClosures& now) const {
  const auto value = [&](const Holder& h) { return now[h.closure].prescribed_value(h.face); };
  if (holders.size() == 1) return value(holders[0]);
  for (const std::string& name : corners_)
    for (const Holder& h : holders)
      if (const BoundarySection& s = all_[h.closure].section(); s.name == name || s.side == name)
        return value(h);
  Real sum = 0;
  std::vector<std::size_t> heard;
  for (const Holder& h : holders)
    if (std::ranges::find(heard, h.closure) == heard.end()) {
      heard.push_back(h.closure);
      sum += value(h);
    }
  return sum / static_cast<Real>(heard.size());
}

void BoundaryClosures::stand_at(std::size_t section, std::span<const Real> values) {
  expect(values.size() == positions_[section].size(), "stand_at: a value for each face of a moving boundary");
  positions_[section].assign(values.begin(), values.end());
}

// What was missing at every prescribed unknown, on the lines of the boundaries that hold it, by area.
void BoundaryClosures::book_prescribed(std::span<const Real> amounts, Ledger& ledger) const {
  expect(amounts.size() == in_block_.size(), "book_prescribed: an amount for each prescribed unknown");
  std::vector<BoxSum<Real>> booked(all_.size(), BoxSum<Real>(*of_.domain));
  for (std::size_t h = 0; h < in_block_.size(); ++h) {
    Real area = 0;
    for (const Holder& holder : holders_[h]) area += all_[holder.closure].area(holder.face);
    for (const Holder& holder : holders_[h])
      booked[holder.closure].leaf(in_block_[h]) += amounts[h] * all_[holder.closure].area(holder.face) / area;
  }
  for (std::size_t c = 0; c < all_.size(); ++c)
    if (prescribing_[c]) ledger[all_[c].line()] += booked[c].sum();
}

Real BoundaryClosures::shared_flow(const Evaluation& now, const Real* u, Parts parts, Index place,
                                   std::size_t closure, Index face) const {
  const auto& holders = holders_[static_cast<std::size_t>(place)];
  const Index n = in_block_[static_cast<std::size_t>(place)];
  const BoundaryMedium& medium = medium_(now);
  std::array<Real, 3> along{0, 0, 0}, across{0, 0, 0};
  Real area = 0, sum = 0;
  for (const Holder& holder : holders) {
    const int a = all_[holder.closure].face(holder.face).axis;
    area += all_[holder.closure].area(holder.face);
    across[a] += all_[holder.closure].area(holder.face);
    if (!parts.has(Parts::flux(a)) || along[a] != 0) continue;
    for (const bool up : {false, true})
      if (const Index other = shape_.neighbour(n, a, up); other >= 0)
        along[a] += medium.conductance(n, a, up) * (u[other] - u[n]);
    sum += along[a];
  }
  const BoundaryFace& own = all_[closure].face(face);
  return own.area * (sum / area - along[own.axis] / across[own.axis]);
}

namespace {

// Nothing of it changes: everything is in the closures.
class EvaluatedFlows final : public EvaluatedTerm {
 public:
  explicit EvaluatedFlows(const BoundaryFlows& flows)
      : flows_(flows), line_cells_(flows.of().domain->grid().size(0)) {}

  Acts acts(Index line) const override { return flows_.at_ends(line) ? Acts::at_ends : Acts::anywhere; }
  void add(const Line& line, std::span<const LineRates> rates) const override {
    const LineRates& own = rates[static_cast<std::size_t>(flows_.of().number)];
    const Real* u = line.y + flows_.of().first + line_cells_ * line.number;
    flows_.through(
        line.now, line.number, line.parts, u, [&own](Index i, Real flow) { own.add(i, flow); }, line.booked);
  }

 private:
  const BoundaryFlows& flows_;
  Index line_cells_;
};

}  // namespace

BoundaryFlows::BoundaryFlows(OfUnknown of, const BoundaryClosures& closures,
                             TermId<EvaluatedBoundaryClosures> id, Advective advective)
    : of_(std::move(of)), closures_(closures), id_(id), advective_(std::move(advective)) {
  const Grid& g = of_.domain->grid();
  const Index nx = g.size(0);
  ends_only_.assign(static_cast<std::size_t>(g.lines()), 1);
  for (const BoundaryClosure& boundary : closures_.all())
    for (Index f = 0; f < boundary.faces(); ++f)
      if (const Index i = boundary.unknown(f) % nx; g.axis(0).periodic() || (i != 0 && i != nx - 1))
        ends_only_[static_cast<std::size_t>(boundary.unknown(f) / nx)] = 0;
}

Needs BoundaryFlows::needs() const {
  Needs result = of_.needs(advective_ ? Parts::fluxes() | Parts::advection() : Parts::fluxes());
  result.about_state = advective_ != nullptr;
  return result;
}

void BoundaryFlows::evaluate(const Instant&, const Evaluation&,
                             std::shared_ptr<EvaluatedTerm>& evaluated) const {
  if (!evaluated) evaluated = std::make_shared<EvaluatedFlows>(*this);
}

}  // namespace williwaw
