// The innermost loops: one contiguous line of unknowns at a time, no branch and no call inside.
#pragma once

#include "williwaw/space/balance.hpp"

namespace williwaw::kernels {

/// Lines next to the one being worked on; a line that is not there is the line itself with coefficient 0.
struct Neighbours {
  const Real* south;
  const Real* north;
  const Real* bottom;
  const Real* top;
};

/// Constant coefficients: couplings are the product of a number and a line of geometry.
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

/// out[i] = u[i] + scale · (what flows into a unit of volume)
void step_separable(const SeparableLine& line, int rank, Real scale, Real* out);
/// The same, with the sums and extremes of out[1] .. out[count-2] taken in the same pass; both ends are left
/// to the caller, who may have walls to add there.
Totals step_separable_counted(const SeparableLine& line, int rank, Real scale, const Real* widths,
                              Real across, Real storage, Real* out);
/// out[i] = widths[i] · scale · (what flows into a unit of volume)
void rate_separable(const SeparableLine& line, int rank, Real scale, const Real* widths, Real* out);

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

/// out[i] = u[i] + step · (what flows into the control volume) / capacity[i]
void step_general(const GeneralLine& line, int rank, Real step, const Real* capacity, Real* out);
Totals step_general_counted(const GeneralLine& line, int rank, Real step, const Real* capacity,
                            const Real* widths, Real across, Real* out);
/// out[i] = what flows into the control volume
void rate_general(const GeneralLine& line, int rank, Real* out);

/// Leapfrog: out[i] = 2·u[i] − out[i] + scale · (what flows into a unit of volume), for all but the ends of
/// the line, with the sums of `Swing` in the same pass.
struct Swing {
  Real kinetic = 0;    ///< Σ weight·(out − u)²
  Real potential = 0;  ///< Σ −weight·out·(what flows in)
  Real integral = 0;   ///< Σ width·out
  Real lowest, highest;
};
Swing leap_separable(const SeparableLine& line, int rank, Real scale, const Real* widths, Real* out);
/// The same with scale/capacity[i], kinetic weights capacity[i] and potential weights 1.
Swing leap_general(const GeneralLine& line, int rank, Real scale, const Real* capacity, const Real* widths,
                   Real* out);

/// The same where all but the ends of the line have one capacity.
Swing leap_general_even(const GeneralLine& line, int rank, Real scale, Real capacity, const Real* widths,
                        Real* out);

/// The same for whole lines whose forces are known: out[i] = 2·u[i] − out[i] + scale·force[i]/capacity[i],
/// the potential by `pair`. capacity[i] = storage·widths[i] where `capacity` is null.
Swing leap_with(Index count, const Real* u, const Real* pair, const Real* force, Real scale, Real storage,
                const Real* capacity, const Real* widths, Real* out);

/// What flows into a unit of volume, or into the control volume, of one unknown.
Real inflow_separable(const SeparableLine& line, int rank, Index i);
Real inflow_general(const GeneralLine& line, int rank, Index i);

/// out[i] = (1 − share)·start[i] + share·u[i] + scale·flow[i]/width[i]
void combine(Index count, const Real* start, const Real* u, Real share, const Real* flow, Real scale,
             const Real* width, Real* out);

/// Sums and extremes of a line. capacity[i] = storage·widths[i]·across where `capacity` is null.
Totals total(Index count, const Real* u, const Real* widths, Real across, Real storage, const Real* capacity);

}  // namespace williwaw::kernels
