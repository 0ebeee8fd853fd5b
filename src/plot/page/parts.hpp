// Parts of a page that are kept as files of their own in this folder, and what the page's data are made of.
#pragma once

#include <nlohmann/json.hpp>
#include <span>
#include <string>

#include "plot/kinds.hpp"

namespace williwaw::plot {

/// The files of this folder.
extern const char* const player_markup;
extern const char* const player_style;
extern const char* const player_script;

/// Bytes as text, by RFC 4648, section 4.
std::string base64(std::span<const unsigned char> bytes);
/// Numbers as the player reads them: eight bytes each, or four.
std::string reals(std::span<const Real> values);
std::string singles(std::span<const float> values);
/// How many characters so many bytes become.
std::uintmax_t characters_of(std::uintmax_t bytes);

/// Which records and places of a run are shown.
struct Shared {
  std::vector<Index> records;
  /// Along each axis, places by their numbers, and the bounds of what each of them stands for, in shown
  /// units.
  std::array<std::vector<Index>, 3> places;
  std::array<std::vector<Real>, 3> bounds;

  std::uintmax_t values() const;
};
/// So that `quantities` fields of all of them take no more than `most` bytes as text: records are left out
/// first, down to a hundred, then places along all axes alike.
Shared shared_of(const Grid& grid, Index records, std::size_t quantities, std::uintmax_t most);

/// The run as the player knows it, in the time unit given. `name` tells it from others; `most` is how many
/// bytes of text it may take, and `note` is told what of its fields it holds.
nlohmann::ordered_json data_of(const RunFolder& run, const std::string& name, const store::Scale& time,
                               std::uintmax_t most, std::string& note);
/// The numbers that a run has told, section by section.
nlohmann::ordered_json numbers_of(const RunFolder& run);
/// Figures that were drawn, up to `most` bytes of text in all; the names of others go to `left_out`.
nlohmann::ordered_json figures_of(const RunFolder& run, std::uintmax_t most,
                                  std::vector<std::string>& left_out);

}  // namespace williwaw::plot
