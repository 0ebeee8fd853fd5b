// The innermost loops: one contiguous line of unknowns at a time, no branch and no call inside.
#pragma once

#include "williwaw/balance/term_balance.hpp"

namespace williwaw::kernels {

/// Lines next to the one being worked on; a line that is not there is the line itself with coefficient 0.
struct Neighbours {
  const Real* south;
  const Real* north;
  const Real* bottom;
  const Real* top;
};

/// Constant coefficients: conductances are the product of a number and a line of geometry.
struct SeparableLine {
  Index count;
  const Real* u;
  Neighbours next;
  const Real* before;  ///< geometry along the line
  const Real* after;
  Real x;  ///< conductivity along the line
  Real south, north, bottom, top;
  bool periodic;
  bool uniform;  ///< geometry and widths are alike but for the ends
};

/// What appears in a unit of volume besides: rate · densities[i]; null where nothing does.
struct Made {
  const Real* densities = nullptr;
  Real rate = 0;
  Real* of_segments = nullptr;  ///< where sums are counted: Σ widths·densities of each segment is added
};
/// out[i] = u[i] + scale · (what flows into a unit of volume) + what is made there
void step_separable(const SeparableLine& line, int dimension, Real scale, const Made& made, Real* out);
/// The same, with the sums and extremes of out[1] .. out[count-2] taken in the same pass, added to those of
/// each segment of the line (`Segments`); both ends are left to the caller, who may have boundaries to add
/// there.
void step_separable_counted(const SeparableLine& line, int dimension, Real scale, const Made& made,
                            const Real* widths, Real across, Real storage, Real* out, Totals* of_segments);
/// out[i] = widths[i] · scale · (what flows into a unit of volume)
void rate_separable(const SeparableLine& line, int dimension, Real scale, const Real* widths, Real* out);

/// Coefficients that vary: a conductance for every face.
struct GeneralLine {
  Index count;
  const Real* u;
  Neighbours next;
  const Real* x;  ///< count + 1 faces along the line
  const Real* south;
  const Real* north;
  const Real* bottom;
  const Real* top;
  bool periodic;
};

/// The capacity of unknown i is factor·values[i].
struct Capacity {
  const Real* values;
  Real factor;
  bool even;  ///< alike between the ends of the line
};

/// out[i] = u[i] + step · (what flows into the control volume) / capacity
void step_general(const GeneralLine& line, int dimension, Real step, const Capacity& capacity, Real* out);
void step_general_counted(const GeneralLine& line, int dimension, Real step, const Capacity& capacity,
                          const Real* widths, Real across, Real* out, Totals* of_segments);
/// out[i] = what flows into the control volume
void rate_general(const GeneralLine& line, int dimension, Real* out);

/// What all kernels of leapfrog need: out[i] = 2·u[i] − out[i] + scale·(what flows in), with sums by segment
/// in the same pass: kinetic Σ weight·(out − u)², potential Σ −weight·out·(what flows in), integral Σ
/// width·out·across.
struct Leap {
  Real scale;
  const Real* widths;
  Real across;              ///< weight of the integral
  Real kinetic, potential;  ///< weights of the energies besides
};
/// Between the ends of a line; the weights are the widths.
void leapfrog_separable(const SeparableLine& line, int dimension, const Leap& leapfrog_step, Real* out,
                        Totals* of_segments);
/// The same with scale/capacity, kinetic weights capacity and potential weights 1.
void leapfrog_general(const GeneralLine& line, int dimension, const Leap& leapfrog_step,
                      const Capacity& capacity, Real* out, Totals* of_segments);

/// The same for whole lines whose forces are known: out[i] = 2·u[i] − out[i] + scale·force[i]/capacity[i],
/// the potential by `pair`. capacity[i] = storage·widths[i] where `capacity` is null.
void leapfrog_with(Index count, const Real* u, const Real* pair, const Real* force, const Leap& leapfrog_step,
                   Real storage, const Real* capacity, Real* out, Totals* of_segments);

/// What flows into a unit of volume, or into the control volume, of one unknown.
Real inflow_separable(const SeparableLine& line, int dimension, Index i);
Real inflow_general(const GeneralLine& line, int dimension, Index i);

/// A stage of an explicit scheme: what `StageOfLine` says, k being what flows into a unit of volume over
/// `per_volume`, or what flows in over the capacity.
void stage_separable(const SeparableLine& line, int dimension, const StageOfLine& stage, Real per_volume);
void stage_general(const GeneralLine& line, int dimension, const StageOfLine& stage,
                   const Capacity& capacity);

}  // namespace williwaw::kernels
