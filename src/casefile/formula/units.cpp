#include "williwaw/casefile/units.hpp"

#include <udunits2.h>

#include <algorithm>
#include <array>
#include <cctype>
#include <charconv>
#include <cmath>

namespace williwaw::casefile {

namespace {

ut_system* the_system() {
  // Reading the unit database takes a while; it is read once and never changed.
  static const std::unique_ptr<ut_system, decltype(&ut_free_system)> system = [] {
    ut_set_error_message_handler(ut_ignore);
    return std::unique_ptr<ut_system, decltype(&ut_free_system)>(ut_read_xml(nullptr), &ut_free_system);
  }();
  if (!system)
    throw std::runtime_error("the unit database of UDUNITS-2 cannot be read: is udunits installed?");
  return system.get();
}

Real convert(const ut_unit* from, const ut_unit* to, Real value) {
  cv_converter* converter = ut_get_converter(const_cast<ut_unit*>(from), const_cast<ut_unit*>(to));
  if (!converter) throw std::runtime_error("units of different dimensions cannot be converted");
  const Real result = cv_convert_double(converter, value);
  cv_free(converter);
  return result;
}

}  // namespace

struct Unit::Handle {
  ut_unit* unit;
  ut_unit* base;

  explicit Handle(ut_unit* u) : unit(u), base(nullptr) {
    // The base unit of the same dimension: what the definition names after its factor and origin.
    char text[256];
    if (ut_format(unit, text, sizeof text, UT_ASCII | UT_DEFINITION) > 0) {
      std::string definition = text;
      if (const auto origin = definition.find(" @ "); origin != std::string::npos) definition.erase(origin);
      if (const auto space = definition.find(' '); space != std::string::npos) definition.erase(0, space + 1);
      const bool factor_only =
          !definition.empty() && definition.find_first_not_of("0123456789.e+-") == std::string::npos;
      // A logarithm of a ratio is no multiple of anything.
      const bool logarithmic = std::string(text).find("(re ") != std::string::npos;
      if (!logarithmic) base = ut_parse(the_system(), factor_only ? "1" : definition.c_str(), UT_ASCII);
    }
    // A size beyond all numbers is none either.
    const bool fits = base && ut_are_convertible(unit, base);
    const Real size = fits ? std::abs(convert(unit, base, 1) - convert(unit, base, 0)) : 0;
    if (size > 0 && std::isfinite(size)) return;
    ut_free(base);
    ut_free(unit);
    throw InputError("a unit of such a size, or to such a power, has no base in SI");
  }
  Handle(const Handle&) = delete;
  Handle& operator=(const Handle&) = delete;
  ~Handle() {
    ut_free(unit);
    ut_free(base);
  }
};

Unit::Unit(std::shared_ptr<const Handle> handle, std::string text)
    : handle_(std::move(handle)), text_(std::move(text)) {}

Unit::Unit() : Unit(std::make_shared<Handle>(ut_get_dimensionless_unit_one(the_system())), "1") {}

std::optional<Unit> Unit::parse(const std::string& text) {
  ut_unit* unit = ut_parse(the_system(), text.c_str(), UT_UTF8);
  if (!unit) return std::nullopt;
  try {
    return Unit(std::make_shared<Handle>(unit), text);
  } catch (const InputError&) {
    return std::nullopt;
  }
}

Unit Unit::of(const std::string& text) {
  auto unit = parse(text);
  if (!unit) throw InputError("'" + text + "' is not a unit");
  return *unit;
}

bool Unit::is_dimensionless() const {
  return same_dimension(Unit());
}

bool Unit::same_dimension(const Unit& other) const {
  if (ut_are_convertible(handle_->unit, other.handle_->unit) == 0) return false;
  // UDUNITS converts between a unit and its reciprocal too.
  const auto own = exponents(), theirs = other.exponents();
  return std::ranges::all_of(own, [&](const auto& e) {
    const auto found = theirs.find(e.first);
    return e.second == 0 || (found != theirs.end() && std::abs(found->second - e.second) < 1e-9);
  });
}

Real Unit::to_si(Real value, bool difference) const {
  const Real there = convert(handle_->unit, handle_->base, value);
  return difference ? there - convert(handle_->unit, handle_->base, 0) : there;
}

Real Unit::from_si(Real value, bool difference) const {
  const Real here = convert(handle_->base, handle_->unit, value);
  return difference ? here - convert(handle_->base, handle_->unit, 0) : here;
}

namespace {

using Powers = std::vector<std::pair<std::string, int>>;

void multiply(Powers& product, const std::string& symbol, int power) {
  const auto same = std::ranges::find(product, symbol, &Powers::value_type::first);
  if (same == product.end())
    product.emplace_back(symbol, power);
  else
    same->second += power;
}

// "kg*m^2/s^2"
std::string text_of(const Powers& product) {
  std::string above, below;
  for (const auto& [symbol, power] : product) {
    const int size = std::abs(power);
    const std::string factor = symbol + (size == 1 ? "" : "^" + std::to_string(size));
    if (power > 0) above += (above.empty() ? "" : "*") + factor;
    if (power < 0) below += "/" + factor;
  }
  return (above.empty() ? "1" : above) + below;
}

// Symbols and their powers as somebody has written them, "kJ/kg/K"; nothing for what is written in other
// ways.
std::optional<Powers> factors_of(const std::string& text) {
  Powers result;
  std::size_t at = 0;
  const auto letter = [&] { return at < text.size() && std::isalpha(static_cast<unsigned char>(text[at])); };
  const auto digit = [&] { return at < text.size() && std::isdigit(static_cast<unsigned char>(text[at])); };
  for (int sign = 1; at < text.size();) {
    std::string symbol;
    while (letter()) symbol += text[at++];
    if (symbol.empty() || symbol == "per") return std::nullopt;
    if (at < text.size() && text[at] == '^') ++at;
    if (at < text.size() && text[at] == '-') {
      sign = -sign;
      ++at;
    }
    std::string power;
    while (digit()) power += text[at++];
    if (power.size() > 2) return std::nullopt;
    result.emplace_back(symbol, sign * (power.empty() ? 1 : std::stoi(power)));
    if (at == text.size()) break;
    const char between = text[at++];
    if (std::string("*. /").find(between) == std::string::npos || at == text.size()) return std::nullopt;
    sign = between == '/' ? -1 : 1;
  }
  return result.empty() ? std::nullopt : std::optional(result);
}

// Powers of base units, masses and lengths first, times last.
Powers in_base_units(const Unit& unit) {
  Powers result;
  const auto exponents = unit.exponents();
  for (const char* symbol : {"kg", "m", "mol", "A", "cd", "K", "s"})
    if (const auto found = exponents.find(symbol); found != exponents.end() && found->second != 0)
      result.emplace_back(symbol, static_cast<int>(std::lround(found->second)));
  return result;
}

// Units of SI that have names of their own, but for those that are for what is none of their business here:
// m²/s² is no dose of radiation.
constexpr std::array named_in_si{"kg", "m", "s", "K", "mol", "A", "cd", "N", "J", "W", "Pa", "V", "C"};

// A symbol's part in SI: the unit of its kind, kJ as J, or base units.
Powers coherent(const std::string& symbol) {
  const auto unit = Unit::parse(symbol);
  if (!unit) return {};
  for (const char* of : named_in_si)
    if (unit->same_dimension(Unit::of(of))) return {{of, 1}};
  return in_base_units(*unit);
}

}  // namespace

std::string Unit::si_text() const {
  const auto is_si = [&](const std::string& text) {
    const auto unit = parse(text);
    return unit && unit->same_dimension(*this) && unit->is_coherent();
  };
  if (const auto written = factors_of(text_)) {
    Powers product;
    for (const auto& [symbol, power] : *written)
      for (const auto& [of, each] : coherent(symbol)) multiply(product, of, power * each);
    if (const std::string text = text_of(product); is_si(text)) return text;
  }
  char name[256];
  if (ut_format(handle_->base, name, sizeof name, UT_ASCII) > 0 &&
      std::ranges::find(named_in_si, std::string(name)) != named_in_si.end())
    return name;
  if (const std::string text = text_of(in_base_units(*this)); is_si(text)) return text;
  return ut_format(handle_->base, name, sizeof name, UT_ASCII) > 0 ? name : "1";
}

std::map<std::string, Real> Unit::exponents() const {
  std::map<std::string, Real> result;
  const auto take = [](void* into, const ut_unit* base, Real exponent) {
    // Radians and the like are pure numbers.
    const char* symbol = ut_get_symbol(base, UT_ASCII);
    if (!symbol || ut_is_dimensionless(base)) return UT_SUCCESS;
    (*static_cast<std::map<std::string, Real>*>(into))[symbol] += exponent;
    return UT_SUCCESS;
  };
  static constexpr auto take_one = take;
  ut_visitor visitor{};
  visitor.visit_basic = [](const ut_unit* base, void* into) { return take_one(into, base, 1); };
  visitor.visit_product = [](const ut_unit*, int count, const ut_unit* const* bases, const int* powers,
                             void* into) {
    for (int n = 0; n < count; ++n) take_one(into, bases[n], powers[n]);
    return UT_SUCCESS;
  };
  // Bases are none of these, and the library calls whatever it meets.
  visitor.visit_galilean = [](const ut_unit*, double, const ut_unit*, double, void*) { return UT_BAD_ARG; };
  visitor.visit_timestamp = [](const ut_unit*, const ut_unit*, double, void*) { return UT_BAD_ARG; };
  visitor.visit_logarithmic = [](const ut_unit*, double, const ut_unit*, void*) { return UT_BAD_ARG; };
  ut_accept_visitor(handle_->base, &visitor, &result);
  return result;
}

// Products are formed from base units: a product of a temperature scale with an origin has none.
Unit Unit::operator*(const Unit& other) const {
  auto handle = std::make_shared<Handle>(ut_multiply(handle_->base, other.handle_->base));
  Unit result(handle, "");
  result.text_ = result.si_text();
  return result;
}

Unit Unit::operator/(const Unit& other) const {
  auto handle = std::make_shared<Handle>(ut_divide(handle_->base, other.handle_->base));
  Unit result(handle, "");
  result.text_ = result.si_text();
  return result;
}

Unit Unit::power(int exponent) const {
  auto handle = std::make_shared<Handle>(ut_raise(handle_->base, exponent));
  Unit result(handle, "");
  result.text_ = result.si_text();
  return result;
}

std::vector<Real> converted(std::vector<Real> values, const std::string& from, const std::string& to) {
  if (from.empty() || to.empty() || from == to) return values;
  const Unit here = Unit::of(from), there = Unit::of(to);
  for (Real& v : values) v = there.from_si(here.to_si(v));
  return values;
}

std::optional<Measured> split_measured(const std::string& text) {
  const auto first = text.find_first_not_of(" \t"), last = text.find_last_not_of(" \t");
  if (first == std::string::npos) return std::nullopt;
  // from_chars knows minus signs only.
  const char* begin = text.data() + first + (text[first] == '+' ? 1 : 0);
  const char* const end = text.data() + last + 1;
  Measured result{};
  const auto [after, problem] = std::from_chars(begin, end, result.number);
  if (problem != std::errc{}) return std::nullopt;
  const char* unit = after;
  while (unit < end && (*unit == ' ' || *unit == '\t')) ++unit;
  if (unit == end) return std::nullopt;
  const auto c = static_cast<unsigned char>(*unit);
  const bool inverse = unit > after && c == '1' && unit + 1 < end && unit[1] == '/';
  if (!std::isalpha(c) && c != '%' && c < 0x80 && !inverse) return std::nullopt;
  result.unit.assign(unit, end);
  if (result.unit.find_first_of("()") != std::string::npos) return std::nullopt;
  return result;
}

}  // namespace williwaw::casefile
