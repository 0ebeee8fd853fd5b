#include "terms/diffusion/wide_differences.hpp"

#include <algorithm>

namespace williwaw {

namespace {
constexpr Index reach = 3;  // unknowns beyond an end that differences of differences look at
}

WideDifferences::WideDifferences(const Problem& problem)
    : grid_(problem.grid()), nodes_(problem.grid().unknowns() == Unknowns::nodes) {
  const Equation& e = problem.equation();
  if (!e.second_order)
    throw InputError(Subject::space_order, "differences of order 4 are there for waves only");
  if (!problem.parts().empty() || !e.contacts.empty())
    throw InputError(Subject::space_order,
                     "differences of order 4 take whole sides, without parts and contacts");
  for (Index r = 0; r < problem.regions().size(); ++r)
    if (!problem.regions()[r].active)
      throw InputError(Subject::space_order,
                       "differences of order 4 take whole rectangles, without cut-outs");
  Index stride = 1;
  for (int a = 0; a < grid_.dimension(); ++a) {
    const Axis& axis = grid_.axis(a).whole();
    if (!axis.is_uniform())
      throw InputError(Subject::space_order,
                       "differences of order 4 need uniform spacing, which axis " + axis.name() + " has not");
    if (axis.size() < 6)
      throw InputError(Subject::space_order, "differences of order 4 need at least 6 unknowns along an axis");
    Along along;
    along.count = grid_.size(a);
    along.stride = stride;
    along.spacing = axis.length() / static_cast<Real>(axis.intervals());
    for (const bool upper : {false, true})
      along.ends[upper ? 1 : 0] = axis.periodic() ? End::periodic : end_of(problem, {a, upper});
    // Face f lies above unknown f − 1 at cells, above unknown f at nodes.
    const Index first = grid_.axis(a).first();
    along.faces = axis.periodic() ? along.count : nodes_ ? along.count - 1 : along.count + 1;
    const Function& k = e.diffusion.coefficient[grid_.direction(a)];
    along.constant = k.is_constant() ? k(Point{}) : 0;
    if (k.depends_on_place())
      for (Index n = 0; n < grid_.count(); ++n) {
        if (grid_.position(n)[a] != 0) continue;
        for (Index f = 0; f < along.faces; ++f) {
          Point at = grid_.point_of(n);
          at[grid_.direction(a)] =
              axis.from() + (static_cast<Real>(first + f) + (nodes_ ? 0.5 : 0)) * along.spacing;
          along.coefficient.push_back(k(at));
        }
      }
    axes_.push_back(std::move(along));
    stride *= grid_.size(a);
  }
}

WideDifferences::End WideDifferences::end_of(const Problem& problem, Side side) const {
  const auto& conditions = problem.boundary(side).conditions();
  if (conditions.size() == 1) {
    const std::string& kind = conditions[0]->kind();
    if (kind == "fixed") return End::odd;
    if (kind == "free" || kind == "insulated") return End::even;
  }
  throw InputError(Subject::space_order,
                   "differences of order 4 go with fixed, free and periodic ends; side '" +
                       problem.grid().side_name(side) + "' has another, which order 2 can take");
}

void WideDifferences::add_line(const Along& along, Index first, const Real* coefficient,
                               std::span<const Real> u, State& out, std::vector<Real>& values,
                               std::vector<Real>& flux) const {
  const Index n = along.count, faces = along.faces;
  const bool periodic = along.ends[0] == End::periodic;
  values.resize(static_cast<std::size_t>(n + 2 * reach));
  flux.resize(static_cast<std::size_t>(faces + 2 * reach));
  Real* v = values.data() + reach;
  for (Index i = 0; i < n; ++i) v[i] = u[first + i * along.stride];
  for (Index i = 1; i <= reach; ++i) {
    if (periodic) {
      v[-i] = v[n - i];
      v[n - 1 + i] = v[i - 1];
      continue;
    }
    // Mirrored in the node on the boundary, or in the face between cells.
    v[-i] = (along.ends[0] == End::odd ? -1 : 1) * v[nodes_ ? i : i - 1];
    v[n - 1 + i] = (along.ends[1] == End::odd ? -1 : 1) * v[nodes_ ? n - 1 - i : n - i];
  }
  Real* q = flux.data() + reach;
  const Real scale = 1 / (24 * along.spacing);
  const Index shift = nodes_ ? 0 : -1;  // the unknown below face f
  for (Index f = 0; f < faces; ++f) {
    const Real* w = v + f + shift;
    q[f] = (coefficient ? coefficient[f] : along.constant) * scale * (27 * (w[1] - w[0]) - (w[2] - w[-1]));
  }
  for (Index f = 1; f <= 2; ++f) {
    if (periodic) {
      q[-f] = q[faces - f];
      q[faces - 1 + f] = q[f - 1];
      continue;
    }
    // The slope of an odd image is even, that of an even one odd.
    q[-f] = (along.ends[0] == End::odd ? 1 : -1) * q[nodes_ ? f - 1 : f];
    q[faces - 1 + f] = (along.ends[1] == End::odd ? 1 : -1) * q[nodes_ ? faces - f : faces - 1 - f];
  }
  for (Index i = 0; i < n; ++i) {
    const Real* w = q + i + (nodes_ ? -1 : 0);  // the face below unknown i
    const Index number = first + i * along.stride;
    out[number] += grid_.volume_of(number) * scale * (27 * (w[1] - w[0]) - (w[2] - w[-1]));
  }
}

void WideDifferences::force(std::span<const Real> u, State& out) const {
  out.assign(u.size(), 0.0);
  std::vector<Real> values, flux;
  for (std::size_t a = 0; a < axes_.size(); ++a) {
    const Along& along = axes_[a];
    const Real* coefficient = along.coefficient.empty() ? nullptr : along.coefficient.data();
    const Index block = along.stride * along.count;
    for (Index outer = 0; outer < grid_.count(); outer += block)
      for (Index inner = 0; inner < along.stride; ++inner) {
        add_line(along, outer + inner, coefficient, u, out, values, flux);
        if (coefficient) coefficient += along.faces;
      }
  }
}

}  // namespace williwaw
