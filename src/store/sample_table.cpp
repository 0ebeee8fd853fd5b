#include "williwaw/store/sample_table.hpp"

#include <cmath>

namespace williwaw::store {

Series sample_table(const std::filesystem::path& file, std::vector<std::string> quantities,
                    const std::vector<Point>& places, const std::vector<Index>& records, bool along) {
  const FieldReader fields(file);
  const Grid& grid = fields.grid();
  const Description& d = fields.description();
  if (quantities.empty()) quantities = fields.quantities();
  Series result;
  const auto column = [&](const std::string& name, const std::string& unit) {
    result.columns.push_back({name, unit});
    return &result.values.emplace_back();
  };
  result.values.reserve(5 + quantities.size());
  std::vector<Real>* const times = column("t", d.time.unit);
  std::vector<Real>* const distances = along ? column("distance", d.length.unit) : nullptr;
  std::array<std::vector<Real>*, 3> coordinates{};
  for (int a = 0; a < grid.dimension(); ++a) coordinates[a] = column(grid.axis(a).name(), d.length.unit);
  for (const Index record : records)
    for (const Point& place : places) {
      times->push_back(fields.times()[record]);
      Real squares = 0;
      for (int s = 0; s < 3; ++s) squares += (place[s] - places[0][s]) * (place[s] - places[0][s]);
      if (along) distances->push_back(std::sqrt(squares));
      for (int a = 0; a < grid.dimension(); ++a) coordinates[a]->push_back(place[grid.direction(a)]);
    }
  for (const std::string& name : quantities) {
    const FieldReader of(file, name);
    std::vector<Real>* const values = column(name, of.description().value.unit);
    for (const Index record : records) {
      const Field field = of.field(record);
      for (const Point& place : places) values->push_back(field.sample(place));
    }
  }
  return result;
}

}  // namespace williwaw::store
