// A problem: an equation on a grid, what acts on its boundaries and how it starts. This one declaration is
// what runs and what the analysis reads.
#pragma once

#include "williwaw/grid/expect.hpp"
#include "williwaw/grid/field.hpp"
#include "williwaw/problem/boundary_condition.hpp"
#include "williwaw/problem/equation.hpp"

namespace williwaw {

/// A part of a side with a condition of its own.
struct BoundaryPart {
  std::string name;
  /// The side, or the region whose cut exposed the faces; empty for all sides.
  std::string side = {};
  /// Only faces beside this region; empty for all.
  std::string touching = {};
  /// Only faces whose middle lies here; empty for all.
  Where where = {};
  Boundary boundary = {};
};

class Problem {
 public:
  /// Throws InputError for regions that overlap or match nothing on this grid.
  Problem(Grid grid, Equation equation, Regions regions = {});

  /// The same on a part of its grid.
  Problem on(const Grid& part) const;

  const Grid& grid() const { return grid_; }
  const Equation& equation() const { return equation_; }
  const Regions& regions() const { return *regions_; }
  const std::shared_ptr<const Regions>& shared_regions() const { return regions_; }

  /// Initial value of the unknown.
  Function initial = 0.0;
  /// Its initial rate of change; of equations second order in time only.
  Function initial_rate = 0.0;
  /// Order of the differences in space: 2, or 4 for waves on uniform axes with fixed, free or periodic ends.
  int space_order = 2;
  /// Of first-order systems, transport and conservation laws: how flows between cells follow from both sides,
  /// and how these are told from the cells' means.
  std::string numerical_flux = "upwind", reconstruction = "first-order";
  /// How a coefficient of diffusion that depends on the unknown is taken between two unknowns; one of
  /// face_mean_kinds(), or empty: "integral" where it can be had, else "arithmetic".
  std::string face_mean = {};
  /// One of several unknowns, advected by a flux that it has in common with the others; set by their balance.
  bool shares_flux = false;
  /// Sides (or parts, or cut-outs) in the order in which they decide nodes that several boundaries hold;
  /// where none of a node's boundaries is named it takes the mean of what they say.
  std::vector<std::string> corners = {};

  /// Says what acts on the side called `name` ("west", "top", ..), or on the faces exposed by the region of
  /// that name. Throws InputError for a side that the grid does not have or that belongs to a periodic axis.
  Problem& boundary(const std::string& name, Boundary boundary);
  /// Says what acts on a part of a side; where parts overlap the last one counts. Throws InputError for a
  /// side or region that is not there.
  Problem& part(BoundaryPart part);
  /// Says the same for every side and cut-out that nothing was said of and that is not periodic.
  Problem& default_boundary(const Boundary& boundary);

  const Boundary& boundary(Side side) const {
    expect(side.axis >= 0 && side.axis < grid_.dimension(), "Problem::boundary: a side of the grid");
    return boundaries_[static_cast<std::size_t>(side.number())];
  }
  /// What acts on the faces that a region's cut exposed.
  const Boundary& cutout_boundary(Index region) const {
    expect(region >= 0 && region < static_cast<Index>(cutout_boundaries_.size()),
           "Problem::cutout_boundary: a region");
    return cutout_boundaries_[static_cast<std::size_t>(region)];
  }
  const std::vector<BoundaryPart>& parts() const { return parts_; }
  bool periodic(Side side) const { return grid_.axis(side.axis).periodic(); }
  /// True where advective fluxes are not linear in the unknown: by its law, or by limiting.
  bool advection_is_nonlinear() const;
  bool is_nonlinear() const;
  /// Some boundary has a flux with a limit.
  bool limits_fluxes() const;
  /// Any condition's data or left side change in time.
  bool boundaries_depend_on_time() const;
  /// Sources, points, reactions or boundaries change in time.
  bool data_change_in_time() const;

  /// Throws InputError that names a side without a condition, or a point or coefficient that cannot be used.
  void validate() const;

 private:
  Grid grid_;
  Equation equation_;
  std::shared_ptr<const Regions> regions_;
  std::array<Boundary, 6> boundaries_;
  std::vector<Boundary> cutout_boundaries_;
  std::vector<BoundaryPart> parts_;
};

}  // namespace williwaw
