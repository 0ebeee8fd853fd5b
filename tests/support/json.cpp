#include "support/json.hpp"

#include <nlohmann/json.hpp>
#include <stdexcept>

namespace williwaw::test {

namespace {
nlohmann::ordered_json value_at(const std::string& text, const std::string& path) {
  return nlohmann::ordered_json::parse(text).at(nlohmann::ordered_json::json_pointer(path));
}
}  // namespace

Json::Json(std::string text) : text_(std::move(text)) {
  if (!nlohmann::ordered_json::accept(text_)) throw std::runtime_error("not JSON: " + text_);
}

std::string Json::at(const std::string& path) const {
  return value_at(text_, path).dump();
}

std::size_t Json::size(const std::string& path) const {
  return value_at(text_, path).size();
}

}  // namespace williwaw::test
