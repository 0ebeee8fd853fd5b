#include "williwaw/study/samples.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "study/run/derived.hpp"
#include "study/run/run_log.hpp"
#include "study/run/tables.hpp"
#include "study/wording.hpp"
#include "williwaw/store/apart.hpp"
#include "williwaw/store/run_series.hpp"

namespace williwaw::study {

namespace {

constexpr Real same_moment = 1e-9;

// A statistic of the values of all samples, which are in increasing order.
struct Statistic {
  const char* name;
  Real (*of)(std::span<const Real>);
};

Real mean_of(std::span<const Real> values) {
  Real sum = 0;
  for (const Real v : values) sum += v;
  return sum / static_cast<Real>(values.size());
}

Real spread_over(std::span<const Real> values) {
  if (values.size() < 2) return 0;
  const Real mean = mean_of(values);
  Real squares = 0;
  for (const Real v : values) squares += (v - mean) * (v - mean);
  return std::sqrt(squares / static_cast<Real>(values.size() - 1));
}

template <int percent>
Real quantile_of(std::span<const Real> values) {
  const Real place = 0.01 * percent * static_cast<Real>(values.size() - 1);
  const auto below = static_cast<std::size_t>(place);
  const std::size_t above = std::min(below + 1, values.size() - 1);
  const Real weight = place - static_cast<Real>(below);
  return (1 - weight) * values[below] + weight * values[above];
}

constexpr Statistic statistics[] = {{casefile::statistics_of_samples[0], spread_over},
                                    {casefile::statistics_of_samples[1], quantile_of<10>},
                                    {casefile::statistics_of_samples[2], quantile_of<50>},
                                    {casefile::statistics_of_samples[3], quantile_of<90>}};

// Of values in any order; not a number where one of them is none.
Real taken(Real (*of)(std::span<const Real>), std::vector<Real>& values) {
  if (std::ranges::any_of(values, [](Real v) { return !std::isfinite(v); })) return NAN;
  std::ranges::sort(values);
  return of(values);
}

// The same place by place, with the samples where formulas have unknowns.
OfUnknowns over_samples(Real (*of)(std::span<const Real>)) {
  return [of](const Points&, Real, UnknownLines samples, std::span<Real> out) {
    std::vector<Real> values(samples.size());
    for (std::size_t i = 0; i < out.size(); ++i) {
      for (std::size_t s = 0; s < samples.size(); ++s) values[s] = samples[s][i];
      out[i] = taken(of, values);
    }
  };
}

// How a statistic is shown: a spread is a difference, which has no zero point.
store::Scale scale_of_statistic(const store::Scale& scale, const Statistic& statistic) {
  if (statistic.of != spread_over || scale.offset == 0) return scale;
  return {"K", 1, 0};
}

// Numbers of the times of the first that all others have too, in each of them.
std::vector<std::vector<Index>> common_times(const std::vector<std::vector<Real>>& times) {
  std::vector<std::vector<Index>> result(times.size());
  for (std::size_t n = 0; n < times[0].size(); ++n) {
    std::vector<Index> found;
    for (const auto& own : times) {
      const Real slack = same_moment * std::max(std::abs(times[0].back()), 1e-300);
      const auto at = std::ranges::find_if(own, [&](Real t) { return std::abs(t - times[0][n]) <= slack; });
      if (at != own.end()) found.push_back(static_cast<Index>(at - own.begin()));
    }
    if (found.size() != times.size()) continue;
    for (std::size_t s = 0; s < times.size(); ++s) result[s].push_back(found[s]);
  }
  return result;
}

// A quantity of all samples, in SI on the grid of the case.
class OfAll {
 public:
  OfAll(const Grid& grid, const std::vector<std::filesystem::path>& folders, const std::string& name)
      : grid_(grid) {
    for (const auto& folder : folders) {
      readers_.push_back(std::make_unique<store::FieldReader>(folder / "fields.nc", name));
      if (readers_.back()->grid().count() != grid.count())
        throw InputError(folder.string() + ": its grid is not that of the other samples");
    }
  }
  const store::FieldReader& first() const { return *readers_.front(); }
  std::vector<std::vector<Real>> times() const {
    std::vector<std::vector<Real>> result;
    for (const auto& reader : readers_) result.push_back(reader->times());
    return result;
  }
  std::vector<Field> at(const std::vector<std::vector<Index>>& records, std::size_t n) const {
    std::vector<Field> result;
    for (std::size_t s = 0; s < readers_.size(); ++s)
      result.push_back(in_si(readers_[s]->field(records[s][n])));
    return result;
  }

 private:
  Field in_si(const Field& shown) const {
    Field result(grid_);
    std::vector<Index> gone;
    for (Index n = 0; n < grid_.count(); ++n)
      if (shown.is_left_out(n)) gone.push_back(n);
    result.leave_out(gone);
    std::vector<Real> values(shown.raw().begin(), shown.raw().end());
    for (Real& v : values) v = first().description().value.si(v);
    result.set_raw(values);
    result.set_knows_beyond(shown.knows_beyond());
    return result;
  }

  Grid grid_;
  std::vector<std::unique_ptr<store::FieldReader>> readers_;
};

void write_fields(const Case& given, const std::vector<std::filesystem::path>& folders,
                  const std::filesystem::path& file) {
  const store::FieldReader sample(folders.front() / "fields.nc");
  store::Description about = sample.description();
  about.case_text = given.text;
  about.title = given.title + fmt::format(", mean of {} samples", folders.size());
  about.velocity = false;
  std::vector<store::Quantity> quantities{{about.unknown, about.value}};
  quantities.insert(quantities.end(), about.others.begin(), about.others.end());
  std::vector<OfAll> all;
  for (const store::Quantity& q : quantities) {
    all.emplace_back(given.grid(), folders, q.name);
    for (const Statistic& statistic : statistics)
      about.others.push_back({q.name + statistic.name, scale_of_statistic(q.scale, statistic)});
  }
  const auto records = common_times(all.front().times());
  std::vector<Real> fractions;
  if (const auto left = sample.volume_fractions()) fractions = left->values();
  store::FieldWriter writer(file, given.grid(), about, fractions);
  for (std::size_t n = 0; n < records[0].size(); ++n) {
    const auto record = static_cast<std::size_t>(records[0][n]);
    const Real time = about.time.si(sample.times()[record]);
    std::vector<Field> means, others;
    for (const OfAll& quantity : all) {
      const std::vector<Field> fields = quantity.at(records, n);
      means.push_back(field_by(over_samples(mean_of), fields, time));
      for (const Statistic& statistic : statistics)
        others.push_back(field_by(over_samples(statistic.of), fields, time));
    }
    means.insert(means.end(), others.begin(), others.end());
    writer.append(time, means, sample.stages()[record]);
  }
  writer.finish();
}

// One number out of those of all samples in a row of their series.
class Tables {
 public:
  explicit Tables(const std::vector<std::filesystem::path>& folders) {
    std::vector<std::vector<Real>> times;
    for (const auto& folder : folders) {
      all_.push_back(store::read_series(folder / "series.csv"));
      if (!std::ranges::equal(all_.back().columns, all_.front().columns, {}, &store::Column::name,
                              &store::Column::name))
        throw InputError((folder / "series.csv").string() +
                         ": its columns are not those of the other samples");
      times.push_back(all_.back().values[0]);
    }
    rows_ = common_times(times);
  }
  std::size_t rows() const { return rows_[0].size(); }
  const store::Column& column(std::size_t c) const { return all_.front().columns[c]; }
  std::size_t columns() const { return all_.front().columns.size(); }
  Real value(Real (*of)(std::span<const Real>), std::size_t c, std::size_t row) const {
    std::vector<Real> values;
    for (std::size_t s = 0; s < all_.size(); ++s)
      values.push_back(all_[s].values[c][static_cast<std::size_t>(rows_[s][row])]);
    return taken(of, values);
  }

 private:
  std::vector<store::Series> all_;
  std::vector<std::vector<Index>> rows_;
};

std::optional<Real> cell(Real value) {
  return std::isfinite(value) ? std::optional(value) : std::nullopt;
}

void write_series(const Tables& tables, const std::filesystem::path& file) {
  std::vector<store::Column> columns;
  for (std::size_t c = 0; c < tables.columns(); ++c)
    columns.push_back({tables.column(c).name, tables.column(c).unit, 15});
  store::SeriesWriter writer(file, columns);
  for (std::size_t row = 0; row < tables.rows(); ++row) {
    std::vector<std::optional<Real>> cells;
    for (std::size_t c = 0; c < tables.columns(); ++c) cells.push_back(cell(tables.value(mean_of, c, row)));
    writer.append(cells);
  }
  writer.finish();
}

// Columns whose spread is of interest: not flows and amounts, nor what the program itself is off by.
std::vector<std::size_t> spreading_columns(const std::filesystem::path& sample) {
  const store::RunSeries series(sample / "series.csv");
  std::vector<std::size_t> result;
  for (std::size_t c = 1; c < series.table().columns.size(); ++c) {
    const store::SeriesRole role = series.role(c);
    if (role == store::SeriesRole::probe || role == store::SeriesRole::measure ||
        role == store::SeriesRole::content)
      result.push_back(c);
  }
  return result;
}

void write_spread(const Tables& tables, const std::vector<std::size_t>& chosen,
                  const std::filesystem::path& file) {
  std::vector<store::Column> columns{tables.column(0)};
  for (const std::size_t c : chosen)
    for (const Statistic& statistic : statistics)
      columns.push_back({tables.column(c).name + statistic.name, tables.column(c).unit});
  store::SeriesWriter writer(file, columns);
  for (std::size_t row = 0; row < tables.rows(); ++row) {
    std::vector<std::optional<Real>> cells{tables.value(mean_of, 0, row)};
    for (const std::size_t c : chosen)
      for (const Statistic& statistic : statistics) cells.push_back(cell(tables.value(statistic.of, c, row)));
    writer.append(cells);
  }
  writer.finish();
}

Report report_of(const Case& given, const Tables& tables, const std::vector<std::size_t>& chosen) {
  Report report;
  report.section(
      fmt::format("mean of {} samples ± spread{}", given.samples, given.steady ? "" : ", at the end"));
  const std::size_t last = tables.rows() - 1;
  for (const std::size_t c : chosen) {
    const auto value = [&](Real (*of)(std::span<const Real>)) { return tables.value(of, c, last); };
    const std::string& unit = tables.column(c).unit;
    report.row(
        tables.column(c).name,
        fmt::format("{:.5g} ± {:.2g}{}  (80 % between {:.5g} and {:.5g})", value(mean_of), value(spread_over),
                    unit.empty() ? "" : " " + unit, value(quantile_of<10>), value(quantile_of<90>)),
        number(value(mean_of)), unit);
  }
  return report;
}

}  // namespace

std::filesystem::path folder_of_sample(const Case& given, Index sample, const std::filesystem::path& folder) {
  const std::size_t digits = std::to_string(given.samples - 1).size();
  return folder / fmt::format("sample-{:0{}}", sample, digits);
}

Report write_statistics(const Case& given, const std::filesystem::path& folder) {
  std::vector<std::filesystem::path> folders;
  for (Index s = 0; s < given.samples; ++s) folders.push_back(folder_of_sample(given, s, folder));
  const store::FolderLock lock(folder);
  const Tables tables(folders);
  if (tables.rows() == 0) throw InputError(folder.string() + ": its samples have no time in common");
  const auto chosen = spreading_columns(folders.front());
  RunLog log(folder / "run.log");
  log.write(fmt::format("williwaw {}: {}", version, given.file.string()));
  const auto file = folder / "fields.nc";
  store::apart(file.string(), [&] { write_fields(given, folders, file); });
  write_series(tables, folder / "series.csv");
  write_spread(tables, chosen, folder / "spread.csv");
  store::write_file(folder / "case.toml", given.text);
  Report report = report_of(given, tables, chosen);
  log.write(report.text());
  Report whole = report;
  whole.append(columns_section(folder / "series.csv"));
  store::write_file(folder / "summary.json", whole.json());
  return report;
}

}  // namespace williwaw::study
