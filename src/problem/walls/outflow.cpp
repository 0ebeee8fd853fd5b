// An outlet: nothing diffuses through, 0·u + 1·q = 0, and the stream takes out what it carries. Where the
// stream turns back, what comes in has the value inside, a value of its own, or a share of the value inside.
#include <algorithm>
#include <cmath>

#include "kinds.hpp"

namespace williwaw {
namespace {

class Outlet final : public Condition {
 public:
  Outlet(StreamEnd::Returning returning, Function value)
      : Condition("outflow", {value}), end_{returning, std::move(value)} {}
  const StreamEnd* stream_end() const override { return &end_; }
  void law(const WallPlace&, LawLine& out) const override {
    std::fill(out.value.begin(), out.value.end(), 0.0);
    std::fill(out.flux.begin(), out.flux.end(), 1.0);
    std::fill(out.data.begin(), out.data.end(), 0.0);
  }

 private:
  StreamEnd end_;
};

bool is_given(const Function& f) {
  return !f.is_constant() || !std::isnan(f(Point{}));
}

}  // namespace

WallKind walls::outflow_kind() {
  WallKind kind{"outflow",
                {{"returning", Quantity::unknown, NAN}, {"stabilised", Quantity::share, NAN}},
                [](const std::vector<Function>& a) {
                  using enum StreamEnd::Returning;
                  if (is_given(a[0])) return std::make_shared<Outlet>(value, a[0]);
                  if (is_given(a[1])) return std::make_shared<Outlet>(share, a[1]);
                  return std::make_shared<Outlet>(inside, Function(0.0));
                },
                "outflow: the stream takes out what it carries"};
  kind.one_of = true;
  kind.alone = true;
  return kind;
}

Wall outflow() {
  return Wall(std::make_shared<Outlet>(StreamEnd::Returning::inside, 0.0));
}

Wall outflow_returning(Function value) {
  return Wall(std::make_shared<Outlet>(StreamEnd::Returning::value, std::move(value)));
}

Wall outflow_stabilised(Real share) {
  return Wall(std::make_shared<Outlet>(StreamEnd::Returning::share, share));
}

}  // namespace williwaw
