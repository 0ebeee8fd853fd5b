// Looks into a JSON text without making every test compile a JSON library.
#pragma once

#include <string>

namespace williwaw::test {

class Json {
 public:
  /// Throws std::runtime_error if the text is not JSON.
  explicit Json(std::string text);
  /// The value at a path such as "/boundaries/west", as JSON: "\"insulated\"", "720", "null". Throws if there
  /// is none.
  std::string at(const std::string& path) const;
  /// A number, or the one that stands there with its unit.
  double number(const std::string& path) const;
  /// What a section's list of names has for one of them: "probe", without quotation marks; nothing if it is
  /// not listed.
  std::string kind(const std::string& path, const std::string& name) const;
  /// How many entries an object or list has.
  std::size_t size(const std::string& path) const;

 private:
  std::string text_;
};

}  // namespace williwaw::test
