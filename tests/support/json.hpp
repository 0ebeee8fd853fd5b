// Looks into a JSON text without making every test compile a JSON library.
#pragma once

#include <string>

namespace williwaw::test {

class Json {
 public:
  /// Throws std::runtime_error if the text is not JSON.
  explicit Json(std::string text);
  /// The value at a path such as "/boundaries/west", as JSON: "\"insulated\"", "720", "null". Throws if there is
  /// none.
  std::string at(const std::string& path) const;
  double number(const std::string& path) const { return std::stod(at(path)); }
  /// How many entries an object or list has.
  std::size_t size(const std::string& path) const;

 private:
  std::string text_;
};

}  // namespace williwaw::test
