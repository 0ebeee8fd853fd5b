// `kinds`: everything that case files and commands name, in tables written from the same entries that the
// case reader reads.
#include <fmt/format.h>

#include <cmath>

#include "commands.hpp"
#include "say.hpp"
#include "williwaw/plot/figure.hpp"
#include "williwaw/problem/soil.hpp"
#include "williwaw/study/series_columns.hpp"
#include "williwaw/terms/face_mean.hpp"
#include "williwaw/terms/numerical_flux.hpp"
#include "williwaw/terms/reconstruction.hpp"
#include "williwaw/terms/wave_flux.hpp"

namespace williwaw::cli {

namespace {

using Row = std::vector<std::string>;

void say_table(const std::string& title, const Row& head, const std::vector<Row>& rows) {
  const auto line = [](const Row& cells) {
    std::string text = "|";
    for (const auto& cell : cells) text += cell.empty() ? " |" : " " + cell + " |";
    return text + "\n";
  };
  std::string text = "\n## " + title + "\n\n" + line(head) + line(Row(head.size(), "---"));
  for (const Row& row : rows) text += line(row);
  say_text(text);
}

std::string code(const std::string& name) {
  return "`" + name + "`";
}

std::string joined(const std::vector<std::string>& parts) {
  std::string text;
  for (const auto& part : parts) text += (text.empty() ? "" : "; ") + part;
  return text;
}

// "dirichlet = a value of the unknown", "robin = { coefficient = .., ambient = .. }"
std::string form_of(const BoundaryConditionKind& kind) {
  const auto& arguments = kind.arguments;
  if (arguments.empty()) return code("\"" + kind.name + "\"");
  if (arguments.size() == 1) return code("{ " + kind.name + " = .. }");
  std::string inside;
  for (const auto& a : arguments)
    inside += (inside.empty() ? "" : kind.one_of ? " = .. } or { " : " = .., ") + a.key;
  return (kind.alone ? code("\"" + kind.name + "\"") + " or " : "") +
         code("{ " + kind.name + " = { " + inside + " = .. } }");
}

std::string arguments_of(const BoundaryConditionKind& kind) {
  std::vector<std::string> parts;
  for (const auto& a : kind.arguments) {
    std::string text = (a.key.empty() ? "" : a.key + ": ") + a.quantity.name;
    if (std::isfinite(a.quantity.highest))
      text += ", " + to_text(a.quantity.lowest) + " to " + to_text(a.quantity.highest);
    else if (std::isfinite(a.quantity.lowest))
      text += ", at least " + to_text(a.quantity.lowest);
    if (a.otherwise && !kind.one_of) text += ", optional";
    parts.push_back(text);
  }
  return joined(parts);
}

void say_conditions() {
  std::vector<Row> rows;
  for (const auto& kind : boundary_condition_kinds())
    rows.push_back({form_of(kind), arguments_of(kind),
                    kind.of_waves       ? "waves"
                    : kind.of_gravity   ? "unsaturated flow with gravity"
                    : kind.of_advection ? "advection"
                                        : "all equations"});
  rows.push_back({code("\"periodic\""), "", "all equations, on both sides of an axis"});
  say_table("Boundary conditions", {"condition", "measures", "for"}, rows);
}

void say_schemes() {
  std::vector<Row> rows;
  for (const auto& kind : scheme_kinds()) {
    const Scheme scheme = kind.make(kind.highest);
    std::vector<std::string> notes;
    if (!kind.parameter.empty())
      notes.push_back(
          fmt::format("with {} from {} to {}; order 2 at 0.5", kind.parameter, kind.lowest, kind.highest));
    if (semi_lagrangian(scheme)) notes.emplace_back("with advection");
    if (estimates_error(scheme)) notes.emplace_back("adaptive steps");
    const std::string equations = is_second_order(scheme)      ? "waves"
                                  : takes_second_order(scheme) ? "first order in time, waves"
                                                               : "first order in time";
    rows.push_back({code(kind.name), scheme.title, std::to_string(scheme.order),
                    is_explicit(scheme) ? "explicit" : "implicit", equations, joined(notes)});
  }
  say_table("Time schemes", {"time.scheme", "method", "order", "", "equations", "notes"}, rows);
}

void say_reconstructions() {
  std::vector<Row> rows;
  for (const auto& kind : reconstruction_kinds())
    rows.push_back({code(kind.name), std::to_string(kind.order),
                    kind.limited ? fmt::format("to Courant number {:.3g}", kind.courant) : "no",
                    kind.slope ? "advection, waves with form = \"first-order\"" : "advection, uniform axes"});
  say_table("Reconstructions", {"space.reconstruction", "order", "monotone with explicit Euler", "for"},
            rows);
}

void say_soil_models() {
  std::vector<Row> rows;
  for (const SoilModel& model : soil_models()) {
    std::vector<std::string> keys;
    for (const auto& key : model.keys) {
      std::string text = code(key.name) + (key.length == 0  ? ""
                                           : key.length > 0 ? " (length)"
                                                            : " (1/length)");
      if (key.otherwise) text += fmt::format(" = {:g}", *key.otherwise);
      keys.push_back(text);
    }
    rows.push_back({code(model.name), model.title, joined(keys)});
  }
  rows.push_back({code("curve"), "formulas of u", code("content") + ", " + code("conductivity")});
  say_table("Soil models",
            {"soil.NAME.model", "", "keys besides residual, saturated, conductivity, specific_storage"},
            rows);
}

void say_face_means() {
  std::vector<Row> rows;
  for (const FaceMeanKind& kind : face_mean_kinds())
    rows.push_back({code(kind.name), kind.title,
                    kind.needs_integral ? "coefficients of u alone, by region at most" : "all coefficients"});
  say_table("Means of coefficients that depend on u", {"space.face_mean", "between two unknowns", "for"},
            rows);
}

void say_fluxes() {
  std::vector<Row> rows;
  for (const auto& kind : numerical_fluxes()) {
    std::vector<std::string> notes;
    if (kind.linear_only) notes.emplace_back("velocities only");
    if (kind.needs_step) notes.emplace_back("explicit-euler, 1-D, uniform");
    if (kind.blends) notes.emplace_back("depends on the cell Peclet number");
    if (std::isfinite(kind.largest_peclet))
      notes.push_back("oscillations above cell Peclet number " + to_text(kind.largest_peclet));
    rows.push_back({code(kind.name), std::to_string(kind.order), kind.monotone ? "yes" : "", joined(notes)});
  }
  say_table("Numerical fluxes of advection",
            {"space.numerical_flux", "order with reconstruction first-order", "monotone", "notes"}, rows);
  rows.clear();
  for (const auto& kind : wave_fluxes())
    rows.push_back({code(kind.name), std::to_string(kind.order), kind.monotone ? "yes" : "",
                    kind.half_step_ahead ? "1-D" : ""});
  say_table("Numerical fluxes of waves with form = \"first-order\"",
            {"space.numerical_flux", "order with reconstruction first-order", "monotone", "notes"}, rows);
}

void say_solvers() {
  std::vector<Row> rows{
      {code("auto"), "one of those below, by the matrix; in 1-D the tridiagonal algorithm"}};
  for (const auto& kind : solver_kinds()) {
    std::vector<std::string> notes{kind.iterates ? "iterates to a tolerance" : "solves at once"};
    if (kind.takes_relaxation) notes.emplace_back("with `relaxation`");
    if (kind.known_once_factored && !kind.iterates) notes.emplace_back("separable matrices only");
    rows.push_back({code(kind.name), joined(notes)});
  }
  say_table("Linear solvers", {"steady.solver, time.solver", ""}, rows);
}

// What a figure of this kind takes in so many dimensions: nothing more, keys of its own, or "no".
std::string taken_by(const plot::FigureKind& kind, plot::FigureSource source) {
  casefile::FigureRequest request;
  const auto lacks = [&] { return !kind.lacking(source, request).empty(); };
  if (!lacks()) return "yes";
  source.steady = true;
  if (!lacks()) return "steady";
  source.steady = false;
  request.of = "NAME";
  if (!lacks()) return "with `of`";
  request.along = {Point(), Point()};
  if (!lacks()) return "with `along`";
  request.at = Point();
  request.at_axis = 0;
  return lacks() ? "no" : "with `at`";
}

void say_figures() {
  std::vector<Row> rows;
  for (const auto& kind : plot::figure_kinds()) {
    const char* of = kind.draw_case                     ? ""
                     : kind.of == plot::Shown::unknown  ? "an unknown"
                     : kind.of == plot::Shown::column   ? "a column, or the start of its name"
                     : kind.of == plot::Shown::boundary ? "a boundary"
                     : kind.of == plot::Shown::other    ? "a result folder, a table or `exact`"
                                                        : "a probe";
    Row row{code(kind.name), kind.draw_case ? "the case" : "results", of, kind.one_time ? "each" : "all"};
    for (const int dimension : {1, 2, 3})
      row.push_back(taken_by(kind, {.dimension = dimension, .velocity = true, .exact = true}));
    rows.push_back(row);
  }
  say_table("Figures", {"figure.kind", "drawn from", "`of` names", "times in a file", "1-D", "2-D", "3-D"},
            rows);
}

void say_columns() {
  std::vector<Row> rows;
  for (const auto& column : study::series_columns()) {
    rows.push_back({code(column.name), column.kind, column.equations});
  }
  say_table("Columns of series.csv for each unknown", {"column", "kind in summary.json", "there for"}, rows);
}

}  // namespace

int kinds() {
  say_text(
      "# What case files name\n\nAs `williwaw kinds` prints it; [case-files.md](case-files.md) says where "
      "each belongs.\n");
  say_conditions();
  say_schemes();
  say_reconstructions();
  say_face_means();
  say_soil_models();
  say_fluxes();
  say_solvers();
  say_figures();
  say_columns();
  return done;
}

}  // namespace williwaw::cli
