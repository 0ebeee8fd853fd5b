// Terms: the parts that F is put together from, each in a file of its own.
#pragma once

#include <memory>
#include <span>

#include "williwaw/balance/storage.hpp"
#include "williwaw/domain/sums.hpp"

namespace williwaw {

/// At which time and about which state something is evaluated.
struct Instant {
  Real time = 0;
  Real step = 0;  ///< of a step of explicit Euler, for terms that look at it; 0 where there is none
  std::span<const Real> y = {};    ///< the whole state; empty where none is known
  const Totals* totals = nullptr;  ///< of that state, where they are known
  bool same_state = false;         ///< as at the instant before: what follows from it alone still holds
};

/// What is booked on the lines of a ledger while some lines of unknowns are gone through, leaf by leaf. One
/// without a place to book on is false.
class LedgerBlock {
 public:
  explicit LedgerBlock(SubtreeSums<Real>* sums = nullptr) : sums_(sums) {}
  SubtreeSums<Real>& operator[](LineId line) const { return sums_[static_cast<std::size_t>(line)]; }
  explicit operator bool() const { return sums_ != nullptr; }

 private:
  SubtreeSums<Real>* sums_;
};

/// What a term works with on the lines of one thread, from one line to the next.
struct TermScratch {
  virtual ~TermScratch() = default;
  /// Before the first line of a sweep.
  virtual void begin() {}
};

class Evaluation;

/// One line of unknowns along x of every block of a grid.
struct Line {
  const Evaluation& now;  ///< all terms at the same instant
  Index number, j, k;
  const Real* y;  ///< the whole state
  Parts parts;
  LedgerBlock booked;
  TermScratch* scratch = nullptr;  ///< the term's own
};

/// The flows into the control volumes of one line of one unknown: added to as they are, or as what a step of
/// explicit Euler makes of them.
class LineRates {
 public:
  LineRates() = default;
  explicit LineRates(Real* flows) : out_(flows) {}
  /// out[i] += step·flow/capacity[i]
  LineRates(Real* out, Real step, LineCapacity capacity) : out_(out), step_(step), capacity_(capacity) {}

  /// The same, and sum[i] += step_of_sum·flow/capacity[i].
  LineRates(Real* out, Real step, Real* sum, Real step_of_sum, LineCapacity capacity)
      : out_(out), sum_(sum), step_(step), step_of_sum_(step_of_sum), capacity_(capacity) {}

  void add(Index i, Real flow) const {
    out_[i] += step_ == 0 ? flow : step_ * flow / capacity_(i);
    if (sum_) sum_[i] += step_of_sum_ * flow / capacity_(i);
  }
  /// Adds flow(i) for all unknowns of the line.
  template <class Flow>
  void add_each(Index count, const Flow& flow) const {
    if (step_ == 0)
      for (Index i = 0; i < count; ++i) out_[i] += flow(i);
    else
      for (Index i = 0; i < count; ++i) out_[i] += step_ * flow(i) / capacity_(i);
    if (sum_)
      for (Index i = 0; i < count; ++i) sum_[i] += step_of_sum_ * flow(i) / capacity_(i);
  }
  /// Σ widths[i]·densities[i] from `first` to `end` - 1.
  static Real amount_of(Index first, Index end, const Real* densities, const Real* widths);
  /// Adds across·widths[i]·densities[i] from `first` to `end` - 1, by vectors, and returns their sum. In a
  /// step the capacities are `per_volume` times across·widths[i].
  Real add_densities(Index first, Index end, const Real* densities, const Real* widths, Real across,
                     Real per_volume) const;
  /// The flows themselves; for terms that are not asked for steps.
  Real* flows() const { return out_; }

 private:
  Real* out_ = nullptr;
  Real* sum_ = nullptr;
  Real step_ = 0, step_of_sum_ = 0;
  LineCapacity capacity_{};
};

/// Where along a line of unknowns a term adds.
enum class Acts { nowhere, at_ends, anywhere };

/// What a term makes in each unit of volume of a line of an unknown, and the line of the ledger for it.
struct LineDensities {
  const Real* values = nullptr;
  LineId line{};
};

/// A term at one time and about one state: const, so that two times stand side by side and threads share it.
class EvaluatedTerm {
 public:
  virtual ~EvaluatedTerm() = default;

  /// Nothing is added anywhere.
  virtual bool idle() const { return false; }
  virtual Acts acts(Index) const { return Acts::anywhere; }
  /// Adds what flows into the control volumes of a line, and books it: one entry of `rates` for each unknown,
  /// of which those on the grid of the line are there.
  /// Of terms that write first the line of their unknown is written, not added to.
  virtual void add(const Line&, std::span<const LineRates>) const {}
  /// What it adds anywhere is an amount for each volume, the same capacity for all of a line: `densities`
  /// tells it, for a step that takes it in, and books it, instead of `add`.
  virtual bool makes_densities() const { return false; }
  /// One line for each unknown that it adds to, until the next call with the same scratch.
  virtual void densities(const Line&, std::span<LineDensities>) const {}
  /// Books what is known as a whole: `weight` times the rates of the parts that are asked for.
  virtual void book(const Evaluation&, std::span<const Real>, Parts, Real, Ledger&) const {}
  /// Adds −b·dF/dy about a state to the matrices, one for each unknown.
  virtual void linearise(const Evaluation&, std::span<const Real>, Real, Parts, std::span<FaceSystem>) const {
  }
  /// Adds the entries of −b·dF/dy that join unknowns of one control volume, or stand on the diagonal; asked
  /// for where there are several unknowns, besides `linearise`.
  virtual void linearise_locally(const Evaluation&, std::span<const Real>, Real, Parts, LocalEntries&) const {
  }
  /// Adds the entries of −b·dF/dy that join an unknown to another one beside it, numbered as in the whole
  /// state; asked for where there are several unknowns, besides the two above.
  virtual void linearise_between(const Evaluation&, std::span<const Real>, Real, Parts,
                                 std::vector<Triplet>&) const {}
  /// Adds what flows in through each face of a section of an unknown besides what its closure tells; of terms
  /// over several unknowns.
  virtual void add_through(const Evaluation&, std::span<const Real>, std::size_t, std::size_t,
                           std::span<Real>) const {}
  /// How far data can move the solution: adds what it says, in as many pieces on all ranks, of which each is
  /// about the domain here. Rises of pieces are added up.
  virtual void bound(std::vector<DataBounds>&) const {}
  /// Values of the unknowns that the term prescribes, in the order of `Term::prescribed`.
  virtual std::span<const Real> prescribed_values() const { return {}; }
};

/// What a term is, asked for once.
struct Needs {
  std::vector<int> unknowns{0};  ///< those that it adds to, all on one grid
  int halo = 1;                  ///< how far beyond a box it reads
  bool linear = true;            ///< affine in y
  bool matrix = true;            ///< linearise is there
  bool exact_matrix = true;      ///< and is the derivative, not a neighbour of it
  bool same_matrix = true;       ///< whatever the state is
  bool steady_matrix = true;     ///< at all times
  bool of_state = true;          ///< what it adds depends on the state
  /// What is evaluated looks at the state or its totals, not at the time alone, or at lines in their order.
  bool about_state = true;
  bool laid_out_anew = false;  ///< every instant changes as many numbers as there are unknowns
  int coefficients = 0;        ///< numbers for each unknown that it reads besides the state
  int space_order = 2;         ///< of its differences
  bool symmetric = true;
  std::string on_step = {};    ///< what looks at the length of a step of explicit Euler, if anything does
  bool adds = true;            ///< other terms only look at it where it does not
  bool writes_first = false;   ///< writes the lines of its unknown, whatever stands there
  Parts parts = Parts::all();  ///< the parts of F that it belongs to
};

/// One part of F over some of the unknowns: diffusion, advection, a reaction, a source, flows through the
/// boundary.
class Term {
 public:
  virtual ~Term() = default;

  virtual Needs needs() const = 0;
  /// Declares the lines of the ledger that it books on.
  virtual void declare(LedgerLines&) {}
  /// Makes `evaluated`, which holds what this made last or nothing, the term at an instant. Terms that come
  /// before it in the balance are evaluated already. What others still look at is left alone (`renewed`);
  /// what an error leaves behind is evaluated again.
  virtual void evaluate(const Instant&, const Evaluation& earlier,
                        std::shared_ptr<EvaluatedTerm>& evaluated) const = 0;
  /// Room for one thread; null where none is needed.
  virtual std::unique_ptr<TermScratch> scratch() const { return nullptr; }

  /// Numbers in the state of the unknowns that it prescribes, in increasing order.
  virtual std::span<const Index> prescribed() const { return {}; }
  /// As `evaluate`, but no more of it than `prescribed_values`; for terms that prescribe.
  virtual void evaluate_prescribed(const Instant& instant, const Evaluation& earlier,
                                   std::shared_ptr<EvaluatedTerm>& evaluated) const {
    evaluate(instant, earlier, evaluated);
  }
  /// Books what was supplied to hold them, one amount for each.
  virtual void book_prescribed(std::span<const Real>, Ledger&) const {}
};

/// A term of a balance that is known by its type.
template <class Evaluated>
struct TermId {
  std::size_t number = 0;
};

/// All terms of a balance at one instant.
class Evaluation {
 public:
  Real time() const { return time_; }
  std::size_t size() const { return terms_.size(); }
  const EvaluatedTerm& operator[](std::size_t n) const { return *terms_[n]; }
  template <class Evaluated>
  const Evaluated& of(TermId<Evaluated> id) const {
    return static_cast<const Evaluated&>(*terms_[id.number]);
  }
  /// Exchanges what stands for a term with another evaluation of the same, to be updated next.
  void swap(std::size_t term, std::shared_ptr<EvaluatedTerm>& evaluated) { terms_[term].swap(evaluated); }
  /// Evaluates all terms, one after the other.
  void update(const std::vector<std::unique_ptr<Term>>& terms, const Instant& instant);

 private:
  Real time_ = 0;
  std::vector<std::shared_ptr<EvaluatedTerm>> terms_;
};

/// What stands in `evaluated` to be changed: itself where nobody else looks at it, otherwise a copy, or a new
/// one made by `make` where there is nothing yet.
template <class Evaluated, class Make>
Evaluated& renewed(std::shared_ptr<EvaluatedTerm>& evaluated, const Make& make) {
  if (!evaluated)
    evaluated = make();
  else if (evaluated.use_count() != 1)
    evaluated = std::make_shared<Evaluated>(static_cast<const Evaluated&>(*evaluated));
  return static_cast<Evaluated&>(*evaluated);
}

}  // namespace williwaw
