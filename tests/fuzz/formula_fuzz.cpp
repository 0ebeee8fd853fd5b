// Formulas and units: parsed, evaluated, derived, printed.
#include <cstdint>
#include <string>

#include "counted.hpp"
#include "williwaw/casefile/expression.hpp"
#include "williwaw/casefile/units.hpp"
#include "williwaw/grid/types.hpp"

using namespace williwaw;

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  const std::string text(reinterpret_cast<const char*>(data), std::min<std::size_t>(size, 400));
  ++fuzz::count().tried;
  casefile::Unit::parse(text);
  try {
    const casefile::Expression e = casefile::parse_expression(text, {{"P", 3600.0}}, {"x", "y", "t", "u"});
    fuzz::accept(text);
    const Real x[] = {0, 0.5, -2}, u[] = {1, -1, 1e300};
    casefile::FormulaInputs inputs;
    inputs.count = 3;
    inputs.x = inputs.y = x;
    inputs.u = u;
    Real out[3];
    casefile::evaluate(e, inputs, out);
    // The printed form reads as the same expression.
    casefile::parse_expression(e.text(), {{"P", 3600.0}}, {"x", "y", "t", "u"});
    casefile::evaluate(casefile::derivative(e, "u"), inputs, out);
  } catch (const InputError&) {
  }
  return 0;
}
