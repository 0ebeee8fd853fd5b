// Solvers on several threads: the same bits, and nothing that ThreadSanitizer finds.
#include "support/systems.hpp"

using namespace williwaw;
using namespace williwaw::test;

TEST_CASE("threads do not change what multigrid finds") {
  const FaceSystem s = system_of(rough(180, 10));
  const auto right = right_for(s);
  std::vector<std::vector<Real>> found;
  for (const int threads : {1, 2, 3}) {
    const auto solver = make_multigrid_solver({.tolerance = 1e-9, .threads = threads});
    solver->factor(s);
    solver->solve(right, found.emplace_back(right.size()));
  }
  CHECK(found[0] == found[1]);
  CHECK(found[0] == found[2]);
}

// At a seam of odd length both lines have one colour, and at the end of a thread's lines the next thread
// writes.
TEST_CASE("threads do not change what multigrid finds around seams of odd length, nor its symmetry") {
  for (const int dimension : {2, 3}) {
    std::vector<Axis> axes{Axis::uniform("x", 0, 1, 33, Unknowns::cells)};
    axes.push_back(Axis::uniform("y", 0, 1, dimension == 2 ? 101 : 31, Unknowns::cells, true));
    if (dimension == 3) axes.push_back(Axis::uniform("z", 0, 1, 21, Unknowns::cells, true));
    Problem p(Grid(axes), diffusion(1.0, 1.0, 1.0));
    p.boundary("west", dirichlet(0.0)).boundary("east", robin(2.0, 1.0));
    const FaceSystem s = system_of(p);
    const auto right = right_for(s);
    std::vector<std::vector<Real>> found;
    for (const int threads : {1, 2, 3, 4, 7}) {
      const auto solver = make_multigrid_solver({.tolerance = 1e-9, .threads = threads});
      solver->factor(s);
      solver->solve(right, found.emplace_back(right.size()));
      CAPTURE(dimension);
      CAPTURE(threads);
      CHECK(found.back() == found.front());
      CHECK(solver->convergence()->iterations() <= 25);
    }
    CHECK(difference(found[0], solved("direct", s, right)) < 1e-7);
  }
}
