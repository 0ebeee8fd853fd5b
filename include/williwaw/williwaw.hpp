// Williwaw: heat, diffusion, waves and transport on a grid, from the statement of the problem to a solution
// that can be trusted.
//
// This header brings the whole core: grids and fields, problems, the balance, steady states, time schemes,
// marching and the analysis of stability. Case files, results on disk and figures have headers of their own.
#pragma once

#include "williwaw/grid/field_operations.hpp"
#include "williwaw/solve/cycle.hpp"
#include "williwaw/solve/steady.hpp"
#include "williwaw/terms/advection_term.hpp"
#include "williwaw/terms/problem_balance.hpp"
#include "williwaw/time/batch.hpp"
#include "williwaw/time/march.hpp"
#include "williwaw/verify/advection.hpp"
#include "williwaw/verify/decay.hpp"
#include "williwaw/verify/dispersion.hpp"
#include "williwaw/verify/exact_solutions.hpp"
#include "williwaw/verify/forecast.hpp"
#include "williwaw/verify/normality.hpp"
#include "williwaw/verify/record_spectrum.hpp"
#include "williwaw/verify/refinement.hpp"
#include "williwaw/verify/shape.hpp"
