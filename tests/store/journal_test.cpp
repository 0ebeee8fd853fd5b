// Journals that are cut back, archives that keep bits, and files that are not what they should be.
#include "williwaw/store/journal.hpp"

#include <doctest/doctest.h>

#include <cmath>
#include <fstream>
#include <limits>

#include "support/folder.hpp"
#include "support/text.hpp"
#include "williwaw/store/series.hpp"

using namespace williwaw;
using namespace williwaw::store;

TEST_CASE("a journal goes on after any of its rows as if nothing had followed") {
  const auto file = test::fresh_folder("journal") / "rows";
  {
    Journal journal(file, 2);
    for (int n = 0; n < 5; ++n) journal.append(std::vector<Real>{static_cast<Real>(n), 10.0 * n});
    journal.flush();
    CHECK(journal.rows() == 5);
  }
  {
    Journal journal(file, 2, 3);
    journal.append(std::vector<Real>{7, 8});
    std::vector<Real> first;
    journal.flush();
    JournalReader reader(file, 2, 4);
    for (std::size_t row = 0; row < 4; ++row) {
      reader.prove(row);
      reader.read(row, 0, std::span(&first.emplace_back(), 1));
    }
    CHECK(first == std::vector<Real>{0, 1, 2, 7});
    CHECK(JournalReader::beginning(file, 2) == std::vector<Real>{0, 0});
    CHECK(JournalReader::beginning(file, 100).size() == 12);
    CHECK_THROWS_WITH_AS(JournalReader(file, 2, 5), doctest::Contains("damaged at record 5 of 5"),
                         StoreError);
    CHECK_THROWS_AS(journal.append(std::vector<Real>{1}), StoreError);
  }
  CHECK_THROWS_WITH_AS(Journal(file, 2, 40), doctest::Contains("shorter than recorded in the checkpoint"),
                       StoreError);
  Journal anew(file, 2);
  CHECK(anew.rows() == 0);
  CHECK_THROWS_AS(Journal(file.parent_path() / "no" / "where", 2), StoreError);
}

TEST_CASE("an archive gives back the bits that were put in, in their order") {
  const auto file = test::fresh_folder("archive") / "checkpoint";
  const std::vector<Real> odd{0.1, -0.0, std::numeric_limits<Real>::infinity(), 5e-324, NAN};
  Archive out;
  out.put(odd);
  out.put(std::string("väggen, \n with lines"));
  out.put(std::int64_t{-7});
  out.put(1.0 / 3);
  out.put(std::vector<Real>{});
  // Long vectors are lent, between what is copied.
  std::vector<Real> many(20000), more(9000);
  for (std::size_t n = 0; n < many.size(); ++n) many[n] = std::sin(static_cast<Real>(n));
  for (std::size_t n = 0; n < more.size(); ++n) more[n] = 1 / (1 + static_cast<Real>(n));
  out.put(many);
  out.put(2.5);
  out.put(more);
  out.save(file, "1");
  Archive in = Archive::load(file, "1");
  const auto back = in.reals();
  REQUIRE(back.size() == odd.size());
  for (std::size_t n = 0; n + 1 < odd.size(); ++n) CHECK(back[n] == odd[n]);
  CHECK(std::signbit(back[1]));
  CHECK(std::isnan(back[4]));
  CHECK(in.text() == "väggen, \n with lines");
  CHECK(in.whole() == -7);
  CHECK(in.real() == 1.0 / 3);
  CHECK(in.reals().empty());
  CHECK(in.reals() == many);
  CHECK(in.real() == 2.5);
  CHECK(in.reals() == more);
  CHECK_THROWS_WITH_AS(in.real(), "a checkpoint ends too soon", StoreError);
  CHECK_THROWS_WITH_AS(Archive::load(file, "2"), doctest::Contains("no checkpoint of this version"),
                       StoreError);
  CHECK_THROWS_AS(Archive::load(file.parent_path() / "nothing", "1"), StoreError);
  // Cut short, it is broken, and says so.
  const std::string whole = test::text_of(file);
  std::ofstream(file, std::ios::binary) << whole.substr(0, whole.size() / 2);
  CHECK_THROWS_WITH_AS(Archive::load(file, "1"), doctest::Contains("is damaged at its length"), StoreError);
}

TEST_CASE("a series goes on after any of its bytes, and its file is whole at every moment") {
  const auto file = test::fresh_folder("series") / "series.csv";
  SeriesWriter::Mark at;
  {
    SeriesWriter writer(file, {{"t", "h"}, {"pipe", "degC"}});
    writer.append({1.0, 2.0});
    at = writer.mark();
    writer.append({2.0, std::nullopt});
    writer.finish(true);
  }
  CHECK(read_series(file).values[0].size() == 2);
  SeriesWriter again(file, {{"t", "h"}, {"pipe", "degC"}}, at);
  again.append({5.0, 6.0});
  again.finish(true);
  const Series series = read_series(file);
  CHECK(series.values[0] == std::vector<Real>{1, 5});
  // A changed byte is found, and bytes that are missing.
  auto partial = file;
  partial += ".partial";
  const auto mark = SeriesWriter::Mark{at.bytes, at.checksum ^ 1};
  CHECK_THROWS_WITH_AS(SeriesWriter(file, {{"t", "h"}, {"pipe", "degC"}}, mark),
                       doctest::Contains("is damaged"), StoreError);
  CHECK_THROWS_WITH_AS(SeriesWriter(file, {{"t", "h"}, {"pipe", "degC"}}, {10000, 0}),
                       doctest::Contains("shorter than recorded"), StoreError);
  again.remove_partial();
  CHECK_THROWS_WITH_AS(SeriesWriter(file, {{"t", "h"}}, {10, 0}), doctest::Contains("cannot be gone on with"),
                       StoreError);
}
