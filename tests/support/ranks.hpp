// Ranks that are threads of one process.
#pragma once

#include <doctest/doctest.h>

#include <barrier>
#include <functional>
#include <thread>

#include "williwaw/williwaw.hpp"

namespace williwaw::test {

/// What the ranks of a test have in common: each lays out what it tells, waits for all, and reads.
class Meeting {
 public:
  explicit Meeting(int size)
      : all_(size), told_(static_cast<std::size_t>(size)), posted_(static_cast<std::size_t>(size)) {}

  void wait() { all_.arrive_and_wait(); }
  std::span<const Real>& told(int rank) { return told_[static_cast<std::size_t>(rank)]; }
  std::span<const Communicator::Message>& posted(int rank) { return posted_[static_cast<std::size_t>(rank)]; }
  int size() const { return static_cast<int>(told_.size()); }

 private:
  std::barrier<> all_;
  std::vector<std::span<const Real>> told_;
  std::vector<std::span<const Communicator::Message>> posted_;
};

class ThreadRank final : public Communicator {
 public:
  ThreadRank(Meeting& meeting, int rank) : meeting_(meeting), rank_(rank) {}

  int rank() const override { return rank_; }
  int size() const override { return meeting_.size(); }
  Traffic traffic() const override { return traffic_; }

  void exchange(std::span<const Message> messages) override {
    meeting_.posted(rank_) = messages;
    meeting_.wait();
    std::vector<int> seen(static_cast<std::size_t>(size()), 0);
    for (const Message& mine : messages) {
      int nth = seen[static_cast<std::size_t>(mine.rank)]++;
      const Message* theirs = nullptr;
      for (const Message& m : meeting_.posted(mine.rank))
        if (m.rank == rank_ && nth-- == 0) theirs = &m;
      if (theirs && theirs->sent.size() == mine.received.size())
        std::ranges::copy(theirs->sent, mine.received.begin());
      else
        ++mismatches_;
      traffic_.messages += 1;
      traffic_.bytes += static_cast<Index>(mine.sent.size_bytes());
    }
    meeting_.wait();
  }

  std::vector<Real> gathered(std::span<const Real> own) override {
    meeting_.told(rank_) = own;
    meeting_.wait();
    std::vector<Real> all;
    for (int r = 0; r < size(); ++r) all.insert(all.end(), meeting_.told(r).begin(), meeting_.told(r).end());
    meeting_.wait();
    return all;
  }
  std::vector<Real> gathered_at_first(std::span<const Real> own) override {
    std::vector<Real> all = gathered(own);
    return rank_ == 0 ? all : std::vector<Real>();
  }
  void broadcast(std::span<Real> values) override {
    const std::vector<Real> all = gathered(values);
    std::copy_n(all.begin(), values.size(), values.begin());
  }
  void highest(std::span<Real> values) override {
    const std::vector<Real> all = gathered(values);
    for (std::size_t n = 0; n < values.size(); ++n)
      for (std::size_t r = 0; r < static_cast<std::size_t>(size()); ++r)
        values[n] = std::fmax(values[n], all[r * values.size() + n]);
  }
  std::unique_ptr<Communicator> first_ones(int) override {
    throw InputError("ranks that are threads stay together");
  }
  /// Messages that did not fit what the other rank expected.
  int mismatches() const { return mismatches_; }

 private:
  Meeting& meeting_;
  int rank_;
  int mismatches_ = 0;
  Traffic traffic_;
};

/// Calls work(rank) on so many ranks at once. Errors of all of them at the same point are allowed; the first
/// is thrown on.
inline void on_ranks(int count, const std::function<void(ThreadRank&)>& work) {
  Meeting meeting(count);
  std::vector<std::exception_ptr> errors(static_cast<std::size_t>(count));
  std::vector<int> mismatches(static_cast<std::size_t>(count), 0);
  std::vector<std::thread> threads;
  for (int r = 0; r < count; ++r)
    threads.emplace_back([&, r] {
      ThreadRank rank(meeting, r);
      try {
        work(rank);
      } catch (...) {
        errors[static_cast<std::size_t>(r)] = std::current_exception();
      }
      mismatches[static_cast<std::size_t>(r)] = rank.mismatches();
    });
  for (std::thread& t : threads) t.join();
  for (const std::exception_ptr& e : errors)
    if (e) std::rethrow_exception(e);
  for (const int m : mismatches) CHECK(m == 0);
}

/// The values of a block that are this rank's own, put where they belong in the whole grid; for all ranks to
/// write to one whole block.
inline void put_own(const Box& box, std::span<const Real> values, std::span<Real> whole) {
  for (Index n = 0; n < static_cast<Index>(values.size()); ++n)
    if (box.owns(n)) whole[static_cast<std::size_t>(box.there(n))] = values[static_cast<std::size_t>(n)];
}

}  // namespace williwaw::test
