// [region.NAME]: parts of the domain by formula, or by a mask in a NetCDF file.
#include <fmt/format.h>

#include <algorithm>

#include "casefile/map_input.hpp"
#include "casefile/sections/sections.hpp"
#include "williwaw/store/fields.hpp"

namespace williwaw::casefile {

namespace {

// Masks are read when they are looked at: what goes wrong then is told of the key "file".
Where told_of(const Section& mask, Where where) {
  return [where = std::move(where), place = mask.find("file")->place.text(), key = mask.key_path("file")](
             const Points& places, std::span<char> out) {
    try {
      where(places, out);
    } catch (const store::StoreError& e) {
      throw CaseError(place, key, e.what());
    }
  };
}

// A mask belongs to control volumes: each place is looked up in the one that holds it.
Where where_of_mask(const Context& context, const Section& section, const Grid& grid) {
  const Section mask(context, *section.find("mask"), section.key_path("mask"));
  mask.allow({"file", "variable", "equals"}, {});
  mask.need("file", "a NetCDF file");
  mask.need("variable", "the variable that holds the mask");
  const Real wanted = read_number(context, mask.need("equals", "the value of the mask in the region"),
                                  mask.key_path("equals"), {Unit(), false, "a plain number"});
  // A map with coordinates holds on any grid.
  if (auto map = read_placed_map(context, mask, false)) {
    const auto shared = std::make_shared<const store::Map>(std::move(*map));
    return told_of(mask, [shared, wanted](const Points& places, std::span<char> out) {
      for (Index i = 0; i < places.size(); ++i)
        out[i] = shared->nearest_to(coordinates_of(*shared, places[i])) == wanted;
    });
  }
  std::shared_ptr<const store::MapValues> values;
  try {
    values = std::make_shared<const store::MapValues>(context.folder / mask.word("file", ""),
                                                      mask.word("variable", ""));
  } catch (const store::StoreError& e) {
    mask.fail("file", e.what());
  }
  std::vector<std::size_t> shape;
  for (int a = grid.dimension() - 1; a >= 0; --a) shape.push_back(static_cast<std::size_t>(grid.size(a)));
  if (values->shape() != shape) {
    const auto text = [](const std::vector<std::size_t>& s) {
      std::string result;
      for (const auto n : s) result += (result.empty() ? "" : " x ") + std::to_string(n);
      return result.empty() ? std::string("a single value") : result;
    };
    std::string axes;
    for (int a = grid.dimension() - 1; a >= 0; --a) axes += (axes.empty() ? "" : ", ") + grid.axis(a).name();
    mask.fail("variable", fmt::format("'{}' has the shape {}, but this grid's is {} ({})",
                                      mask.word("variable", ""), text(values->shape()), text(shape), axes));
  }
  return told_of(mask, [values, wanted, grid](const Points& places, std::span<char> out) {
    for (Index i = 0; i < places.size(); ++i) {
      Index number = 0;
      for (int a = grid.dimension() - 1; a >= 0; --a) {
        const auto bounds = grid.axis(a).bounds();
        const Real position = places[i][grid.direction(a)];
        const Index above = std::upper_bound(bounds.begin(), bounds.end(), position) - bounds.begin();
        number = number * grid.size(a) + std::clamp<Index>(above - 1, 0, grid.size(a) - 1);
      }
      out[i] = (*values)[static_cast<std::size_t>(number)] == wanted;
    }
  });
}

}  // namespace

Regions read_regions(const Context& context, const Node& root, const Grid& grid) {
  const Node* node = root.find("region");
  if (!node) return {};
  if (!node->is_table())
    throw CaseError(node->place.text(), "region", "give each region a name, [region.NAME]");
  std::vector<Region> regions;
  for (const Entry& entry : node->table()) {
    const Section section(context, *entry.node, "region." + entry.key);
    section.allow({"where", "mask", "active", "over"}, {});
    if (section.has("where") == section.has("mask"))
      throw CaseError(entry.node->place.text(), section.path(), "give one of where and mask");
    Region region;
    region.name = entry.key;
    region.active = section.truth("active", true);
    region.over = section.word("over", "");
    if (section.has("where")) {
      try {
        region.where = compile_where(section.word("where", ""), context.values(), context.variables);
      } catch (const InputError& e) {
        section.fail("where", e.what());
      }
    } else {
      region.where = where_of_mask(context, section, grid);
      region.staircase = true;
    }
    if (!region.over.empty() && !node->find(region.over))
      section.fail("over", "there is no region called '" + region.over + "'");
    regions.push_back(std::move(region));
  }
  try {
    Regions result(std::move(regions));
    result.check(grid);
    return result;
  } catch (const InputError& e) {
    throw CaseError(node->place.text(), "region", e.what());
  }
}

}  // namespace williwaw::casefile
