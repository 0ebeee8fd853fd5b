#include "williwaw/boundary/absorbing_boundary.hpp"

#include <algorithm>

namespace williwaw {

AbsorbingBoundary::AbsorbingBoundary(const Grid& grid, const BoundarySection& section, int order)
    : order_(order), beside_(grid.unknowns() == Unknowns::cells) {
  for (const BoundaryFace& face : section.faces) {
    const Axis& axis = grid.axis(face.axis);
    if (!face.on_side)
      throw InputError(
          Subject::boundary,
          "'" + section.name +
              "': absorbing of an order above 1 belongs to sides of the grid; a cut-out takes order 1");
    if (axis.size() < order + 2)
      throw InputError(Subject::boundary, "'" + section.name + "': too few unknowns along " + axis.name() +
                                              " for an absorbing boundary of this order");
    Index stride = 1;
    for (int a = 0; a < face.axis; ++a) stride *= grid.size(a);
    const auto gaps = axis.gaps();
    const Index edge = face.upper ? axis.size() - 1 : 0;
    // Gap i lies below unknown i.
    const Real spacing = beside_ ? 2 * face.distance : gaps[face.upper ? edge : 1];
    // Only unknowns on boundaries wait for each other.
    int corners = 0;
    const auto at = grid.position(face.unknown);
    for (int a = 0; a < grid.dimension(); ++a)
      if (a != face.axis && !beside_ && !grid.axis(a).periodic() && (at[a] == 0 || at[a] == grid.size(a) - 1))
        ++corners;
    faces_.push_back({face.unknown, face.upper ? -stride : stride, spacing, corners});
  }
  // What is remembered has its size before the first step too: a resumed run reads it back before it starts.
  courant_.assign(faces_.size(), 0.0);
  past_.assign(faces_.size() * static_cast<std::size_t>(order * (order + 1)), 0.0);
}

Real& AbsorbingBoundary::past(std::size_t face, int back, int place) {
  return past_[(face * static_cast<std::size_t>(order_) + static_cast<std::size_t>(back - 1)) *
                   static_cast<std::size_t>(order_ + 1) +
               static_cast<std::size_t>(place)];
}

// Place 0 is the boundary's own; the first unknown is place 0 on the boundary and place 1 beside it.
Real AbsorbingBoundary::inside(const State& y, std::size_t face, int place) const {
  return y[faces_[face].unknown + (place - (beside_ ? 1 : 0)) * faces_[face].inwards];
}

void AbsorbingBoundary::start(std::span<const Real> speed, Real step, const Derivatives& now,
                              std::span<const Real> value, std::span<const Real> rate) {
  courant_.resize(faces_.size());
  for (std::size_t f = 0; f < faces_.size(); ++f) courant_[f] = speed[f] * step / faces_[f].spacing;
  weigh();
  for (std::size_t f = 0; f < faces_.size(); ++f) {
    // The first unknown knows only its neighbours inside, the boundary none: what is further in goes on to
    // there.
    const auto outwards = [&](const State& of, int place) {
      const int shift = beside_ ? 1 : 0, first = place - shift;
      if (first >= 1) return inside(of, f, place);
      const Real one = inside(of, f, 1 + shift), two = inside(of, f, 2 + shift);
      return one + (1 - first) * (one - two);
    };
    for (int place = 0; place <= order_; ++place) {
      Real here = value[f], change = rate[f];
      if (place > 0) {
        here = inside(now.y, f, place);
        change = inside(now.rate, f, place);
      } else if (beside_) {
        here = 2 * value[f] - inside(now.y, f, 1);
        change = 2 * rate[f] - inside(now.rate, f, 1);
      }
      for (int back = 1; back <= order_; ++back) {
        const Real since = (back - 1) * step;
        past(f, back, place) = here - since * (change - since * (outwards(now.acceleration, place) / 2 -
                                                                 since * outwards(now.jerk, place) / 6));
      }
    }
  }
}

void AbsorbingBoundary::weigh() {
  weights_.assign(faces_.size(), {});
  for (std::size_t f = 0; f < faces_.size(); ++f) {
    const Real a = (1 - courant_[f]) / (1 + courant_[f]);
    const Weights factor{{{1, -a, 0, 0}, {a, -1, 0, 0}, {}, {}}};
    Weights product = factor;
    for (int n = 1; n < order_; ++n) {
      Weights next{};
      for (int i = 0; i <= n; ++i)
        for (int m = 0; m <= n; ++m)
          for (int p = 0; p < 2; ++p)
            for (int q = 0; q < 2; ++q) next[i + p][m + q] += product[i][m] * factor[p][q];
      product = next;
    }
    weights_[f] = product;
  }
}

std::vector<Real> AbsorbingBoundary::remember() const {
  std::vector<Real> result = courant_;
  result.insert(result.end(), past_.begin(), past_.end());
  return result;
}

void AbsorbingBoundary::recall(std::span<const Real> numbers) {
  const auto middle = numbers.begin() + static_cast<std::ptrdiff_t>(faces_.size());
  courant_.assign(numbers.begin(), middle);
  past_.assign(middle, numbers.end());
  weigh();
}

void AbsorbingBoundary::go_on(const State& y, int corners, std::span<Real> value) {
  for (std::size_t f = 0; f < faces_.size(); ++f) {
    if (faces_[f].corners != corners) continue;
    std::array<Real, most + 1> now{};
    Real sum = 0;
    for (int place = 1; place <= order_; ++place) {
      now[place] = inside(y, f, place);
      sum += weights_[f][place][0] * now[place];
    }
    for (int back = 1; back <= order_; ++back)
      for (int place = 0; place <= order_; ++place) sum += weights_[f][place][back] * past(f, back, place);
    now[0] = -sum;
    for (int back = order_; back > 1; --back)
      for (int place = 0; place <= order_; ++place) past(f, back, place) = past(f, back - 1, place);
    for (int place = 0; place <= order_; ++place) past(f, 1, place) = now[place];
    value[f] = beside_ ? 0.5 * (now[0] + now[1]) : now[0];
  }
}

}  // namespace williwaw
