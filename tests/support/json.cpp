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

double Json::number(const std::string& path) const {
  const auto value = value_at(text_, path);
  return (value.is_object() ? value.at("value") : value).get<double>();
}

std::string Json::kind(const std::string& path, const std::string& name) const {
  for (const auto& entry : value_at(text_, path + "/names"))
    if (entry.at("name") == name) return entry.at("kind");
  return "";
}

std::size_t Json::size(const std::string& path) const {
  return value_at(text_, path).size();
}

}  // namespace williwaw::test
