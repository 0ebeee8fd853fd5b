// [initial]: the unknown and its rate at the start.
#include <fmt/format.h>

#include "casefile/sections/sections.hpp"
#include "williwaw/grid/field_operations.hpp"

namespace williwaw::casefile {

namespace {

// { noise = { amplitude, length, seed, mean } }: the same field on every grid over the domain.
Value read_noise(const Context& context, const Node& value, const Dimensions& dimensions, const Grid& grid) {
  const Section outer(context, value, "initial.value");
  outer.allow({"noise"}, {});
  const Section section(context, *value.find("noise"), "initial.value.noise");
  section.allow({"amplitude", "length", "seed", "mean"}, {});
  const auto number = [&](const char* key, const Expected& expected) {
    return read_number(context, section.need(key, expected.name), section.key_path(key), expected);
  };
  const Real amplitude = number("amplitude", {dimensions.unknown, true, "a difference of the unknown"});
  const Real length = number("length", {Unit::of("m"), false, "a length"});
  if (!(length > 0)) section.fail("length", "must be above zero");
  section.need("seed", "a whole number that picks one of all such fields");
  const Index seed = section.whole("seed", 0) + context.sample;
  const Real mean = section.has("mean") ? number("mean", dimensions.a_value()) : 0;
  Value result;
  result.function = Function::by_line(
      [noise = smooth_noise_by_line(grid, amplitude, length, static_cast<std::uint64_t>(seed)), mean](
          const Points& places, Real, std::span<Real> out) {
        noise(places, out);
        for (Real& v : out) v += mean;
      },
      true, false);
  result.text = fmt::format("smooth noise, seed {}", seed);
  return result;
}

}  // namespace

void read_initial(const Context& context, const Node& root, const Dimensions& dimensions, Case& result) {
  const Node* node = root.find("initial");
  if (!node) throw CaseError(context.file, "initial", "missing; a case needs [initial] with a value");
  const Section section(context, *node, "initial");
  if (section.has("rate") && !dimensions.waves)
    section.fail("rate", "belongs to waves: this equation is of first order in time");
  section.allow({"value", "boundary_nodes", "rate"}, {});
  if (section.has("rate")) {
    result.initial_rate =
        read_value(context, *section.find("rate"), "initial.rate",
                   {dimensions.rate, true, "a rate of change of the unknown"}, context.variables);
    result.problem.initial_rate = result.initial_rate->function;
  }
  const std::string nodes = section.choice("boundary_nodes", "boundary", {"boundary", "initial", "mean"}, {});
  result.plan.boundary_nodes = nodes == "initial" ? Plan::BoundaryNodes::initial
                               : nodes == "mean"  ? Plan::BoundaryNodes::mean
                                                  : Plan::BoundaryNodes::boundary;
  const Node& value = section.need("value", "the unknown at the start");
  if (value.is_table() && value.find("from"))
    result.initial = read_from_run(context, value, dimensions, result.problem.grid());
  else if (value.is_table() && value.find("noise"))
    result.initial = read_noise(context, value, dimensions, result.problem.grid());
  else
    result.initial = read_value(context, value, "initial.value", dimensions.a_value(), context.variables);
  result.problem.initial = result.initial.function;
  result.places.add(Subject::initial, {value.place.text(), "initial.value"});
}

}  // namespace williwaw::casefile
