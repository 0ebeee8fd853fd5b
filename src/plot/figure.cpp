#include "williwaw/plot/figure.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <iterator>

#include "casefile/reader.hpp"
#include "grid/named.hpp"
#include "kinds.hpp"
#include "williwaw/study/check.hpp"
#include "williwaw/study/series_columns.hpp"

namespace williwaw::plot {

RunFolder::RunFolder(std::filesystem::path folder, const std::string& unknown)
    : folder_(std::move(folder)), fields_(folder_ / "fields.nc", unknown) {}

namespace {

const FigureKind* find_kind(const std::string& name) {
  const auto& kinds = figure_kinds();
  const auto kind = std::ranges::find(kinds, name, &FigureKind::name);
  return kind == kinds.end() ? nullptr : &*kind;
}

}  // namespace

std::string FigureKind::lacking(const FigureSource& source, const FigureRequest& request) const {
  std::string text = lacks ? lacks(source, request) : "";
  const auto named = [](bool FigureKind::*property) {
    std::vector<FigureKind> some;
    std::ranges::copy_if(figure_kinds(), std::back_inserter(some), property);
    return names_of(some);
  };
  if (request.view && !perspective)
    text = "`view` is of pictures in perspective: " + named(&FigureKind::perspective);
  if (request.levels > 0 && !bands) text = "`levels` are of " + named(&FigureKind::bands);
  return text.empty() ? "" : name + ": " + text;
}

std::optional<RunFolder> of_other_unknown(const RunFolder& run, const FigureRequest& request) {
  const auto names = run.fields().quantities();
  const FigureKind* kind = find_kind(request.kind);
  if ((kind && kind->of != Shown::unknown) || request.of == run.fields().description().unknown ||
      std::ranges::find(names, request.of) == names.end())
    return std::nullopt;
  return std::optional<RunFolder>(std::in_place, run.folder(), request.of);
}

const store::RunSeries& RunFolder::series() const {
  if (!series_) series_.emplace(folder_ / "series.csv");
  return *series_;
}

namespace {

void check_range(const std::filesystem::path& folder, const std::pair<Real, Real>& range) {
  const Real largest = std::max(std::abs(range.first), std::abs(range.second));
  if (!(range.first <= range.second)) throw PlotError(folder.string() + ": no finite value to draw");
  // A run that blew up; beyond single precision plotting has no numbers for axes.
  if (largest > 1e30)
    throw PlotError(
        fmt::format("{}: values reach {:.3g}; give a range (--range LOWEST,HIGHEST, or 'range' of the "
                    "figure) within 1e30",
                    folder.string(), largest));
}

}  // namespace

std::pair<Real, Real> RunFolder::range() const {
  if (!range_) range_ = fields_.range();
  check_range(folder_, *range_);
  return *range_;
}

Index RunFolder::record_at(Real time) const {
  return fields_.nearest_record(fields_.description().time.shown(time));
}

namespace {

// A vector whose components are arrows' by themselves.
bool shows_vector(const casefile::Case& given, const FigureRequest& request) {
  return std::ranges::find(given.vectors, request.of, &casefile::VectorOfUnknowns::name) !=
         given.vectors.end();
}

// Of a figure of an unknown: that it will be there.
void check_quantity(const casefile::Case& given, const FigureRequest& request) {
  if (request.of.empty()) return;
  const casefile::Words known = given.recorded_quantities();
  if (std::ranges::find(known, request.of) == known.end())
    casefile::refuse_word(request.place, "figure.of", "quantity", request.of, known, {});
}

// Of a figure of what a probe saw.
void check_probe(const casefile::Case& given, const FigureRequest& request) {
  if (request.of.empty()) return;
  std::vector<std::string> known;
  for (const casefile::Probe& probe : given.probes) known.push_back(probe.name);
  const auto means = [&](const std::string& name) {
    return request.of == name || request.of.ends_with(": " + name);
  };
  if (std::ranges::none_of(known, means))
    casefile::refuse_word(request.place, "figure.of", "probe", request.of, known, {});
}

// Of a figure of a boundary: that something flows through it. Of several unknowns their names stand before
// it.
void check_boundary(const casefile::Case& given, const FigureRequest& request) {
  if (request.of.empty() || !given.stages.empty()) return;
  std::vector<std::string> known;
  for (std::size_t u = 0; u < given.count(); ++u)
    for (const auto& [name, text] : given.unknown(u).boundaries) {
      if (text.starts_with("periodic")) continue;
      if (u == 0) known.push_back(name);
      if (given.is_system()) known.push_back(given.unknown(u).problem.equation().unknown + " " + name);
    }
  if (std::ranges::find(known, request.of) == known.end())
    casefile::refuse_word(request.place, "figure.of", "boundary", request.of, known, {});
}

// Of a comparison: that there is something to compare with.
void check_other(const FigureRequest& request) {
  const std::string other = other_of(request);
  if (other != "exact" && !std::filesystem::exists(other))
    throw casefile::CaseError(request.place, "figure.of",
                              "'" + other + "' is neither a result folder nor a table");
}

}  // namespace

std::string other_of(const FigureRequest& request) {
  if (request.of.empty() || request.of == "exact") return "exact";
  const auto beside_case = request.folder / request.of;
  return std::filesystem::exists(beside_case) ? beside_case.string() : request.of;
}

void draw_analysis(const FigureKind& kind, const casefile::Case& given, const study::Prepared& prepared,
                   const Output& out) {
  if (const std::string lacking = kind.lacking(source_of(given), {}); !lacking.empty())
    throw PlotError(lacking);
  kind.draw_case(given, prepared, out);
}

FigureSource source_of(const casefile::Case& given) {
  const Problem& problem = given.problem;
  FigureSource source;
  source.dimension = problem.grid().dimension();
  source.steady = given.steady.has_value();
  source.velocity = problem.equation().advection && !problem.equation().advection->law;
  for (std::size_t u = 0; u < given.count(); ++u)
    source.exact = source.exact || given.unknown(u).exact || given.exact_is_initial;
  source.waves = problem.equation().second_order;
  source.spectra = source.waves && !given.probes.empty();
  source.adaptive = !given.steady && given.plan.adaptive;
  // Later stages may do what the first one does not.
  source.steps = source.adaptive || !given.stages.empty();
  source.modes = !problem.equation().as_system || is_second_order(given.plan.scheme);
  return source;
}

FigureSource source_of(const RunFolder& run) {
  const auto& d = run.fields().description();
  // Whether an exact solution is known its case says.
  FigureSource source{run.fields().grid().dimension(), d.steady, d.velocity, !d.vectors.empty(), true};
  source.spectra = std::filesystem::exists(run.folder() / "spectrum.csv");
  source.steps = std::filesystem::exists(run.folder() / "steps.csv");
  return source;
}

const std::vector<FigureKind>& figure_kinds() {
  static const std::vector<FigureKind> kinds{
#define KIND(name) figures::name(),
#include "plot/figures/list.inc"
#undef KIND
  };
  return kinds;
}

const FigureKind& figure_kind(const std::string& name) {
  const FigureKind* kind = find_kind(name);
  if (!kind)
    throw PlotError("there is no figure called '" + name + "'; there are " + figure_names(false) +
                    ", and of case files " + figure_names(true));
  return *kind;
}

std::string figure_names(bool of_case) {
  std::vector<FigureKind> some;
  for (const FigureKind& kind : figure_kinds())
    if (bool(kind.draw_case) == of_case) some.push_back(kind);
  return names_of(some);
}

std::string lacks_line(const FigureSource& source, const FigureRequest& request) {
  return source.dimension == 1 || request.along
             ? ""
             : "in 2-D and 3-D a line is needed: along = { from, to }, or --along X,Y:X,Y";
}

std::string lacks_plane(const FigureSource& source, const FigureRequest& request) {
  if (source.dimension == 1) return "two axes are needed; in 1-D there are profiles and spacetime";
  if (source.dimension == 3 && (!request.at || request.at_axis < 0))
    return "in 3-D a plane is needed: at = { z = .. }, or --at z=..";
  return "";
}

std::string lacks_block(const FigureSource& source, const FigureRequest&) {
  return source.dimension == 3 ? "" : "three axes are needed; in 2-D there are map and contours";
}

void check_figures(const casefile::Case& given) {
  for (const FigureRequest& request : given.figures) {
    const FigureKind* kind = find_kind(request.kind);
    if (!kind) {
      std::vector<std::string> names;
      for (const FigureKind& known : figure_kinds()) names.push_back(known.name);
      casefile::refuse_word(request.place, "figure.kind", "value", request.kind, names, {});
    }
    if (kind->of == Shown::unknown) check_quantity(given, request);
    if (kind->of == Shown::probe) check_probe(given, request);
    if (kind->of == Shown::boundary) check_boundary(given, request);
    if (kind->of == Shown::other) check_other(request);
    FigureSource source = source_of(given);
    source.velocity = source.velocity || shows_vector(given, request);
    source.vectors = !given.vectors.empty();
    const std::string lacking = kind->lacking(source, request);
    if (!lacking.empty()) throw casefile::CaseError(request.place, "figure", lacking);
  }
}

void check_figures(const casefile::Case& given, const study::Prepared& prepared) {
  if (!given.stages.empty()) return;
  std::vector<std::string> names;
  for (const auto& column : study::layout_of_series(given, *prepared.balance, prepared.balance->lines()))
    names.push_back(column.name);
  for (const FigureRequest& request : given.figures) {
    const FigureKind* kind = find_kind(request.kind);
    if (!kind || kind->of != Shown::column || request.of.empty()) continue;
    const bool there =
        std::ranges::any_of(names, [&](const std::string& name) { return name.starts_with(request.of); });
    if (!there) casefile::refuse_word(request.place, "figure.of", "column", request.of, names, {});
  }
}

std::vector<std::filesystem::path> draw(const RunFolder& run, const FigureRequest& request,
                                        const std::string& format, Output out) {
  const FigureKind* kind = &figure_kind(request.kind);
  if (!kind->draw)
    throw PlotError(kind->name + " belongs to a case file, not to its results: williwaw plot CASE.toml " +
                    kind->name);
  if (const auto other = of_other_unknown(run, request)) return draw(*other, request, format, std::move(out));
  if (const std::string lacking = kind->lacking(source_of(run), request); !lacking.empty())
    throw PlotError(lacking);
  // A map shows one time: several times are several files.
  std::vector<FigureRequest> requests{request};
  if (kind->one_time && !(kind->all_times && kind->all_times(source_of(run), request))) {
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

void widen(std::pair<Real, Real>& range, std::span<const Real> values) {
  for (const Real v : values)
    if (std::isfinite(v)) range = {std::min(range.first, v), std::max(range.second, v)};
}

std::pair<std::pair<Real, Real>, bool> range_of(const RunFolder& run, const FigureRequest& request) {
  auto range = request.range ? *request.range : run.range();
  const bool signed_field = !request.range && is_signed(run.fields().description().value, range);
  return {range, signed_field};
}

std::pair<std::pair<Real, Real>, bool> range_of(const RunFolder& run, const FigureRequest& request,
                                                std::span<const Real> values) {
  if (request.range) return {*request.range, false};
  std::pair<Real, Real> range{INFINITY, -INFINITY};
  widen(range, values);
  check_range(run.folder(), range);
  const bool signed_field = is_signed(run.fields().description().value, range);
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
