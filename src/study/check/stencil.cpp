// `check --at`: the discrete equation of one unknown.
#include <fmt/format.h>

#include <sstream>

#include "study/wording.hpp"

namespace williwaw::study {

std::string place_text(const Case& given, const Grid& g, Index n) {
  return given_place(given, g.point_of(n));
}

std::string given_place(const Case& given, const Point& place) {
  const Grid& g = given.problem.grid();
  std::string result;
  for (int a = 0; a < g.dimension(); ++a)
    result += fmt::format("{}{} = {}", a == 0 ? "" : ", ", g.axis(a).name(),
                          readable(given.length.shown(place[g.direction(a)]), given.length.unit));
  return result;
}

std::string stopping_rule(const SteadyRules& rules) {
  return fmt::format(
      "residual √Σ(net inflow of a control volume)² below {:.3g} of that of a uniform field, or at round-off",
      rules.tolerance);
}

Point place_from(const Case& given, const std::string& text) {
  const Grid& g = given.problem.grid();
  std::stringstream in(text);
  std::string part;
  std::vector<Real> numbers;
  while (std::getline(in, part, ',')) {
    std::size_t used = 0;
    Real v = 0;
    try {
      v = std::stod(part, &used);
    } catch (const std::exception&) {
      used = 0;
    }
    if (used == 0 || part.find_first_not_of(" ", used) != std::string::npos)
      throw InputError("--at: '" + part + "' is not a number; give positions" + given.length.bracket() +
                       " such as 0.12 or 0.12,0.3");
    numbers.push_back(given.length.si(v));
  }
  if (static_cast<int>(numbers.size()) != g.dimension())
    throw InputError(fmt::format("--at: {} position{} needed, one for each axis", g.dimension(),
                                 g.dimension() == 1 ? " is" : "s are"));
  Point p;
  for (int a = 0; a < g.dimension(); ++a) p[g.direction(a)] = numbers[a];
  try {
    g.containing(p);
  } catch (const InputError& e) {
    throw InputError(std::string("--at: ") + e.what());
  }
  return p;
}

Report stencil_report(const Case& given, Prepared& prepared, const Point& place) {
  Discretization& balance = *prepared.balance;
  const Grid& g = given.problem.grid();
  const Stencil s = balance.stencil(g.containing(place), 0);
  Report report;
  report.section("discrete equation");
  if (!balance.outline().active(s.number)) {
    report.row("unknown", place_text(given, g, s.number) + " is inactive");
    return report;
  }
  report.row("unknown", fmt::format("number {}, at {}", s.number, place_text(given, g, s.number)),
             Report::Data(s.number));
  const bool units = !given.flow_scale.unit.empty();
  report.row(
      "volume",
      readable(s.volume, units ? (g.dimension() == 1 ? "m" : "m^" + std::to_string(g.dimension())) : ""),
      number(s.volume));
  report.row("capacity", fmt::format("{}  (C = storage · volume)", readable(s.capacity)), number(s.capacity));
  std::string right;
  const auto add = [&](const std::string& term) { right += (right.empty() ? "" : " + ") + term; };
  for (const auto& n : s.neighbours) {
    report.row("conductance " + n.towards,
               fmt::format("{}  to {}", readable(n.conductance), place_text(given, g, n.number)),
               number(n.conductance));
    add(fmt::format("{:.6g}·(u_{} − u)", n.conductance, n.towards));
  }
  for (const auto& w : s.boundaries) {
    const std::string flow = w.pull == 0     ? readable(w.inflow)
                             : w.inflow == 0 ? fmt::format("−{:.6g}·u", w.pull)
                                             : fmt::format("{:.6g} − {:.6g}·u", w.inflow, w.pull);
    report.row("boundary " + w.name, flow + " flows in");
    if (w.pull != 0 || w.inflow != 0) add("(" + flow + ")");
  }
  if (s.divergence_term != 0) {
    report.row("advection, net", fmt::format("{}·u leaves", readable(s.divergence_term)),
               number(s.divergence_term));
    add(fmt::format("−{:.6g}·u", s.divergence_term));
  }
  if (s.source != 0) {
    report.row("source", readable(s.source), number(s.source));
    add(readable(s.source));
  }
  if (prepared.balance->capabilities().reacts) {
    report.row("reaction", readable(s.reaction) + "  at the initial value", number(s.reaction));
    add(fmt::format("{:.6g}·reaction(u)", s.volume));
  }
  if (s.prescribed)
    report.row(
        "prescribed",
        fmt::format("u = {}, prescribed by its boundary; the remaining terms: flow supplied by the boundary",
                    readable(given.value.shown(s.prescribed_value), given.value.unit)));
  const bool wave = given.problem.equation().second_order;
  if (given.problem.advection_is_nonlinear())
    report.note("the flow at first order, about the initial values; reconstruction and law make more of it");
  if (given.problem.space_order == 4)
    report.note("conductances of order 2; differences of order 4 join three unknowns on each side");
  report.row("equation", fmt::format("{:.6g} · {} = {}", s.capacity, wave ? "d²u/dt²" : "du/dt",
                                     right.empty() ? "0" : right));
  report.note(units ? "in SI units (temperatures in kelvin), at the start time" : "at the start time");
  return report;
}

}  // namespace williwaw::study
