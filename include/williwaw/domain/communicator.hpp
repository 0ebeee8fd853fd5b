// What processes that share a grid tell each other.
#pragma once

#include <memory>
#include <span>
#include <vector>

#include "williwaw/grid/types.hpp"

namespace williwaw {

/// The processes ("ranks") that share a grid. All of them call each of these functions in the same order, and
/// each returns the same on all of them unless it says otherwise. None may be called from a parallel region.
class Communicator {
 public:
  virtual ~Communicator() = default;

  /// This process alone.
  static Communicator& self();

  virtual int rank() const = 0;
  virtual int size() const = 0;

  /// What is sent to another rank and what is expected of it, both of lengths that the other one knows.
  struct Message {
    int rank = 0;
    std::span<const Real> sent;
    std::span<Real> received;
  };
  /// Sends and receives all of them at once; at most two with the same rank, in the same order there.
  virtual void exchange(std::span<const Message> messages) = 0;

  /// The values of all ranks, one rank after another; each may have another number of them.
  virtual std::vector<Real> gathered(std::span<const Real> own) = 0;
  /// The same for rank 0 alone; the others get nothing.
  virtual std::vector<Real> gathered_at_first(std::span<const Real> own) = 0;
  /// Replaces the values of all ranks by those of rank 0. They have as many of them.
  virtual void broadcast(std::span<Real> values) = 0;
  /// Replaces each value by the largest of all ranks. Not-a-number of any of them is left out.
  virtual void highest(std::span<Real> values) = 0;

  /// The largest, or smallest, value of all ranks.
  Real highest(Real own);
  Real lowest(Real own) { return -highest(-own); }
  bool any(bool own) { return highest(own ? 1.0 : 0.0) > 0; }

  /// The first so many of these ranks by themselves; null on the others.
  virtual std::unique_ptr<Communicator> first_ones(int count) = 0;

  /// Messages and bytes that this rank has sent since it began; none where there is no other.
  struct Traffic {
    Index messages = 0;
    Index bytes = 0;
  };
  virtual Traffic traffic() const { return {}; }
};

}  // namespace williwaw
