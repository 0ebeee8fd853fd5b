#include "commands.hpp"
#include "say.hpp"
#include "williwaw/casefile/readable.hpp"
#include "williwaw/plot/page.hpp"
#include "williwaw/store/written.hpp"

namespace williwaw::cli {

int view(const ViewArguments& arguments) {
  const auto file = arguments.output.empty() ? arguments.runs.front() / "view.html" : arguments.output;
  const plot::Page page = plot::write_page(arguments.runs, file);
  store::note_written(arguments.runs.front(), store::WrittenFor::export_, {{file}});
  for (std::size_t n = 0; n < page.notes.size(); ++n)
    say("{}: {}\n", arguments.runs[n].string(), page.notes[n]);
  say("{} ({}): open it in a browser\n", file.string(),
      casefile::readable_bytes(static_cast<Real>(page.bytes)));
  return done;
}

}  // namespace williwaw::cli
