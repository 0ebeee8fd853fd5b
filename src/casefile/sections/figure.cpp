#include <algorithm>

#include "casefile/sections/sections.hpp"

namespace williwaw::casefile {

namespace {

class FigureReader {
 public:
  FigureReader(const Context& context, const Node& item, const Dimensions& dimensions, const Case& given)
      : context_(context),
        dimensions_(dimensions),
        given_(given),
        grid_(given.problem.grid()),
        section_(context, item, "figure") {}

  FigureRequest read() {
    section_.allow({"kind", "of", "title", "times", "every", "range", "along", "at", "levels"},
                   {"from", "to"});
    section_.need("kind", "the kind of figure");
    figure_.kind = section_.choice(
        "kind", "",
        {"profiles", "map", "contours", "surface", "slices", "outer-faces", "spacetime", "series", "budget",
         "residuals", "boundary", "steps", "spectrum", "film", "strip", "arrows", "stability", "dispersion"},
        {"convergence"});
    figure_.of = section_.word("of", "");
    figure_.title = section_.word("title", "");
    if (const Node* times = section_.find("times")) {
      if (!times->is_array()) section_.fail("times", "a list of times is needed here, [..]");
      for (const auto& t : times->array()) {
        figure_.times.push_back(read_number(context_, t, "figure.times", {Unit::of("s"), false, "a time"}));
        if (given_.steady) section_.fail("times", "a steady state has no times");
        if (!(figure_.times.back() >= 0 &&
              (figure_.times.back() <= given_.plan.until * (1 + 1e-9) || given_.settled.ends_run)))
          throw CaseError(t.place.text(), "figure.times", "lies outside the run (0 to its end)");
      }
    }
    if (section_.has("levels")) figure_.levels = section_.whole("levels", 2);
    if (section_.has("every")) figure_.every = section_.whole("every", 1);
    if (const Node* range = section_.find("range")) read_range(*range);
    if (const Node* along = section_.find("along")) read_along(*along);
    if (const Node* at = section_.find("at")) read_plane(*at);
    check_dimension();
    return figure_;
  }

 private:
  void read_range(const Node& range) {
    if (!range.is_array() || range.array().size() != 2)
      section_.fail("range", "two values are needed here, [lowest, highest]");
    const Expected expected{dimensions_.unknown, false, "a value of the unknown"};
    const Real low = read_number(context_, range.array()[0], "figure.range", expected);
    const Real high = read_number(context_, range.array()[1], "figure.range", expected);
    if (!(high > low)) section_.fail("range", "the second value must lie above the first");
    figure_.range = {given_.value.shown(low), given_.value.shown(high)};
  }

  void read_along(const Node& along) {
    const Section line(context_, along, "figure.along");
    line.allow({"from", "to"}, {});
    figure_.along = {
        read_point(context_, line.need("from", "where the line starts"), "figure.along.from", grid_),
        read_point(context_, line.need("to", "where the line ends"), "figure.along.to", grid_)};
  }

  void read_plane(const Node& at) {
    const Section plane(context_, at, "figure.at");
    plane.allow(context_.variables, {});
    if (at.table().size() != 1) section_.fail("at", "one coordinate is needed here, { z = .. }");
    const std::string name = at.table().front().key;
    Point p;
    for (int a = 0; a < grid_.dimension(); ++a) {
      const Axis& axis = grid_.axis(a);
      if (axis.name() != name) continue;
      figure_.at_axis = a;
      Real& position = p[grid_.direction(a)];
      position =
          read_number(context_, *plane.find(name), plane.key_path(name), {Unit::of("m"), false, "a length"});
      if (!(position >= axis.from() && position <= axis.to())) plane.fail(name, "lies outside the domain");
    }
    figure_.at = p;
  }

  // What a figure of this kind needs in this many dimensions.
  void check_dimension() const {
    const auto complain = [&](const std::string& text) {
      throw CaseError(section_.node().place.text(), "figure", text);
    };
    const int dimension = grid_.dimension();
    if (figure_.kind == "profiles" && dimension > 1 && !figure_.along)
      complain("profiles in 2-D or 3-D need along = { from, to }");
    const std::string it = figure_.kind == "contours" || figure_.kind == "arrows"
                               ? figure_.kind + " need"
                               : "a " + figure_.kind + " needs";
    const bool plane = figure_.kind == "map" || figure_.kind == "contours" || figure_.kind == "surface" ||
                       figure_.kind == "strip" || figure_.kind == "arrows";
    if (plane && dimension == 1) complain(it + " two axes; in one dimension use profiles or spacetime");
    if (plane && dimension == 3 && !figure_.at) complain(it + " a plane of a 3-D field, at = { z = .. }");
    if ((figure_.kind == "slices" || figure_.kind == "outer-faces") && dimension != 3)
      complain(figure_.kind + " need three axes; in 2-D use map or contours");
    if (figure_.kind == "arrows" &&
        (!given_.problem.equation().advection || given_.problem.equation().advection->law))
      complain("arrows need a velocity field, and this case has none");
    if (figure_.kind == "residuals" && !given_.steady)
      complain("residuals belong to [steady]: they show how its solver went");
    if (figure_.kind == "spacetime" && given_.steady) complain("a steady state has no times");
    if (figure_.kind == "boundary" && figure_.of.empty()) complain("give the side, of = \"top\"");
    if (figure_.kind == "spacetime" && dimension > 1 && !figure_.along)
      complain("spacetime in 2-D or 3-D needs along = { from, to }");
  }

  const Context& context_;
  const Dimensions& dimensions_;
  const Case& given_;
  const Grid& grid_;
  Section section_;
  FigureRequest figure_;
};

}  // namespace

void read_figures(const Context& context, const Node& root, const Dimensions& dimensions, Case& result) {
  const Node* node = root.find("figure");
  if (!node) return;
  if (!node->is_array()) throw CaseError(node->place.text(), "figure", "write [[figure]], once for each");
  for (const auto& item : node->array()) {
    result.figures.push_back(FigureReader(context, item, dimensions, result).read());
    // What a figure shows must have been recorded.
    const auto& times = result.figures.back().times;
    result.plan.records.insert(result.plan.records.end(), times.begin(), times.end());
  }
  std::ranges::sort(result.plan.records);
}

}  // namespace williwaw::casefile
