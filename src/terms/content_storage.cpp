#include "terms/content_storage.hpp"

#include <algorithm>
#include <cmath>

#include "williwaw/problem/content.hpp"

namespace williwaw {

namespace {

// Newton's method with bisection; a content whose slope jumps takes a few more.
constexpr int recovery_limit = 200;

}  // namespace

ContentStorage::ContentStorage(std::shared_ptr<const Domain> domain, Function content,
                               const ControlVolumes& volumes)
    : Storage(domain, volumes.volumes()), content_(std::move(content)) {
  const Grid& g = domain->grid();
  const Index nx = g.size(0);
  if (!content_.regions()) {
    runs_.push_back({{0, nx, 0}});
    return;
  }
  mixed_ = volumes.mixed();
  std::vector<int> labels(static_cast<std::size_t>(nx));
  Points places(nx);
  for (Index line = 0; line < g.lines(); ++line) {
    for (Index i = 0; i < nx; ++i) places.set(i, g.point(i, line % g.size(1), line / g.size(1)));
    content_.regions()->labels(places, labels);
    auto& runs = runs_.emplace_back();
    for (Index i = 0; i < nx; ++i) {
      if (runs.empty() || runs.back().label != labels[static_cast<std::size_t>(i)])
        runs.push_back({i, 0, labels[static_cast<std::size_t>(i)]});
      ++runs.back().count;
    }
    first_mixed_.push_back(static_cast<std::size_t>(
        std::ranges::lower_bound(mixed_, nx * line, {}, &RegionFractions::Part::unknown) - mixed_.begin()));
  }
  first_mixed_.push_back(mixed_.size());
}

void ContentStorage::evaluate(Asked asked, Index line, const Real* given, Real* out) const {
  const Grid& g = domain().grid();
  const Index nx = g.size(0), j = line % g.size(1), k = line / g.size(1);
  // `out` may be `u`.
  thread_local std::vector<Real> copy;
  copy.assign(given, given + nx);
  const Real* const u = copy.data();
  const auto of = [&](const Function& f, const Points& places, std::span<const Real> at, std::span<Real> to) {
    asked == Asked::value ? f.evaluate(places, 0, at, to) : f.slope(places, 0, at, to);
  };
  for (const Run& run : runs_[runs_.size() == 1 ? 0 : static_cast<std::size_t>(line)]) {
    const Function& part = content_.part(run.label);
    Points places(run.count);
    for (Index i = 0; part.depends_on_place() && i < run.count; ++i)
      places.set(i, g.point(run.first + i, j, k));
    const auto count = static_cast<std::size_t>(run.count);
    of(part, places, {u + run.first, count}, {out + run.first, count});
  }
  for (Index i = 0; i < nx; ++i) out[i] *= volume(nx * line + i);
  if (mixed_.empty()) return;
  const auto first = first_mixed_[static_cast<std::size_t>(line)],
             end = first_mixed_[static_cast<std::size_t>(line) + 1];
  for (std::size_t m = first; m < end; ++m) out[mixed_[m].unknown - nx * line] = 0;
  Points here(1);
  for (std::size_t m = first; m < end; ++m) {
    const Index i = mixed_[m].unknown - nx * line;
    here.set(0, g.point(i, j, k));
    Real value = 0;
    of(content_.part(mixed_[m].label), here, {u + i, 1}, {&value, 1});
    out[i] += mixed_[m].volume * value;
  }
}

void ContentStorage::amount(Index line, const Real* u, Real* q) const {
  evaluate(Asked::value, line, u, q);
}

void ContentStorage::slope(Index line, const Real* u, Real* slope) const {
  evaluate(Asked::slope, line, u, slope);
}

void ContentStorage::recover(Index line, const Real* q, Real* u) const {
  const Grid& g = domain().grid();
  const auto nx = static_cast<std::size_t>(g.size(0));
  constexpr Real infinity = std::numeric_limits<Real>::infinity();
  std::vector<Real> stored(nx), slopes(nx), low(nx, -infinity), high(nx, infinity);
  std::vector<char> done(nx, 0);
  for (std::size_t i = 0; i < nx; ++i)
    done[i] = domain().outline().active(static_cast<Index>(nx) * line + static_cast<Index>(i)) ? 0 : 1;
  for (int n = 0; n < recovery_limit; ++n) {
    amount(line, u, stored.data());
    slope(line, u, slopes.data());
    bool all = true;
    for (std::size_t i = 0; i < nx; ++i) {
      if (done[i]) continue;
      const Real lacking = q[i] - stored[i];
      if (lacking == 0) continue;
      (lacking > 0 ? low : high)[i] = u[i];
      Real next = u[i] + lacking / slopes[i];
      if (!(next > low[i] && next < high[i])) {
        if (std::isinf(low[i]) || std::isinf(high[i])) {
          if (!(slopes[i] > 0) || !std::isfinite(next))
            throw DataError(
                Subject::storage, "",
                "the content does not change with the unknown at " +
                    g.place_text(g.point_of(static_cast<Index>(nx * static_cast<std::size_t>(line) + i))) +
                    " (value " + to_text(u[i]) +
                    "): explicit steps cannot tell the unknown from it; choose an implicit scheme");
        } else {
          next = 0.5 * (low[i] + high[i]);
        }
      }
      // One more step where rounding is all that is left, so that its errors have no sign in common.
      all = all && (next == u[i] || std::abs(lacking) <= 4e-16 * std::abs(q[i]));
      u[i] = next;
    }
    if (all) return;
  }
}

Real size_at_unknowns(const Domain& domain, const Function& function) {
  const Grid& grid = domain.grid();
  std::vector<Real> values(static_cast<std::size_t>(grid.count()));
  evaluate_at_unknowns(grid, function, 0, values);
  Real size = 0;
  for (const Real value : values)
    if (std::isfinite(value)) size = std::max(size, std::abs(value));
  size = domain.box().communicator().highest(size);
  return size > 0 ? size : 1;
}

Function content_of(const Problem& problem, const Domain& domain) {
  if (problem.equation().content) return *problem.equation().content;
  const Real start = problem.initial(problem.grid().whole().point_of(0));
  return content_of_storage(problem.equation().storage, std::isfinite(start) ? start : 0,
                            size_at_unknowns(domain, problem.initial));
}

std::shared_ptr<const LinearStorage> capacities_at_start(const Problem& problem,
                                                         const ContentStorage& contents) {
  const std::shared_ptr<const Domain>& domain = contents.shared_domain();
  const Grid& g = domain->grid();
  std::vector<Real> capacities(static_cast<std::size_t>(g.count()));
  evaluate_at_unknowns(g, problem.initial, 0, capacities);
  Real largest = 0;
  for (Index line = 0; line < g.lines(); ++line) {
    Real* const values = capacities.data() + g.size(0) * line;
    contents.slope(line, values, values);
    for (Index i = 0; i < g.size(0); ++i)
      if (domain->outline().active(g.size(0) * line + i)) {
        if (values[i] < 0)
          throw InputError(Subject::storage, "the content must not fall with the unknown, but does at " +
                                                 g.place_text(g.point_of(g.size(0) * line + i)));
        if (std::isfinite(values[i])) largest = std::max(largest, values[i]);
      }
  }
  largest = domain->box().communicator().highest(largest);
  for (Index n = 0; n < g.count(); ++n) {
    Real& c = capacities[static_cast<std::size_t>(n)];
    if (!domain->outline().active(n)) c = 1;
    if (!(c > 1e-12 * largest) || !std::isfinite(c)) c = largest > 0 ? 1e-12 * largest : g.volume_of(n);
  }
  return std::make_shared<LinearStorage>(
      domain, std::move(capacities), std::vector<Real>(contents.volumes().begin(), contents.volumes().end()));
}

}  // namespace williwaw
