#include "williwaw/time/scheme.hpp"

#include <algorithm>
#include <cmath>

namespace williwaw {

namespace {

template <class... Cases>
struct Match : Cases... {
  using Cases::operator()...;
};
template <class... Cases>
Match(Cases...) -> Match<Cases...>;

using Complex = std::complex<Real>;

Complex of_recurrences(const std::vector<Recurrence>& rows, Complex z) {
  // Stage values of y' = z·y from y = 1.
  Complex before = 1, now = 1;
  for (const auto& r : rows) {
    const Complex next = (1 - r.previous - r.before_previous) + r.previous * now +
                         r.before_previous * before + z * (r.rate * now + r.first_rate);
    before = now;
    now = next;
  }
  return now;
}

// Both roots of the characteristic polynomial; the larger one rules.
Complex of_two_steps(const TwoStep& t, Complex z) {
  const Real memory = t.memory(1);
  const Complex a = 1.0 - z * t.weight(1), b = -(1 + memory), c = memory;
  const Complex root = std::sqrt(b * b - 4.0 * a * c);
  const Complex first = (-b + root) / (2.0 * a), second = (-b - root) / (2.0 * a);
  return std::abs(first) > std::abs(second) ? first : second;
}

Complex of_pair(const ImplicitExplicit& pair, Complex fluxes, Complex sources) {
  const Tableau &f = pair.fluxes, &s = pair.sources;
  std::vector<Complex> stage(f.b.size());
  Complex result = 1;
  for (int i = 0; i < f.stages(); ++i) {
    Complex sum = 1;
    for (int j = 0; j < i; ++j) sum += (fluxes * f.a[i][j] + sources * s.a[i][j]) * stage[j];
    stage[i] = sum / (1.0 - fluxes * f.a[i][i]);
    result += (fluxes * f.b[i] + sources * s.b[i]) * stage[i];
  }
  return result;
}

// Largest x for which |growth| stays within 1 on [0, x]: from point to point on a scale of ratios.
Real interval_of(const std::function<Real(Real)>& growth) {
  constexpr Real no_limit = 1e12;
  Real low = 0, high = 1e-3;
  while (growth(high) <= 1 + 1e-12) {
    low = high;
    high *= 1.002;
    if (high > no_limit) return std::numeric_limits<Real>::infinity();
  }
  for (int i = 0; i < 100; ++i) {
    const Real middle = 0.5 * (low + high);
    (growth(middle) <= 1 + 1e-12 ? low : high) = middle;
  }
  return low < 1e-6 ? 0 : low;
}

}  // namespace

int Stabilized::stages_for(Real x) const {
  int s = fewest;
  while (s < most && interval(s) < x) ++s;
  return s;
}

const Tableau& Scheme::tableau() const {
  if (const auto* t = std::get_if<Tableau>(&method)) return *t;
  throw InputError(Subject::scheme, "scheme '" + name + "' is not a Runge-Kutta scheme with a tableau");
}

bool is_explicit(const Scheme& scheme) {
  if (const auto* t = std::get_if<Tableau>(&scheme.method)) return t->is_explicit();
  if (const auto* s = std::get_if<SecondOrder>(&scheme.method)) return s->beta == 0;
  return std::holds_alternative<Stabilized>(scheme.method);
}

bool semi_lagrangian(const Scheme& scheme) {
  return std::holds_alternative<SemiLagrangianMethod>(scheme.method);
}

bool is_second_order(const Scheme& scheme) {
  return std::holds_alternative<SecondOrder>(scheme.method);
}

bool takes_second_order(const Scheme& scheme) {
  return is_second_order(scheme) || (scheme.is_runge_kutta() && is_explicit(scheme));
}

// Second order: (1 + βx + d/2)·ζ² − (2 − (1 − 2β)·x̃)·ζ + (1 + βx − d/2) = 0, x̃ with its correction. A pair of
// first order has the eigenvalues of u' = v, v' = −x·u − d·v.
std::array<Complex, 2> wave_amplification(const Scheme& scheme, Real x, Real d) {
  if (const auto* s = std::get_if<SecondOrder>(&scheme.method)) {
    const Real moved = s->corrected ? x - x * x / 12 : x;
    const Complex a = 1 + s->beta * x + 0.5 * d, b = -(2 - (1 - 2 * s->beta) * moved),
                  c = 1 + s->beta * x - 0.5 * d;
    const Complex root = std::sqrt(b * b - 4.0 * a * c);
    return {(-b + root) / (2.0 * a), (-b - root) / (2.0 * a)};
  }
  const Complex root = std::sqrt(Complex(0.25 * d * d - x));
  return {amplification(scheme, -0.5 * d + root), amplification(scheme, -0.5 * d - root)};
}

Real wave_stability_interval(const Scheme& scheme, Real damping_over_frequency) {
  const Real found = interval_of([&](Real x) {
    const auto roots = wave_amplification(scheme, x, damping_over_frequency * std::sqrt(x));
    // Two equal roots on the unit circle grow in proportion to the steps, which rounding must not hide.
    return std::max(std::abs(roots[0]), std::abs(roots[1]));
  });
  // Growth by the fourth power of a short step hides below rounding, but not from a long run.
  return found < 1e-4 ? 0 : found;
}

bool estimates_error(const Scheme& scheme) {
  if (scheme.estimating) return true;
  if (const auto* t = std::get_if<Tableau>(&scheme.method)) return !t->embedded.empty();
  return std::holds_alternative<Stabilized>(scheme.method);
}

int stages(const Scheme& scheme, Real x) {
  return std::visit(
      Match{[](const Tableau& t) { return t.stages(); },
            [](const ImplicitExplicit& p) { return p.fluxes.stages(); },
            [x](const Stabilized& s) { return s.stages_for(x); }, [](const TwoStep&) { return 1; },
            [](const Factored&) { return 1; }, [](const SecondOrder& s) { return s.corrected ? 2 : 1; },
            [](const SemiLagrangianMethod&) { return 1; }},
      scheme.method);
}

std::complex<Real> amplification(const Scheme& scheme, std::complex<Real> z, int count) {
  return std::visit(Match{[z](const Tableau& t) { return stability_function(t, z); },
                          [z](const ImplicitExplicit& p) { return of_pair(p, z, 0); },
                          [z, count](const Stabilized& s) {
                            const int n = count > 0 ? count : s.stages_for(std::abs(z));
                            return of_recurrences(s.recurrences(n), z);
                          },
                          [z](const TwoStep& t) { return of_two_steps(t, z); },
                          [z](const Factored& f) { return 1.0 + z / (1.0 - f.theta * z); },
                          [](const SecondOrder&) { return Complex(NAN); },
                          [z](const SemiLagrangianMethod&) { return 1.0 / (1.0 - z); }},
                    scheme.method);
}

std::complex<Real> amplification(const Scheme& scheme, std::span<const Real> axes, Real sources, int count) {
  Real sum = sources;
  for (const Real z : axes) sum += z;
  if (const auto* f = std::get_if<Factored>(&scheme.method)) {
    Real product = 1;
    for (std::size_t a = 0; a < axes.size(); ++a)
      product *= 1 - f->theta * (axes[a] + (a == 0 ? sources : 0));
    return 1 + sum / product;
  }
  if (const auto* p = std::get_if<ImplicitExplicit>(&scheme.method))
    return of_pair(*p, sum - sources, sources);
  return amplification(scheme, Complex(sum), count);
}

std::complex<Real> amplification_of_parts(const Scheme& scheme, Complex spread, Complex advected) {
  if (const auto* p = std::get_if<ImplicitExplicit>(&scheme.method)) return of_pair(*p, spread, advected);
  // Values that are looked up are those that were there.
  if (std::holds_alternative<SemiLagrangianMethod>(scheme.method)) return amplification(scheme, spread);
  return amplification(scheme, spread + advected);
}

Real real_stability_interval(const Scheme& scheme) {
  if (const auto* t = std::get_if<Tableau>(&scheme.method)) return real_stability_interval(*t);
  if (const auto* s = std::get_if<Stabilized>(&scheme.method)) return s->interval(s->most);
  return interval_of([&](Real x) { return std::abs(amplification(scheme, Complex(-x))); });
}

Real monotonicity_radius_of_function(const Scheme& scheme) {
  if (const auto* t = std::get_if<Tableau>(&scheme.method)) return monotonicity_radius_of_function(*t);
  if (const auto* p = std::get_if<ImplicitExplicit>(&scheme.method))
    return monotonicity_radius_of_function(p->fluxes);
  return 0;
}

Real monotonicity_radius_of_tableau(const Scheme& scheme) {
  if (const auto* t = std::get_if<Tableau>(&scheme.method)) return monotonicity_radius_of_tableau(*t);
  if (const auto* p = std::get_if<ImplicitExplicit>(&scheme.method))
    return monotonicity_radius_of_tableau(p->fluxes);
  return 0;
}

Tableau tableau_of(const Stabilized& method, int stages) {
  const auto rows = method.recurrences(stages);
  const auto count = static_cast<std::size_t>(stages);
  Tableau t;
  // Weights of every stage's rate in each stage value; the value after the last stage is the step's end.
  std::vector<std::vector<Real>> weights(count + 1, std::vector<Real>(count, 0.0));
  t.c.assign(count, 0.0);
  for (std::size_t j = 1; j <= count; ++j) {
    const Recurrence& r = rows[j - 1];
    for (std::size_t m = 0; m < count; ++m)
      weights[j][m] = r.previous * weights[j - 1][m] + (j > 1 ? r.before_previous * weights[j - 2][m] : 0);
    weights[j][j - 1] += r.rate;
    weights[j][0] += r.first_rate;
    if (j < count) t.c[j] = r.c;
  }
  t.b = weights.back();
  weights.pop_back();
  t.a = std::move(weights);
  return t;
}

ExplicitStages stages_by_line(const Stabilized& method, int stages) {
  const auto rows = method.recurrences(stages);
  const std::vector<Real> of_step = tableau_of(method, stages).b;
  ExplicitStages result;
  for (std::size_t j = 0; j < rows.size(); ++j) {
    const Recurrence& r = rows[j];
    // What the first stage starts from is the start itself, whatever is taken of it.
    result.stages.push_back({j == 0 ? 0 : rows[j - 1].c, j + 1 == rows.size() ? 1 : r.c,
                             j == 0 ? 1 : r.previous, r.rate, of_step[j], j < 2 ? 0 : r.before_previous,
                             r.first_rate});
  }
  return result;
}

}  // namespace williwaw
