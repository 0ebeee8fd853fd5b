// One unknown of a system along an axis: what its boundary says of an advective flux, its values about the
// faces of a line, and where what passes a side is booked.
#pragma once

#include "williwaw/terms/system_terms.hpp"

namespace williwaw {

/// Calls visit(section, face) for the faces on a side of one unknown whose conditions let the flux through.
template <class Visit>
void each_open_face(const BoundaryClosures& closures, Index line, Index unknown, Side side,
                    const Visit& visit) {
  for (std::size_t c = 0; c < closures.all().size(); ++c) {
    const BoundaryClosure& closure = closures.all()[c];
    if (!closure.section().boundary.advective_boundary()) continue;
    for (Index f = closure.first_of_line(line); f < closure.first_of_line(line + 1); ++f)
      if (const BoundaryFace& face = closure.face(f);
          face.unknown == unknown && face.axis == side.axis && face.upper == side.upper)
        visit(c, f);
  }
}

/// Calls visit(side, n, at) for every face on a side among those along x of line (j, k), or below it across
/// another axis: beside unknown n, number `at` of the line of faces. None of a periodic axis.
template <class Visit>
void each_face_on_side(const Grid& grid, int axis, Index j, Index k, const Visit& visit) {
  if (grid.axis(axis).periodic()) return;
  const Index size = grid.size(axis), face = axis == 1 ? j : k;
  for (const bool upper : {false, true}) {
    if (axis > 0 && face != (upper ? size : 0)) continue;
    const Index last = upper ? size - 1 : 0;
    for (Index i = 0; i < (axis == 0 ? 1 : grid.size(0)); ++i)
      visit(Side{axis, upper},
            axis == 0   ? grid.number(last, j, k)
            : axis == 1 ? grid.number(i, last, k)
                        : grid.number(i, j, last),
            axis == 0 ? (upper ? size : 0) : i);
  }
}

/// What stands beyond a side.
struct BeyondSide {
  Real value;
  bool open;   ///< the flux passes
  bool holds;  ///< the boundary holds the value
};

/// Beside the unknown `inside` of a member with value `u`: the value on the boundary where it holds one, else
/// u.
BeyondSide beyond_side(const Evaluation& now, const SystemMember& member, Side side, Index inside, Real u);

/// Room for the values about the faces of a line: six rows, those along x one row that is shifted.
using RowsOfMember = std::array<std::vector<Real>, 6>;
/// For lines of so many unknowns.
RowsOfMember rows_of_member(Index nx);
/// Six neighbours of each face: along x of the faces of line (j, k), across it of those below the unknowns
/// there. Beyond sides that hold a value they are turned about it, beyond open ones they go on as they came,
/// and beyond closed ones they stay.
Rows fill_rows(const Line& line, const SystemMember& member, int axis, Index j, Index k, RowsOfMember& own);

/// The values on both sides of the faces on a side, if line (j, k) has any: beyond it stands what the
/// boundary holds there, and none inside lies further out than that; else both are what comes from inside.
void settle_sides(const Line& line, const SystemMember& member, int axis, Index j, Index k, Real* left,
                  Real* right);

/// Where what flows through each face of a section of an unknown is wanted instead of being booked.
struct WantedFlows {
  std::size_t member, section;
  std::span<Real> flows;
};

/// Books what flows into unknown `i` of a line through a side, or adds it to what is wanted.
void book_through_side(const Line& line, const SystemMember& member, std::size_t number, Index i, Side side,
                       Real inflow, const std::optional<WantedFlows>& wanted);

/// Fluxes per area through the lower and the upper faces of the control volumes of a line.
struct FluxesOfFaces {
  const Real *low, *high;
  const Real *low_velocity, *high_velocity;
  const LineId* divergence;  ///< what it makes of the unknown is given back and booked here; null: it is not
  std::span<const Real> areas;
};
/// Adds what they leave in each of them and books what passes sides.
void add_flows_of_faces(const Line& line, const SystemMember& member, std::size_t number, int axis,
                        const FluxesOfFaces& faces, const LineRates& own,
                        const std::optional<WantedFlows>& wanted);

/// Area of a control volume across an axis.
Real area_across(const Grid& grid, int axis, Index n);
/// Adds to b times the matrix of an unknown what is advected through the faces below and above `n` at these
/// velocities, of the first order from upwind.
void add_upwind(const Grid& grid, int axis, Index n, Real below, Real above, Real b, bool advective,
                FaceSystem& matrix);

/// The gaps and halves of faces by axis, of uneven ones. Throws InputError for a domain that is cut out, an
/// axis r, and uneven axes under a reconstruction that takes more than a slope.
std::array<std::array<std::vector<Real>, 5>, 3> distances_for_flux(const SystemMember& member,
                                                                   const ReconstructionKind& kind);

/// The areas of the faces of the control volumes of a line across an axis; along it of all of them the same.
void fill_areas(const Grid& grid, const Line& line, int axis, std::span<Real> areas);

}  // namespace williwaw
