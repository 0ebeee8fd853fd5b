// Sweeps, comparisons, stages and resumed runs, as their users meet them.
#include <doctest/doctest.h>

#include <algorithm>
#include <chrono>
#include <fstream>
#include <random>

#include "support/json.hpp"
#include "support/marching.hpp"
#include "support/program.hpp"
#include "williwaw/store/series.hpp"
#include "williwaw/study/report.hpp"

using namespace williwaw;
using namespace williwaw::test;

namespace {

const char* const slab = R"case(
title = "Slab"
[grid]
x = { from = "0 m", to = "0.4 m", cells = 20 }
[equation]
kind = "heat"
conductivity = "1.4 W/m/K"
density = "2200 kg/m^3"
heat_capacity = "880 J/kg/K"
[initial]
value = { formula = "10 + 5*cos(pi*x/0.4)", unit = "degC" }
[boundary]
west = "insulated"
east = "insulated"
[time]
until = "4 h"
scheme = "crank-nicolson"
step = "10 min"
[record]
every = "1 h"
[[probe]]
name = "pipe"
at = ["0.12 m"]
[exact]
value = { formula = "10 + 5*cos(pi*x/0.4)*exp(-1.4/2200/880*(pi/0.4)^2*t)", unit = "degC" }
[[variant]]
title = "held cold"
boundary.east = { dirichlet = "-5 degC" }
[[variant]]
title = "finer"
grid.x.cells = 40
time.step = "5 min"
)case";

const char* const staged = R"case(
title = "In stages"
[grid]
x = { from = 0, to = 1, cells = CELLS }
[equation]
kind = "diffusion"
diffusivity = 1
[initial]
value = 1
[boundary]
west = { dirichlet = 0 }
east = "insulated"
[time]
until = 0.2
scheme = "SCHEME"
step = STEP
[record]
every = 0.05
series = 0.01
[[probe]]
name = "middle"
at = [0.5]
[[stage]]
title = "door opens"
boundary.east = { robin = { coefficient = 2, ambient = -1 } }
time.lasts = 0.1
[[stage]]
title = "thaw"
boundary.west = { dirichlet = 3 }
time.lasts = 0.3
)case";

std::filesystem::path folder_with(const std::string& name, std::string text,
                                  const std::vector<std::pair<std::string, std::string>>& words = {}) {
  for (const auto& [from, to] : words)
    for (auto at = text.find(from); at != std::string::npos; at = text.find(from, at + to.size()))
      text.replace(at, from.size(), to);
  const auto folder = fresh_folder(name);
  std::ofstream(folder / "case.toml") << text;
  return folder;
}

}  // namespace

TEST_CASE("sweep runs variants beside the case as it is written") {
  const auto folder = folder_with("variants", slab);
  const Printed text = williwaw_in(folder, "sweep case.toml");
  CHECK(text.code == 0);
  for (const char* word : {"as written", "held cold", "finer", "error maximum", "stable"})
    CHECK(text.out.find(word) != std::string::npos);
  CHECK(std::filesystem::exists(folder / "case.sweep" / "held_cold" / "fields.nc"));
  CHECK(std::filesystem::exists(folder / "case.sweep" / "profiles.png"));
  const Json json(williwaw_in(folder, "sweep case.toml --json").out);
  // The finer one is better by the square of its resolution.
  CHECK(json.number("/as_written/error_maximum") / json.number("/finer/error_maximum") ==
        doctest::Approx(4).epsilon(0.05));
  CHECK(json.number("/held_cold/minimum") < -3);
}

TEST_CASE("the table of a sweep has what the case watches, and a row for what was refused") {
  const auto folder = folder_with("watched", slab);
  std::ofstream(folder / "case.toml", std::ios::app) << R"case(
[sweep]
title = "insulated"
[[variant]]
title = "too long"
time.scheme = "explicit-euler"
[[variant]]
title = "misspelt"
time.scheme = "crank"
)case";
  const Printed text = williwaw_in(folder, "sweep case.toml");
  CHECK(text.code == 4);
  CHECK(text.out.find("insulated  ") != std::string::npos);
  CHECK(text.out.find("as written") == std::string::npos);
  CHECK(text.out.find("refused      case.toml:") != std::string::npos);
  CHECK(text.out.find("unknown value 'crank'") != std::string::npos);
  for (const char* header :
       {"pipe [degC]", "error L1 [degC]", "error L2 [degC]", "flow east: dirichlet [W/m^2]", "total [J/m^2]"})
    CHECK_MESSAGE(text.out.find(header) != std::string::npos, header);
  // Nothing passes insulation in any of them.
  CHECK(text.out.find("flow west") == std::string::npos);
  const Json json(williwaw_in(folder, "sweep case.toml --json").out);
  CHECK(json.at("/misspelt/verdict") == "\"refused\"");
  const store::Series series = store::read_series(folder / "case.sweep" / "insulated" / "series.csv");
  CHECK(json.number("/insulated/pipe") ==
        doctest::Approx(series.values[series.find("pipe").value()].back()).epsilon(1e-9));
  CHECK(json.at("/insulated/pipe/unit") == "\"degC\"");
  const std::string table = text_of(folder / "case.sweep" / "table.csv");
  CHECK(table.find("variant,verdict,steps,budget,minimum [degC],mean [degC],maximum [degC]") == 0);
  CHECK(table.find("\ntoo long,unstable,,") != std::string::npos);
  // With --force it is run to where it ends.
  const Printed forced =
      williwaw_in(folder, "sweep case.toml --force --vary time.scheme=explicit-euler --vary 'time.step=1 h'");
  CHECK(forced.out.find("refused: the largest") == std::string::npos);
  CHECK(std::filesystem::exists(folder / "case.sweep"));
}

TEST_CASE("three runs side by side at every node, and tables that an export wrote are read again") {
  const auto folder = folder_with("nodes", slab);
  for (const char* run :
       {"one --set time.scheme=bdf2", "two --set time.step='30 min'", "three --set grid.x.cells=40"})
    REQUIRE(williwaw_in(folder, std::string("run case.toml --quiet -o ") + run).code == 0);
  const Printed table =
      williwaw_in(folder, "compare one two three --table nodes --times '2 h,4 h' --digits 6");
  REQUIRE(table.code == 0);
  CHECK(table.out.find("t [h]") == 0);
  CHECK(std::ranges::count(table.out, '\n') == 1 + 2 * 20);
  REQUIRE(williwaw_in(folder, "compare one two three --table nodes --times '4 h' -o nodes.csv").code == 0);
  const store::Series nodes = store::read_series(folder / "nodes.csv");
  REQUIRE(nodes.columns.size() == 5);
  REQUIRE(nodes.values[0].size() == 20);
  const auto at_end = [&](const char* run) {
    const store::FieldReader fields(folder / run / "fields.nc");
    return fields.field(static_cast<Index>(fields.times().size()) - 1);
  };
  CHECK(nodes.values[1][7] == doctest::Approx(0.15));
  CHECK(nodes.values[2][7] == doctest::Approx(at_end("one")[7]).epsilon(1e-9));
  CHECK(nodes.values[3][7] == doctest::Approx(at_end("two")[7]).epsilon(1e-9));
  // Between two cells of the finer grid.
  const Field finer = at_end("three");
  CHECK(nodes.values[4][7] == doctest::Approx(0.5 * (finer[14] + finer[15])).epsilon(1e-9));
  const Printed several = williwaw_in(folder, "compare one two three");
  CHECK(several.code == 0);
  CHECK(several.out.find("one against two") != std::string::npos);
  CHECK(several.out.find("one against three") != std::string::npos);
  CHECK(williwaw_in(folder, "compare one two --times '4 h'").code == 2);
  CHECK(williwaw_in(folder, "compare one --table nodes --formula x").code == 2);
  REQUIRE(williwaw_in(folder, "export one --to csv --layout wide").code == 0);
  const Json again(williwaw_in(folder, "compare one one/export/fields.csv --json").out);
  CHECK(again.number("/one_against_one_export_fields_csv/at_0_h") < 1e-8);
  CHECK(again.number("/one_against_one_export_fields_csv/at_4_h") < 1e-8);
  // A table by hand and the exact solution stand beside runs; a table tells which times are meant.
  std::ofstream(folder / "hand.csv")
      << "t [h],x [cm],temperature [degC]\n2,15,11.5\n2,17,12.5\n2,20,9\n3,1,7\n";
  const Printed beside = williwaw_in(folder, "compare one two hand.csv --table nodes -o beside.csv");
  REQUIRE(beside.code == 0);
  const store::Series both = store::read_series(folder / "beside.csv");
  REQUIRE(both.columns.size() == 5);
  REQUIRE(both.values[0].size() == 2 * 20);
  CHECK(both.values[0][7] == doctest::Approx(2));
  CHECK(both.values[0][20] == doctest::Approx(3));
  CHECK(both.values[4][7] == 11.5);
  CHECK(both.values[4][8] == 12.5);
  CHECK(both.values[4][20] == 7);
  CHECK(std::ranges::count_if(both.values[4], [](Real v) { return std::isfinite(v); }) == 3);
  CHECK(williwaw_in(folder, "compare one hand.csv --table nodes")
            .out.find("hand.csv: 1 of its values lie at no unknown of one") != std::string::npos);
  const Printed exact = williwaw_in(folder, "compare one exact --table nodes");
  CHECK(exact.code == 0);
  CHECK(exact.out.find("exact [degC]") != std::string::npos);
  // A table in minutes of a run in hours.
  std::ofstream(folder / "minutes.csv")
      << "x [cm],temperature at t = 60 min [degC],temperature at t = 240 min [degC]\n15,0,1\n";
  const Json minutes(williwaw_in(folder, "compare one minutes.csv --json").out);
  CHECK(minutes.number("/one_against_minutes_csv/at_4_h") ==
        doctest::Approx(std::abs(at_end("one")[7] - 1)).epsilon(1e-6));
  std::ofstream(folder / "bad.csv") << "x [cm],temperature at t = soon [degC]\n15,0\n";
  CHECK(williwaw_in(folder, "compare one bad.csv").error.find("a time in a unit of time") !=
        std::string::npos);
}

TEST_CASE("sweep takes several keys, ranges with units, and goes past the limit") {
  const auto folder = folder_with("keys", slab);
  const Printed text = williwaw_in(
      folder,
      "sweep case.toml --jobs 2 --vary time.scheme=explicit-euler,bdf2 --vary \"time.step=5..15 by 5 min\"");
  CHECK(text.code == 4);  // not all of them could run
  CHECK(text.out.find("time.scheme=bdf2, time.step=15 min") != std::string::npos);
  CHECK(text.out.find("unstable") != std::string::npos);
  CHECK(text.out.find("refused: the largest stable step is") != std::string::npos);
  CHECK(williwaw_in(folder, "sweep case.toml --vary time.step").code == 2);
  CHECK(williwaw_in(folder, "sweep case.toml --vary time.scheme=bdf9").error.find("bdf9") !=
        std::string::npos);
  const Printed none = williwaw_in(
      folder_with("none", staged, {{"CELLS", "5"}, {"SCHEME", "bdf2"}, {"STEP", "0.01"}}), "sweep case.toml");
  CHECK(none.code == 2);
  CHECK(none.error.find("[[variant]]") != std::string::npos);
}

TEST_CASE("compare finds where two runs, a table, a formula and the exact solution differ") {
  const auto folder = folder_with("compare", slab);
  REQUIRE(williwaw_in(folder, "run case.toml -o coarse --quiet").code == 0);
  REQUIRE(williwaw_in(folder, "run case.toml -o fine --quiet --set grid.x.cells=80 --set time.step=\"2 min\"")
              .code == 0);
  const Printed runs = williwaw_in(folder, "compare coarse fine --rows 5 --digits 3");
  CHECK(runs.code == 0);
  CHECK(runs.out.find("largest difference") != std::string::npos);
  CHECK(std::filesystem::exists(folder / "coarse" / "figures" / "compare.png"));
  const Json exact(williwaw_in(folder, "compare coarse exact --json").out);
  const Json against(williwaw_in(folder, "run case.toml -o again --json").out);
  const std::string section =
      study::snake_case("coarse against 10 + 5*cos(pi*x/0.4)*exp(-1.4/2200/880*(pi/0.4)^2*t) degC");
  CHECK(exact.number("/" + section + "/at_4_h/value") ==
        doctest::Approx(against.number("/against_the_exact_solution/at_4_h/value")).epsilon(1e-6));
  std::ofstream(folder / "hand.csv") << "t [min],x [cm],temperature [degC]\n60,5,14.0\n240,35,7.6\n900,1,0\n";
  const Printed table = williwaw_in(folder, "compare coarse hand.csv");
  CHECK(table.code == 0);
  CHECK(table.out.find("1 of 3 rows lie outside") != std::string::npos);
  std::ofstream(folder / "pipe.csv") << "t [h],pipe [degC]\n1,12.5\n4,11.5\n";
  CHECK(williwaw_in(folder, "compare coarse pipe.csv").out.find("at t = ") != std::string::npos);
  CHECK(williwaw_in(folder, "compare coarse --formula \"283.15 + 5*cos(pi*x/0.4)\"").code == 0);
  // What cannot be compared says why.
  std::ofstream(folder / "bad.csv") << "t [h],x [kg],temperature [degC]\n1,1,1\n";
  CHECK(williwaw_in(folder, "compare coarse bad.csv").error.find("is in 'kg', which does not fit") !=
        std::string::npos);
  std::ofstream(folder / "odd.csv") << "t [h],elsewhere [degC]\n1,1\n";
  CHECK(williwaw_in(folder, "compare coarse odd.csv").error.find("there are pipe") != std::string::npos);
  // Columns that are not compared are left out with a note; what cannot be told apart is refused.
  std::ofstream(folder / "more.csv") << "t [h],station,pipe [degC]\n1,7,12.5\n4,7,11.5\n";
  const Printed more = williwaw_in(folder, "compare coarse more.csv");
  CHECK(more.code == 0);
  CHECK(more.out.find("more.csv: column 'station' left out; 'pipe' is compared") != std::string::npos);
  std::ofstream(folder / "two.csv") << "t [h],pipe [degC],mean [degC]\n1,12.5,12\n";
  CHECK(
      williwaw_in(folder, "compare coarse two.csv").error.find("2 of them named as in the run; leave one") !=
      std::string::npos);
  CHECK(williwaw_in(folder, "compare coarse nothing").code == 2);
  CHECK(williwaw_in(folder, "compare coarse").code == 2);
}

TEST_CASE("converge prints orders and draws them; plot shows stability of a case") {
  const auto folder = folder_with("converge", slab);
  const Printed text =
      williwaw_in(folder, "converge case.toml --set converge.step_power=1 --set converge.levels=3");
  CHECK(text.code == 0);
  CHECK(text.out.find("2.00, 2.00") != std::string::npos);
  CHECK(text.out.find("the asymptotic range is reached") != std::string::npos);
  for (const char* file : {"table.txt", "convergence.csv", "convergence.png"})
    CHECK(std::filesystem::exists(folder / "case.converge" / file));
  const Json json(
      williwaw_in(folder, "converge case.toml --json --set converge.levels=3 --set converge.vary=grid").out);
  CHECK(json.number("/pipe/uncertainty/value") > 0);
  CHECK(williwaw_in(folder, "plot case.toml stability").code == 0);
  CHECK(std::filesystem::exists(folder / "case-stability.png"));
  CHECK(williwaw_in(folder, "plot case.toml map").code == 2);
  const Printed trust = williwaw_in(folder, "run case.toml --trust");
  CHECK(trust.out.find("uncertainties") != std::string::npos);
  CHECK(trust.out.find(" ± ") != std::string::npos);
}

TEST_CASE("adaptive steps are counted, recorded and drawn") {
  const auto folder = folder_with("adaptive", slab);
  CHECK(williwaw_in(folder,
                    "run case.toml --quiet --set time.scheme=sdirk4 --set \"time.step={adaptive=1e-4}\"")
            .code == 0);
  const auto steps = store::read_series(folder / "case.out" / "steps.csv");
  CHECK(steps.columns[1].name == "step");
  CHECK(steps.values[0].size() > 3);
  CHECK(williwaw_in(folder, "plot case.out steps").code == 0);
  CHECK(
      williwaw_in(folder, "check case.toml --set time.scheme=rk4 --set \"time.step={adaptive=1e-4}\"")
          .error.find("has no estimate of its errors; rk45, stabilized, implicit-euler or sdirk4 have one") !=
      std::string::npos);
  CHECK(williwaw_in(folder,
                    "run case.toml --quiet --set time.scheme=rk45 --set \"time.step={adaptive='0.01 K'}\"")
            .code == 0);
}

TEST_CASE("stages follow each other in one result") {
  const auto folder =
      folder_with("stages", staged, {{"CELLS", "20"}, {"SCHEME", "crank-nicolson"}, {"STEP", "0.005"}});
  const Printed check = williwaw_in(folder, "check case.toml");
  CHECK(check.code == 0);
  CHECK(check.out.find("stage 2, door opens: boundaries\n  west  concentration prescribed: 0\n  east  "
                       "exchange with -1") != std::string::npos);
  CHECK(check.out.find("stage 3, thaw: boundaries\n  west  concentration prescribed: 3") !=
        std::string::npos);
  const Printed run = williwaw_in(folder, "run case.toml");
  CHECK(run.code == 0);
  CHECK(run.out.find("stage 3, thaw: budget") != std::string::npos);
  const store::FieldReader fields(folder / "case.out" / "fields.nc");
  CHECK(fields.times().back() == doctest::Approx(0.6));
  CHECK(fields.stages().front() == 0);
  CHECK(fields.stages().back() == 2);
  CHECK(std::ranges::is_sorted(fields.times()));
  const auto series = store::read_series(folder / "case.out" / "series.csv");
  // A boundary that a stage does not have leaves its column empty there.
  const auto insulated = *series.find("flow east: insulated"), robin = *series.find("flow east: robin");
  CHECK(std::isnan(series.values[robin][1]));
  CHECK(std::isnan(series.values[insulated].back()));
  // Each stage alone, started from the one before, says the same.
  CHECK(williwaw_in(folder, "run case.toml --quiet -o first --set stage=[]").code == 0);
  CHECK(williwaw_in(
            folder,
            "run case.toml --quiet -o second --set stage=[] --set \"initial.value={from='first'}\" --set "
            "\"boundary.east={robin={coefficient=2,ambient=-1}}\" --set time.until=0.1")
            .code == 0);
  const store::FieldReader second(folder / "second" / "fields.nc");
  const auto at = std::ranges::find_if(fields.times(), [](Real t) { return std::abs(t - 0.3) < 1e-9; });
  const Field there = fields.field(at - fields.times().begin());
  const Field alone = second.field(static_cast<Index>(second.times().size()) - 1);
  CHECK(there.difference(alone).max < 1e-12);
  // A stage that goes wrong is found before anything runs.
  const std::string longer = " --set \"stage=[{title='longer',time={lasts=0.1,step=0.01}}]\"";
  const Printed refused =
      williwaw_in(folder, "run case.toml --set time.scheme=explicit-euler --set time.step=0.001" + longer);
  CHECK(refused.code == 3);
  CHECK(refused.error.find("is not stable in stage 2, longer") != std::string::npos);
  CHECK(williwaw_in(folder, "check case.toml --set \"stage=[{title='back',time={until=0.1}}]\"")
            .error.find("time.lasts") != std::string::npos);
  CHECK(williwaw_in(folder,
                    "check case.toml --set \"stage=[{title='other',grid={x={cells=7}},time={lasts=1}}]\"")
            .code == 2);
}

TEST_CASE("a run that is killed at any moment goes on from its checkpoint and ends with the same bits") {
  std::mt19937 random(11);
  for (const std::string scheme : {"bdf2", "rk45"}) {
    CAPTURE(scheme);
    const bool adaptive = scheme == "rk45";
    const auto folder = folder_with("killed", staged,
                                    {{"CELLS", adaptive ? "260" : "300"},
                                     {"SCHEME", scheme},
                                     {"STEP", adaptive       ? "{ adaptive = 1e-6 }"
                                              : instrumented ? "0.0004"
                                                             : "0.00005"}});
    const auto start = std::chrono::steady_clock::now();
    REQUIRE(williwaw_in(folder, "run case.toml --quiet -o whole").code == 0);
    const Real length = std::chrono::duration<Real>(std::chrono::steady_clock::now() - start).count();
    int killed = 0;
    constexpr int attempts = instrumented ? 6 : 25;
    for (int attempt = 0; attempt < attempts; ++attempt) {
      // Within the run, however fast the machine is; later and later, so that it comes to an end.
      const Real after =
          length * (0.2 + 0.5 * std::uniform_real_distribution<Real>(0, 1)(random) + 0.05 * attempt);
      const std::string limit = "timeout -s KILL " + std::to_string(after) + " ";
      const int status =
          std::system(("cd '" + folder.string() + "' && " + limit + "'" + PROGRAM +
                       "' run case.toml --quiet --resume --checkpoint 0.02 -o parts >/dev/null 2>&1")
                          .c_str());
      if (WIFEXITED(status) && WEXITSTATUS(status) == 0) break;
      ++killed;
    }
    CHECK(killed > 0);
    // Whoever was killed every time is let through in the end.
    if (killed == attempts) CHECK(williwaw_in(folder, "run case.toml --quiet --resume -o parts").code == 0);
    REQUIRE(std::filesystem::exists(folder / "parts" / "fields.nc"));
    CHECK(text_of(folder / "parts" / "series.csv") == text_of(folder / "whole" / "series.csv"));
    const store::FieldReader a(folder / "whole" / "fields.nc"), b(folder / "parts" / "fields.nc");
    REQUIRE(a.times() == b.times());
    for (std::size_t r = 0; r < a.times().size(); ++r)
      CHECK(a.field(static_cast<Index>(r)).values() == b.field(static_cast<Index>(r)).values());
    if (adaptive) CHECK(text_of(folder / "parts" / "steps.csv") == text_of(folder / "whole" / "steps.csv"));
    CHECK_FALSE(std::filesystem::exists(folder / "parts" / "checkpoint"));
    CHECK_FALSE(std::filesystem::exists(folder / "parts" / "checkpoint.before"));
    CHECK_FALSE(std::filesystem::exists(folder / "parts" / "lock"));
    CHECK_FALSE(std::filesystem::exists(folder / "parts" / "fields.journal"));
  }
}

TEST_CASE("an interrupt leaves results and a checkpoint, and exits with 130") {
  const auto folder =
      folder_with("interrupted", staged, {{"CELLS", "300"}, {"SCHEME", "bdf2"}, {"STEP", "0.000002"}});
  const int status = std::system(("cd '" + folder.string() + "' && timeout -s INT 0.4 '" + PROGRAM +
                                  "' run case.toml --quiet -o out; test $? = 124 -o $? = 130")
                                     .c_str());
  CHECK(WEXITSTATUS(status) == 0);
  CHECK(std::filesystem::exists(folder / "out" / "fields.nc"));
  REQUIRE(std::filesystem::exists(folder / "out" / "checkpoint"));
  const Printed other = williwaw_in(folder, "run case.toml --resume -o out --set grid.x.cells=20");
  CHECK(other.code == 2);
  CHECK(other.error.find("belongs to another case") != std::string::npos);
  std::ofstream(folder / "out" / "checkpoint") << "something else";
  CHECK(williwaw_in(folder, "run case.toml --resume -o out").error.find("is damaged at its first line") !=
        std::string::npos);
}

TEST_CASE("initial values come from another run, conservatively or between its values") {
  const auto folder = folder_with("from", slab);
  REQUIRE(williwaw_in(folder, "run case.toml -o first --quiet").code == 0);
  const auto total = [&](const std::string& set) {
    CHECK(williwaw_in(folder, "run case.toml -o next --quiet " + set).code == 0);
    return store::read_series(folder / "next" / "series.csv");
  };
  const auto first = store::read_series(folder / "first" / "series.csv");
  const auto column = *first.find("total");
  // Cells that cut across those of the first: what is stored stays the same to round-off.
  const auto uneven = total("--set \"initial.value={from='first'}\" --set grid.x.cells=33");
  CHECK(uneven.values[column].front() == doctest::Approx(first.values[column].back()).epsilon(1e-13));
  const auto linear =
      total("--set \"initial.value={from='first',onto='linear',time='2 h'}\" --set grid.x.cells=40");
  CHECK(linear.values[1].front() == doctest::Approx(first.values[1][12]).epsilon(1e-3));
  for (const auto& [set, words] : std::vector<std::pair<std::string, std::string>>{
           {"{from='nowhere'}", "has no results"},
           {"{from='first',time='90 min'}", "no record at that time"},
           {"{from='first',onto='nearest'}", "onto"}})
    CHECK(williwaw_in(folder, "check case.toml --set \"initial.value=" + set + "\"").error.find(words) !=
          std::string::npos);
  CHECK(
      williwaw_in(folder, "check case.toml --set \"initial.value={from='first'}\" --set grid.x.to=\"0.5 m\"")
          .error.find("does not reach as far") != std::string::npos);
}

TEST_CASE("a run ends when it repeats, and says how far it is from the repeating state") {
  const auto folder = folder_with("cycle", slab);
  std::string set;
  for (const char* one : {"time.until=cycle", "cycle={period='24 h',tolerance='0.05 K'}",
                          "time.step='30 min'", "record={}", "exact={value='initial'}", "variant=[]",
                          "boundary.west={dirichlet={formula='5*sin(2*pi*t/day)',unit='degC'}}"})
    set += std::string(" --set \"") + one + "\"";
  const Printed text = williwaw_in(folder, "run case.toml --json" + set);
  CHECK(text.code == 0);
  const Json json(text.out);
  CHECK(json.number("/cycles/change_over_the_last_cycle/value") <= 0.05);
  CHECK(json.number("/cycles/distance_to_the_periodic_state/value") < 0.1);
  CHECK(json.number("/cycles/cycles") > 2);
  // Times are counted as the records say, not in seconds of a step.
  CHECK(json.at("/end/time/unit") == "\"h\"");
  CHECK(williwaw_in(folder, "check case.toml" + set + " --set \"cycle.period='5 h'\"")
            .error.find("do not repeat with this period") != std::string::npos);
  CHECK(williwaw_in(folder, "check case.toml --set time.until=cycle").error.find("needs a section [cycle]") !=
        std::string::npos);
}
