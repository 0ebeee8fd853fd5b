#include "williwaw/study/open_case.hpp"

#include <fmt/format.h>

#include <algorithm>

#include "williwaw/casefile/readable.hpp"
#include "williwaw/study/memory.hpp"

namespace williwaw::study {

namespace {

using casefile::readable_bytes;

// Vectors of unknowns that the leanest run keeps, and that few keep with a solver of its own, by dimension:
// of direct factors many more.
constexpr Real fewest_vectors = 3;
constexpr Real many_vectors[] = {80, 400, 2000};

void refuse_too_much(const casefile::Unbuilt& given, const MemoryLimit& limit) {
  const Real unknowns = casefile::unknowns_of(given.sizes);
  const Real most = limit.most > 0 ? limit.most : available_memory();
  const auto refuse = [&](const std::string& need) {
    throw CaseError(given.place, "grid",
                    fmt::format("{:.3g} unknowns need {}, but {} {}; fewer of them need less", unknowns, need,
                                limit.most > 0 ? "the run may take" : "there are", readable_bytes(most)));
  };
  if (const Real least = 8 * fewest_vectors * unknowns; least > most)
    refuse(readable_bytes(least) + " at least");
  if (limit.most == 0 && 8 * many_vectors[std::min<std::size_t>(given.sizes.size(), 3) - 1] * unknowns < most)
    return;
  Reading alone = given.reading;
  alone.before_grid = {};
  const auto need = limit.needed ? limit.needed : peak_memory(given.text, given.name, given.overrides, alone);
  if (need && *need > most) refuse("about " + readable_bytes(*need));
}

}  // namespace

Case open_case_text(const std::string& text, const std::filesystem::path& name,
                    const std::vector<std::string>& overrides, Reading reading, const MemoryLimit& limit) {
  reading.before_grid = [limit](const casefile::Unbuilt& given) { refuse_too_much(given, limit); };
  return casefile::read_case_text(text, name, overrides, reading);
}

Case open_case(const std::filesystem::path& file, const std::vector<std::string>& overrides, Reading reading,
               const MemoryLimit& limit) {
  return open_case_text(casefile::case_text(file), file, overrides, std::move(reading), limit);
}

}  // namespace williwaw::study
