// Part of each test program that scripts/mutate builds: chooses the change that WILLIWAW_CHANGE names;
// without one it writes to the file WILLIWAW_REACHED, for each case, whether it passed, its seconds, its name
// and the changes that it reaches.
#include <doctest/doctest.h>

#include <cstdlib>
#include <fstream>

#include "switches.hpp"

namespace {

struct Watch : doctest::IReporter {
  explicit Watch(const doctest::ContextOptions&) {
    if (const char* change = std::getenv("WILLIWAW_CHANGE")) williwaw::mutation::chosen = std::atoi(change);
    if (const char* file = std::getenv("WILLIWAW_REACHED")) out.open(file);
  }

  void test_case_start(const doctest::TestCaseData& data) override {
    name = data.m_name;
    williwaw::mutation::reached.fill(0);
  }

  void test_case_end(const doctest::CurrentTestCaseStats& stats) override {
    if (!out.is_open()) return;
    out << (stats.failure_flags == 0) << '\t' << stats.seconds << '\t' << name << '\t';
    for (int n = 0; n < williwaw::mutation::most_changes; ++n)
      if (williwaw::mutation::reached[static_cast<std::size_t>(n)]) out << n << ' ';
    out << std::endl;
  }

  void report_query(const doctest::QueryData&) override {}
  void test_run_start() override {}
  void test_run_end(const doctest::TestRunStats&) override {}
  void test_case_reenter(const doctest::TestCaseData&) override {}
  void test_case_exception(const doctest::TestCaseException&) override {}
  void subcase_start(const doctest::SubcaseSignature&) override {}
  void subcase_end() override {}
  void log_assert(const doctest::AssertData&) override {}
  void log_message(const doctest::MessageData&) override {}
  void test_case_skipped(const doctest::TestCaseData&) override {}

  std::ofstream out;
  const char* name = "";
};

REGISTER_LISTENER("watch", 1, Watch);

}  // namespace
