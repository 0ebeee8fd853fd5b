// Diffusion as a term: what flows between neighbours down the gradient.
#pragma once

#include "williwaw/balance/term_balance.hpp"
#include "williwaw/boundary/boundary_terms.hpp"
#include "williwaw/terms/conductances.hpp"

namespace williwaw {

/// Conductances at one time.
class EvaluatedDiffusion final : public EvaluatedTerm {
 public:
  EvaluatedDiffusion(const OfUnknown& of, Conductances conductances, const std::vector<Real>& no_flux,
                     bool adds);

  const Conductances& conductances() const { return conductances_; }
  /// Nothing diffuses anywhere.
  bool still() const { return still_; }
  void update(Real time, std::span<const Real> u);

  void add(const Line& line, std::span<const LineRates> rates) const override;
  void linearise(const Evaluation& now, std::span<const Real> y, Real b, Parts parts,
                 std::span<FaceSystem> matrices) const override;
  void bound(std::vector<DataBounds>& pieces) const override;
  /// next = u + step·flow/capacity of one line; see `FusedStep`.
  void step(const Line& line, Real step, Real* next, Totals* counted, const Real* densities,
            Real* made) const;
  void stage(const Line& line, const StageOfLine& stage) const;
  /// What flows into the control volumes of line (j, k) of a block `u`, into `out`.
  void flows(Index j, Index k, const Real* u, Parts parts, Real* out) const;

  const OfUnknown& of() const { return of_; }
  /// Faces that nothing flows through, as many as a line has.
  const std::vector<Real>& no_flux() const { return no_flux_; }

 private:
  void join(FaceSystem& matrix, int axis, Real b) const;
  void join_slopes(FaceSystem& matrix, int axis, std::span<const Real> u, Real b) const;
  void add_gravity(const Line& line, Real* flows) const;

  const OfUnknown& of_;
  Conductances conductances_;
  const std::vector<Real>& no_flux_;
  bool adds_, still_ = false;
};

class DiffusiveFlows final : public Term {
 public:
  /// With `adds` false others only look at its conductances.
  DiffusiveFlows(OfUnknown of, Conductances conductances, bool adds = true);

  Needs needs() const override;
  void evaluate(const Instant& instant, const Evaluation& earlier,
                std::shared_ptr<EvaluatedTerm>& evaluated) const override;

 private:
  OfUnknown of_;
  Conductances conductances_;
  std::vector<Real> no_flux_;
  bool adds_;
};

/// Explicit Euler with diffusion: step and sums in one pass over memory.
class DiffusionStep final : public FusedStep {
 public:
  /// It fits unknowns whose diffusion writes first, in a balance without advection.
  static bool fits(const std::vector<std::unique_ptr<Term>>& terms, TermId<EvaluatedDiffusion> diffusion,
                   const Storage& storage);
  explicit DiffusionStep(TermId<EvaluatedDiffusion> diffusion) : diffusion_(diffusion) {}
  std::size_t term() const override { return diffusion_.number; }
  bool takes_densities(const Evaluation& now) const override {
    return now.of(diffusion_).conductances().separable();
  }
  void step(const Line& line, Real length, Real* next, Totals* counted, const Real* densities,
            Real* made) const override {
    line.now.of(diffusion_).step(line, length, next, counted, densities, made);
  }
  void stage(const Line& line, const StageOfLine& stage) const override {
    line.now.of(diffusion_).stage(line, stage);
  }

 private:
  TermId<EvaluatedDiffusion> diffusion_;
};

}  // namespace williwaw
