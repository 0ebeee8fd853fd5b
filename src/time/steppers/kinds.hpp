// The steppers, one source file each; src/time/stepper.cpp chooses by what a scheme declares.
#pragma once

#include "williwaw/time/stepper.hpp"

namespace williwaw::steppers {

/// `sources` may be null: then the tableau of fluxes serves everything.
std::unique_ptr<Stepper> runge_kutta(Balance& balance, const Scheme& scheme, const Tableau& fluxes,
                                     const Tableau* sources, const Solving& solving);
/// The weight of a step's end, of a tableau of the theta family without an estimate; nothing of others.
std::optional<Real> theta_of(const Tableau& tableau);
/// The theta scheme of linear equations whose matrix does not change; null elsewhere.
std::unique_ptr<Stepper> theta_steps(Balance& balance, const Tableau& tableau, const Solving& solving);
/// The theta scheme along a line, where equation, boundaries and solver allow for it; null elsewhere.
std::unique_ptr<Stepper> line_steps(Balance& balance, const Tableau& tableau, const Solving& solving);
std::unique_ptr<Stepper> stabilized(Balance& balance, const Scheme& scheme, const Stabilized& method);
std::unique_ptr<Stepper> two_step(Balance& balance, const Scheme& scheme, const TwoStep& method,
                                  const Solving& solving);
std::unique_ptr<Stepper> factored(Balance& balance, const Scheme& scheme, const Factored& method,
                                  const Solving& solving);
std::unique_ptr<Stepper> semi_lagrangian(Balance& balance, const Scheme& scheme, const Solving& solving);
std::unique_ptr<Stepper> damped_start(std::unique_ptr<Stepper> start, std::unique_ptr<Stepper> main,
                                      Index steps);

/// Of second order in time.
std::unique_ptr<Stepper> leapfrog(Balance& balance, const SecondOrder& method);
std::unique_ptr<Stepper> newmark(Balance& balance, const Scheme& scheme, const SecondOrder& method,
                                 const Solving& solving);
/// An explicit tableau on the unknown and its rate.
std::unique_ptr<Stepper> dynamics_pair(Balance& balance, const Scheme& scheme, const Tableau& tableau);

/// An explicit tableau on the first-order system of a wave.
std::unique_ptr<Stepper> first_order_form(Balance& balance, const Tableau& tableau);

/// Books what boundaries supplied to hold their unknowns: their storage at the end less what the formula gave
/// them.
void book_boundaries(Balance& balance, const State& y, Real end, const State& formula, State& work,
                     Ledger& amounts);

}  // namespace williwaw::steppers
