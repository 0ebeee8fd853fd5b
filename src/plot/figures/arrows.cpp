// Arrows: the velocity of what advects the unknown over a map of it, or a vector over that of its magnitude.
#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "plot/kinds.hpp"

namespace williwaw::plot {

namespace {

// So many arrows along the longer axis.
constexpr Index most_arrows = 30;

// 1, 2 or 5 times a power of ten, at least `least`.
Real round_above(Real least) {
  const Real power = std::pow(10, std::floor(std::log10(least)));
  for (const Real factor : {1.0, 2.0, 5.0})
    if (factor * power >= least) return factor * power;
  return 10 * power;
}

void draw_arrows(const RunFolder& run, const FigureRequest& request, const Output& out) {
  const Plane plane = plane_of(run, request);
  const auto& reader = run.fields();
  const auto& d = reader.description();
  const Grid& g = reader.grid();
  const Index record = records_of(run, request, 1).back();
  const auto velocity = reader.velocity(record);
  const Axis &right = g.axis(plane.right), &up = g.axis(plane.up);
  const Real longest = std::max(right.length(), up.length()),
             spacing = longest / static_cast<Real>(most_arrows);
  const Field &across = (*velocity)[static_cast<std::size_t>(plane.right)],
              &upward = (*velocity)[static_cast<std::size_t>(plane.up)];
  const Field field = reader.field(record);
  struct Arrow {
    Real x, y, u, v;
  };
  std::vector<Arrow> arrows;
  Real fastest = 0;
  const auto places = [spacing](const Axis& axis) { return std::llround(axis.length() / spacing + 1e-9); };
  for (Index row = 0; row < places(up); ++row)
    for (Index column = 0; column < places(right); ++column) {
      const Real x = right.from() + (static_cast<Real>(column) + 0.5) * spacing,
                 y = up.from() + (static_cast<Real>(row) + 0.5) * spacing;
      Point p;
      p[g.direction(plane.right)] = x;
      p[g.direction(plane.up)] = y;
      if (plane.across >= 0) p[g.direction(plane.across)] = g.axis(plane.across).points()[plane.at];
      const Index n = g.containing(p);
      if (field.is_left_out(n)) continue;
      arrows.push_back({x, y, across[n], upward[n]});
      fastest = std::max(fastest, std::hypot(across[n], upward[n]));
    }
  Lines lines{{}, 1.3, "#d7d3c8", true};
  // The longest arrow is as long as arrows stand apart, with a little room.
  const Real scale = fastest > 0 ? 0.95 * spacing / fastest : 0;
  for (const Arrow& a : arrows)
    if (std::hypot(a.u, a.v) > 0.01 * fastest)
      lines.segments.insert(lines.segments.end(),
                            {a.x - 0.5 * scale * a.u, a.y - 0.5 * scale * a.v, scale * a.u, scale * a.v});
  // Pale on a dark rim, so that arrows show on every colour.
  Lines under = lines;
  under.width = 3.2;
  under.colour = ink;
  const Raster raster = raster_of(run, field, plane);
  const Box box = box_of(out, right.length(), up.length(), true);
  Gnuplot plot(out);
  plot.line("set title " + quoted(title_at(run, request, record) + plane_text(run, plane)));
  plot.line("set xlabel " + quoted(label(right.name(), d.length.unit)));
  plot.line("set ylabel " + quoted(label(up.name(), d.length.unit)));
  if (fastest > 0) {
    // A measure for the arrows stands below the picture's right end.
    const Real known = round_above(0.4 * fastest),
               width = (box.right - box.left) * scale * known / right.length();
    const Real y = box.bottom - 0.075;
    plot.line(fmt::format(
        "set arrow 1 from screen {},{} to screen {},{} head size screen 0.006,20 filled lw 1.6 lc rgb '{}'",
        box.right - width, y, box.right, y, ink));
    plot.line(fmt::format(
        "set label 1 {} at screen {},{} right textcolor rgb '{}'",
        quoted(fmt::format("{:g}{}{}", known, d.velocity_unit.empty() ? "" : " ", d.velocity_unit)),
        box.right - width - 0.008, y, ink));
  }
  const auto [range, signed_field] = range_of(run, request, raster.values);
  std::vector<Lines> over = region_lines(run, plane);
  over.push_back(under);
  over.push_back(lines);
  draw_raster(plot, raster, range, signed_field, value_label(run), box, 0, over);
  plot.finish();
}

std::string arrows_lack(const FigureSource& source, const FigureRequest& request) {
  if (source.velocity) return lacks_plane(source, request);
  return source.vectors ? "the name of a vector is needed: of = .."
                        : "a velocity field is needed, and this equation has none";
}

}  // namespace

FigureKind figures::arrows() {
  return {.name = "arrows", .draw = draw_arrows, .lacks = arrows_lack, .one_time = true};
}

}  // namespace williwaw::plot
