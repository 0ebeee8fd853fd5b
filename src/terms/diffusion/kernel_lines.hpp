// What a kernel of diffusion needs for a line.
#pragma once

#include "terms/diffusion/kernels.hpp"
#include "williwaw/terms/diffusive_flows.hpp"

namespace williwaw {

struct KernelLines {
  const EvaluatedDiffusion& diffusion;
  const Real* u;  ///< the block of the unknown
  Parts parts;

  const Grid& grid() const { return diffusion.of().domain->grid(); }
  int dimension() const { return grid().dimension(); }

  Index line_beside(Index j, Index k, int axis, bool up) const {
    const Grid& g = grid();
    if (axis >= g.dimension()) return j + g.size(1) * k;
    Index& along = axis == 1 ? j : k;
    const Index size = g.size(axis), next = along + (up ? 1 : -1);
    if (next >= 0 && next < size)
      along = next;
    else if (g.axis(axis).periodic())
      along = up ? 0 : size - 1;
    return j + g.size(1) * k;
  }

  kernels::Neighbours neighbours(Index j, Index k) const {
    const Index nx = grid().size(0);
    return {u + nx * line_beside(j, k, 1, false), u + nx * line_beside(j, k, 1, true),
            u + nx * line_beside(j, k, 2, false), u + nx * line_beside(j, k, 2, true)};
  }

  kernels::SeparableLine separable(Index j, Index k) const {
    const Grid& g = grid();
    const Conductances& c = diffusion.conductances();
    const auto strength = [&](int a) { return parts.has(Parts::flux(a)) ? c.conductivity(a) : 0.0; };
    kernels::SeparableLine line{g.size(0),
                                u + g.number(0, j, k),
                                neighbours(j, k),
                                c.before(0).data(),
                                c.after(0).data(),
                                strength(0),
                                0,
                                0,
                                0,
                                0,
                                g.axis(0).periodic(),
                                g.axis(0).is_uniform() && g.size(0) > 2};
    if (g.dimension() > 1) {
      line.south = strength(1) * c.before(1)[j];
      line.north = strength(1) * c.after(1)[j];
    }
    if (g.dimension() > 2) {
      line.bottom = strength(2) * c.before(2)[k];
      line.top = strength(2) * c.after(2)[k];
    }
    return line;
  }

  kernels::GeneralLine general(Index j, Index k) const {
    const Grid& g = grid();
    const Conductances& c = diffusion.conductances();
    const auto faces = [&](int a, Index up_j, Index up_k) -> const Real* {
      if (a >= g.dimension() || !parts.has(Parts::flux(a))) return diffusion.no_flux().data();
      return c.faces(a).data() + c.face(a, 0, j + up_j, k + up_k);
    };
    return {g.size(0),      u + g.number(0, j, k), neighbours(j, k), faces(0, 0, 0),      faces(1, 0, 0),
            faces(1, 1, 0), faces(2, 0, 0),        faces(2, 0, 1),   g.axis(0).periodic()};
  }
};

}  // namespace williwaw
