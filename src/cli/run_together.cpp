#include "run_together.hpp"

#include <fmt/format.h>

#include "interrupts.hpp"
#include "run_folder.hpp"
#include "williwaw/study/ranks.hpp"
#include "williwaw/study/run.hpp"

namespace williwaw::cli {

Decomposition shared_boxes(const std::string& wanted, const casefile::Case& given, Communicator* together) {
  Execution execution;
  execution.communicator = together;
  execution.cuts_lines = study::cuts_lines(given);
  if (!wanted.empty()) execution.boxes = boxes_from(wanted);
  try {
    return decomposition_of(given.system(), execution);
  } catch (const InputError& e) {
    throw InputError("--ranks " + wanted + ": " + e.what());
  }
}

Decomposition boxes_of_all(const RunArguments& arguments, const casefile::Case& given,
                           Communicator* together) {
  Decomposition shared = shared_boxes(arguments.ranks, given, together);
  const int started = together ? together->size() : 1;
  if (!arguments.ranks.empty() && shared.count() != started)
    throw InputError(fmt::format("--ranks {}: {} box{} {} for {} rank{}, and {} {} started", arguments.ranks,
                                 shared.count(), shared.count() == 1 ? "" : "es",
                                 shared.count() == 1 ? "is" : "are", shared.count(),
                                 shared.count() == 1 ? "" : "s", started, started == 1 ? "is" : "are"));
  return shared;
}

int run_beside(const RunArguments& arguments, const casefile::Case& given, Communicator& together) {
  if (!OthersWait::told_to_begin(together)) return done;
  std::array<Real, 1> number{1};
  together.broadcast(number);
  const Decomposition shared = boxes_of_all(arguments, given, &together);
  // Nobody where this process gets no box.
  const std::unique_ptr<Communicator> some = together.first_ones(shared.count());
  if (!some) return done;
  study::RunOptions options;
  options.ranks = some.get();
  options.boxes = shared.boxes();
  options.folder = numbered(folder_of(arguments), static_cast<Index>(number[0]));
  // The first one ends the run when a signal comes.
  listen_for_signals();
  march_begins();
  study::run_beside(given, threads_of_rank(arguments.threads), options);
  march_ends();
  return done;
}

std::string ranks_in_words(const casefile::Case& given, int started, const Decomposition& boxes) {
  const std::string used =
      boxes.count() == started ? std::to_string(started) : fmt::format("{} of {}", boxes.count(), started);
  return fmt::format("  ranks      {}, {}, halo of {} cell{}{}\n", used,
                     study::boxes_in_words(boxes, given.problem.grid()), boxes.halo(),
                     boxes.halo() == 1 ? "" : "s",
                     boxes.count() == started ? ""
                                              : ": the grid cannot be cut further, along its first axis not "
                                                "at all");
}

}  // namespace williwaw::cli
