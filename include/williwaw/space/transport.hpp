// What a stream carries through faces and walls: −∇·(velocity u) or −∇·f(u), by reconstruction and numerical
// flux, line by line.
#pragma once

#include "williwaw/space/closure.hpp"
#include "williwaw/space/face_velocities.hpp"
#include "williwaw/space/numerical_flux.hpp"
#include "williwaw/space/reconstruction.hpp"

namespace williwaw {

/// How high values reach.
struct Range {
  Real lowest = 0, highest = 0;
};

class Transport {
 public:
  /// Everything given must outlive this. Throws InputError for reconstructions and fluxes that do not go with
  /// the grid, the outline or the equation.
  Transport(const Problem& problem, const Outline& outline, const Couplings& couplings,
            const std::vector<Closure>& closures, int threads);
  ~Transport();

  /// Gets ready for state `y` at this time; closures must be up to date. `range` is that of y where it is
  /// known. `step` is the length of a step of explicit Euler, for fluxes that know it; 0 where there is none.
  void update(Real at, const State& y, const Range* range, Real step);
  /// Adds to out[0 .. nx) what flows into the control volumes of line (j, k) through faces between unknowns.
  void add_line(Index j, Index k, const State& y, Real* out);
  /// What flows in with the stream through a face of a wall.
  Real through(std::size_t closure, Index face) const {
    return through_[closure][static_cast<std::size_t>(face)];
  }
  /// The stream passes this wall.
  bool open(std::size_t closure) const { return velocities_.open(closure); }
  /// In the advective form what a compressing velocity would pile up is taken away again: u·∇·v.
  bool stretches() const { return stretches_; }
  Real stretching(Index n, Real u) const { return velocities_.divergence()[static_cast<std::size_t>(n)] * u; }

  /// Adds −b·∂/∂u of all this to a matrix about `y`: exact where the stream is linear and its reconstruction
  /// "none", otherwise that of the flux of first order.
  void linearise(const State& y, Real b, FaceSystem& matrix) const;
  bool linear() const;
  bool depends_on_time() const { return velocities_.depends_on_time(); }

  const FaceVelocities& velocities() const { return velocities_; }
  FaceVelocities& velocities() { return velocities_; }
  const ReconstructionKind& reconstruction() const { return *reconstruction_; }
  const NumericalFlux& flux() const { return *flux_; }
  const FluxLaw* law() const { return law_; }
  /// Largest speed along an axis, now: of the velocity, or of values within the range of the state.
  Real largest_speed(int axis) const;
  /// Of laws: the same over a range of values, unbounded where the speed is. Costs a scan of the range.
  std::array<Real, 3> largest_speeds(const Range& values) const;
  /// Speeds along each axis at one unknown.
  std::array<Real, 3> speeds(const State& y, Index n) const;
  /// Weights (first, second) of a face's neighbours in its flow, area included, at first order.
  std::pair<Real, Real> weights(const State& y, int axis, Index below, Index above) const;

 private:
  struct Room;
  void check() const;
  void lay_out_spacing(int axis);
  void find_incomplete();
  void see_range(const State& y, const Range* range);
  void find_centre_velocities(Real at);
  void fill_halo(const State& y);
  void meet_walls(const State& y);
  Real wall_flow(std::size_t closure, Index face, Real u, Real beside) const;
  void face_fluxes(int axis, Index j, Index k, const State& y, Room& room, Real* density);
  void reconstruct(int axis, Index j, Index k, const Rows& rows, Index count, Real* left, Real* right) const;
  void split_fluxes(int axis, const Rows& rows, Index j, Index k, Index count, Room& room, Real* out) const;
  Rows rows_of(int axis, Index j, Index k, const State& y, Room& room) const;
  const Real* halo_row(int axis, bool upper, Index depth, Index j, Index k) const;
  void conductances(int axis, Index j, Index k, Index count, Real* out) const;

  const Problem& problem_;
  const Grid& grid_;
  const Outline& outline_;
  const Couplings& couplings_;
  const std::vector<Closure>& closures_;
  FaceVelocities velocities_;
  const ReconstructionKind* reconstruction_;
  const NumericalFlux* flux_;
  const FluxLaw* law_;
  bool stretches_ = false;
  bool split_ = false;                     ///< fluxes are reconstructed, not values
  std::array<std::vector<Real>, 6> halo_;  ///< three layers beyond each side
  /// Faces of each axis whose wider neighbourhood is cut, by line of faces: place, low side, high side.
  struct Incomplete {
    Index i;
    bool low, high;
  };
  std::array<std::vector<std::size_t>, 3> first_incomplete_;
  std::array<std::vector<Incomplete>, 3> incomplete_;
  /// Of uneven axes, entry by face: gaps to the unknowns around it, distances from those beside it.
  std::array<std::array<std::vector<Real>, 5>, 3> spacing_;
  std::array<TurningPoints, 3> turning_;
  std::array<Real, 3> largest_{0, 0, 0};  ///< speeds of a law within the range
  Range range_, scanned_{1, 0};
  Real step_ = 0, now_ = 0;
  std::vector<std::vector<Real>> through_;
  std::array<std::vector<Real>, 3> centre_velocity_;  ///< where fluxes are reconstructed
  std::vector<std::unique_ptr<Room>> rooms_;
};

}  // namespace williwaw
