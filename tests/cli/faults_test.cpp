// What is left of a run when files cannot be written, other processes want the same folder, bits flip or data
// turn out to be no numbers; and what the program prints where nobody listens.
#include <doctest/doctest.h>
#include <fmt/format.h>

#include <chrono>
#include <cstdlib>
#include <fstream>
#include <random>
#include <thread>

#include "support/program.hpp"
#include "williwaw/store/fields.hpp"
#include "williwaw/store/series.hpp"

using namespace williwaw;
using namespace williwaw::test;

namespace {

const std::string rod = R"case(title = "Rod"
[grid]
x = { from = 0, to = 1, cells = 20 }
[equation]
kind = "diffusion"
diffusivity = 0.1
[initial]
value = "sin(3*pi*x)"
[boundary]
default = { dirichlet = 0 }
[time]
until = 0.1
scheme = "crank-nicolson"
step = 0.01
[record]
every = 0.01
)case";

std::filesystem::path folder_of_rod(const std::string& name, const std::string& text = rod) {
  const auto folder = fresh_folder(name);
  std::ofstream(folder / "case.toml") << text;
  return folder;
}

struct Faulty {
  Printed printed;
  bool reached = false;  ///< the call that was to fail was made
};

// Runs the program with the n-th call on a file whose path holds `below` failing, and all after it.
Faulty with_fault(const std::filesystem::path& folder, const std::string& arguments, int n, bool parent,
                  const std::string& below) {
  const auto told = folder / "told", out = folder / "words", error = folder / "complaints";
  std::filesystem::remove(told);
  const std::string command = fmt::format(
      "cd '{}' && FAULT_FOLDER='{}' FAULT_AT={} FAULT_LASTS=1 {} FAULT_TOLD='{}' LD_PRELOAD='{}' '{}' {} "
      ">'{}' "
      "2>'{}'",
      folder.string(), below, n, parent ? "FAULT_PARENT=1" : "", told.string(), FAULTS, PROGRAM, arguments,
      out.string(), error.string());
  const int status = std::system(command.c_str());
  Faulty result;
  result.printed.code = WIFEXITED(status) ? WEXITSTATUS(status) : -1;
  result.printed.out = text_of(out);
  result.printed.error = text_of(error);
  result.reached = std::filesystem::exists(told);
  return result;
}

// The records of one file are the first ones, or all, of another.
bool begins_as(const std::filesystem::path& file, const std::filesystem::path& whole) {
  const store::FieldReader one(file), two(whole);
  if (one.times().size() > two.times().size()) return false;
  for (std::size_t r = 0; r < one.times().size(); ++r)
    if (one.times()[r] != two.times()[r] ||
        one.field(static_cast<Index>(r)).values() != two.field(static_cast<Index>(r)).values())
      return false;
  return true;
}

bool same_fields(const std::filesystem::path& a, const std::filesystem::path& b) {
  return begins_as(a, b) && begins_as(b, a);
}

}  // namespace

TEST_CASE("whichever call fails on a full disk: code 2, the reason, and nothing recorded before is lost") {
  const auto folder = folder_of_rod("faults");
  const std::string adaptive = " --set time.scheme=rk45 --set \"time.step={adaptive=1e-4}\"";
  const std::string steady = R"([grid]
x = { from = 0, to = 1, cells = 20 }
[equation]
kind = "diffusion"
diffusivity = 0.1
source = 1
[initial]
value = 0
[boundary]
default = { dirichlet = 0 }
[steady]
)";
  std::ofstream(folder / "steady.toml") << steady;
  for (const std::string& arguments :
       {std::string("run case.toml"), "run case.toml --checkpoint 0" + adaptive,
        std::string("run steady.toml")}) {
    REQUIRE(williwaw_in(folder, arguments + " --quiet -o whole").code == 0);
    for (const bool parent : {false, true}) {
      int tried = 0;
      for (int n = 1; n < 400; n += n < 10 ? 1 : n < 40 ? 3 : 11) {
        CAPTURE(arguments);
        CAPTURE(n);
        std::filesystem::remove_all(folder / "out");
        const Faulty f =
            with_fault(folder, arguments + " --quiet -o out", n, parent, (folder / "out").string());
        if (!f.reached) break;
        ++tried;
        CAPTURE(f.printed.error);
        // The last calls of all close what was read, or is written already.
        const bool bad = f.printed.code == 2;
        CHECK((bad || (f.printed.code == 0 &&
                       same_fields(folder / "out" / "fields.nc", folder / "whole" / "fields.nc"))));
        if (!bad) continue;
        CHECK(f.printed.error.starts_with("out"));
        CHECK(f.printed.error.find(": ") != std::string::npos);
        if (!std::filesystem::exists(folder / "out" / "fields.journal")) continue;
        // What was with the system when the disk was full is there again; all of it once the run had ended.
        const Printed again = williwaw_in(folder, "recover out");
        CHECK((again.code == 0 || again.error.find("no complete record") != std::string::npos));
        const auto got = folder / "out" / "fields.nc", whole = folder / "whole" / "fields.nc";
        if (again.code == 0) CHECK(begins_as(got, whole));
        if (f.printed.error.starts_with("out/fields.nc") || f.printed.error.starts_with("out/summary"))
          CHECK(same_fields(got, whole));
        // With room on the disk the run goes on, from the last checkpoint or from its beginning.
        if (n % 4 != 0) continue;
        CHECK(williwaw_in(folder, arguments + " --quiet --resume -o out").code == 0);
        CHECK(same_fields(got, whole));
      }
      CHECK(tried > 12);
    }
  }
}

TEST_CASE("figures, films and exports that cannot be written say so and leave no empty file") {
  const auto folder = folder_of_rod("limits");
  REQUIRE(williwaw_in(folder, "run case.toml --quiet -o out").code == 0);
  const auto limited = [&](const std::string& arguments) {
    const int status = std::system(fmt::format("cd '{}' && (ulimit -f 1; '{}' {}) >/dev/null 2>complaints",
                                               folder.string(), PROGRAM, arguments)
                                       .c_str());
    return WIFEXITED(status) ? WEXITSTATUS(status) : -1;
  };
  for (const std::string arguments :
       {"plot out profiles -o figure.png", "film out -o film.gif", "export out --to csv -o tables"}) {
    CAPTURE(arguments);
    CHECK(williwaw_in(folder, arguments).code == 0);
    std::filesystem::remove(folder / "figure.png");
    std::filesystem::remove(folder / "film.gif");
    std::filesystem::remove_all(folder / "tables");
    CHECK(limited(arguments) == 2);
    CHECK_FALSE(text_of(folder / "complaints").empty());
    for (const char* file : {"figure.png", "film.gif", "tables/fields.csv"})
      CHECK_FALSE(std::filesystem::exists(folder / file));
  }
  // A limit below what the fields need, and one below what the log needs.
  CHECK(limited("run case.toml -o other --set grid.x.cells=400") == 2);
  CHECK(williwaw_in(folder, "export out --to csv -o /proc/nowhere").code == 2);
  CHECK(williwaw_in(folder, "run case.toml -o /proc/nowhere").code == 2);
  CHECK(williwaw_in(folder, "run case.toml -o /proc/nowhere").error.find("internal") == std::string::npos);
}

TEST_CASE("one writer for each folder, and readers beside it") {
  const auto folder = folder_of_rod("locked");
  REQUIRE(williwaw_in(folder, "run case.toml --quiet -o out").code == 0);
  std::thread first([&] {
    const Printed p = williwaw_in(folder,
                                  "run case.toml --quiet -o out --set time.step=0.0000005 --set "
                                  "time.until=0.05 --set record.every=0.05");
    CHECK(p.code == 0);
  });
  while (!std::filesystem::exists(folder / "out" / "lock")) std::this_thread::yield();
  const std::string command =
      fmt::format("cd '{}' && '{}' run case.toml --quiet -o out >/dev/null 2>second; echo $? >code",
                  folder.string(), PROGRAM);
  CHECK(std::system(command.c_str()) == 0);
  CHECK(text_of(folder / "code") == "2\n");
  CHECK(text_of(folder / "second").find("out: process ") != std::string::npos);
  CHECK(text_of(folder / "second").find("writes into this folder") != std::string::npos);
  CHECK(std::system(fmt::format("cd '{}' && '{}' export out --to csv >/dev/null", folder.string(), PROGRAM)
                        .c_str()) == 0);
  first.join();
  CHECK_FALSE(std::filesystem::exists(folder / "out" / "lock"));
  CHECK(williwaw_in(folder, "run case.toml --quiet -o out").code == 0);
}

TEST_CASE("a flipped bit is found, or makes no difference") {
  const auto folder = folder_of_rod("flipped");
  REQUIRE(williwaw_in(folder, "run case.toml --quiet -o whole").code == 0);
  // fields.nc cannot be created: journal and both checkpoints stay.
  const auto left = folder / "left";
  REQUIRE(with_fault(folder, "run case.toml --quiet --checkpoint 0 -o left", 1, false, "fields.nc.partial")
              .printed.code == 2);
  REQUIRE(std::filesystem::exists(left / "checkpoint"));
  REQUIRE(std::filesystem::exists(left / "checkpoint.before"));
  std::mt19937 random(5);
  int found = 0, earlier = 0;
  for (int attempt = 0; attempt < 60; ++attempt) {
    const auto out = folder / "out";
    std::filesystem::remove_all(out);
    std::filesystem::copy(left, out);
    const char* names[] = {"checkpoint", "fields.journal", "series.csv.partial"};
    const auto file = out / names[attempt % 3];
    std::string bytes = text_of(file);
    const std::size_t at = std::uniform_int_distribution<std::size_t>(0, bytes.size() - 1)(random);
    bytes[at] = static_cast<char>(bytes[at] ^ (1 << (attempt % 8)));
    std::ofstream(file, std::ios::binary) << bytes;
    CAPTURE(file.string());
    CAPTURE(at);
    const Printed p = williwaw_in(folder, "run case.toml --quiet --resume -o out");
    CAPTURE(p.error);
    if (p.code == 0) {
      CHECK(same_fields(out / "fields.nc", folder / "whole" / "fields.nc"));
      CHECK(text_of(out / "series.csv") == text_of(folder / "whole" / "series.csv"));
      if (attempt % 3 == 0) ++earlier;
    } else {
      CHECK(p.code == 2);
      CHECK(
          (p.error.find("is damaged") != std::string::npos || p.error.find("version") != std::string::npos));
      ++found;
    }
  }
  CHECK(found > 20);
  CHECK(earlier == 20);
}

TEST_CASE(
    "data that are no numbers from some time on end the run with its place, and a mended case goes on") {
  for (const auto& [key, bad, good, where] :
       {std::array<std::string, 4>{"boundary.west", "{ dirichlet = \"sqrt(0.05-t)\" }",
                                   "{ dirichlet = \"t < 0.05 ? sqrt(0.05-t) : 0\" }", "boundary.west"},
        {"boundary.west", "{ flux = \"1/(0.05001-t) + 0*sqrt(0.0501-t)\" }",
         "{ flux = \"t < 0.0501 ? 1/(0.05001-t) : 0\" }", "boundary.west"},
        {"equation.source", "\"sqrt(0.05-t)*x\"", "\"t < 0.05 ? sqrt(0.05-t)*x : 0\"", "equation.source"}})
    for (const std::string scheme : {"crank-nicolson", "explicit-euler", "bdf2", "rk4"}) {
      const std::string section = key.substr(0, key.find('.')), name = key.substr(key.find('.') + 1);
      const auto text = [&](const std::string& value) {
        std::string all = rod;
        const std::string head = "[" + section + "]\n";
        all.insert(all.find(head) + head.size(), name + " = " + value + "\n");
        const std::string step = "crank-nicolson\"\nstep = 0.01";
        return all.replace(all.find(step), step.size(), scheme + "\"\nstep = 0.001");
      };
      CAPTURE(scheme);
      const std::string written = bad;
      CAPTURE(written);
      const auto folder = folder_of_rod("late", text(bad));
      const Printed ended = williwaw_in(folder, "run case.toml --quiet --checkpoint 0 -o out");
      CHECK(ended.code == 4);
      CHECK(ended.error.find("case.toml:" + std::to_string(section == "boundary" ? 10 : 5) + ": " + where) !=
            std::string::npos);
      CHECK(ended.error.find("is not a finite number at ") != std::string::npos);
      // Whole records up to there, and the state before the step that could not be taken.
      const store::FieldReader fields(folder / "out" / "fields.nc");
      CHECK(fields.times().back() >= 0.048);
      CHECK(fields.times().back() < 0.0511);
      CHECK(std::isfinite(fields.field(static_cast<Index>(fields.times().size()) - 1).highest()));
      CHECK(store::read_series(folder / "out" / "series.csv").values[0].back() >= 0.048);
      std::ofstream(folder / "case.toml") << text(good);
      const Printed mended = williwaw_in(folder, "run case.toml --quiet --resume -o out");
      CAPTURE(mended.error);
      REQUIRE(mended.code == 0);
      REQUIRE(williwaw_in(folder, "run case.toml --quiet -o whole").code == 0);
      const store::FieldReader one(folder / "out" / "fields.nc"), two(folder / "whole" / "fields.nc");
      CHECK(one.field(static_cast<Index>(one.times().size()) - 1).values() ==
            two.field(static_cast<Index>(two.times().size()) - 1).values());
    }
  // Data that change what has been computed already are another case.
  const auto folder = folder_of_rod("other");
  CHECK(with_fault(folder, "run case.toml --quiet --checkpoint 0 -o out", 1, false, "fields.nc.partial")
            .printed.code == 2);
  CHECK(williwaw_in(folder, "run case.toml --quiet --resume -o out --set equation.diffusivity=0.2").code ==
        2);
}

TEST_CASE("a run that is killed is recovered, as far as it had got") {
  const auto folder = folder_of_rod("recovered");
  const int status = std::system(
      fmt::format("cd '{}' && timeout -s KILL 0.5 '{}' run case.toml --quiet --checkpoint 0.05 -o out --set "
                  "time.step=0.0000001 --set record.every=0.0001 >/dev/null 2>&1; exit 0",
                  folder.string(), PROGRAM)
          .c_str());
  REQUIRE(status == 0);
  if (!std::filesystem::exists(folder / "out" / "fields.journal")) return;  // it was faster
  CHECK_FALSE(std::filesystem::exists(folder / "out" / "fields.nc"));
  const Printed p = williwaw_in(folder, "recover out");
  CAPTURE(p.error);
  REQUIRE(p.code == 0);
  const store::FieldReader fields(folder / "out" / "fields.nc");
  CHECK(p.out.find(std::to_string(fields.times().size()) + " whole field") != std::string::npos);
  CHECK(store::read_series(folder / "out" / "series.csv").values[0].size() > 1);
  CHECK(williwaw_in(folder, "plot out profiles -o figure.png").code == 0);
  CHECK(williwaw_in(folder, "recover case.toml").code == 2);
  CHECK(williwaw_in(folder, "recover .").error.find("no journal") != std::string::npos);
}

// The name of a file that two folders do not have with the same bytes; empty where all are alike. Logs and
// summaries hold times of the clock.
std::string unlike(const std::filesystem::path& one, const std::filesystem::path& other) {
  std::vector<std::string> names;
  for (const auto& folder : {one, other})
    for (const auto& entry : std::filesystem::directory_iterator(folder))
      if (entry.is_regular_file()) names.push_back(entry.path().filename().string());
  for (const std::string& name : names) {
    if (name == "run.log" || name == "summary.json" || name == "lock") continue;
    if (!std::filesystem::exists(one / name) || !std::filesystem::exists(other / name)) return name;
    if (text_of(one / name) != text_of(other / name)) return name;
  }
  return "";
}

TEST_CASE("runs of every kind that are killed at any moment go on to the same files, byte for byte") {
  // WILLIWAW_KILLS asks for more than these few.
  const char* asked = std::getenv("WILLIWAW_KILLS");
  const int kills = asked ? std::max(1, std::atoi(asked)) : 8;
  const std::vector<std::string> kinds{
      "hut-floor.toml",
      "hut-floor.toml --set time.scheme=sdirk4 --set \"time.step={adaptive=1e-6}\"",
      "hut-floor-stages.toml",
      "mooring-line.toml",
      "squall.toml --set \"time.until=\\\"200 s\\\"\" --set \"record.every=\\\"50 s\\\"\"",
      "tidal-bore.toml",
      "dye-patch.toml --set \"time.until=\\\"6 h\\\"\"",
      "brine-tank.toml"};
  std::mt19937 chance(11);
  int killed = 0, tried = 0;
  for (int round = 0; killed < kills && round < 40; ++round)
    for (std::size_t kind = 0; kind < kinds.size() && killed < kills; ++kind) {
      const auto folder = fresh_folder("killed");
      const std::string command =
          fmt::format("run {}/{} --set figure=[] --quiet --checkpoint 0.01", CASES, kinds[kind]);
      const auto start = std::chrono::steady_clock::now();
      const Printed whole = williwaw_in(folder, command + " -o whole");
      const double seconds = std::chrono::duration<double>(std::chrono::steady_clock::now() - start).count();
      CAPTURE(kinds[kind]);
      CAPTURE(whole.error);
      REQUIRE(whole.code == 0);
      // Killed until it has got to its end, up to three times on the way.
      for (int again = 0; again < 3; ++again) {
        ++tried;
        const double after = std::uniform_real_distribution<double>(0, seconds)(chance);
        const int status = std::system(
            fmt::format("cd '{}' && timeout -s KILL {:.4f} '{}' {} --resume -o out >/dev/null 2>&1",
                        folder.string(), after, PROGRAM, command)
                .c_str());
        if (WEXITSTATUS(status) == 0) break;
        ++killed;
      }
      const Printed rest = williwaw_in(folder, command + " --resume -o out");
      CAPTURE(rest.error);
      CHECK(rest.code == 0);
      CHECK(unlike(folder / "whole", folder / "out") == "");
    }
  MESSAGE(killed, " of ", tried, " runs were killed");
  CHECK(killed >= std::min(kills, 6));
}

TEST_CASE("a reader that goes away does not stop a run, a full disk behind the output is told") {
  const auto folder = folder_of_rod("printed");
  const auto code = [&](const std::string& command) {
    const int status = std::system(("cd '" + folder.string() + "' && " + command).c_str());
    return WIFEXITED(status) ? WEXITSTATUS(status) : -1;
  };
  const std::string program = std::string("'") + PROGRAM + "'";
  CHECK(code("(" + program + " run case.toml -o out; echo $? >code) | head -1 >/dev/null") == 0);
  CHECK(text_of(folder / "code") == "0\n");
  CHECK(std::filesystem::exists(folder / "out" / "summary.json"));
  CHECK(code(program + " check case.toml >/dev/full 2>complaints") == 2);
  CHECK(text_of(folder / "complaints").find("standard output: cannot be written: No space left") !=
        std::string::npos);
}
