// What the program's commands do once their arguments are read. Each returns an exit code.
#pragma once

#include <filesystem>
#include <string>
#include <vector>

#include "williwaw/study/open_case.hpp"

namespace williwaw::cli {

/// Exit codes, as INTERFACE has them.
enum Exit { done = 0, internal = 1, bad_input = 2, unstable = 3, not_met = 4, interrupted = 130 };

struct CheckArguments {
  std::filesystem::path file;
  std::vector<std::string> set;
  std::string at;
  double memory = 0;  ///< bytes that a run may take at its peak; 0: what there is
  std::string ranks;  ///< boxes along each axis; empty: as they are chosen
  bool json = false;
};

struct RunArguments {
  std::filesystem::path file;
  std::filesystem::path folder;
  std::vector<std::string> set;
  int threads = 0;
  double memory = 0;  ///< bytes that it may take at its peak; 0: what there is
  std::string ranks;  ///< boxes along each axis; empty: as they are chosen
  bool quiet = false;
  bool force = false;
  bool trust = false;
  bool resume = false;
  bool keep = false;
  bool watch = false;      ///< draw the field in the terminal while it goes on
  double checkpoint = -1;  ///< seconds; below 0: as the library has it
  bool json = false;
};

struct PlotArguments {
  std::filesystem::path run;
  std::vector<std::string> set;
  std::string kind;
  std::string of;
  std::string times;
  std::string range;
  std::string at;
  std::string along;
  std::string view;
  Index levels = 0;
  std::string size = "1280x800";
  std::string format = "png";
  std::filesystem::path output;
  double seconds = 0, fps = 0;  ///< of a film; 0: not given
};

struct ExportArguments {
  std::filesystem::path run;
  std::string to;
  std::string layout = "long";
  std::string times;
  std::filesystem::path folder;
};

struct ViewArguments {
  std::vector<std::filesystem::path> runs;
  std::filesystem::path output;
};

struct SampleArguments {
  std::filesystem::path run;
  std::vector<std::string> at;
  std::string along;
  Index points = 51;
  std::string times;
  std::string of;
  std::filesystem::path output;
};

struct SweepArguments {
  std::filesystem::path file;
  std::vector<std::string> set;
  std::vector<std::string> vary;
  bool variants = false;
  bool force = false;
  std::filesystem::path folder;
  int threads = 0;
  int jobs = 0;
  bool json = false;
};

struct ConvergeArguments {
  std::filesystem::path file;
  std::vector<std::string> set;
  std::filesystem::path folder;
  int threads = 0;
  bool json = false;
};

struct CompareArguments {
  std::filesystem::path run;
  std::vector<std::string> others;
  std::string formula, table, times;
  int digits = 4;
  Index rows = 0;  ///< 0: a dozen, of a table of nodes all
  std::filesystem::path output;
  bool json = false;
};

int write_new(const std::string& kind, const std::filesystem::path& file);
int check(const CheckArguments& arguments);
int run(const RunArguments& arguments);
int recover(const std::filesystem::path& folder);
int plot(const PlotArguments& arguments);
int export_run(const ExportArguments& arguments);
int view(const ViewArguments& arguments);
int sample(const SampleArguments& arguments);
int sweep(const SweepArguments& arguments);
int compare(const CompareArguments& arguments);
int converge(const ConvergeArguments& arguments);
int film(const PlotArguments& arguments);
int demo(const std::string& name, const std::filesystem::path& folder);
/// Opens a case as study::open_case does, its figures checked too.
casefile::Case open_case(const std::filesystem::path& file, const std::vector<std::string>& set,
                         const casefile::Reading& reading = {}, const study::MemoryLimit& limit = {});
/// "hut-floor, ice-deck ..": of all bundled cases.
std::string demo_names();
int kinds();

}  // namespace williwaw::cli
