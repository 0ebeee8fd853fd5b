#include <algorithm>
#include <cmath>

#include "williwaw/terms/inner_terms.hpp"

namespace williwaw {

void EvaluatedPoints::add(const Line& line, std::span<const LineRates> rates) const {
  if (!line.parts.has(Parts::source())) return;
  const LineRates& own = rates[static_cast<std::size_t>(of_.number)];
  const Index nx = of_.domain->grid().size(0);
  for (const std::size_t p : of_line_[static_cast<std::size_t>(line.number)])
    own.add(rates_[p].unknown % nx, rates_[p].rate);
}

void EvaluatedPoints::book(const Evaluation&, std::span<const Real>, Parts parts, Real weight,
                           Ledger& ledger) const {
  if (!parts.has(Parts::source())) return;
  for (const Rate& point : rates_) ledger[point.line] += weight * point.rate;
}

void EvaluatedPoints::bound(std::vector<DataBounds>& pieces) const {
  DataBounds& result = pieces.emplace_back(DataBounds::nothing());
  result.raising = rise_;
  result.lowering = fall_;
}

void EvaluatedPoints::update(const std::vector<PointSource>& points, Real time,
                             const LinearStorage& storage) {
  rise_ = fall_ = 0;
  for (std::size_t p = 0; p < points.size(); ++p) {
    rates_[p].rate = points[p].rate(points[p].at, time);
    if (!std::isfinite(rates_[p].rate))
      throw DataError(
          Subject::points, "",
          "the rate of point '" + points[p].name + "' is not a finite number at time " + to_text(time));
    if (rates_[p].unknown < 0 || !storage.domain().box().owns(rates_[p].unknown)) continue;
    const Real change = rates_[p].rate / storage.capacity(rates_[p].unknown);
    rise_ = std::max(rise_, change);
    fall_ = std::max(fall_, -change);
  }
}

namespace {

constexpr Real nowhere = std::numeric_limits<Real>::infinity();

// The control volume may have gone to a neighbour on the way to a boundary. Its number in the whole grid.
Real nearest_active(const Domain& domain, const Point& place) {
  const Grid& g = domain.grid();
  Index best = -1;
  Real least = nowhere;
  for (Index n = 0; n < g.count(); ++n) {
    if (!domain.outline().active(n) || !domain.box().owns(n)) continue;
    const Point p = g.point_of(n);
    const Real distance = std::hypot(p.x - place.x, p.y - place.y, p.z - place.z);
    if (distance < least) {
      least = distance;
      best = n;
    }
  }
  // Of the nearest of all ranks the first.
  Communicator& ranks = domain.box().communicator();
  const bool among = least <= ranks.lowest(least);
  return ranks.lowest(among && best >= 0 ? static_cast<Real>(domain.box().there(best)) : nowhere);
}

// The unknown whose control volume holds the place, or took what is left of it; -1 where it is not here, not
// even in the halo.
Index unknown_at(const Domain& domain, const Point& place) {
  const Box& box = domain.box();
  const Index there = domain.grid().whole().containing(place);
  const std::optional<Index> n = box.here(there);
  const bool gone = n && box.owns(*n) && !domain.outline().active(*n);
  if (!box.communicator().any(gone)) return n.value_or(-1);
  return box.here(static_cast<Index>(nearest_active(domain, place))).value_or(-1);
}

}  // namespace

PointSourcesTerm::PointSourcesTerm(OfUnknown of, std::vector<PointSource> points,
                                   std::shared_ptr<const LinearStorage> storage)
    : of_(std::move(of)), points_(std::move(points)), storage_(std::move(storage)) {
  const Grid& g = of_.domain->grid();
  of_line_.resize(static_cast<std::size_t>(g.lines()));
  for (const PointSource& point : points_) {
    const Index n = unknown_at(*of_.domain, point.at);
    if (n >= 0) of_line_[static_cast<std::size_t>(n / g.size(0))].push_back(places_.size());
    places_.push_back({n, LineId{}, 0});
  }
}

Needs PointSourcesTerm::needs() const {
  Needs result = of_.needs(Parts::source());
  result.of_state = result.about_state = false;
  return result;
}

void PointSourcesTerm::declare(LedgerLines& lines) {
  for (std::size_t p = 0; p < points_.size(); ++p)
    places_[p].line =
        lines.declare({of_.prefix + "point " + points_[p].name, LedgerLine::Kind::source, "", of_.number});
}

void PointSourcesTerm::evaluate(const Instant& instant, const Evaluation&,
                                std::shared_ptr<EvaluatedTerm>& evaluated) const {
  if (evaluated &&
      std::ranges::none_of(points_, [](const PointSource& p) { return p.rate.depends_on_time(); }))
    return;
  renewed<EvaluatedPoints>(evaluated, [&] {
    return std::make_shared<EvaluatedPoints>(of_, places_, of_line_);
  }).update(points_, instant.time, *storage_);
}

}  // namespace williwaw
