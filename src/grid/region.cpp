#include "williwaw/grid/region.hpp"

#include <algorithm>
#include <array>

#include "grid/threads.hpp"
#include "williwaw/grid/clones.hpp"

namespace williwaw {

Regions::Regions(std::vector<Region> regions) : regions_(std::move(regions)) {
  for (std::size_t n = 0; n < regions_.size(); ++n) {
    const std::string& name = regions_[n].name;
    for (const char* side : {"west", "east", "south", "north", "bottom", "top", "inner", "outer", "default"})
      if (name == side) throw InputError("a region cannot be called '" + name + "', which is taken");
    if (find(name) != static_cast<Index>(n)) throw InputError("two regions are called '" + name + "'");
    if (!regions_[n].over.empty() && find(regions_[n].over) < 0)
      throw InputError("region '" + name + "' lies over '" + regions_[n].over + "', which is no region");
  }
}

Index Regions::find(const std::string& name) const {
  const auto found = std::ranges::find(regions_, name, &Region::name);
  return found == regions_.end() ? -1 : found - regions_.begin();
}

bool Regions::cuts() const {
  return std::ranges::any_of(regions_, [](const Region& r) { return !r.active; });
}

// Directly, or over something that is.
bool Regions::is_over(std::size_t a, std::size_t b) const {
  for (std::size_t step = 0; step < regions_.size(); ++step) {
    const Index next = regions_[a].over.empty() ? -1 : find(regions_[a].over);
    if (next < 0) return false;
    a = static_cast<std::size_t>(next);
    if (a == b) return true;
  }
  return false;
}

namespace {

// Of places inside, those that have no label yet get this one.
WILLIWAW_CLONES
void label_free_places(Index count, const char* in, int label, int* out) {
#pragma omp simd
  for (Index i = 0; i < count; ++i) out[i] = out[i] == 0 && in[i] != 0 ? label : out[i];
}

}  // namespace

void Regions::labels(const Points& places, std::span<int> out) const {
  std::fill(out.begin(), out.end(), 0);
  // Outlines are looked for at single places, for which nothing is allocated.
  std::array<char, 8> some;
  std::vector<char> many(out.size() > some.size() ? out.size() : 0);
  const std::span<char> in = many.empty() ? std::span(some).first(out.size()) : std::span(many);
  for (std::size_t r = 0; r < regions_.size(); ++r) {
    regions_[r].where(places, in);
    const int label = static_cast<int>(r) + 1;
    if (regions_[r].over.empty()) {
      label_free_places(static_cast<Index>(out.size()), in.data(), label, out.data());
      continue;
    }
    for (std::size_t i = 0; i < out.size(); ++i)
      if (in[i] && (out[i] == 0 || is_over(r, static_cast<std::size_t>(out[i] - 1)))) out[i] = label;
  }
}

int Regions::label(const Point& place) const {
  Points one(1);
  one.set(0, place);
  int result = 0;
  labels(one, {&result, 1});
  return result;
}

std::string Regions::name_of(int label) const {
  return label == 0 ? "the rest of the domain"
                    : "'" + regions_[static_cast<std::size_t>(label - 1)].name + "'";
}

void Regions::check(const Grid& grid) const {
  std::vector<char> seen(regions_.size(), 0);
  // Middles of pieces: unknowns at nodes may lie on the very line where two regions meet.
  std::array<std::vector<Real>, 3> middles;
  for (int a = 0; a < 3; ++a)
    for (Index i = 0; a < grid.dimension() && i < grid.size(a); ++i)
      for (const auto& piece : grid.axis(a).pieces(i)) middles[a].push_back(piece.centre);
  for (auto& m : middles)
    if (m.empty()) m.push_back(0);
  const std::size_t count = middles[0].size();
  const Index rows = static_cast<Index>(middles[1].size());
  struct Line {
    Points places;
    std::vector<char> in;
    std::vector<int> owner;
  };
  const auto make = [&] {
    Line line{Points(static_cast<Index>(count)), std::vector<char>(count), std::vector<int>(count)};
    line.places.coordinate(grid.direction(0)) = middles[0];
    return line;
  };
  const auto look = [&](Line& line, Index l) {
    if (grid.dimension() > 1)
      line.places.coordinate(grid.direction(1)).assign(count, middles[1][static_cast<std::size_t>(l % rows)]);
    if (grid.dimension() > 2)
      line.places.coordinate(grid.direction(2)).assign(count, middles[2][static_cast<std::size_t>(l / rows)]);
    std::fill(line.owner.begin(), line.owner.end(), -1);
    for (std::size_t r = 0; r < regions_.size(); ++r) {
      regions_[r].where(line.places, line.in);
      if (std::ranges::all_of(line.in, [](char c) { return c == 0; })) continue;
#pragma omp atomic write
      seen[r] = 1;
      for (std::size_t i = 0; i < count; ++i) {
        if (!line.in[i]) continue;
        const int other = line.owner[i];
        if (other >= 0 && !is_over(r, static_cast<std::size_t>(other)) &&
            !is_over(static_cast<std::size_t>(other), r))
          throw InputError("regions '" + regions_[static_cast<std::size_t>(other)].name + "' and '" +
                           regions_[r].name + "' overlap at " +
                           grid.place_text(line.places[static_cast<Index>(i)]) +
                           ": give the one that applies there with over = \"..\"");
        line.owner[i] = static_cast<int>(r);
      }
    }
  };
  on_all_threads(rows * static_cast<Index>(middles[2].size()), threads_for(grid.count(), 0), make, look);
  for (std::size_t r = 0; r < regions_.size(); ++r)
    if (!seen[r])
      throw InputError("region '" + regions_[r].name +
                       "' contains no cell of this grid: check its formula, or refine the grid");
}

}  // namespace williwaw
