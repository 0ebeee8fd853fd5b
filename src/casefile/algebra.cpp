#include "algebra.hpp"

#include <fmt/format.h>

#include <sstream>

namespace williwaw::casefile {

GiNaC::ex read_expression(const std::string& formula, const Constants& constants, GiNaC::symtab table) {
  for (const auto& [name, value] : constants) table.try_emplace(name, value);
  for (const auto& [name, value] : common_constants()) table.try_emplace(name, value);
  try {
    // The natural logarithm has one name there, two here.
    std::string plain;
    for (std::size_t i = 0; i < formula.size(); ++i) {
      const bool ln = formula.compare(i, 3, "ln(") == 0 &&
                      (i == 0 || !std::isalnum(static_cast<unsigned char>(formula[i - 1])));
      plain += ln ? "log(" : std::string(1, formula[i]);
      if (ln) i += 2;
    }
    GiNaC::parser reader(table, true);
    return reader(plain);
  } catch (const std::exception& e) {
    // The first line says what is wrong; what goes before the last colon says where in the library.
    std::string what = e.what();
    what = what.substr(0, what.find('\n'));
    if (const auto colon = what.rfind(": "); colon != std::string::npos) what = what.substr(colon + 2);
    throw InputError(
        fmt::format("cannot be differentiated ({}): use + - * / ^, exp, log, sqrt, sin, cos, tan, sinh, "
                    "cosh, tanh and names that are known",
                    what));
  }
}

std::string written(const GiNaC::ex& expression) {
  std::ostringstream out;
  out << GiNaC::evalf(expression);
  return out.str();
}

}  // namespace williwaw::casefile
