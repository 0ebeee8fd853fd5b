#include "williwaw/plot/figure.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "kinds.hpp"

namespace williwaw::plot {

RunFolder::RunFolder(std::filesystem::path folder, const std::string& unknown)
    : folder_(std::move(folder)), fields_(folder_ / "fields.nc", unknown) {}

bool shows_unknown(const std::string& kind) {
  return kind != "series" && kind != "boundary";
}

std::optional<RunFolder> of_other_unknown(const RunFolder& run, const FigureRequest& request) {
  const auto& names = run.fields().unknowns();
  if (!shows_unknown(request.kind) || request.of == run.fields().description().unknown ||
      std::ranges::find(names, request.of) == names.end())
    return std::nullopt;
  return std::optional<RunFolder>(std::in_place, run.folder(), request.of);
}

const store::RunSeries& RunFolder::series() const {
  if (!series_) series_.emplace(folder_ / "series.csv");
  return *series_;
}

std::pair<Real, Real> RunFolder::range() const {
  if (!range_) range_ = fields_.range();
  const Real largest = std::max(std::abs(range_->first), std::abs(range_->second));
  if (!(range_->first <= range_->second)) throw PlotError(folder_.string() + ": no finite value to draw");
  // A run that blew up; beyond single precision plotting has no numbers for axes.
  if (largest > 1e30)
    throw PlotError(
        fmt::format("{}: values reach {:.3g}; give a range (--range LOWEST,HIGHEST, or 'range' of the "
                    "figure) within 1e30",
                    folder_.string(), largest));
  return *range_;
}

Index RunFolder::record_at(Real time) const {
  const auto& times = fields_.times();
  const Real shown = fields_.description().time.shown(time);
  const auto nearest = std::ranges::min_element(times, {}, [&](Real t) { return std::abs(t - shown); });
  return nearest - times.begin();
}

const std::vector<FigureKind>& figure_kinds() {
  static const std::vector<FigureKind> kinds{profiles_kind(),
                                             map_kind(),
                                             contours_kind(),
                                             surface_kind(),
                                             slices_kind(),
                                             outer_faces_kind(),
                                             spacetime_kind(),
                                             series_kind(),
                                             budget_kind(),
                                             residuals_kind(),
                                             boundary_condition_kind(),
                                             steps_kind(),
                                             spectrum_kind(),
                                             film_kind(),
                                             strip_kind(),
                                             arrows_kind()};
  return kinds;
}

std::vector<std::filesystem::path> draw(const RunFolder& run, const FigureRequest& request,
                                        const std::string& format, Output out) {
  const auto& kinds = figure_kinds();
  const auto kind = std::ranges::find(kinds, request.kind, &FigureKind::name);
  if (kind == kinds.end()) {
    std::string known;
    for (const auto& k : kinds) known += (known.empty() ? "" : ", ") + k.name;
    throw PlotError("there is no figure called '" + request.kind + "' yet; there are " + known);
  }
  if (const auto other = of_other_unknown(run, request)) return draw(*other, request, format, std::move(out));
  // A map shows one time: several times are several files.
  std::vector<FigureRequest> requests{request};
  if (kind->one_time) {
    requests.clear();
    for (const Index r : records_of(run, request, 1)) {
      requests.push_back(request);
      requests.back().times = {run.fields().description().time.si(run.fields().times()[r])};
      requests.back().every = 0;
    }
  }
  std::vector<std::filesystem::path> files;
  const bool named = !out.file.empty();
  for (std::size_t n = 0; n < requests.size(); ++n) {
    if (!named || n > 0) {
      const std::string base = request.kind + (request.of.empty() ? "" : "-" + request.of);
      std::string safe;
      for (const char c : base)
        safe += std::isalnum(static_cast<unsigned char>(c)) || c == '-' || c == '_' ? c : '-';
      const auto folder = named ? out.file.parent_path() : run.folder() / "figures";
      out.file = folder / (safe + (n > 0 ? "-" + std::to_string(n + 1) : "") + "." +
                           (kind->extension.empty() ? format : kind->extension));
    }
    kind->draw(run, requests[n], out);
    files.push_back(out.file);
  }
  return files;
}

std::vector<Index> records_of(const RunFolder& run, const FigureRequest& request, Index handful) {
  const Index count = static_cast<Index>(run.fields().times().size());
  std::vector<Index> result;
  if (!request.times.empty()) {
    for (const Real t : request.times) result.push_back(run.record_at(t));
  } else if (request.every > 0) {
    for (Index n = 0; n < count; n += request.every) result.push_back(n);
    if (result.back() != count - 1) result.push_back(count - 1);
  } else {
    // The start and the end, and as many between as were asked for.
    handful = std::min(handful, count);
    for (Index n = 0; n < handful; ++n)
      result.push_back(
          handful == 1 ? count - 1
                       : std::llround(static_cast<Real>(n * (count - 1)) / static_cast<Real>(handful - 1)));
  }
  result.erase(std::unique(result.begin(), result.end()), result.end());
  return result;
}

std::string title_of(const RunFolder& run, const FigureRequest& request) {
  return request.title.empty() ? run.fields().description().title : request.title;
}

std::string title_at(const RunFolder& run, const FigureRequest& request, Index record) {
  if (run.fields().description().steady) return title_of(run, request) + ", steady state";
  return title_of(run, request) + ", t = " + time_text(run, record);
}

std::string time_text(const RunFolder& run, Index record) {
  const auto& d = run.fields().description();
  if (d.steady) return "steady state";
  return fmt::format("{:.4g}{}", run.fields().times()[record],
                     d.time.unit.empty() ? "" : " " + pretty_unit(d.time.unit));
}

std::string value_label(const RunFolder& run) {
  return label(run.fields().description().unknown, run.fields().description().value.unit);
}

std::pair<Real, Real> padded(std::pair<Real, Real> range) {
  Real width = range.second - range.first;
  if (!(width > 1e-9 * std::max(std::abs(range.first), std::abs(range.second))))
    width = std::max(1e-3 * std::max(std::abs(range.first), std::abs(range.second)), 1e-12);
  return {range.first - 0.05 * width, range.second + 0.05 * width};
}

std::pair<std::pair<Real, Real>, bool> range_of(const RunFolder& run, const FigureRequest& request) {
  auto range = request.range ? *request.range : run.range();
  const bool signed_field = !request.range && is_signed(run.fields().description().value, range);
  return {range, signed_field};
}

bool is_signed(const store::Scale& scale, std::pair<Real, Real>& range) {
  // On a scale with a zero point of its own (degC) the sign means nothing.
  if (scale.offset != 0 || !(range.first < 0 && range.second > 0)) return false;
  if (std::abs(range.first + range.second) > 0.4 * (range.second - range.first)) return false;
  const Real reach = std::max(-range.first, range.second);
  range = {-reach, reach};
  return true;
}

}  // namespace williwaw::plot
