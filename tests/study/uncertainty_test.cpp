// Stated uncertainties against true errors, over runs whose solutions are known: smooth data, outlines,
// materials, corners, rough data, waves and fronts.
#include <doctest/doctest.h>
#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <fstream>

#include "support/folder.hpp"
#include "support/marching.hpp"
#include "williwaw/study/trust.hpp"

using namespace williwaw;
using namespace williwaw::casefile;
using namespace williwaw::study;
using test::instrumented;

namespace {

struct Known {
  std::string name;  ///< of the headline
  Real value;
};

struct Tried {
  std::string family, text;
  std::vector<Known> known;
};

using Tries = std::vector<Tried>;

std::string axis(const std::string& name, Real from, Real to, Index cells) {
  return fmt::format("{} = {{ from = {}, to = {}, cells = {} }}\n", name, from, to, cells);
}

std::string probe(Real x, std::optional<Real> y = {}) {
  return y ? fmt::format("[[probe]]\nname = \"here\"\nat = [{}, {}]\n", x, *y)
           : fmt::format("[[probe]]\nname = \"here\"\nat = [{}]\n", x);
}

// Cooling of a slab of half-width 1 from 1, by its series: ends prescribed at 0 at x = 1, insulated at 0.
Real cooling(Real x, Real t) {
  Real sum = 0;
  for (int n = 0; n < 400; ++n) {
    const Real b = (n + 0.5) * M_PI;
    sum += 2 * (n % 2 ? -1 : 1) / b * std::cos(b * x) * std::exp(-b * b * t);
  }
  return sum;
}

void smooth(Tries& all) {
  const std::string schemes[] = {"crank-nicolson", "implicit-euler", "bdf2", "sdirk4"};
  int count = 0;
  for (const auto& scheme : schemes)
    for (const Index cells : {11, 20, 37}) {
      const Real at = 0.13 + 0.21 * (count++ % 4);
      all.push_back({"slab",
                     "[grid]\n" + axis("x", 0, 1, cells) +
                         "[equation]\nkind = \"diffusion\"\ndiffusivity = 1\n[initial]\nvalue = "
                         "1\n[boundary]\nwest = \"insulated\"\neast = { dirichlet = 0 }\n" +
                         fmt::format("[time]\nuntil = 0.3\nscheme = \"{}\"\nstep = 0.01\n{}", scheme,
                                     scheme == "crank-nicolson" ? "damped_start = 2\n" : "") +
                         probe(at),
                     {{"here", cooling(at, 0.3)}}});
    }
  // Explicit steps: two thirds of the limit, and most of it.
  for (const auto& [scheme, part] :
       {std::pair{"explicit-euler", 0.33}, {"explicit-euler", 0.9}, {"ssprk3", 0.9}})
    for (const Index cells : {12, 25})
      all.push_back({"explicit",
                     "[grid]\n" + axis("x", 0, 1, cells) +
                         "[equation]\nkind = \"diffusion\"\ndiffusivity = 1\n[initial]\nvalue = "
                         "1\n[boundary]\nwest = \"insulated\"\neast = { dirichlet = 0 }\n" +
                         fmt::format("[time]\nuntil = 0.3\nscheme = \"{}\"\nstep = {{ of_limit = {} }}\n",
                                     scheme, part) +
                         probe(0.37),
                     {{"here", cooling(0.37, 0.3)}}});
  // Steps chosen by their errors.
  for (const Real tolerance : {1e-3, 1e-4})
    all.push_back({"adaptive",
                   "[grid]\n" + axis("x", 0, 1, 24) +
                       "[equation]\nkind = \"diffusion\"\ndiffusivity = 1\n[initial]\nvalue = "
                       "\"cos(pi*x/2)\"\n[boundary]\nwest = \"insulated\"\neast = { dirichlet = 0 }\n" +
                       fmt::format("[time]\nuntil = 0.3\nscheme = \"sdirk4\"\nstep = {{ adaptive = {} }}\n",
                                   tolerance) +
                       probe(0.4),
                   {{"here", std::cos(0.2 * M_PI) * std::exp(-M_PI * M_PI / 4 * 0.3)}}});
}

// Between two circles, prescribed at 1 and 0: u = ln(r/outer)/ln(inner/outer).
void outlines(Tries& all) {
  const Real inner = 0.3, outer = 0.9;
  int count = 0;
  for (const Index cells : {24, 30, 36, 41, 50, 64}) {
    const Real x0 = 0.011 * count, y0 = -0.007 * count;
    ++count;
    const std::string r2 = fmt::format("((x-{})^2+(y-{})^2)", x0, y0);
    const Real dx = 0.31, dy = 0.42, r = std::hypot(dx, dy);
    const std::string hole = count % 2 ? "{ dirichlet = 1 }" : "{ robin = { coefficient = 2, ambient = 1 } }";
    // Robin: k·A/inner = 2·(1 − u(inner)) with u = −A·ln(r/outer).
    const Real a = count % 2 ? 1 / std::log(outer / inner) : 1 / (std::log(outer / inner) + 1 / (2 * inner));
    all.push_back(
        {"outline",
         "[grid]\n" + axis("x", -1, 1, cells) + axis("y", -1, 1, cells) +
             fmt::format(
                 "[region.hole]\nwhere = \"{} < {}\"\nactive = false\n[region.outside]\nwhere = \"{} > "
                 "{}\"\nactive = false\n",
                 r2, inner * inner, r2, outer * outer) +
             "[equation]\nkind = \"diffusion\"\ndiffusivity = 1\n[initial]\nvalue = 0\n[boundary]\nhole = " +
             hole + "\noutside = { dirichlet = 0 }\ndefault = \"insulated\"\n[steady]\n" +
             probe(x0 + dx, y0 + dy),
         {{"here", -a * std::log(r / outer)},
          {count % 2 ? "flow hole: dirichlet" : "flow hole: robin", 2 * M_PI * a}}});
  }
}

// A round body of conductivity k in a field of slope 1 at infinity (Carslaw and Jaeger, 1959).
void materials(Tries& all) {
  int count = 0;
  for (const Real k : {10.0, 0.1})
    for (const Index cells : {20, 26, 33, 48}) {
      const Real x0 = 0.031 * count, y0 = 0.013 * count, a = 0.43, m = (k - 1) / (k + 1);
      ++count;
      const bool within = count % 2;
      const Real px = x0 + (within ? 0.17 : 0.48), py = y0 + (within ? 0.11 : 0.25);
      const Real r2 = (px - x0) * (px - x0) + (py - y0) * (py - y0);
      const Real exact = within ? 2 / (k + 1) * (px - x0) : (px - x0) * (1 - m * a * a / r2);
      const std::string q = fmt::format("((x-{})^2+(y-{})^2)", x0, y0);
      all.push_back(
          {"round body",
           "[grid]\n" + axis("x", -1, 1, cells) + axis("y", -1, 1, cells) +
               fmt::format("[region.body]\nwhere = \"{} < {}\"\n", q, a * a) +
               fmt::format("[equation]\nkind = \"diffusion\"\ndiffusivity = {{ default = 1, body = {} "
                           "}}\n[initial]\nvalue = 0\n[boundary]\n",
                           k) +
               fmt::format("default = {{ dirichlet = \"(x-{})*(1-{}/{})\" }}\n[steady]\n", x0, m * a * a, q) +
               probe(px, py),
           {{"here", exact}}});
    }
  // A source within a circle of a round body: 1 − r² inside and a logarithm outside.
  for (const Index cells : {22, 31, 44}) {
    const Real a = 0.37, outer = 0.95, x0 = 0.02, r = 0.5;
    const std::string q = fmt::format("((x-{})^2+y^2)", x0);
    all.push_back(
        {"source in a region",
         "[grid]\n" + axis("x", -1, 1, cells) + axis("y", -1, 1, cells) +
             fmt::format("[region.core]\nwhere = \"{} < {}\"\n[region.outside]\nwhere = \"{} > "
                         "{}\"\nactive = false\n",
                         q, a * a, q, outer * outer) +
             "[equation]\nkind = \"diffusion\"\ndiffusivity = 1\nsource = { default = 0, core = 5 "
             "}\n[initial]\nvalue = 0\n[boundary]\noutside = { dirichlet = 0 }\ndefault = "
             "\"insulated\"\n[steady]\n" +
             probe(x0 + 0.3, 0.4),
         {{"here", 2.5 * a * a * std::log(outer / r)}, {"flow outside: dirichlet", -5 * M_PI * a * a}}});
  }
  // Layers whose interface lies on no face: two resistances in series.
  for (const Index cells : {13, 24})
    all.push_back({"layers",
                   "[grid]\n" + axis("x", 0, 1, cells) + axis("y", 0, 1, cells) +
                       "[region.layer]\nwhere = \"x + 0.3*y < 0.5\"\n[equation]\nkind = "
                       "\"diffusion\"\ndiffusivity = { default = 1, layer = 4 }\n[initial]\nvalue = "
                       "0\n[boundary]\ndefault = { dirichlet = \"x+0.3*y < 0.5 ? (x+0.3*y-0.5)/4 : "
                       "x+0.3*y-0.5\" }\n[steady]\n" +
                       probe(0.61, 0.27),
                   {{"here", 0.61 + 0.3 * 0.27 - 0.5}}});
}

// Solutions r^p beside a re-entrant corner (p = 2/3) and beside the end of an insulated stretch (p = 1/2).
void corners(Tries& all) {
  for (const Index cells : {16, 23, 40}) {
    // Angle from the positive x axis, turned so that the cut-out quarter is x > 0, y < 0.
    const std::string angle = "(atan2(y,x) < 0 ? atan2(y,x) + 2*pi : atan2(y,x))";
    const Real x = -0.4, y = 0.25, theta = std::atan2(y, x);
    all.push_back(
        {"re-entrant corner",
         "[grid]\n" + axis("x", -1, 1, cells) + axis("y", -1, 1, cells) +
             "[region.quarter]\nwhere = \"x > 0 && y < 0\"\nactive = false\n[equation]\nkind = "
             "\"diffusion\"\ndiffusivity = 1\n[initial]\nvalue = 0\n[boundary]\nquarter = { dirichlet "
             "= 0 }\ndefault = { dirichlet = \"(x^2+y^2)^(1/3)*sin(2*" +
             angle + "/3)\" }\n[steady]\n" + probe(x, y),
         {{"here", std::pow(std::hypot(x, y), 2.0 / 3) * std::sin(2 * theta / 3)}}});
  }
  for (const Index cells : {20, 30, 52}) {
    const Real x = 0.3, y = 0.4, theta = std::atan2(y, x);
    const std::string whole = "(x^2+y^2)^(1/4)*cos(atan2(y,x)/2)";
    all.push_back(
        {"end of insulation",
         "[grid]\n" + axis("x", -1, 1, cells) + axis("y", 0, 1, cells / 2) +
             "[equation]\nkind = \"diffusion\"\ndiffusivity = 1\n[initial]\nvalue = "
             "0\n[boundary]\nsouth = \"insulated\"\ndefault = { dirichlet = \"" +
             whole +
             "\" }\n[[boundary.part]]\nname = \"open\"\nside = \"south\"\nwhere = \"x < 0\"\ndirichlet "
             "= 0\n[steady]\n" +
             probe(x, y),
         {{"here", std::pow(std::hypot(x, y), 0.5) * std::cos(theta / 2)}}});
  }
}

// A jump at 0.4137 in a rod with insulated ends, by its series.
Real levelled(Real x, Real t) {
  const Real a = 0.4137;
  Real sum = a;
  for (int n = 1; n < 200; ++n)
    sum +=
        2 * std::sin(n * M_PI * a) / (n * M_PI) * std::cos(n * M_PI * x) * std::exp(-n * n * M_PI * M_PI * t);
  return sum;
}

void rough(Tries& all) {
  for (const std::string scheme : {"crank-nicolson", "implicit-euler"})
    for (const Index cells : {15, 22, 30, 47}) {
      const Real at = 0.3 + 0.01 * static_cast<Real>(cells % 7);
      all.push_back({"jump at the start",
                     "[grid]\n" + axis("x", 0, 1, cells) +
                         "[equation]\nkind = \"diffusion\"\ndiffusivity = 1\n[initial]\nvalue = \"x < "
                         "0.4137\"\n[boundary]\ndefault = \"insulated\"\n" +
                         fmt::format("[time]\nuntil = 0.05\nscheme = \"{}\"\nstep = 0.002\n{}", scheme,
                                     scheme == "crank-nicolson" ? "damped_start = 2\n" : "") +
                         probe(at),
                     {{"here", levelled(at, 0.05)}}});
    }
  for (const Index cells : {18, 29}) {
    const auto along = [](Real x) {
      const Real w = 2 * std::sqrt(0.02);
      return 0.5 * (std::erf((x + 0.33) / w) - std::erf((x - 0.33) / w));
    };
    all.push_back({"block at the start",
                   "[grid]\n" + axis("x", -2, 2, cells) + axis("y", -2, 2, cells) +
                       "[region.block]\nwhere = \"abs(x) < 0.33 && abs(y) < 0.33\"\n[equation]\nkind = "
                       "\"diffusion\"\ndiffusivity = 1\n[initial]\nvalue = { default = 0, block = 1 "
                       "}\n[boundary]\ndefault = \"insulated\"\n[time]\nuntil = 0.02\nscheme = "
                       "\"crank-nicolson\"\ndamped_start = 2\nstep = 0.002\n" +
                       probe(0.29, 0.11),
                   {{"here", along(0.29) * along(0.11)}}});
  }
}

void waves(Tries& all) {
  for (const auto& [cells, courant] : {std::pair<Index, Real>{20, 0.9}, {33, 0.6}, {48, 0.95}})
    all.push_back(
        {"standing wave",
         "[grid]\n" + axis("x", 0, 1, cells) +
             "[equation]\nkind = \"wave\"\nspeed = 1\n[initial]\nvalue = "
             "\"sin(pi*x)+sin(3*pi*x)/3\"\n[boundary]\ndefault = \"fixed\"\n" +
             fmt::format("[time]\nuntil = 0.8\nscheme = \"leapfrog\"\nstep = {{ courant = {} }}\n", courant) +
             probe(0.27),
         {{"here", std::sin(M_PI * 0.27) * std::cos(M_PI * 0.8) +
                       std::sin(3 * M_PI * 0.27) * std::cos(3 * M_PI * 0.8) / 3}}});
  // A pulse that runs to both sides.
  for (const Index cells : {60, 90}) {
    const auto pulse = [](Real x) { return std::exp(-x * x / 0.02); };
    all.push_back({"pulse",
                   "[grid]\n" + axis("x", -2, 2, cells) +
                       "[equation]\nkind = \"wave\"\nspeed = 1\n[initial]\nvalue = "
                       "\"exp(-x^2/0.02)\"\n[boundary]\ndefault = \"fixed\"\n[time]\nuntil = 1\nscheme = "
                       "\"leapfrog\"\nstep = { courant = 0.7 }\n" +
                       probe(0.93),
                   {{"here", 0.5 * (pulse(0.93 - 1) + pulse(0.93 + 1))}}});
  }
  for (const Index cells : {16, 28})
    all.push_back(
        {"membrane",
         "[grid]\n" + axis("x", 0, 1, cells) + axis("y", 0, 1, cells) +
             "[equation]\nkind = \"wave\"\nspeed = 1\n[initial]\nvalue = "
             "\"sin(pi*x)*sin(2*pi*y)\"\n[boundary]\n"
             "default = \"fixed\"\n[time]\nuntil = 0.7\nscheme = \"leapfrog\"\nstep = { of_limit = 0.8 }\n" +
             probe(0.41, 0.33),
         {{"here",
           std::sin(M_PI * 0.41) * std::sin(2 * M_PI * 0.33) * std::cos(M_PI * std::sqrt(5) * 0.7)}}});
}

void fronts(Tries& all) {
  // A bump carried round a periodic domain.
  for (const std::string reconstruction : {"first-order", "van-leer", "third-order"})
    for (const Index cells : {40, 65, 100})
      all.push_back(
          {"carried bump",
           "[grid]\n" + axis("x", 0, 1, cells) +
               "[equation]\nkind = \"transport\"\nvelocity = 1\ndiffusivity = 0\n[initial]\nvalue = "
               "\"exp(-((x-0.5)/0.15)^2)\"\n[boundary]\ndefault = \"periodic\"\n" +
               fmt::format("[space]\nreconstruction = \"{}\"\n[time]\nuntil = 0.3\nscheme = "
                           "\"{}\"\nstep = {{ courant = 0.8 }}\n",
                           reconstruction, reconstruction == "first-order" ? "explicit-euler" : "ssprk3") +
               probe(0.71),
           {{"here", std::exp(-std::pow((0.71 - 0.8) / 0.15, 2))}}});
  // A jump that is advected, near the front and behind it.
  for (const std::string reconstruction : {"first-order", "van-leer"})
    for (const Real at : {0.55, 0.62})
      all.push_back(
          {"carried jump",
           "[grid]\n" + axis("x", 0, 1, 60) +
               "[equation]\nkind = \"transport\"\nvelocity = 1\ndiffusivity = 0\n[initial]\nvalue = "
               "\"x < 0.3\"\n[boundary]\nwest = { dirichlet = 1 }\neast = \"outflow\"\n" +
               fmt::format("[space]\nreconstruction = \"{}\"\n[time]\nuntil = 0.3\nscheme = "
                           "\"{}\"\nstep = {{ courant = 0.7 }}\n",
                           reconstruction, reconstruction == "first-order" ? "explicit-euler" : "ssprk3") +
               probe(at),
           {{"here", at < 0.6 ? 1.0 : 0.0}}});
  // A front of a conservation law: u²/2 from 1 to 0 runs at 1/2; and a fan from 0 to 1.
  for (const Index cells : {40, 63}) {
    all.push_back(
        {"shock",
         "[grid]\n" + axis("x", 0, 1, cells) +
             "[equation]\nkind = \"conservation\"\nflux = \"quadratic\"\n[initial]\nvalue = \"x < "
             "0.3\"\n[boundary]\nwest = { dirichlet = 1 }\neast = \"outflow\"\n[space]\nreconstruction "
             "= \"van-leer\"\n[time]\nuntil = 0.5\nscheme = \"ssprk3\"\nstep = { courant = 0.6 }\n" +
             probe(0.5),
         {{"here", 1.0}, {"mean", 0.55}}});
    all.push_back(
        {"fan",
         "[grid]\n" + axis("x", 0, 1, cells) +
             "[equation]\nkind = \"conservation\"\nflux = \"quadratic\"\n[initial]\nvalue = \"x > "
             "0.3\"\n[boundary]\nwest = { dirichlet = 0 }\neast = \"outflow\"\n[space]\nreconstruction "
             "= \"first-order\"\n[time]\nuntil = 0.5\nscheme = \"explicit-euler\"\nstep = { courant = 0.6 "
             "}\n" +
             probe(0.5),
         {{"here", 0.4}}});
  }
}

}  // namespace

TEST_CASE("stated uncertainties hold the true error, and are not much too wide" *
          doctest::skip(instrumented)) {
  Tries all;
  for (const auto family : {smooth, outlines, materials, corners, rough, waves, fronts}) family(all);
  CHECK(all.size() >= 60);
  const auto folder = test::fresh_folder("uncertainty");
  int inside = 0, stated = 0, silent = 0;
  Real furthest = 0;
  std::vector<Real> widths;
  for (std::size_t n = 0; n < all.size(); ++n) {
    const auto file = folder / fmt::format("case{}.toml", n);
    std::ofstream(file) << all[n].text;
    CAPTURE(all[n].family);
    const Trust trust = assess(file, {});
    for (const Known& known : all[n].known) {
      const auto found =
          std::ranges::find(trust.numbers, known.name, [](const Trusted& t) { return t.headline.name; });
      REQUIRE(found != trust.numbers.end());
      const Real error = std::abs(found->headline.value - known.value), room = found->uncertainty();
      if (!found->not_known.empty()) {
        ++silent;
        continue;
      }
      ++stated;
      const Real slack = 1e-9 * std::max(1.0, std::abs(known.value));
      if (error <= room + slack) ++inside;
      furthest = std::max(furthest, (error - slack) / std::max(room, 1e-300));
      if (error > slack) widths.push_back(room / error);
    }
  }
  std::ranges::nth_element(widths, widths.begin() + static_cast<std::ptrdiff_t>(widths.size() / 2));
  const Real median = widths[widths.size() / 2];
  CAPTURE(stated);
  CAPTURE(inside);
  CAPTURE(median);
  CAPTURE(furthest);
  CHECK(silent <= 0.05 * stated);
  CHECK(inside >= 0.95 * stated);
  CHECK(furthest <= 3);
  CHECK(median <= 5);
}
