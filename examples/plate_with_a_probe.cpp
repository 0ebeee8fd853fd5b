// A plate warmed along one edge: a probe in the middle, the heat through each boundary, and a figure at the
// end.
#include <cstdio>

#include "williwaw/plot/figure.hpp"
#include "williwaw/store/fields.hpp"
#include "williwaw/store/series.hpp"
#include "williwaw/williwaw.hpp"

using namespace williwaw;

int main(int argc, char** argv) {
  const std::filesystem::path folder = argc > 1 ? argv[1] : "plate.out";
  const Grid grid(
      {Axis::uniform("x", 0, 0.3, 60, Unknowns::cells), Axis::uniform("y", 0, 0.2, 40, Unknowns::cells)});
  Problem plate(grid, heat(50.0, 7800.0, 460.0));
  plate.initial = 280.0;
  plate.boundary("south", dirichlet([](Point p) { return 280 + 400 * p.x; }))
      .boundary("north", robin(25.0, 270.0) + flux(100.0))
      .default_boundary(insulated());

  ProblemBalance balance(plate);
  State state = balance.initial_state();
  Plan plan;
  plan.scheme = scheme("crank-nicolson");
  plan.until = 1800;
  plan.step = 10;
  plan.records = {300, 600, 1200};
  plan.series_every = 60;

  const Point middle{0.15, 0.1, 0};
  std::filesystem::create_directories(folder);
  store::FieldWriter fields(
      folder / "fields.nc", grid,
      {"Plate warmed along one edge", "temperature", {"m"}, {"min", 1.0 / 60}, {"K"}, "", "example"});
  store::SeriesWriter series(folder / "series.csv", {{"t", "min"}, {"middle", "K"}});
  Observers observers;
  observers.on_record = [&](const StepInfo& m) { fields.append(m.time, balance.field(m.state, m.time)); };
  observers.on_series = [&](const StepInfo& m) {
    series.append({m.time / 60, balance.field(m.state, m.time).sample(middle)});
  };
  const Outcome outcome = march(balance, state, plan, observers);
  fields.finish();
  series.finish();

  std::printf("in the middle after half an hour: %.3f K\n", balance.field(state, plan.until).sample(middle));
  for (std::size_t l = 0; l < outcome.budget.lines().size(); ++l)
    std::printf("  %-18s %12.5g J/m\n", outcome.budget.lines()[l].name.c_str(), outcome.budget.amounts()[l]);
  std::printf("  not accounted for  %12.1e J/m\n", outcome.budget.residual());

  casefile::FigureRequest map;
  map.kind = "map";
  for (const auto& file : plot::draw(plot::RunFolder(folder), map))
    std::printf("%s\n", file.string().c_str());
}
