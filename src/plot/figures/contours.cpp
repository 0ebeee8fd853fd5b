// Filled contours with labelled lines between them.
#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "plot/cut_outs.hpp"
#include "plot/kinds.hpp"

namespace williwaw::plot {

namespace {

constexpr Index contour_pixels = 640;
constexpr Index usual_levels = 12;
// The domain ends where so much of a control volume would be left.
constexpr Real left_of_volume = 0.5;

// Linear between unknowns, right up to the boundaries; of `field` where half of a control volume is left.
Raster smooth_raster(const Field& field, const Plane& plane, const std::optional<Field>& fractions) {
  const Grid& g = field.grid();
  const Axis &right = g.axis(plane.right), &up = g.axis(plane.up);
  const Real longest = std::max(right.length(), up.length());
  const auto count = [&](const Axis& a) {
    return std::clamp<Index>(std::llround(contour_pixels * a.length() / longest), 60, contour_pixels);
  };
  Raster raster{count(right), count(up), right.from(), right.to(), up.from(), up.to(), {}};
  for (Index r = 0; r < raster.rows; ++r)
    for (Index c = 0; c < raster.columns; ++c) {
      Point p;
      p[g.direction(plane.right)] =
          right.from() + right.length() * (static_cast<Real>(c) + 0.5) / static_cast<Real>(raster.columns);
      p[g.direction(plane.up)] =
          up.from() + up.length() * (static_cast<Real>(r) + 0.5) / static_cast<Real>(raster.rows);
      if (plane.across >= 0) p[g.direction(plane.across)] = g.axis(plane.across).points()[plane.at];
      raster.values.push_back(fractions && fractions->sample(p) < left_of_volume ? std::nan("")
                                                                                 : field.sample(p));
    }
  return raster;
}

// Steps of 1, 2, 2.5 or 5 times a power of ten.
Real round_to_step(Real least) {
  const Real power = std::pow(10, std::floor(std::log10(least)));
  for (const Real factor : {1.0, 2.0, 2.5, 5.0})
    if (factor * power >= least * (1 - 1e-9)) return factor * power;
  return 10 * power;
}

struct Levels {
  std::pair<Real, Real> range;
  std::vector<Real> values;  ///< between the bands
  Real step = 0;             ///< from one to the next; 0: there are none
};

// Round numbers between a dozen bands or so, or between as many as were asked for at most.
Levels levels_of(std::pair<Real, Real> range, Index wanted) {
  Levels result{range, {}, 0};
  if (!(range.second > range.first)) return {padded(range), {}, 0};
  const Real step =
      round_to_step((range.second - range.first) / static_cast<Real>(wanted > 0 ? wanted : usual_levels));
  const Real low = std::floor(range.first / step + 1e-9), high = std::ceil(range.second / step - 1e-9);
  result.range = {step * low, step * high};
  const Index bands = std::llround(high - low);
  result.step = step;
  for (Index n = 1; n < bands; ++n) result.values.push_back(result.range.first + static_cast<Real>(n) * step);
  return result;
}

struct Label {
  Real x, y;
  std::string text;
};

// Where the field crosses a level, square by square of neighbouring pixels; labels stand on long lines, away
// from each other and from the frame.
class Tracer {
 public:
  explicit Tracer(const Raster& raster)
      : raster_(raster),
        dx_((raster.to_x - raster.from_x) / static_cast<Real>(raster.columns)),
        dy_((raster.to_y - raster.from_y) / static_cast<Real>(raster.rows)) {}

  void trace(Real level, std::vector<Real>& segments, std::vector<Label>& labels) {
    std::vector<std::pair<Real, Real>> middles;
    for (Index r = 0; r + 1 < raster_.rows; ++r)
      for (Index c = 0; c + 1 < raster_.columns; ++c) {
        std::vector<std::pair<Real, Real>> ends;
        const auto cross = [&](Index c0, Index r0, Index c1, Index r1) {
          const Real a = at(c0, r0) - level, b = at(c1, r1) - level;
          if (std::isnan(a) || std::isnan(b) || (a > 0) == (b > 0)) return;
          const Real s = a / (a - b);
          ends.emplace_back(x(c0) + s * (x(c1) - x(c0)), y(r0) + s * (y(r1) - y(r0)));
        };
        cross(c, r, c + 1, r);
        cross(c + 1, r, c + 1, r + 1);
        cross(c + 1, r + 1, c, r + 1);
        cross(c, r + 1, c, r);
        for (std::size_t e = 0; e + 1 < ends.size(); e += 2) {
          segments.insert(segments.end(), {ends[e].first, ends[e].second, ends[e + 1].first - ends[e].first,
                                           ends[e + 1].second - ends[e].second});
          middles.push_back(ends[e]);
        }
      }
    place(middles,
          fmt::format("{:.3g}", std::abs(level) < 1e-12 * (std::abs(raster_.values[0]) + 1) ? 0.0 : level),
          labels);
  }

 private:
  Real at(Index c, Index r) const { return raster_.values[r * raster_.columns + c]; }
  Real x(Index c) const { return raster_.from_x + (static_cast<Real>(c) + 0.5) * dx_; }
  Real y(Index r) const { return raster_.from_y + (static_cast<Real>(r) + 0.5) * dy_; }

  void place(const std::vector<std::pair<Real, Real>>& middles, const std::string& text,
             std::vector<Label>& labels) {
    const Real reach = 0.075 * std::max(raster_.to_x - raster_.from_x, raster_.to_y - raster_.from_y);
    if (middles.size() < 60) return;  // a line too short to carry its label
    Index placed = 0;
    // Starting elsewhere for each level keeps labels of neighbouring lines apart.
    for (std::size_t n = 0; n < middles.size() && placed < 2; ++n) {
      const auto& middle = middles[(n + middles.size() * (3 + labels.size() % 5) / 9) % middles.size()];
      const Real px = middle.first, py = middle.second;
      if (px < raster_.from_x + 0.5 * reach || px > raster_.to_x - 0.5 * reach ||
          py < raster_.from_y + 0.3 * reach || py > raster_.to_y - 0.3 * reach)
        continue;
      if (std::ranges::any_of(labels, [&](const Label& l) { return std::hypot(l.x - px, l.y - py) < reach; }))
        continue;
      if (placed > 0 && std::ranges::any_of(labels, [&](const Label& l) {
            return l.text == text && std::hypot(l.x - px, l.y - py) < 6 * reach;
          }))
        continue;
      labels.push_back({px, py, text});
      ++placed;
    }
  }

  const Raster& raster_;
  Real dx_, dy_;
};

void draw_contours_of_run(const RunFolder& run, const FigureRequest& request, const Output& out) {
  const Plane plane = plane_of(run, request);
  const auto& d = run.fields().description();
  const Grid& g = run.fields().grid();
  const Index record = records_of(run, request, 1).back();
  // Where there are outlines they tell where a plan ends, elsewhere what is left of control volumes.
  const auto fractions = has_cut_outs(run, plane) ? std::optional<Field>() : run.fields().volume_fractions();
  Raster raster = smooth_raster(run.fields().field(record), plane, fractions);
  cut_at_outlines(raster, run, plane);
  const auto [range, signed_field] = range_of(run, request, raster.values);
  const Levels levels = levels_of(range, request.levels);
  Lines lines{{}, 0.8, ink};
  std::vector<Label> labels;
  Tracer tracer(raster);
  for (const Real level : levels.values) tracer.trace(level, lines.segments, labels);
  Gnuplot plot(out);
  std::vector<Lines> over{lines};
  for (Lines& outline : region_lines(run, plane)) over.push_back(std::move(outline));
  plot.line("set title " + quoted(title_at(run, request, record) + plane_text(run, plane)));
  plot.line("set xlabel " + quoted(label(g.axis(plane.right).name(), d.length.unit)));
  plot.line("set ylabel " + quoted(label(g.axis(plane.up).name(), d.length.unit)));
  plot.line(fmt::format("set style textbox opaque noborder fillcolor rgb '{}' margins 0.4,0.3", ground));
  for (const Label& l : labels)
    plot.line(fmt::format("set label {} at {},{} center front boxed font ',10' textcolor rgb '{}'",
                          quoted(l.text), l.x, l.y, ink));
  // The bar has numbers at levels alone, at every second one where they are many.
  constexpr std::size_t most_numbers = 14;
  const Real stride = levels.values.size() > most_numbers ? 2 * levels.step : levels.step;
  if (stride > 0)
    plot.line(
        fmt::format("set cbtics {},{}", stride * std::ceil(levels.range.first / stride - 1e-9), stride));
  draw_raster(plot, raster, levels.range, signed_field, value_label(run),
              box_of(out, g.axis(plane.right).length(), g.axis(plane.up).length(), true),
              static_cast<Index>(levels.values.size()) + 1, over);
  plot.finish();
}

}  // namespace

Lines smooth_outline_of(const RunFolder& run, const Plane& plane) {
  Lines outline{{}, 1.8, ink};
  std::vector<Label> unlabelled;
  if (const auto fractions = run.fields().volume_fractions())
    Tracer(smooth_raster(*fractions, plane, {})).trace(left_of_volume, outline.segments, unlabelled);
  return outline;
}

FigureKind figures::contours() {
  return {.name = "contours",
          .draw = draw_contours_of_run,
          .lacks = lacks_plane,
          .one_time = true,
          .bands = true};
}

}  // namespace williwaw::plot
