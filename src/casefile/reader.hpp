// Reading values out of a case: sections that know their keys, numbers that know their units.
#pragma once

#include "node.hpp"
#include "williwaw/casefile/case.hpp"
#include "williwaw/casefile/dimension.hpp"
#include "williwaw/casefile/formula.hpp"

namespace williwaw::casefile {

using Words = std::vector<std::string>;

/// "a, b or c", or with another word before the last
std::string listed(const Words& words, const std::string& last = "or");
/// Throws "unknown KIND 'word'; did you mean ..", or that it is not there yet when it is among `later`.
[[noreturn]] void refuse_word(const std::string& place, const std::string& key, const std::string& kind,
                              const std::string& word, const Words& known, const Words& later);

/// A constant of the case. Its value is SI.
struct Constant {
  Real value = 0;
  std::optional<Unit> unit = {};  ///< it was written in
  Measure measure = {};
  std::string text = {};        ///< as it was written
  std::optional<Unit> in = {};  ///< what formulas with a unit of their own take it in
};

/// The unknown as formulas may use it.
struct UnknownInFormulas {
  Measure measure = {};
  std::optional<Unit> shown = {};    ///< the unit that the case writes it in
  std::optional<Unit> of_case = {};  ///< that of its values in SI
  std::string name = "u";
};

/// Of formulas that have none.
const UnknownInFormulas& no_unknown();

/// What every part of the reader shares.
struct Context {
  std::string file;
  std::filesystem::path folder;
  Refinement refinement;
  Real start = 0;            ///< of the stage that is read
  Index sample = 0;          ///< that is read
  bool dimensional = false;  ///< some number of the case carries a unit
  std::map<std::string, Constant> constants;
  Curves curves;
  /// Their values in SI.
  Constants values() const {
    Constants result;
    for (const auto& [name, constant] : constants) result[name] = constant.value;
    return result;
  }
  std::vector<std::string> variables;            ///< coordinates that the problem has
  std::vector<UnknownInFormulas> unknowns = {};  ///< of a system
  std::shared_ptr<const Regions> regions = std::make_shared<const Regions>();
};

/// What a number is expected to measure.
struct Expected {
  Unit unit;
  bool difference = false;
  std::string name;  ///< for messages: "a length"

  /// A temperature on a scale, as against a difference of two.
  bool is_temperature() const { return !difference && unit.same_dimension(Unit::of("K")); }
  /// "a length is needed here, in 'm' for example"
  std::string needed() const;
};

class Section {
 public:
  Section(const Context& context, const Node& node, std::string path);

  const std::string& path() const { return path_; }
  const Node& node() const { return node_; }
  std::string key_path(const std::string& key) const { return path_.empty() ? key : path_ + "." + key; }

  /// Refuses keys that are neither known nor announced.
  void allow(const Words& known, const Words& later) const;
  bool has(const std::string& key) const { return node_.find(key) != nullptr; }
  const Node* find(const std::string& key) const { return node_.find(key); }
  /// The value of a key that must be there.
  const Node& need(const std::string& key, const std::string& what) const;

  std::string word(const std::string& key, const std::string& otherwise) const;
  /// One of `known`; one of `later` is not there yet.
  std::string choice(const std::string& key, const std::string& otherwise, const Words& known,
                     const Words& later) const;
  Index whole(const std::string& key, Index lowest) const;
  bool truth(const std::string& key, bool otherwise) const;

  [[noreturn]] void fail(const std::string& key, const std::string& text) const;

 private:
  const Node& node_;
  std::string path_;
};

/// A number that must not vary: a length, a time. Formulas of constants are allowed.
Real read_number(const Context& context, const Node& node, const std::string& key, const Expected& expected);
/// A number, a number with a unit, a formula, or { formula, unit }. `variables` are what formulas may use.
/// With `unknown` they may use u too, and { formula, unit } takes u_unit.
Value read_value(const Context& context, const Node& node, const std::string& key, const Expected& expected,
                 const Words& variables, const UnknownInFormulas* unknown = nullptr);
/// The unit that a value was written in, if it was.
std::optional<Unit> unit_written(const Context& context, const Node& node);
/// The position that [..] gives, one number for each axis.
Point read_point(const Context& context, const Node& node, const std::string& key, const Grid& grid);
/// True if any number in the tree carries a unit.
bool carries_units(const Node& node);

}  // namespace williwaw::casefile
