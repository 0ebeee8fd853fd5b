#include "williwaw/problem/content.hpp"

#include <algorithm>
#include <cmath>
#include <mutex>
#include <shared_mutex>

#include "williwaw/problem/unknown_integral.hpp"

namespace williwaw {

namespace {

// A table that grows while several threads read it.
class GrowingIntegral {
 public:
  GrowingIntegral(const Function& f, Real start, Real scale)
      : start_(start),
        at_start_(f.at({}, 0, start) * start),
        table_([f](std::span<const Real> u,
                   std::span<Real> out) { f.evaluate(Points(static_cast<Index>(u.size())), 0, u, out); },
               scale) {}

  void evaluate(std::span<const Real> u, std::span<Real> out) {
    Real low = start_, high = start_;
    for (const Real value : u)
      if (std::isfinite(value)) {
        low = std::min(low, value);
        high = std::max(high, value);
      }
    {
      const std::shared_lock reading(mutex_);
      if (table_.covers(low, high)) {
        add_up(u, out);
        return;
      }
    }
    const std::unique_lock growing(mutex_);
    table_.cover(low, high);
    add_up(u, out);
  }

 private:
  void add_up(std::span<const Real> u, std::span<Real> out) const {
    for (std::size_t i = 0; i < u.size(); ++i)
      out[i] = std::isfinite(u[i]) ? at_start_ + table_.between(start_, u[i]) : u[i];
  }

  Real start_, at_start_;
  UnknownIntegral table_;
  std::shared_mutex mutex_;
};

}  // namespace

Function content_of_storage(const Function& storage, Real start, Real scale) {
  if (const auto& regions = storage.regions()) {
    std::vector<Function> parts;
    for (int label = 0; label <= regions->size(); ++label)
      parts.push_back(content_of_storage(storage.part(label), start, scale));
    return Function::by_region(regions, std::move(parts));
  }
  if (!storage.depends_on_unknown())
    return storage * Function::of_unknown([](Real u) { return u; }, [](Real) { return 1.0; });
  if (storage.depends_on_place())
    throw InputError(Subject::storage,
                     "what is stored depends on the unknown and on the place within a region: give content, "
                     "the amount stored, instead");
  const auto table = std::make_shared<GrowingIntegral>(storage, start, scale);
  return Function::of_unknown(
      [table](const Points&, Real, std::span<const Real> u, std::span<Real> out) { table->evaluate(u, out); },
      [storage](const Points& places, Real time, std::span<const Real> u, std::span<Real> out) {
        storage.evaluate(places, time, u, out);
      },
      false, false);
}

Real PhaseChange::frozen(Real u) const {
  return std::clamp(0.5 - (u - temperature) / range, 0.0, 1.0);
}

Equation with_phase_change(Equation e, const PhaseChange& change, Real start, Real scale) {
  if (!(change.range > 0))
    throw InputError(Subject::storage, "the range of a phase change must be above zero");
  const Function sensible = content_of_storage(e.storage, start, scale);
  const Function unfrozen = Function::of_unknown(
      [change](Real u) { return 1 - change.frozen(u); },
      [change](Real u) {
        return std::abs(u - change.temperature) < 0.5 * change.range ? 1 / change.range : 0.0;
      });
  const Function latent = change.latent_heat * unfrozen;
  e.content = sum(sensible, latent);
  e.derived.push_back({"frozen", Function::of_unknown([change](Real u) { return change.frozen(u); }), false});
  return e;
}

}  // namespace williwaw
