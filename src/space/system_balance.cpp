#include "williwaw/space/system_balance.hpp"

#include <algorithm>
#include <cmath>

namespace williwaw {

namespace {

class SelfCarrying final : public SystemFlux {
 public:
  explicit SelfCarrying(int components) : components_(components) {}
  std::size_t components() const override { return static_cast<std::size_t>(components_); }
  void flux(int slot, std::span<const std::span<const Real>> u,
            std::span<std::span<Real>> out) const override {
    const auto carrier = u[static_cast<std::size_t>(std::min(slot, components_ - 1))];
    for (std::size_t c = 0; c < u.size(); ++c)
      for (std::size_t i = 0; i < carrier.size(); ++i) out[c][i] = u[c][i] * carrier[i];
  }
  // The eigenvalues are u_a and 2·u_a.
  void speed(int slot, std::span<const std::span<const Real>> u, std::span<Real> out) const override {
    const auto carrier = u[static_cast<std::size_t>(std::min(slot, components_ - 1))];
    for (std::size_t i = 0; i < out.size(); ++i) out[i] = 2 * std::abs(carrier[i]);
  }

 private:
  int components_;
};

std::vector<std::span<const Real>> spans_of(const std::vector<std::vector<Real>>& lines) {
  return {lines.begin(), lines.end()};
}

}  // namespace

std::shared_ptr<const SystemFlux> self_carrying_flux(int components) {
  if (components < 1) throw InputError("a flux needs one component at least");
  return std::make_shared<SelfCarrying>(components);
}

SystemBalance::SystemBalance(const std::vector<Problem>& members, SystemReaction reaction,
                             std::shared_ptr<const SystemFlux> flux, Execution execution)
    : reaction_(std::move(reaction)), flux_(std::move(flux)) {
  if (members.empty()) throw InputError("a system needs one unknown at least");
  if (flux_ && flux_->components() != 0 && flux_->components() != members.size())
    throw InputError("the flux is for " + std::to_string(flux_->components()) +
                     " unknowns, and the system has " + std::to_string(members.size()));
  reconstruction_ = &reconstruction_kind(members.front().reconstruction);
  std::vector<Block> blocks;
  for (const Problem& p : members) {
    if (!(p.grid() == members.front().grid())) throw InputError("the unknowns of a system live on one grid");
    if (p.equation().stream || p.equation().second_order)
      throw InputError("'" + p.equation().unknown +
                       "': what carries the unknowns of a system is the system's own flux");
    Problem own = p;
    own.reconstruction = "none";
    members_.push_back(std::make_unique<DiffusionBalance>(own, execution));
    const DiffusionBalance& member = *members_.back();
    Block block = member.layout().blocks().front();
    block.name = p.equation().unknown;
    blocks.push_back(block);
    auto& own_lines = own_lines_.emplace_back();
    for (LedgerLine line : member.lines()) {
      line.name = p.equation().unknown + " " + line.name;
      own_lines.push_back(lines_.declare(line));
    }
    reaction_line_.push_back(
        lines_.declare({p.equation().unknown + " reaction", LedgerLine::Kind::source, ""}));
  }
  layout_ = Layout(std::move(blocks));
  count_ = members_.front()->layout().size();
  each_member([&](std::size_t m, DiffusionBalance& member) {
    for (const Index n : member.held()) held_.push_back(static_cast<Index>(m) * count_ + n);
    for (const Index n : member.absent()) absent_.push_back(static_cast<Index>(m) * count_ + n);
  });
  if (!flux_) return;
  if (!members_.front()->outline().whole()) throw InputError("a system with a flux needs a whole rectangle");
  if (!reconstruction_->slope)
    throw InputError("reconstruction '" + reconstruction_->name +
                     "' is not for systems; take none or a limited one");
  for (int a = 0; a < members.front().grid().rank(); ++a)
    if (!members.front().grid().axis(a).is_uniform())
      throw InputError("a system with a flux needs uniform axes");
}

template <class Visit>
void SystemBalance::each_member(const Visit& visit) const {
  for (std::size_t m = 0; m < members_.size(); ++m) visit(m, *members_[m]);
}

State SystemBalance::part(const State& y, std::size_t member) const {
  const auto start = y.begin() + static_cast<std::ptrdiff_t>(member) * count_;
  return {start, start + count_};
}

void SystemBalance::put(const State& from, std::size_t member, State& y) const {
  std::ranges::copy(from, y.begin() + static_cast<std::ptrdiff_t>(member) * count_);
}

State SystemBalance::initial_state() const {
  State y(static_cast<std::size_t>(layout_.size()));
  each_member([&](std::size_t m, const DiffusionBalance& member) { put(member.initial_state(), m, y); });
  return y;
}

Field SystemBalance::field(const State& y, std::size_t unknown, Real at) {
  return members_[unknown]->field(part(y, unknown), at);
}

Offers SystemBalance::offers() const {
  Offers all;
  all.linear = !reaction_ && !flux_;
  all.matrix = all.steady_matrix = all.same_matrix = true;
  all.approximate = !all.linear;
  all.stream = flux_ != nullptr;
  each_member([&](std::size_t, const DiffusionBalance& member) {
    const Offers one = member.offers();
    all.linear = all.linear && one.linear;
    all.matrix = all.matrix && one.matrix;
    all.steady_matrix = all.steady_matrix && one.steady_matrix;
    all.same_matrix = all.same_matrix && one.same_matrix;
  });
  return all;
}

void SystemBalance::storage(const State& y, Real at, State& q) {
  each_member([&](std::size_t m, DiffusionBalance& member) {
    State out(static_cast<std::size_t>(count_));
    member.storage(part(y, m), at, out);
    put(out, m, q);
  });
}

void SystemBalance::recover(const State& q, Real at, State& y) {
  each_member([&](std::size_t m, DiffusionBalance& member) {
    State out = part(y, m);
    member.recover(part(q, m), at, out);
    put(out, m, y);
  });
}

void SystemBalance::rate(const State& y, Real at, Parts parts, State& f, Ledger& ledger) {
  ledger.clear();
  each_member([&](std::size_t m, DiffusionBalance& member) {
    State out(static_cast<std::size_t>(count_));
    Ledger own(member.lines().size());
    member.rate(part(y, m), at, parts, out, own);
    put(out, m, f);
    for (std::size_t l = 0; l < own.size(); ++l) ledger[own_lines_[m][l]] = own[l];
  });
  if (reaction_ && parts.has(Parts::source())) react(y, at, f, ledger);
  if (!flux_ || !parts.has(Parts::stream())) return;
  for (int a = 0; a < members_.front()->grid().rank(); ++a) carry(y, a, f, ledger);
}

void SystemBalance::react(const State& y, Real at, State& f, Ledger& ledger) const {
  const Grid& g = members_.front()->grid();
  const Index nx = g.size(0);
  const auto length = static_cast<std::size_t>(nx);
  Points line(nx);
  const Segments segments(nx);
  std::vector<TreeSum<Real>> booked(members_.size());
  std::vector<std::vector<Real>> made(members_.size(), std::vector<Real>(length));
  for (Index l = 0; l < g.lines(); ++l) {
    for (Index i = 0; i < nx; ++i) line.set(i, g.point(i, l % g.size(1), l / g.size(1)));
    Lines u;
    std::vector<std::span<Real>> out(made.begin(), made.end());
    for (std::size_t m = 0; m < members_.size(); ++m)
      u.emplace_back(y.data() + static_cast<std::ptrdiff_t>(m) * count_ + nx * l, length);
    reaction_(line, at, u, out);
    for (std::size_t m = 0; m < members_.size(); ++m)
      for (Index i = 0; i < nx; ++i) {
        const Index n = nx * l + i;
        if (!members_[m]->outline().active(n)) continue;
        const Real amount =
            made[m][static_cast<std::size_t>(i)] * g.volume_of(n) * members_[m]->outline().share(n);
        f[static_cast<std::size_t>(static_cast<Index>(m) * count_ + n)] += amount;
        booked[m].leaf(segments.number(l, i)) += amount;
      }
  }
  for (std::size_t m = 0; m < members_.size(); ++m) ledger[reaction_line_[m]] += booked[m].sum();
}

void SystemBalance::between(int slot, const std::vector<std::vector<Real>>& left,
                            const std::vector<std::vector<Real>>& right,
                            std::vector<std::vector<Real>>& flux) const {
  const std::size_t faces = left.front().size();
  const Lines l = spans_of(left), r = spans_of(right);
  std::vector<std::vector<Real>> low(left), high(right);
  std::vector<std::span<Real>> of_low(low.begin(), low.end()), of_high(high.begin(), high.end());
  flux_->flux(slot, l, of_low);
  flux_->flux(slot, r, of_high);
  std::vector<Real> before(faces), after(faces);
  flux_->speed(slot, l, before);
  flux_->speed(slot, r, after);
  for (std::size_t m = 0; m < left.size(); ++m)
    for (std::size_t i = 0; i < faces; ++i)
      flux[m][i] =
          0.5 * (low[m][i] + high[m][i] - std::max(before[i], after[i]) * (right[m][i] - left[m][i]));
}

// Calls visit(closure, face) for the faces on a side of one unknown whose conditions let the flux through.
template <class Visit>
void SystemBalance::each_open_face(std::size_t member, Index unknown, Side side, const Visit& visit) const {
  const auto& closures = members_[member]->closures();
  for (std::size_t c = 0; c < closures.size(); ++c)
    for (Index f = 0; closures[c].section().wall.stream_end() && f < closures[c].faces(); ++f)
      if (const WallFace& face = closures[c].face(f);
          face.unknown == unknown && face.axis == side.axis && face.upper == side.upper)
        visit(c, f);
}

// Books what comes in through a side of one unknown on those conditions, by their area.
void SystemBalance::book_end(std::size_t member, Index unknown, Side side, Real flow, Ledger& ledger) const {
  const auto& closures = members_[member]->closures();
  Real open = 0;
  each_open_face(member, unknown, side, [&](std::size_t c, Index f) { open += closures[c].area(f); });
  each_open_face(member, unknown, side, [&](std::size_t c, Index f) {
    const auto own = static_cast<std::size_t>(closures[c].line(closures[c].carrying()));
    ledger[own_lines_[member][own]] += flow * closures[c].area(f) / open;
  });
}

// Line by line along an axis, values beyond walls first.
void SystemBalance::carry(const State& y, int axis, State& f, Ledger& ledger) {
  const Grid& g = members_.front()->grid();
  const Axis& along = g.axis(axis);
  const Index size = along.size(), stride = g.stride(axis);
  const auto faces = static_cast<std::size_t>(size) + 1;
  const std::size_t count = members_.size();
  std::vector<std::vector<Real>> left(count, std::vector<Real>(faces)), right = left, flux = left;
  std::vector<Real> padded(static_cast<std::size_t>(size) + 6);
  for (Index first = 0; first < count_; ++first) {
    const auto at = g.position(first);
    if (at[static_cast<std::size_t>(axis)] != 0) continue;
    std::array<std::vector<bool>, 2> open{std::vector<bool>(count, along.periodic()),
                                          std::vector<bool>(count, along.periodic())};
    for (std::size_t m = 0; m < count; ++m) {
      const Real* u = y.data() + static_cast<std::ptrdiff_t>(m) * count_;
      for (Index i = -3; i < size + 3; ++i) {
        const Index inside = along.periodic() ? (i % size + size) % size : std::clamp<Index>(i, 0, size - 1);
        padded[static_cast<std::size_t>(i + 3)] = u[first + inside * stride];
      }
      for (const bool upper : {false, true}) {
        if (along.periodic()) continue;
        const Index n = first + (upper ? (size - 1) * stride : 0);
        each_open_face(m, n, {axis, upper}, [&](std::size_t c, Index face) {
          const Closure& wall = members_[m]->closures()[c];
          open[upper ? 1 : 0][m] = true;
          const Real value = wall.section().wall.holds() ? wall.wall_value(face, u[n]) : u[n];
          for (std::size_t k = 0; k < 3; ++k)
            padded[upper ? static_cast<std::size_t>(size) + 3 + k : 2 - k] = value;
        });
      }
      Rows rows{};
      for (std::size_t k = 0; k < 6; ++k) rows[k] = padded.data() + k;
      reconstruction_->uniform(rows, size + 1, left[m].data(), right[m].data());
    }
    between(g.slot(axis), left, right, flux);
    const Real area = g.volume_of(first) / along.measures()[0];
    for (std::size_t m = 0; m < count; ++m) {
      Real* out = f.data() + static_cast<std::ptrdiff_t>(m) * count_;
      for (const bool upper : {false, true}) {
        const std::size_t end = upper ? faces - 1 : 0;
        if (!open[upper ? 1 : 0][m]) flux[m][end] = 0;
        if (along.periodic()) continue;
        book_end(m, first + (upper ? (size - 1) * stride : 0), {axis, upper},
                 (upper ? -1 : 1) * area * flux[m][end], ledger);
      }
      for (Index i = 0; i < size; ++i)
        out[first + i * stride] -=
            area * (flux[m][static_cast<std::size_t>(i) + 1] - flux[m][static_cast<std::size_t>(i)]);
    }
  }
}

// Block after block on the diagonal; what the unknowns do to each other is left to the correction.
void SystemBalance::linearise(const State& y, Real at, Real a, Real b, Parts parts, LinearSystem& system) {
  SparseSystem all{layout_.size(), {}};
  each_member([&](std::size_t m, DiffusionBalance& member) {
    LinearSystem one;
    member.linearise(part(y, m), at, a, b, parts, one);
    const Index shift = static_cast<Index>(m) * count_;
    for (const Triplet& t : triplets_of(one))
      all.entries.push_back({t.row + shift, t.column + shift, t.value});
  });
  system = std::move(all);
}

void SystemBalance::pin(Real at, State& y) {
  each_member([&](std::size_t m, DiffusionBalance& member) {
    State own = part(y, m);
    member.pin(at, own);
    put(own, m, y);
  });
}

void SystemBalance::book_held(const State& missing, Ledger& amounts) {
  each_member([&](std::size_t m, DiffusionBalance& member) {
    Ledger own(member.lines().size());
    member.book_held(part(missing, m), own);
    for (std::size_t l = 0; l < own.size(); ++l) amounts[own_lines_[m][l]] += own[l];
  });
}

Totals SystemBalance::totals(const State& y, Real at) {
  Totals all;
  each_member([&](std::size_t m, DiffusionBalance& member) { all += member.totals(part(y, m), at); });
  return all;
}

Real SystemBalance::fastest(const State& y) const {
  if (!flux_) return 0;
  const Grid& g = members_.front()->grid();
  std::vector<Real> rate(static_cast<std::size_t>(count_), 0.0), speed(rate.size());
  Lines u;
  for (std::size_t m = 0; m < members_.size(); ++m)
    u.emplace_back(y.data() + static_cast<std::ptrdiff_t>(m) * count_, static_cast<std::size_t>(count_));
  for (int a = 0; a < g.rank(); ++a) {
    flux_->speed(g.slot(a), u, speed);
    for (Index n = 0; n < count_; ++n)
      rate[static_cast<std::size_t>(n)] +=
          speed[static_cast<std::size_t>(n)] / g.axis(a).widths()[g.position(n)[a]];
  }
  return *std::ranges::max_element(rate);
}

}  // namespace williwaw
