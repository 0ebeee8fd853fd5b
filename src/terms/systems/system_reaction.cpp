#include <algorithm>
#include <cmath>

#include "domain/lines.hpp"
#include "grid/line_points.hpp"
#include "terms/made_inside.hpp"
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
  bool makes_densities() const override { return term_.makes_densities(); }
  void densities(const Line& line, std::span<LineDensities> of_unknowns) const override {
    term_.densities(time_, line, of_unknowns);
  }
  void book(const Evaluation&, std::span<const Real> y, Parts parts, Real, Ledger& ledger) const override {
    if (parts.has(Parts::source())) term_.refuse_not_finite(time_, y, ledger);
  }
  void linearise_locally(const Evaluation&, std::span<const Real> y, Real b, Parts parts,
                         LocalEntries& local) const override {
    if (parts.has(Parts::source())) term_.linearise_locally(time_, y, b, local);
  }
  void linearise_between(const Evaluation&, std::span<const Real> y, Real b, Parts parts,
                         std::vector<Triplet>& entries) const override {
    if (parts.has(Parts::source())) term_.linearise_between(time_, y, b, entries);
  }
  void bound(std::vector<DataBounds>& pieces) const override { pieces.emplace_back().steady = true; }
  void set(Real time) { time_ = time; }

 private:
  const SystemReactionTerm& term_;
  Real time_;
};

}  // namespace

// What reactions make of a line: the places, unknowns from elsewhere, and a line of amounts for each unknown.
struct SystemReactionTerm::Workspace final : TermScratch {
  Workspace(const Grid& grid, std::size_t unknowns)
      : places(grid),
        made(unknowns, std::vector<Real>(static_cast<std::size_t>(grid.size(0)))),
        brought(made),
        out(made.begin(), made.end()),
        u(unknowns) {}
  LinePoints places;
  std::vector<std::vector<Real>> made, brought;
  std::vector<std::span<Real>> out;  ///< of what is made
  Lines u;
};

void SystemReactionTerm::add_unknown(OfUnknown of, const std::string& name,
                                     std::shared_ptr<const Storage> storage, LedgerLines& lines) {
  Member member{std::move(of), name, std::move(storage)};
  const Domain& domain = *member.of.domain;
  member.even = stores_evenly(domain, *member.storage);
  if (domain.grid() == grid_)
    member.line =
        lines.declare({member.of.prefix + "reaction", LedgerLine::Kind::source, "", member.of.number});
  else
    member.means.emplace(grid_, domain.grid());
  members_.push_back(std::move(member));
}

bool SystemReactionTerm::makes_densities() const {
  return std::ranges::all_of(members_, [](const Member& m) { return !m.line || m.even; });
}

Needs SystemReactionTerm::needs() const {
  Needs result;
  result.unknowns.clear();
  for (const Member& m : members_)
    if (m.line) result.unknowns.push_back(m.of.number);
  result.halo = 0;
  result.linear = result.same_matrix = reaction_.linear;
  result.about_state = false;
  result.steady_matrix = !reaction_.on_time;
  result.symmetric = false;
  result.parts = Parts::source();
  return result;
}

std::unique_ptr<TermScratch> SystemReactionTerm::scratch() const {
  return std::make_unique<Workspace>(grid_, members_.size());
}

// What is made in a volume, of all unknowns, into the workspace.
void SystemReactionTerm::evaluate_line(Real time, const Line& line, Workspace& workspace) const {
  const Index nx = grid_.size(0);
  for (std::size_t m = 0; m < members_.size(); ++m) {
    const Real* values = line.y + members_[m].of.first;
    if (members_[m].means) {
      members_[m].means->line(values, line.j, line.k, workspace.brought[m].data());
      values = workspace.brought[m].data();
    } else {
      values += nx * line.number;
    }
    workspace.u[m] = {values, static_cast<std::size_t>(nx)};
  }
  // Where places do not matter those of one line do for all.
  const Points& places = reaction_.on_place ? workspace.places.at(line.j, line.k) : workspace.places.at(0, 0);
  reaction_.rate(places, time, workspace.u, workspace.out);
}

void SystemReactionTerm::densities(Real time, const Line& line, std::span<LineDensities> of_unknowns) const {
  auto& workspace = static_cast<Workspace&>(*line.scratch);
  evaluate_line(time, line, workspace);
  for (std::size_t m = 0; m < members_.size(); ++m)
    if (const Member& member = members_[m]; member.line)
      of_unknowns[static_cast<std::size_t>(member.of.number)] = {workspace.made[m].data(), *member.line};
}

void SystemReactionTerm::add(Real time, const Line& line, std::span<const LineRates> rates) const {
  if (!line.parts.has(Parts::source())) return;
  auto& workspace = static_cast<Workspace&>(*line.scratch);
  evaluate_line(time, line, workspace);
  for (std::size_t m = 0; m < members_.size(); ++m)
    if (const Member& member = members_[m]; member.line)
      add_made(line, member.of, *member.storage, member.even, *member.line,
               rates[static_cast<std::size_t>(member.of.number)], workspace.made[m].data());
}

// Of values that are no numbers any more the reaction is not to blame.
void SystemReactionTerm::refuse_not_finite(Real time, std::span<const Real> y, const Ledger& ledger) const {
  if (std::ranges::all_of(members_,
                          [&](const Member& m) { return !m.line || std::isfinite(ledger[*m.line]); }))
    return;
  const Grid& g = grid_;
  const std::size_t count = members_.size();
  std::vector<Real> values(count), rates(count);
  Lines u;
  std::vector<std::span<Real>> out;
  for (std::size_t m = 0; m < count; ++m) {
    u.emplace_back(&values[m], 1);
    out.emplace_back(&rates[m], 1);
  }
  Points place(1);
  for (Index n = 0; n < g.count(); ++n) {
    const auto [i, j, k] = g.position(n);
    for (std::size_t m = 0; m < count; ++m) {
      const std::span<const Real> all = members_[m].of.in(y);
      values[m] =
          members_[m].means ? members_[m].means->at(all.data(), i, j, k) : all[static_cast<std::size_t>(n)];
    }
    if (std::ranges::any_of(values, [](Real v) { return !std::isfinite(v); })) continue;
    place.set(0, g.point_of(n));
    reaction_.rate(place, time, u, out);
    for (std::size_t m = 0; m < count; ++m)
      if (members_[m].line && members_[m].of.domain->outline().active(n) && !std::isfinite(rates[m])) {
        std::string at;
        for (const Real v : values) at += (at.empty() ? "" : ", ") + to_text(v);
        throw DataError(Subject::reaction, members_[m].name,
                        "the reaction is not a finite number at " + g.place_text(g.point_of(n)) + ", time " +
                            to_text(time) + ", for the values " + at);
      }
  }
}

// Calls visit(m, k, first, slopes) for each line: ∂(amount of unknown m in its control volume first + i)/
// ∂(unknown k there).
template <class Visit>
void SystemReactionTerm::each_slope(Real time, std::span<const Real> y, const Visit& visit) const {
  const Grid& g = grid_;
  const Index nx = g.size(0);
  const std::size_t count = members_.size();
  std::vector<Real> sizes;
  for (const Member& m : members_) {
    sizes.push_back(0);
    for (const Real v : m.of.in(y)) sizes.back() = std::max(sizes.back(), std::abs(v));
  }
  std::vector<std::vector<Real>> slopes(count * count, std::vector<Real>(static_cast<std::size_t>(nx))),
      brought(count, std::vector<Real>(static_cast<std::size_t>(nx)));
  std::vector<std::span<Real>> out(slopes.begin(), slopes.end());
  LinePoints places(g);
  for (Index l = 0; l < g.lines(); ++l) {
    const Index j = l % g.size(1), k = l / g.size(1);
    Lines u;
    for (std::size_t m = 0; m < count; ++m) {
      const std::span<const Real> all = members_[m].of.in(y);
      if (members_[m].means) {
        members_[m].means->line(all.data(), j, k, brought[m].data());
        u.emplace_back(brought[m]);
      } else {
        u.push_back(all.subspan(static_cast<std::size_t>(nx * l), static_cast<std::size_t>(nx)));
      }
    }
    reaction_.differentiate(places.at(j, k), time, u, sizes, out);
    for (std::size_t m = 0; m < count; ++m)
      for (std::size_t by = 0; members_[m].line && by < count; ++by) {
        std::vector<Real>& all = slopes[m * count + by];
        for (Index i = 0; i < nx; ++i) {
          const Index n = nx * l + i;
          all[static_cast<std::size_t>(i)] *=
              members_[m].of.domain->outline().active(n) ? members_[m].storage->volume(n) : 0;
        }
        visit(m, by, nx * l, all);
      }
  }
}

void SystemReactionTerm::linearise_locally(Real time, std::span<const Real> y, Real b,
                                           LocalEntries& local) const {
  const auto number = [&](std::size_t m) { return static_cast<std::size_t>(members_[m].of.number); };
  each_slope(time, y, [&](std::size_t m, std::size_t by, Index first, std::span<const Real> slopes) {
    if (members_[by].means) return;
    Real* const entries = local.of(number(m), number(by)).data() + first;
    for (std::size_t i = 0; i < slopes.size(); ++i) entries[i] -= b * slopes[i];
  });
}

void SystemReactionTerm::linearise_between(Real time, std::span<const Real> y, Real b,
                                           std::vector<Triplet>& entries) const {
  if (std::ranges::none_of(members_, [](const Member& m) { return m.means.has_value(); })) return;
  each_slope(time, y, [&](std::size_t m, std::size_t by, Index first, std::span<const Real> slopes) {
    for (std::size_t n = 0; members_[by].means && n < slopes.size(); ++n) {
      if (slopes[n] == 0) continue;
      const Index row = first + static_cast<Index>(n);
      const auto [i, j, k] = grid_.position(row);
      members_[by].means->each(i, j, k, [&](Index other, Real weight) {
        entries.push_back(
            {members_[m].of.first + row, members_[by].of.first + other, -b * slopes[n] * weight});
      });
    }
  });
}

void SystemReactionTerm::evaluate(const Instant& instant, const Evaluation&,
                                  std::shared_ptr<EvaluatedTerm>& evaluated) const {
  renewed<EvaluatedSystemReaction>(evaluated, [&] {
    return std::make_shared<EvaluatedSystemReaction>(*this, instant.time);
  }).set(instant.time);
}

}  // namespace williwaw
