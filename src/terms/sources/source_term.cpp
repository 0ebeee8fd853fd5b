#include <algorithm>
#include <cmath>

#include "domain/lines.hpp"
#include "williwaw/terms/inner_terms.hpp"

namespace williwaw {

void EvaluatedSource::add(const Line& line, std::span<const LineRates> rates) const {
  if (!line.parts.has(Parts::source())) return;
  const LineRates& own = rates[static_cast<std::size_t>(of_.number)];
  const Grid& g = of_.domain->grid();
  const Index nx = g.size(0);
  if (!amounts_.empty()) {
    const Real* s = amounts_.data() + nx * line.number;
    own.add_each(nx, [s](Index i) { return s[i]; });
  } else if (density_ != 0) {
    const Real density = density_ * of_.domain->across(line.number);
    const Real* measures = g.axis(0).measures().data();
    own.add_each(nx, [=](Index i) { return density * measures[i]; });
  }
}

void EvaluatedSource::book(const Evaluation&, std::span<const Real>, Parts parts, Real weight,
                           Ledger& ledger) const {
  if (parts.has(Parts::source())) ledger[line_] += weight * total_;
}

void EvaluatedSource::bound(DataBounds& result) const {
  result.raising += rise_;
  result.lowering += fall_;
  result.steady = result.steady && steady_;
}

void EvaluatedSource::update(const Function& source, Real time, const ControlVolumes& volumes,
                             const LinearStorage& storage) {
  if (ready_ && (!source.depends_on_time() || time == time_)) return;
  ready_ = false;
  const Domain& domain = *of_.domain;
  const Grid& g = domain.grid();
  steady_ = !source.depends_on_time();
  rise_ = fall_ = 0;
  if (!source.depends_on_place() && domain.outline().whole()) {
    density_ = source(Point{}, time);
    total_ = density_ * g.volume();
    // Where what is stored is the same everywhere one unknown stands for all.
    for (Index n = 0; n < (storage.capacities().empty() ? 1 : g.count()); ++n) {
      const Real change = density_ * g.volume_of(n) / storage.capacity(n);
      rise_ = std::max(rise_, change);
      fall_ = std::max(fall_, -change);
    }
  } else if (!source.is_constant() || source(Point{}) != 0) {
    amounts_.resize(static_cast<std::size_t>(g.count()));
    volumes.integrate(source, time, amounts_);
    total_ = sum_over(domain, [&](Index n) { return amounts_[n]; });
    Real rise = 0, fall = 0;
#pragma omp parallel for schedule(static) reduction(max           \
                                                    : rise, fall) \
    num_threads(domain.threads()) if (domain.threads() > 1)
    for (Index n = 0; n < g.count(); ++n) {
      const Real change = amounts_[n] / storage.capacity(n);
      rise = std::max(rise, change);
      fall = std::max(fall, -change);
    }
    rise_ = rise;
    fall_ = fall;
  }
  if (!std::isfinite(total_)) {
    std::string where;
    for (Index n = 0; n < static_cast<Index>(amounts_.size()) && where.empty(); ++n)
      if (!std::isfinite(amounts_[n])) where = g.place_text(g.point_of(n)) + ", ";
    throw DataError(Subject::source, "",
                    "the source is not a finite number at " + where + "time " + to_text(time));
  }
  time_ = time;
  ready_ = true;
}

SourceTerm::SourceTerm(OfUnknown of, Function source, std::shared_ptr<const ControlVolumes> volumes,
                       std::shared_ptr<const LinearStorage> storage)
    : of_(std::move(of)),
      source_(std::move(source)),
      volumes_(std::move(volumes)),
      storage_(std::move(storage)) {}

Needs SourceTerm::needs() const {
  Needs result = of_.needs(Parts::source());
  result.of_state = false;
  return result;
}

void SourceTerm::declare(LedgerLines& lines) {
  line_ = lines.declare({of_.prefix + "source", LedgerLine::Kind::source, "", of_.number});
}

void SourceTerm::evaluate(const Instant& instant, const Evaluation&,
                          std::shared_ptr<EvaluatedTerm>& evaluated) const {
  if (evaluated && !source_.depends_on_time()) return;
  renewed<EvaluatedSource>(evaluated, [&] {
    return std::make_shared<EvaluatedSource>(of_, line_);
  }).update(source_, instant.time, *volumes_, *storage_);
}

}  // namespace williwaw
