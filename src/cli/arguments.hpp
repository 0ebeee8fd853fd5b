// Reading what options say.
#pragma once

#include <string>
#include <vector>

#include "williwaw/store/fields.hpp"

namespace williwaw::cli {

std::vector<std::string> split(const std::string& text, char at);
/// The same, but not within brackets and quotation marks.
std::vector<std::string> split_outside(const std::string& text, char at);
/// A number in shown units, or with a unit of its own, as SI. Throws InputError that names the option.
Real quantity(const std::string& text, const store::Scale& scale, const std::string& option);

/// Without blanks at its ends.
std::string trimmed(const std::string& text);
/// "2.5 m, 1 m": a place of a grid that is in the units shown, as SI. Throws InputError for one outside of
/// it.
Point place(const std::string& text, const Grid& grid, const store::Scale& length, const std::string& option);
/// A place in SI in the units shown.
Point shown(const Point& place, const Grid& grid, const store::Scale& length);
/// "0 m,1 m:4 m,1 m": both ends of a line, as SI.
std::pair<Point, Point> line(const std::string& text, const Grid& grid, const store::Scale& length,
                             const std::string& option);
/// "1 h,6 h" of --times: records at those times, all where it is empty. Throws InputError with the nearest
/// record where there is none.
std::vector<Index> records_at(const std::string& times, const store::FieldReader& fields);

}  // namespace williwaw::cli
