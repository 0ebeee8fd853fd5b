#include <algorithm>
#include <cmath>

#include "casefile/sections/sections.hpp"

namespace williwaw::casefile {

namespace {

class FigureReader {
 public:
  FigureReader(const Context& context, const Node& item, const std::vector<Dimensions>& dimensions,
               const Case& given)
      : context_(context),
        dimensions_(dimensions),
        given_(given),
        grid_(given.problem.grid()),
        section_(context, item, "figure") {}

  FigureRequest read() {
    section_.allow({"kind", "of", "title", "times", "every", "range", "along", "at", "levels", "view"},
                   {"from", "to"});
    section_.need("kind", "the kind of figure");
    figure_.kind = section_.word("kind", "");
    figure_.place = section_.find("kind")->place.text();
    figure_.folder = context_.folder;
    figure_.of = section_.word("of", "");
    figure_.title = section_.word("title", "");
    if (const Node* times = section_.find("times")) {
      if (!times->is_array()) section_.fail("times", "a list of times is needed here, [..]");
      for (const auto& t : times->array()) {
        figure_.times.push_back(read_number(context_, t, "figure.times", {Unit::of("s"), false, "a time"}));
        if (given_.steady) section_.fail("times", "a steady state has no times");
        // Of a case in stages the later ones go on.
        if (!(figure_.times.back() >= 0 &&
              (figure_.times.back() <= given_.plan.until * (1 + 1e-9) || given_.settled.ends_run ||
               !given_.stages.empty() || given_.plan.start > 0)))
          throw CaseError(t.place.text(), "figure.times", "lies outside the run (0 to its end)");
      }
    }
    if (section_.has("levels")) figure_.levels = section_.whole("levels", 2);
    if (section_.has("every")) figure_.every = section_.whole("every", 1);
    if (const Node* view = section_.find("view")) read_view(*view);
    if (const Node* range = section_.find("range")) read_range(*range);
    if (const Node* along = section_.find("along")) read_along(*along);
    if (const Node* at = section_.find("at")) read_plane(*at);
    return figure_;
  }

 private:
  // What the values that the figure shows measure, and how they are shown.
  std::pair<Expected, store::Scale> measure_shown() const {
    if (const auto own = std::ranges::find(given_.derived, figure_.of, &DerivedOfCase::name);
        own != given_.derived.end())
      return {{own->scale.unit.empty() ? Unit() : Unit::of(own->scale.unit), false,
               "a value of '" + own->name + "'"},
              own->scale};
    const store::Scale si{"", 1, 0};
    if (std::ranges::any_of(given_.fluxes, [&](int axis) { return given_.flux_name(axis) == figure_.of; }))
      return {{dimensions_[0].flux, false, "a flux"}, si};
    const auto& derived = given_.problem.equation().derived;
    const auto found = std::ranges::find(derived, figure_.of, &DerivedQuantity::name);
    if (found != derived.end() && !found->like_unknown) return {{Unit(), false, "a plain number"}, si};
    const std::size_t number = unknown_shown();
    return {{dimensions_[number].unknown, false, "a value of the unknown"}, given_.unknown(number).value};
  }

  void read_range(const Node& range) {
    if (!range.is_array() || range.array().size() != 2)
      section_.fail("range", "two values are needed here, [lowest, highest]");
    const auto [expected, scale] = measure_shown();
    const Real low = read_number(context_, range.array()[0], "figure.range", expected);
    const Real high = read_number(context_, range.array()[1], "figure.range", expected);
    if (!(high > low)) section_.fail("range", "the second value must lie above the first");
    figure_.range = std::pair{scale.shown(low), scale.shown(high)};
  }

  void read_view(const Node& view) {
    if (!view.is_array() || view.array().size() != 2)
      section_.fail("view", "two angles in degrees are needed here, [azimuth, height]");
    const Expected angle{Unit(), false, "an angle in degrees"};
    const Real azimuth = read_number(context_, view.array()[0], "figure.view", angle);
    const Real height = read_number(context_, view.array()[1], "figure.view", angle);
    if (!(std::abs(azimuth) <= 360 && std::abs(height) <= 90))
      section_.fail("view", "azimuths lie between -360 and 360, heights between -90 and 90");
    figure_.view = std::array{azimuth, height};
  }

  // The unknown whose unit the figure has: that of a vector is its components'.
  std::size_t unknown_shown() const {
    const std::string name = figure_.of.substr(0, figure_.of.find('.'));
    if (const auto number = given_.number_of(name)) return *number;
    for (const VectorOfUnknowns& vector : given_.vectors)
      if (vector.name == name) return vector.components.front();
    return 0;
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

  const Context& context_;
  const std::vector<Dimensions>& dimensions_;
  const Case& given_;
  const Grid& grid_;
  Section section_;
  FigureRequest figure_;
};

}  // namespace

void read_figures(const Context& context, const Node& root, const std::vector<Dimensions>& dimensions,
                  Case& result) {
  const Node* node = root.find("figure");
  if (!node) return;
  if (!node->is_array()) throw CaseError(node->place.text(), "figure", "write [[figure]], once for each");
  for (const auto& item : node->array()) {
    result.figures.push_back(FigureReader(context, item, dimensions, result).read());
    // What a figure shows must have been recorded.
    const auto& times = result.figures.back().times;
    for (const Real time : times)
      if (time >= result.plan.start && (time <= result.plan.until * (1 + 1e-9) || result.settled.ends_run))
        result.plan.records.push_back(time);
  }
  std::ranges::sort(result.plan.records);
}

}  // namespace williwaw::casefile
