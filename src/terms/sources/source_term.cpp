#include <algorithm>
#include <array>
#include <cmath>

#include "domain/lines.hpp"
#include "williwaw/terms/inner_terms.hpp"

namespace williwaw {

void EvaluatedSource::add(const Line& line, std::span<const LineRates> rates) const {
  if (idle() || !line.parts.has(Parts::source())) return;
  const LineRates& own = rates[static_cast<std::size_t>(of_.number)];
  const Grid& g = of_.domain->grid();
  const Index nx = g.size(0);
  if (!amounts_->each.empty()) {
    const Real* s = amounts_->each.data() + nx * line.number;
    own.add_each(nx, [factor = factor_, s](Index i) { return factor * s[i]; });
  } else {
    const Real density = factor_ * of_.domain->across(line.number);
    const Real* measures = g.axis(0).measures().data();
    own.add_each(nx, [=](Index i) { return density * measures[i]; });
  }
}

void EvaluatedSource::book(const Evaluation&, std::span<const Real>, Parts parts, Real weight,
                           Ledger& ledger) const {
  if (!idle() && parts.has(Parts::source())) ledger[line_] += weight * (factor_ * amounts_->total);
}

void EvaluatedSource::bound(std::vector<DataBounds>& pieces) const {
  DataBounds& result = pieces.emplace_back(DataBounds::nothing());
  if (!idle()) {
    const Real size = std::abs(factor_);
    result.raising = size * (factor_ > 0 ? amounts_->rise : amounts_->fall);
    result.lowering = size * (factor_ > 0 ? amounts_->fall : amounts_->rise);
  }
  result.steady = steady_;
}

void EvaluatedSource::update(const Function& source, Real time, const ControlVolumes& volumes,
                             const LinearStorage& storage) {
  if (ready_ && (!source.depends_on_time() || time == time_)) return;
  ready_ = false;
  steady_ = !source.depends_on_time();
  const Function::Factors* factors = source.factors();
  const bool even = !source.depends_on_place();
  factor_ = even ? source(Point{}, time) : factors ? factors->time(Point{}, time) : 1;
  // What does not depend on time is laid out once.
  if (factor_ != 0 && !(amounts_ && (even || factors)))
    lay_out(even ? Function(1.0) : factors ? factors->place : source, time, volumes, storage);
  if (!idle() && !std::isfinite(factor_ * amounts_->total)) {
    const Grid& g = of_.domain->grid();
    std::string where;
    const auto& each = amounts_->each;
    for (Index n = 0; n < static_cast<Index>(each.size()) && where.empty(); ++n)
      if (!std::isfinite(factor_ * each[n])) where = g.place_text(g.point_of(n)) + ", ";
    throw DataError(Subject::source, "",
                    "the source is not a finite number at " + where + "time " + to_text(time));
  }
  time_ = time;
  ready_ = true;
}

void EvaluatedSource::lay_out(const Function& source, Real time, const ControlVolumes& volumes,
                              const LinearStorage& storage) {
  const Domain& domain = *of_.domain;
  const Grid& g = domain.grid();
  if (amounts_.use_count() != 1) amounts_ = std::make_shared<Amounts>();
  auto& [each, total, rise, fall] = *amounts_;
  const bool uniform = source.is_constant() && domain.outline().whole();
  if (uniform) {
    total = g.whole().volume();
  } else {
    each.resize(static_cast<std::size_t>(g.count()));
    volumes.integrate(source, time, each);
    total = sum_over(domain, [values = each.data()](Index n) { return values[n]; });
  }
  const std::vector<Box::Block>& blocks = domain.box().blocks();
  std::vector<std::array<Real, 2>> of_blocks(blocks.size(), {0, 0});
  const Real* const all = uniform ? nullptr : each.data();
  each_line(domain, [&](std::size_t block, Index line, Index, Index) {
    // Where it is the same everywhere, and so is what is stored, one line stands for all.
    if (uniform && storage.capacities().empty() && line > blocks[block].first) return;
    const LineCapacity capacity = storage.of_line(line);
    const Real across = domain.across(line);
    const Real* const measures = g.axis(0).measures().data();
    const Real* const amounts = all ? all + g.size(0) * line : nullptr;
    auto& [most, least] = of_blocks[block];
    for (Index i = 0; i < g.size(0); ++i) {
      const Real change = (amounts ? amounts[i] : across * measures[i]) / capacity(i);
      most = std::max(most, change);
      least = std::min(least, change);
    }
  });
  rise = fall = 0;
  for (const auto& [most, least] : of_blocks) {
    rise = std::max(rise, most);
    fall = std::max(fall, -least);
  }
}

SourceTerm::SourceTerm(OfUnknown of, Function source, std::shared_ptr<const ControlVolumes> volumes,
                       std::shared_ptr<const LinearStorage> storage)
    : of_(std::move(of)),
      source_(std::move(source)),
      volumes_(std::move(volumes)),
      storage_(std::move(storage)) {}

Needs SourceTerm::needs() const {
  Needs result = of_.needs(Parts::source());
  result.of_state = result.about_state = false;
  result.coefficients = source_.depends_on_place() ? 1 : 0;
  result.laid_out_anew = source_.depends_on_time() && source_.depends_on_place() && !source_.factors();
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
