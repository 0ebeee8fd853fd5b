// An outlet: nothing diffuses through, 0·u + 1·q = 0, and the flow takes out what it carries. Where the
// advection has backflow, what comes in has the value inside, a value of its own, or a fraction of the value
// inside.
#include <algorithm>
#include <cmath>

#include "kinds.hpp"

namespace williwaw {
namespace {

class Outlet final : public BoundaryCondition {
 public:
  Outlet(AdvectiveBoundary::Backflow backflow, Function value)
      : BoundaryCondition("outflow", {value}), end_{backflow, std::move(value)} {}
  const AdvectiveBoundary* advective_boundary() const override { return &end_; }
  void law(const BoundaryPlace&, LawLine& out) const override {
    std::fill(out.value.begin(), out.value.end(), 0.0);
    std::fill(out.flux.begin(), out.flux.end(), 1.0);
    std::fill(out.data.begin(), out.data.end(), 0.0);
  }

 private:
  AdvectiveBoundary end_;
};

bool is_given(const Function& f) {
  return !f.is_constant() || !std::isnan(f(Point{}));
}

}  // namespace

BoundaryConditionKind boundaries::outflow_kind() {
  BoundaryConditionKind kind{
      "outflow",
      {{"backflow", quantities::unknown, NAN}, {"backflow_stabilization", quantities::fraction, NAN}},
      [](const std::vector<Function>& a) {
        using enum AdvectiveBoundary::Backflow;
        if (is_given(a[0])) return std::make_shared<Outlet>(value, a[0]);
        if (is_given(a[1])) return std::make_shared<Outlet>(fraction, a[1]);
        return std::make_shared<Outlet>(inside, Function(0.0));
      },
      "outflow{how}"};
  kind.of_advection = true;
  kind.one_of = true;
  kind.alone = true;
  return kind;
}

Boundary outflow() {
  return Boundary(std::make_shared<Outlet>(AdvectiveBoundary::Backflow::inside, 0.0));
}

Boundary outflow_with_backflow(Function value) {
  return Boundary(std::make_shared<Outlet>(AdvectiveBoundary::Backflow::value, std::move(value)));
}

Boundary outflow_with_stabilization(Real fraction) {
  return Boundary(std::make_shared<Outlet>(AdvectiveBoundary::Backflow::fraction, fraction));
}

}  // namespace williwaw
