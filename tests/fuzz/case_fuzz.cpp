// Case files: read, prepared, checked, and run where that is short.
#include <cstdint>
#include <string>

#include "counted.hpp"
#include "williwaw/store/checked_file.hpp"
#include "williwaw/study/answer.hpp"

using namespace williwaw;

namespace {

constexpr Index most_unknowns = 400, most_steps = 60;

// What takes long is not what is looked for.
bool small(const casefile::Case& given) {
  return given.problem.grid().count() <= most_unknowns;
}

}  // namespace

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  const std::string text(reinterpret_cast<const char*>(data), size);
  ++fuzz::count().tried;
  try {
    const casefile::Case given = casefile::read_case_text(text, "fuzz.toml");
    if (!small(given)) return 0;
    study::Prepared prepared = study::prepare(given, {1});
    study::check_report(given, prepared).json();
    fuzz::accept(text);
    if (given.steady || (prepared.steps <= most_steps && !prepared.plan.adaptive)) study::answer(given, {1});
  } catch (const InputError&) {
  } catch (const SolverError&) {
  } catch (const store::StoreError&) {
  }
  return 0;
}
