// What `check` says of the domain: regions, outlines, and one line for each side, part and cut-out.
#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "study/wording.hpp"
#include "williwaw/study/answer.hpp"

namespace williwaw::study {

namespace {

std::string power_unit(const Case& given, int power) {
  return given.length.unit.empty() || power == 0
             ? ""
             : given.length.unit + (power == 1 ? "" : "^" + std::to_string(power));
}

Real shown_measure(const Case& given, Real si, int power) {
  return std::pow(given.length.factor, power) * si;
}

// The outline looked at on a grid of half the spacing, for comparison: what it would change.
std::string resolution_text(const Case& given, const Outline& outline, Index region) {
  const Grid& g = given.problem.grid();
  if (g.count() > 300000) return "";
  std::vector<Axis> finer;
  for (int a = 0; a < g.dimension(); ++a) {
    const auto faces = g.axis(a).faces();
    std::vector<Real> halved;
    for (std::size_t i = 0; i + 1 < faces.size(); ++i) {
      halved.push_back(faces[i]);
      halved.push_back(0.5 * (faces[i] + faces[i + 1]));
    }
    halved.push_back(faces.back());
    finer.push_back(g.axis(a).name() == "r"
                        ? Axis::radial(g.axis(a).coordinates(), halved, g.unknowns())
                        : Axis(g.axis(a).name(), halved, g.unknowns(), g.axis(a).periodic()));
  }
  const Outline fine(Grid(finer), given.problem.regions());
  const auto change = [](Real now, Real then) { return now > 0 ? std::abs(then - now) / now : 0; };
  const Real area = change(outline.measure().cut[region], fine.measure().cut[region]);
  const Real length = change(outline.measure().exposed[region], fine.measure().exposed[region]);
  if (std::max(area, length) < 1e-6) return "; exact (outline along grid faces)";
  return fmt::format("; changes with half the spacing: {:.2g} % and {:.2g} %", 100 * area, 100 * length);
}

// Where a cut-out is prescribed the flow meets its boundary along the grid; the boundary is as long as it was
// cut.
Real true_area(const Case& given, const Discretization& balance, const BoundaryClosure& boundary) {
  const std::string& name = boundary.section().name;
  const Index region = given.problem.regions().find(name);
  const bool split = std::ranges::any_of(
      given.problem.parts(), [&](const BoundaryPart& p) { return p.side.empty() || p.side == name; });
  return region < 0 || split ? boundary.section().area() : balance.outline().measure().exposed[region];
}

}  // namespace

std::vector<std::pair<std::string, std::string>> boundaries_in_words(const Case& given) {
  std::vector<std::pair<std::string, std::string>> result;
  for (std::size_t b = 0; b < given.boundaries.size(); ++b) {
    const auto& [name, first] = given.boundaries[b];
    bool alike = true;
    for (std::size_t u = 1; u < given.count(); ++u)
      alike = alike && given.unknown(u).boundaries[b].second == first;
    for (std::size_t u = 0; u < (alike ? 1 : given.count()); ++u)
      result.emplace_back(alike ? name : name + ", " + given.unknown(u).problem.equation().unknown,
                          given.unknown(u).boundaries[b].second);
  }
  return result;
}

void regions_section(const Case& given, const Prepared& prepared, Report& report) {
  const Regions& regions = given.problem.regions();
  if (regions.empty()) return;
  const Grid& g = given.problem.grid();
  const int dimension = g.volume_dimension();
  const Outline& outline = prepared.balance->outline();
  report.section("regions");
  std::vector<Real> volumes(static_cast<std::size_t>(g.count()));
  for (Index r = 0; r < regions.size(); ++r) {
    const Region& region = regions[r];
    if (region.active) {
      std::vector<Function> one(static_cast<std::size_t>(regions.size()) + 1, Function(0.0));
      one[static_cast<std::size_t>(r) + 1] = 1.0;
      prepared.balance->control_volumes().integrate(Function::by_region(given.problem.shared_regions(), one),
                                                    0, volumes);
      Real sum = 0;
      for (const Real v : volumes) sum += v;
      report.row(region.name,
                 "material, " + readable(shown_measure(given, sum, dimension), power_unit(given, dimension)) +
                     (region.staircase ? "; staircase outline of a mask" : ""),
                 number(shown_measure(given, sum, dimension)), power_unit(given, dimension));
      continue;
    }
    const OutlineMeasure& m = outline.measure();
    report.row(region.name,
               fmt::format("inactive, {}; outline {}{}",
                           readable(shown_measure(given, m.cut[r], dimension), power_unit(given, dimension)),
                           readable(shown_measure(given, m.exposed[r], dimension - 1),
                                    power_unit(given, dimension - 1)),
                           region.staircase ? "; staircase outline of a mask, length not converging"
                                            : resolution_text(given, outline, r)),
               number(shown_measure(given, m.cut[r], dimension)), power_unit(given, dimension));
  }
  const Real left = prepared.balance->volume();
  report.row("active domain", readable(shown_measure(given, left, dimension), power_unit(given, dimension)),
             number(shown_measure(given, left, dimension)), power_unit(given, dimension));
  for (const Contact& c : given.problem.equation().contacts)
    report.row("contact", fmt::format("resistance {} between {} and {}", readable(c.resistance),
                                      regions.name_of(c.first), regions.name_of(c.second)));
}

void boundaries_section(const Case& given, const Prepared& prepared, Report& report) {
  const Grid& g = given.problem.grid();
  const int dimension = g.volume_dimension() - 1;
  report.section("boundaries");
  const auto size_text = [&](const std::string& name) {
    std::string text;
    for (const BoundaryClosure& boundary : prepared.balance->closures()) {
      if (boundary.section().name != name ||
          (g.dimension() == 1 && given.problem.parts().empty() && dimension == 0))
        continue;
      const Real area = shown_measure(given, true_area(given, *prepared.balance, boundary), dimension);
      text += fmt::format("   ({} face{}, {})", boundary.faces(), boundary.faces() == 1 ? "" : "s",
                          readable(area, power_unit(given, dimension)));
    }
    return text;
  };
  for (const auto& [name, acts] : boundaries_in_words(given))
    report.row(name, acts + size_text(name.substr(0, name.find(", "))));
  for (const auto& [name, reason] : without_limits(given, *prepared.balance))
    report.note(name + ": diverges as the spacing goes to zero (" + reason + ")");
  // Nodes that boundaries with different names hold.
  std::vector<std::pair<Index, std::string>> holders;
  bool any = false;
  for (const BoundaryClosure& boundary : prepared.balance->closures())
    for (Index f = 0; f < boundary.faces(); ++f)
      if (boundary.prescribes(f)) {
        any = true;
        holders.emplace_back(boundary.unknown(f), boundary.section().name);
      }
  std::ranges::sort(holders);
  bool shared = false;
  for (std::size_t n = 1; n < holders.size(); ++n)
    shared =
        shared || (holders[n].first == holders[n - 1].first && holders[n].second != holders[n - 1].second);
  if (shared) {
    std::string order;
    for (const auto& side : given.problem.corners) order += (order.empty() ? "" : ", then ") + side;
    report.note(order.empty()
                    ? "nodes shared by two Dirichlet boundaries: mean of both values"
                    : "nodes shared by two Dirichlet boundaries: value of " + order + ", else the mean");
  }
  if (any && !given.steady && !given.problem.equation().second_order)
    report.note(given.plan.boundary_nodes == Plan::BoundaryNodes::boundary
                    ? "prescribed nodes at t = 0: boundary value; the jump has its own budget line"
                : given.plan.boundary_nodes == Plan::BoundaryNodes::initial
                    ? "prescribed nodes at t = 0: initial value; the jump is supplied through the boundary "
                      "in the first step"
                    : "prescribed nodes at t = 0: mean of initial and boundary value; the jump has its own "
                      "budget line");
}

}  // namespace williwaw::study
