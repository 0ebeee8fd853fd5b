#include <algorithm>
#include <cmath>

#include "domain/lines.hpp"
#include "domain/summing.hpp"
#include "williwaw/terms/system_terms.hpp"

namespace williwaw {

namespace {

using Lines = std::vector<std::span<const Real>>;

class EvaluatedSystemReaction final : public EvaluatedTerm {
 public:
  EvaluatedSystemReaction(const SystemReactionTerm& term, Real time) : term_(term), time_(time) {}
  void add(const Line& line, std::span<const LineRates> rates) const override {
    term_.add(time_, line, rates);
  }
  void book(const Evaluation&, std::span<const Real> y, Parts parts, Real, Ledger& ledger) const override {
    if (parts.has(Parts::source())) term_.refuse_not_finite(time_, y, ledger);
  }
  void linearise_locally(const Evaluation&, std::span<const Real> y, Real b, Parts parts,
                         LocalEntries& local) const override {
    if (parts.has(Parts::source())) term_.linearise_locally(time_, y, b, local);
  }
  void bound(DataBounds& result) const override { result.known = false; }
  void set(Real time) { time_ = time; }

 private:
  const SystemReactionTerm& term_;
  Real time_;
};

}  // namespace

// What reactions make of a line: the places, and a line of amounts for each unknown.
struct SystemReactionTerm::Workspace final : TermScratch {
  Workspace(Index nx, std::size_t unknowns)
      : places(nx), made(unknowns, std::vector<Real>(static_cast<std::size_t>(nx))) {}
  Points places;
  std::vector<std::vector<Real>> made;
};

void SystemReactionTerm::add_unknown(OfUnknown of, const std::string& name,
                                     std::shared_ptr<const Storage> storage, LedgerLines& lines) {
  names_.push_back(name);
  // The prefix ends with a space.
  lines_.push_back(lines.declare({of.prefix + "reaction", LedgerLine::Kind::source, "", of.number}));
  unknowns_.push_back(std::move(of));
  storages_.push_back(std::move(storage));
}

Needs SystemReactionTerm::needs() const {
  Needs result;
  result.unknowns.clear();
  for (const OfUnknown& of : unknowns_) result.unknowns.push_back(of.number);
  result.halo = 0;
  result.linear = result.same_matrix = reaction_.linear;
  result.steady_matrix = !reaction_.on_time;
  result.symmetric = false;
  result.parts = Parts::source();
  return result;
}

std::unique_ptr<TermScratch> SystemReactionTerm::scratch() const {
  return std::make_unique<Workspace>(unknowns_.front().domain->grid().size(0), unknowns_.size());
}

void SystemReactionTerm::add(Real time, const Line& line, std::span<const LineRates> rates) const {
  if (!line.parts.has(Parts::source())) return;
  auto& workspace = static_cast<Workspace&>(*line.scratch);
  const Grid& g = unknowns_.front().domain->grid();
  const Index nx = g.size(0);
  if (reaction_.on_place)
    for (Index i = 0; i < nx; ++i) workspace.places.set(i, g.point(i, line.j, line.k));
  Lines u;
  for (const OfUnknown& of : unknowns_)
    u.emplace_back(line.y + of.first + nx * line.number, static_cast<std::size_t>(nx));
  std::vector<std::span<Real>> out(workspace.made.begin(), workspace.made.end());
  reaction_.rate(workspace.places, time, u, out);
  for (std::size_t m = 0; m < unknowns_.size(); ++m) {
    const OfUnknown& of = unknowns_[m];
    const LineRates& own = rates[static_cast<std::size_t>(of.number)];
    const auto leaf = [&](Index i) -> Real& {
      return line.booked[lines_[m]].leaf(of.domain->segments().number(line.number, i));
    };
    Real* const made = workspace.made[m].data();
    // The capacities of control volumes that all store alike are known by their widths.
    const LinearStorage* const storage = storages_[m]->linear();
    if (of.domain->outline().whole() && storage && !storage->of_line(line.number).each()) {
      for (Index begin = 0; begin < nx; begin += segment_cells)
        leaf(begin) +=
            own.add_densities(begin, std::min(nx, begin + segment_cells), made, g.axis(0).measures().data(),
                              of.domain->across(line.number), storage->per_volume());
      continue;
    }
    for (Index i = 0; i < nx; ++i) {
      const Index n = nx * line.number + i;
      made[i] = of.domain->outline().active(n) ? made[i] * storages_[m]->volume(n) : 0;
    }
    own.add_each(nx, [made](Index i) { return made[i]; });
    for (Index begin = 0; begin < nx; begin += segment_cells)
      leaf(begin) +=
          segment_sum(begin, std::min(nx, begin + segment_cells), [made](Index i) { return made[i]; });
  }
}

// Of values that are no numbers any more the reaction is not to blame.
void SystemReactionTerm::refuse_not_finite(Real time, std::span<const Real> y, const Ledger& ledger) const {
  if (std::ranges::all_of(lines_, [&](LineId line) { return std::isfinite(ledger[line]); })) return;
  const Grid& g = unknowns_.front().domain->grid();
  const std::size_t count = unknowns_.size();
  std::vector<Real> values(count), rates(count);
  Lines u;
  std::vector<std::span<Real>> out;
  for (std::size_t m = 0; m < count; ++m) {
    u.emplace_back(&values[m], 1);
    out.emplace_back(&rates[m], 1);
  }
  Points place(1);
  for (Index n = 0; n < g.count(); ++n) {
    for (std::size_t m = 0; m < count; ++m) values[m] = unknowns_[m].in(y)[static_cast<std::size_t>(n)];
    if (std::ranges::any_of(values, [](Real v) { return !std::isfinite(v); })) continue;
    place.set(0, g.point_of(n));
    reaction_.rate(place, time, u, out);
    for (std::size_t m = 0; m < count; ++m)
      if (unknowns_[m].domain->outline().active(n) && !std::isfinite(rates[m])) {
        std::string at;
        for (const Real v : values) at += (at.empty() ? "" : ", ") + to_text(v);
        throw DataError(Subject::reaction, names_[m],
                        "the reaction is not a finite number at " + g.place_text(g.point_of(n)) + ", time " +
                            to_text(time) + ", for the values " + at);
      }
  }
}

void SystemReactionTerm::linearise_locally(Real time, std::span<const Real> y, Real b,
                                           LocalEntries& local) const {
  const Grid& g = unknowns_.front().domain->grid();
  const Index nx = g.size(0);
  const std::size_t count = unknowns_.size();
  std::vector<Real> sizes;
  for (const OfUnknown& of : unknowns_) {
    sizes.push_back(0);
    for (const Real v : of.in(y)) sizes.back() = std::max(sizes.back(), std::abs(v));
  }
  std::vector<std::vector<Real>> slopes(count * count, std::vector<Real>(static_cast<std::size_t>(nx)));
  std::vector<std::span<Real>> out(slopes.begin(), slopes.end());
  Points places(nx);
  for (Index l = 0; l < g.lines(); ++l) {
    for (Index i = 0; i < nx; ++i) places.set(i, g.point(i, l % g.size(1), l / g.size(1)));
    Lines u;
    for (const OfUnknown& of : unknowns_)
      u.push_back(of.in(y).subspan(static_cast<std::size_t>(nx * l), static_cast<std::size_t>(nx)));
    reaction_.differentiate(places, time, u, sizes, out);
    for (std::size_t m = 0; m < count; ++m)
      for (std::size_t k = 0; k < count; ++k) {
        std::vector<Real>& all = local.of(static_cast<std::size_t>(unknowns_[m].number),
                                          static_cast<std::size_t>(unknowns_[k].number));
        for (Index i = 0; i < nx; ++i) {
          const Index n = nx * l + i;
          if (unknowns_[m].domain->outline().active(n))
            all[static_cast<std::size_t>(n)] -=
                b * slopes[m * count + k][static_cast<std::size_t>(i)] * storages_[m]->volume(n);
        }
      }
  }
}

void SystemReactionTerm::evaluate(const Instant& instant, const Evaluation&,
                                  std::shared_ptr<EvaluatedTerm>& evaluated) const {
  renewed<EvaluatedSystemReaction>(evaluated, [&] {
    return std::make_shared<EvaluatedSystemReaction>(*this, instant.time);
  }).set(instant.time);
}

}  // namespace williwaw
