// The parts of a case, read one by one. Each takes the whole tree and fills in its part of the Case.
#pragma once

#include "casefile/formula/typed_formula.hpp"

namespace williwaw::casefile {

/// Dimensions that follow from the equation.
struct Dimensions {
  Unit unknown, storage, source, conductivity, flux, gradient, exchange;
  Unit rate, impedance;  ///< of waves
  bool waves = false;
  Unit shown;               ///< that the case writes the unknown in
  bool difference = false;  ///< the unknown is one: degC are differences, and nothing lies below zero kelvin
  std::string name = "u";   ///< of the unknown in formulas

  UnknownInFormulas in_formulas() const {
    return {{Dimension(unknown), of_temperature() ? Measure::Origin::absolute : Measure::Origin::none},
            shown,
            unknown,
            name};
  }
  Expected a_value() const {
    return {unknown, difference, of_temperature() ? "a temperature" : "a value of the unknown"};
  }
  bool of_temperature() const { return unknown.same_dimension(Unit::of("K")) && !difference; }
};

/// The text of a case. Throws CaseError.
std::string read_text(const std::filesystem::path& file, const std::string& place, const std::string& key);

/// A case as a tree, with its overrides, variant and stage laid over it.
struct Tree {
  Node root;
  Context context;
  std::vector<std::string> variants = {}, stages = {};
};
/// Throws CaseError.
Tree tree_of(const std::string& text, const std::filesystem::path& name,
             const std::vector<std::string>& overrides, const Reading& reading);
/// Unknowns along each axis, without building the grid; none for a grid that `read_grid` refuses.
std::vector<Real> sizes_of_grid(const Tree& tree);
/// [samples]: how many there are; formulas know the one that is read as `sample`.
Index read_samples(const Node& root, Context& context);
/// The constants of the case, its included ones first, put into the context.
void read_constants(const Node& root, Context& context);
/// The tables that formulas call as functions, put into the context.
void read_curves(const Node& root, Context& context);
/// Of unknowns at faces the grid of cells.
Grid read_grid(const Context& context, const Node& root);
/// [grid] unknowns = "faces".
bool has_unknowns_at_faces(const Node& root);
/// Where each unknown of a system stands: components of vectors on the faces normal to them where `faces`.
std::vector<Grid> grids_of_unknowns(const Context& context, const Node& root, const Words& names,
                                    const Grid& grid, bool faces);
/// Finds the equation's kind; throws for one that is not there.
const EquationKind& read_equation_kind(const Node& root, const Context& context);
Dimensions dimensions_of(const EquationKind& kind, const Context& context, const Node& root);
Regions read_regions(const Context& context, const Node& root, const Grid& grid);
void read_contacts(const Context& context, const Node& root, const Dimensions& dimensions,
                   Equation& equation);
Equation read_equation(const Context& context, const Node& root, const Grid& grid, const EquationKind& kind,
                       const Dimensions& dimensions, std::vector<std::pair<std::string, Value>>& shown);
/// 0 for x and r, 1 for y, 2 for z.
std::size_t direction_of(const std::string& axis);
/// What carries the unknown, where the kind has such keys.
void read_advection(const Context& context, const Section& section, const EquationKind& kind,
                    const Dimensions& dimensions, Equation& equation,
                    std::vector<std::pair<std::string, Value>>& shown);
/// What is stored and conducted by curves of the unknown, where the kind has such keys, and those keys.
void read_soil(const Context& context, const Node& root, const Section& section, const EquationKind& kind,
               const Grid& grid, const Dimensions& dimensions,
               const std::vector<std::vector<Function>>& coefficients, Equation& equation,
               std::vector<std::pair<std::string, Value>>& shown);
Words keys_of_soil(const EquationKind& kind);
/// Letters, digits and these others, and no digit first: what results may be called.
bool is_name(const std::string& text, const std::string& others = "_");
/// kind = "system": the names of its unknowns in the order of the case; none of other kinds. Throws
/// CaseError.
Words names_of_unknowns(const Context& context, const Node& root);
/// What a case says of one of its unknowns, as a case of that unknown alone.
Node case_of_unknown(const Context& context, const Node& root, const Words& names, const std::string& name);
/// The error of such a case with the key that its words stand below in the whole one.
CaseError error_of_unknown(const Node& root, const std::string& name, const CaseError& e);
/// What unknowns make of each other, and their vectors; `dimensions` of each.
void read_shared_terms(const Context& context, const Node& root, const Words& names,
                       const std::vector<Dimensions>& dimensions, Case& result);
/// Along which axes fluxes are recorded: all of unsaturated flow, those that a figure or a probe names of heat
/// and diffusion.
void choose_fluxes(const Node& root, Case& result);
/// [derived]: what follows from the unknowns by formulas; `dimensions` of each unknown.
void read_derived(const Context& context, const Node& root, const std::vector<Dimensions>& dimensions,
                  Case& result);
/// A time, and the time that a key gives.
Expected a_time();
Real read_time_value(const Context& context, const Section& section, const std::string& key);
/// "auto" and the names of all linear solvers.
Words solver_names();
void read_steady(const Context& context, const Node& node, Case& result);
void read_settled(const Context& context, const Node& root, Case& result);
void read_cycle(const Context& context, const Node& root, const Dimensions& dimensions, Case& result);
void read_boundary(const Context& context, const Node& root, const Dimensions& dimensions, Case& result);
void read_initial(const Context& context, const Node& root, const Dimensions& dimensions, Case& result);
/// [time] or [steady], and [settled].
void read_time(const Context& context, const Node& root, const Dimensions& dimensions, Case& result);
void read_space(const Context& context, const Node& root, Case& result);
void read_records(const Context& context, const Node& root, Case& result);
void read_exact(const Context& context, const Node& root, const Dimensions& dimensions, Case& result);
void read_converge(const Context& context, const Node& root, Case& result);
/// `dimensions` of each unknown.
void read_figures(const Context& context, const Node& root, const std::vector<Dimensions>& dimensions,
                  Case& result);
/// { from = "a.out", time = .., onto = .. }
Value read_from_run(const Context& context, const Node& node, const Dimensions& dimensions, const Grid& grid);
/// The unit of what that run shows; nothing if it is not there, which is for read_from_run to say.
std::optional<Unit> unit_of_run(const Context& context, const Node& node, const std::string& unknown);
/// [exact] manufactured = true: writes sources, boundaries and initial values into the tree so that
/// exact.value solves it.
void manufacture(const Context& context, Node& root);
/// The same of several unknowns, each of which has an exact solution.
void manufacture_system(const Context& context, const Words& names, Node& root);
/// [exact] solution = ..: one of those that have names, with the numbers of the case.
Value named_exact(const Section& section, const Case& given);
/// The units of length, time, unknown, amounts and flows in which results are shown.
void choose_scales(const Context& context, const Node& root, const EquationKind& kind,
                   const Dimensions& dimensions, Case& result);
/// How values are shown in a unit.
store::Scale scale_in(const Unit& unit);
/// The unit that the unknown is shown in.
Unit shown_unit(const EquationKind& kind, const Context& context, const Node& root);

}  // namespace williwaw::casefile
