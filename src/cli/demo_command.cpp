#include <fmt/format.h>

#include <algorithm>

#include "commands.hpp"
#include "own_command.hpp"
#include "say.hpp"
#include "williwaw/casefile/case.hpp"
#include "williwaw/casefile/formula.hpp"
#include "williwaw/store/series.hpp"

namespace williwaw::cli {

namespace {

struct Demo {
  const char* name;
  const char* story;
  const char* look_at;
};

const Demo demos[] = {
    {"hut-floor", "heat through the hut's floor slab during a winter night, by Crank-Nicolson",
     "profiles.png: cooling from below; series.png: the pipe in the slab cools towards freezing"},
    {"hut-floor-stages", "the night goes on: somebody leaves the door open for two hours",
     "series.png: the pipe and the carpet before, while and after the door stands open"},
    {"hut-floor-explicit", "the same night by explicit steps, at nine tenths of the largest stable one",
     "the stability line above: how far the step was from its limit"},
    {"ice-deck", "a quay deck plate with de-icing cables and wind on top",
     "map.png: warm stripes over the cables, the cold edge at the water; series.png: the middle of the deck"},
    {"ice-deck-steady", "where the deck plate settles on a cold night without end, with radiation to the sky",
     "contours.png: the plate between cables and sky; boundary-top.png: heat loss along its top"},
    {"cellar", "heat around the hut's cellar and a field of heat-pump boreholes, settled",
     "contours.png: boreholes, the cellar in the corner, a round tank; budget.png: their sources"},
    {"mooring-line", "a tug on a mooring line, reflected at its ends",
     "spacetime.png: both halves of the tug and their echoes; spectrum.png: the line's modes; then sweep the "
     "case"},
    {"squall", "long waves in the sound under a squall, over varying depth, with an open mouth",
     "map.png: waves between shores and islands; series.png: five probes; film.gif: the squall running up "
     "the sound"},
    {"tidal-bore", "a smooth swell steepening into a front: a conservation law",
     "profiles.png: the shock; spacetime.png: its path"},
    {"dye-patch", "dye advected by the tide, with backflow through the mouth; velocity from a file",
     "strip.png: the patch over four tides; arrows.png: the velocity over it; series.png: three probes over "
     "four tides"},
    {"snowpack", "meltwater in a snow column: it spreads, a drain is opened, it rains for a day",
     "profiles-content.png: the front slowed by the ice crust; budget.png: rain, runoff and drain"},
    {"ice-lens", "the quay's fill freezes around a pipe with cold brine, latent heat included",
     "map-frozen.png: the lens around the pipe; series-frozen.png: its growth"},
    {"drift-ice", "drift ice that gathers into floes: two unknowns that react with each other",
     "map-ice.png: floes about as far apart as the fastest wavelength that check told above"},
    {"gusts", "a wind from noise that carries itself along, and steepens into fronts",
     "arrows-wind.png: fronts between gusts; map-wind-divergence.png: the same fronts; then sweep the case"},
    {"brine-tank", "salt spreading from two walls of a tank, in three dimensions",
     "map.png: the middle plane; series.png: the probe in the middle"},
};

std::filesystem::path cases_beside_the_program() {
  // Installed beside share/, or built in a folder of the source tree.
  const auto self = std::filesystem::canonical("/proc/self/exe");
  for (const char* way : {"../share/williwaw/cases", "../cases", "../../cases"}) {
    auto folder = (self.parent_path() / way).lexically_normal();
    if (std::filesystem::exists(folder / "hut-floor.toml")) return folder;
  }
  throw InputError("the bundled cases are not where they should be, beside " + self.parent_path().string());
}

}  // namespace

int write_new(const std::string& kind, const std::filesystem::path& file) {
  const std::string text = casefile::starter_case(kind);
  const std::filesystem::path target = file.empty() ? std::filesystem::path(kind + ".toml") : file;
  if (std::filesystem::exists(target))
    throw InputError(target.string() + ": is there already; give another name");
  store::write_file(target, text);
  say("{}\nnow: {} check {}\n", target.string(), own_command(), for_shell(target.string()));
  return done;
}

std::string demo_names() {
  std::string names;
  for (const Demo& d : demos) names += (names.empty() ? "" : ", ") + std::string(d.name);
  return names;
}

int demo(const std::string& name, const std::filesystem::path& folder) {
  const std::string wanted = name.empty() ? "hut-floor" : name;
  const auto found = std::ranges::find_if(demos, [&](const Demo& d) { return wanted == d.name; });
  if (found == std::end(demos)) {
    std::vector<std::string> names;
    for (const auto& d : demos) names.emplace_back(d.name);
    const std::string near = casefile::nearest(wanted, names);
    std::string list;
    for (const auto& d : demos) list += fmt::format("\n  {:<20} {}", d.name, d.story);
    throw InputError(fmt::format("there is no demo called '{}'{}; there are{}", wanted,
                                 near.empty() ? "" : ", did you mean '" + near + "'?", list));
  }
  say("Skarrow Sound: {}\n\n", found->story);
  RunArguments arguments;
  arguments.file = cases_beside_the_program() / (wanted + ".toml");
  arguments.folder = folder.empty() ? std::filesystem::path(wanted + ".out") : folder;
  const int code = run(arguments);
  const std::string results = for_shell(arguments.folder.string());
  say("\nlook at\n  {}\n", found->look_at);
  if (code == done)
    say("\ngo on\n  {0} view {1}    a page to step through it in a browser\n"
        "  {0} plot {1} series --of flow    one more figure\n  {0} check {2}    what was solved, and the "
        "case\n",
        own_command(), results, for_shell(from_here(arguments.file).string()));
  if (name.empty()) {
    say("\nother demos\n");
    for (const auto& d : demos)
      if (wanted != d.name) say("  {} demo {:<20} {}\n", own_command(), d.name, d.story);
  }
  return code;
}

}  // namespace williwaw::cli
