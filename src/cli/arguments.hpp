// Reading what options say.
#pragma once

#include <string>
#include <vector>

#include "williwaw/store/scale.hpp"

namespace williwaw::cli {

std::vector<std::string> split(const std::string& text, char at);
/// The same, but not within brackets and quotation marks.
std::vector<std::string> split_outside(const std::string& text, char at);
/// A number in shown units, or with a unit of its own, as SI. Throws InputError that names the option.
Real quantity(const std::string& text, const store::Scale& scale, const std::string& option);

}  // namespace williwaw::cli
