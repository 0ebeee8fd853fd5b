// The boundary of one unknown as terms of its balance: the closures of all sections with the unknowns that
// they prescribe, and what flows through their faces.
#pragma once

#include "williwaw/balance/term.hpp"
#include "williwaw/boundary/boundary_closure.hpp"

namespace williwaw {

/// Which unknown of a balance a term belongs to.
struct OfUnknown {
  std::shared_ptr<const Domain> domain;
  int number = 0;
  Index first = 0;          ///< where its block begins in the state
  std::string prefix = {};  ///< before the names of its ledger lines

  /// Its values in a state; none of no state.
  std::span<const Real> in(std::span<const Real> y) const {
    return y.empty() ? y : y.subspan(static_cast<std::size_t>(first), static_cast<std::size_t>(count()));
  }
  Index count() const { return domain->grid().count(); }
  /// Those of a term of this unknown alone that belongs to some parts of F; what appears inside reads nothing
  /// from beyond.
  Needs needs(Parts parts) const {
    Needs result;
    result.unknowns = {number};
    result.halo = parts == Parts::source() ? 0 : 1;
    result.parts = parts;
    return result;
  }
};

/// All closures at one instant.
class EvaluatedBoundaryClosures final : public EvaluatedTerm {
 public:
  EvaluatedBoundaryClosures(int unknown, std::vector<EvaluatedBoundaryClosure> all)
      : unknown_(unknown), all_(std::move(all)) {}

  std::size_t size() const { return all_.size(); }
  const EvaluatedBoundaryClosure& operator[](std::size_t section) const { return all_[section]; }
  auto begin() const { return all_.begin(); }
  auto end() const { return all_.end(); }

  bool idle() const override { return true; }
  /// Of the flows that they let through (`BoundaryFlows`).
  void linearise(const Evaluation& now, std::span<const Real> y, Real b, Parts parts,
                 std::span<FaceSystem> matrices) const override;
  void bound(std::vector<DataBounds>& pieces) const override;
  std::span<const Real> prescribed_values() const override { return values_; }

  std::vector<EvaluatedBoundaryClosure>& all() { return all_; }
  std::vector<Real>& values() { return values_; }

 private:
  int unknown_;
  std::vector<EvaluatedBoundaryClosure> all_;
  std::vector<Real> values_;
};

/// Evaluates the closures and prescribes the unknowns that lie on boundaries which hold them.
class BoundaryClosures final : public Term {
 public:
  /// What conducts beside the boundary is found among the terms that come before this one.
  using Medium = std::function<const BoundaryMedium&(const Evaluation&)>;
  /// `corners` names sections or sides in the order in which they decide nodes that several hold.
  BoundaryClosures(OfUnknown of, std::vector<BoundaryClosure> closures, std::vector<std::string> corners,
                   Medium medium);

  const std::vector<BoundaryClosure>& all() const { return all_; }

  Needs needs() const override;
  void declare(LedgerLines& lines) override;
  void evaluate(const Instant& instant, const Evaluation& earlier,
                std::shared_ptr<EvaluatedTerm>& evaluated) const override;
  std::span<const Index> prescribed() const override { return in_state_; }
  void evaluate_prescribed(const Instant& instant, const Evaluation& earlier,
                           std::shared_ptr<EvaluatedTerm>& evaluated) const override;
  void book_prescribed(std::span<const Real> amounts, Ledger& ledger) const override;
  /// For each face of a section the place among the prescribed unknowns of its own, −1 where no other face
  /// holds it; empty where that is so for all faces.
  std::span<const Index> shared(std::size_t closure) const { return shared_[closure]; }
  /// At a node that boundaries of several axes hold, what is missing is shared by area. That alone would be
  /// wrong by as much as the boundaries' fluxes differ; each boundary must first supply what leaves along its
  /// own axis. What this tells of each face sums to zero over those of a node and makes flows of boundaries
  /// second-order accurate. `u` is the block of the unknown.
  Real shared_flow(const Evaluation& now, const Real* u, Parts parts, Index place, std::size_t closure,
                   Index face) const;

  /// Prescribed unknowns within the block, in increasing order.
  std::span<const Index> prescribed_in_block() const { return in_block_; }
  /// Where a boundary stands whose values follow from the motion beside it, from the next evaluation on: one
  /// value for each face.
  void stand_at(std::size_t section, std::span<const Real> values);

 private:
  struct Holder {
    std::size_t closure;
    Index face;
  };
  void find_prescribed();
  Real choose(const std::vector<Holder>& holders, const EvaluatedBoundaryClosures& now) const;
  void update(const Instant& instant, const Evaluation& earlier, bool prescribing_only,
              std::shared_ptr<EvaluatedTerm>& evaluated) const;

  OfUnknown of_;
  std::vector<BoundaryClosure> all_;
  std::vector<std::string> corners_;
  Medium medium_;
  std::vector<Index> in_block_, in_state_;
  std::vector<std::vector<Holder>> holders_;
  FaceSystem shape_;                        ///< no matrix: which unknowns are neighbours
  std::vector<std::vector<Index>> shared_;  ///< by closure
  std::vector<char> prescribing_;           ///< by closure, here or on another rank
  std::vector<std::vector<Real>> positions_;
};

/// What advection carries through the faces of a boundary: which sections it passes, and how much flows in
/// through each of their faces.
struct AdvectiveFlows {
  std::span<const char> open = {};
  std::span<const std::vector<Real>> through = {};
};

/// What flows in through all faces of the boundary, condition by condition.
class BoundaryFlows final : public Term {
 public:
  using Advective = std::function<AdvectiveFlows(const Evaluation&)>;
  /// `closures` are those of `id` in the balance.
  BoundaryFlows(OfUnknown of, const BoundaryClosures& closures, TermId<EvaluatedBoundaryClosures> id,
                Advective advective);

  Needs needs() const override;
  void evaluate(const Instant& instant, const Evaluation& earlier,
                std::shared_ptr<EvaluatedTerm>& evaluated) const override;

  /// Calls apply(i, flow) for every flow into unknown i of a line whose values are `u`, and books it.
  template <class Apply>
  void through(const Evaluation& now, Index line, Parts parts, const Real* u, const Apply& apply,
               LedgerBlock booked) const;
  const OfUnknown& of() const { return of_; }
  const BoundaryClosures& closures() const { return closures_; }
  TermId<EvaluatedBoundaryClosures> id() const { return id_; }
  /// Faces of this line of unknowns lie at its ends alone.
  bool at_ends(Index line) const { return ends_only_[static_cast<std::size_t>(line)]; }

 private:
  OfUnknown of_;
  const BoundaryClosures& closures_;
  TermId<EvaluatedBoundaryClosures> id_;
  Advective advective_;
  std::vector<char> ends_only_;
};

template <class Apply>
void BoundaryFlows::through(const Evaluation& now, Index line, Parts parts, const Real* u, const Apply& apply,
                            LedgerBlock booked) const {
  const EvaluatedBoundaryClosures& closures = now.of(id_);
  const AdvectiveFlows passing = advective_ ? advective_(now) : AdvectiveFlows{};
  const Segments& segments = of_.domain->segments();
  const Index start = of_.domain->grid().size(0) * line;
  for (std::size_t c = 0; c < closures.size(); ++c) {
    const EvaluatedBoundaryClosure& boundary = closures[c];
    const bool passed = !passing.open.empty() && passing.open[c] && parts.has(Parts::advection());
    const bool idle = boundary.idle() && !passed;
    const std::span<const Index> shared = booked ? closures_.shared(c) : std::span<const Index>();
    if (idle && shared.empty()) continue;
    const BoundaryClosure& fixed = boundary.closure();
    const Index first = fixed.first_of_line(line), end = fixed.first_of_line(line + 1);
    for (Index f = first; f < end; ++f) {
      const Index i = fixed.unknown(f) - start, leaf = segments.number(line, i);
      if (!shared.empty() && shared[static_cast<std::size_t>(f)] >= 0)
        booked[fixed.line()].leaf(leaf) +=
            closures_.shared_flow(now, u - start, parts, shared[static_cast<std::size_t>(f)], c, f);
      if (idle) continue;
      if (passed) {
        const Real flow = passing.through[c][static_cast<std::size_t>(f)];
        apply(i, flow);
        if (booked) booked[fixed.line(fixed.advective_condition())].leaf(leaf) += flow;
      }
      if (!parts.has(Parts::flux(fixed.face(f).axis))) continue;
      apply(i, boundary.inflow(f) - boundary.pull(f) * u[i]);
      if (!booked) continue;
      // Booked condition by condition and face by face: the ledger never learns of the content.
      for (std::size_t s = 0; s < boundary.conditions(); ++s)
        booked[fixed.line(s)].leaf(leaf) += boundary.flow_of(s, f, u[i]);
    }
  }
}

}  // namespace williwaw
