#include "williwaw/casefile/dimension.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>

#include "casefile/formula/expression_functions.hpp"
#include "williwaw/casefile/curve.hpp"

namespace williwaw::casefile {

Dimension::Dimension(const Unit& unit) : exponents_(unit.exponents()) {
  drop_zeros();
}

void Dimension::drop_zeros() {
  std::erase_if(exponents_, [](const auto& e) { return std::abs(e.second) < 1e-9; });
}

bool Dimension::operator==(const Dimension& other) const {
  return (*this / other).is_pure();
}

Dimension Dimension::operator*(const Dimension& other) const {
  Dimension result = *this;
  for (const auto& [base, exponent] : other.exponents_) result.exponents_[base] += exponent;
  result.drop_zeros();
  return result;
}

Dimension Dimension::operator/(const Dimension& other) const {
  return *this * other.power(-1);
}

Dimension Dimension::power(Real exponent) const {
  Dimension result = *this;
  for (auto& [base, e] : result.exponents_) e *= exponent;
  result.drop_zeros();
  return result;
}

std::string Dimension::text() const {
  if (is_pure()) return "1";
  // By the names that people know, where there is one.
  static const auto known = [] {
    std::vector<std::pair<Dimension, std::string>> list;
    for (const char* name : {"W", "W/m", "W/m^2", "W/m^3", "W/m/K", "W/m^2/K", "J", "J/m", "J/m^2", "J/m^3",
                             "J/kg/K", "J/m^3/K", "N", "Pa"})
      list.emplace_back(Dimension(Unit::of(name)), name);
    return list;
  }();
  for (const auto& [dimension, name] : known)
    if (dimension == *this) return name;
  const auto with_exponent = [](const std::string& base, Real exponent) {
    if (exponent == 1) return base;
    if (exponent == std::round(exponent)) return fmt::format("{}^{:.0f}", base, exponent);
    return fmt::format("{}^{:.3g}", base, exponent);
  };
  std::string above, below;
  for (const auto& [base, exponent] : exponents_) {
    if (exponent > 0) above += (above.empty() ? "" : " ") + with_exponent(base, exponent);
    if (exponent < 0) below += "/" + with_exponent(base, -exponent);
  }
  return (above.empty() ? "1" : above) + below;
}

namespace {

using Origin = Measure::Origin;

class Checker {
 public:
  Checker(const std::string& text, const MeasureOfName& names) : text_(text), names_(names) {}

  Measure of(const Expression& e) const {
    switch (e.operation()) {
      case Expression::Operation::number:
        return {{}, e.is_number(0) ? Origin::zero : Origin::none};
      case Expression::Operation::constant:
      case Expression::Operation::variable:
        return names_(e.node().name);
      case Expression::Operation::negate:
        return multiple(e.operand(0), of(e.operand(0)), {});
      case Expression::Operation::add:
      case Expression::Operation::subtract:
        return sum_of(e);
      case Expression::Operation::multiply:
      case Expression::Operation::divide: {
        const Measure a = of(e.operand(0)), b = of(e.operand(1));
        if (e.operation() == Expression::Operation::multiply &&
            (a.origin == Origin::zero || b.origin == Origin::zero))
          return {{}, Origin::zero};
        refuse_point(e.operand(1), b);
        return multiple(
            e.operand(0), a,
            e.operation() == Expression::Operation::multiply ? b.dimension : b.dimension.power(-1));
      }
      case Expression::Operation::raise:
        return power_of(e);
      case Expression::Operation::select: {
        of(e.operand(0));
        return common(e, e.operand(1), e.operand(2), "both results of a condition");
      }
      case Expression::Operation::both:
      case Expression::Operation::either:
        of(e.operand(0));
        of(e.operand(1));
        return {};
      case Expression::Operation::function:
        return function_of(e);
      case Expression::Operation::curve:
        return curve_of(e);
      case Expression::Operation::sum:
        return series_of(e);
      default:
        common(e, e.operand(0), e.operand(1), "both sides of a comparison");
        return {};
    }
  }

 private:
  std::string part(const Expression& e) const {
    const auto& n = e.node();
    if (n.end <= n.begin || n.end > text_.size()) return e.short_text();
    const std::string cut = text_.substr(n.begin, n.end - n.begin);
    return cut.substr(0, cut.find_last_not_of(" \t\n") + 1);
  }
  static std::string measured(const Measure& m) {
    return m.dimension.is_pure() ? "a pure number" : "in " + m.dimension.text();
  }
  [[noreturn]] void fail(const Expression& e, const std::string& what) const {
    throw InputError(fmt::format("formula '{}', character {}: {}", text_, e.node().begin + 1, what));
  }

  void refuse_point(const Expression& e, const Measure& m) const {
    if (m.origin == Origin::scale)
      fail(e, fmt::format("'{}' is a temperature on a scale with its own zero, and a multiple of it has no "
                          "meaning; write a difference in K, \"4 K\"",
                          part(e)));
  }

  Measure multiple(const Expression& e, const Measure& m, const Dimension& by) const {
    refuse_point(e, m);
    if (m.origin == Origin::zero) return m;
    return {m.dimension * by, Origin::none};
  }

  // The measure that two operands share.
  Measure common(const Expression& whole, const Expression& first, const Expression& second,
                 const std::string& what) const {
    const Measure a = of(first), b = of(second);
    if (a.origin == Origin::zero) return b;
    if (b.origin == Origin::zero) return a;
    if (!(a.dimension == b.dimension))
      fail(whole, fmt::format("{} need equal dimensions: '{}' is {}, '{}' is {}; give the formula as "
                              "{{ formula = \"..\", unit = \"..\" }}, or constants with a unit",
                              what, part(first), measured(a), part(second), measured(b)));
    return a.origin == Origin::none ? b : a;
  }

  Measure sum_of(const Expression& e) const {
    const Measure result = common(e, e.operand(0), e.operand(1), "terms of a sum");
    const Measure a = of(e.operand(0)), b = of(e.operand(1));
    const auto is_point = [](const Measure& m) {
      return m.origin == Origin::scale || m.origin == Origin::absolute;
    };
    const bool any_scale = a.origin == Origin::scale || b.origin == Origin::scale;
    if (e.operation() == Expression::Operation::add) {
      if (any_scale && is_point(a) && is_point(b))
        fail(e, fmt::format("'{}' and '{}' are both temperatures on a scale, and their sum has no meaning; "
                            "write \"4 K\" for a difference",
                            part(e.operand(0)), part(e.operand(1))));
      return result;
    }
    if (is_point(a) && is_point(b)) return {a.dimension, Origin::none};
    if (b.origin == Origin::scale)
      fail(e, fmt::format("'{}' is a temperature on a scale, which cannot be subtracted from a difference; "
                          "write \"4 K\" for a difference",
                          part(e.operand(1))));
    return result;
  }

  Measure power_of(const Expression& e) const {
    const Measure base = of(e.operand(0)), exponent = of(e.operand(1));
    refuse_point(e.operand(0), base);
    if (!exponent.fits({}))
      fail(e.operand(1), fmt::format("an exponent must be a pure number, but '{}' is {}", part(e.operand(1)),
                                     measured(exponent)));
    if (base.dimension.is_pure()) return base.origin == Origin::zero ? base : Measure{};
    for (const char* name : {"x", "y", "z", "r", "t", "u"})
      if (e.operand(1).uses(name))
        fail(e, fmt::format("'{}' has a dimension ({}), so that its exponent must be a constant",
                            part(e.operand(0)), base.dimension.text()));
    try {
      return {base.dimension.power(value_of(e.operand(1))), Origin::none};
    } catch (const InputError&) {
      fail(e, fmt::format("'{}' has a dimension ({}), so that its exponent must be a constant",
                          part(e.operand(0)), base.dimension.text()));
    }
  }

  Measure function_of(const Expression& e) const {
    using Rule = FormulaFunction::Dimensions;
    const Rule rule = function_called(e.node().name)->dimensions;
    const auto& operands = e.node().operands;
    if (rule == Rule::pure) {
      for (const auto& o : operands)
        if (const Measure m = of(o); !m.fits({}))
          fail(o, fmt::format(
                      "'{}' takes a pure number, but '{}' is {}; divide it by a constant with a unit, or "
                      "give {{ formula = \"..\", unit = \"..\" }}",
                      e.node().name, part(o), measured(m)));
      return {};
    }
    if (rule == Rule::root) return {multiple(operands[0], of(operands[0]), {}).dimension.power(0.5)};
    Measure result = of(operands[0]);
    for (std::size_t n = 1; n < operands.size(); ++n)
      result = common(e, operands[0], operands[n], "the values of '" + e.node().name + "'");
    if (rule == Rule::dropped) return {};
    if (e.node().name == "sum" && operands.size() > 1) refuse_point(e, result);
    return result;
  }

  // A curve takes and gives what the headers of its table say.
  Measure curve_of(const Expression& e) const {
    const Curve& curve = *e.node().curve;
    if (const Measure m = of(e.operand(0)); !m.fits(curve.argument().dimension))
      fail(e.operand(0), fmt::format("curve '{}' takes a value {}, but '{}' is {}", curve.name(),
                                     measured(curve.argument()), part(e.operand(0)), measured(m)));
    return curve.result();
  }

  Measure series_of(const Expression& e) const {
    const std::string& index = e.node().name;
    const MeasureOfName with_index = [&](const std::string& name) {
      return name == index ? Measure{} : names_(name);
    };
    const Measure term = Checker(text_, with_index).of(e.operand(0));
    if (e.node().first < e.node().last) refuse_point(e.operand(0), term);
    return term;
  }

  const std::string& text_;
  const MeasureOfName& names_;
};

}  // namespace

Measure measure_of(const Expression& expression, const std::string& text, const MeasureOfName& names) {
  return Checker(text, names).of(expression);
}

}  // namespace williwaw::casefile
