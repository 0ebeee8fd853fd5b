// Ends of waves that reflect: held at rest, u = 0, or without any force on them, q = 0.
#include <algorithm>

#include "kinds.hpp"

namespace williwaw {
namespace {

class Fixed final : public Condition {
 public:
  Fixed() : Condition("fixed", {}) {}
  bool holds() const override { return true; }
  void law(const WallPlace&, LawLine& out) const override {
    std::fill(out.value.begin(), out.value.end(), 1.0);
  }
};

class Free final : public Condition {
 public:
  Free() : Condition("free", {}) {}
  void law(const WallPlace&, LawLine& out) const override {
    std::fill(out.flux.begin(), out.flux.end(), 1.0);
  }
};

}  // namespace

WallKind walls::fixed_kind() {
  WallKind kind{"fixed",
                {},
                [](const std::vector<Function>&) { return std::make_shared<Fixed>(); },
                "fixed: {u} 0, reflects upside down"};
  kind.of_waves = true;
  return kind;
}

WallKind walls::free_kind() {
  WallKind kind{"free",
                {},
                [](const std::vector<Function>&) { return std::make_shared<Free>(); },
                "free: no force, reflects upright"};
  kind.of_waves = true;
  return kind;
}

Wall fixed_end() {
  return Wall(std::make_shared<Fixed>());
}

Wall free_end() {
  return Wall(std::make_shared<Free>());
}

}  // namespace williwaw
