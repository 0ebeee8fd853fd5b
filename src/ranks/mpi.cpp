#include "williwaw/ranks/mpi.hpp"

#include <cstdlib>
#include <limits>

#ifdef WILLIWAW_WITH_MPI
#include <mpi.h>
#endif

namespace williwaw::ranks {

// Open MPI, and what follows PMI or PMIx, as batch systems do, tell by the environment that there are others.
bool launched() {
  for (const char* size : {"OMPI_COMM_WORLD_SIZE", "PMI_SIZE", "PMIX_RANK", "MPI_LOCALNRANKS"})
    if (std::getenv(size)) return true;
  return false;
}

int launched_rank() {
  for (const char* rank : {"OMPI_COMM_WORLD_RANK", "PMI_RANK", "PMIX_RANK"})
    if (const char* const number = std::getenv(rank)) return std::atoi(number);
  return 0;
}

#ifdef WILLIWAW_WITH_MPI

namespace {

class ByMpi final : public Communicator {
 public:
  // Takes the communicator over.
  ByMpi(MPI_Comm communicator, bool ends) : communicator_(communicator), ends_(ends) {
    MPI_Comm_rank(communicator_, &rank_);
    MPI_Comm_size(communicator_, &size_);
  }
  ByMpi(const ByMpi&) = delete;
  ByMpi& operator=(const ByMpi&) = delete;
  ~ByMpi() override {
    MPI_Comm_free(&communicator_);
    if (ends_) MPI_Finalize();
  }

  std::unique_ptr<Communicator> first_ones(int count) override {
    MPI_Comm some = MPI_COMM_NULL;
    MPI_Comm_split(communicator_, rank_ < count ? 0 : MPI_UNDEFINED, rank_, &some);
    return some == MPI_COMM_NULL ? nullptr : std::make_unique<ByMpi>(some, false);
  }

  int rank() const override { return rank_; }
  int size() const override { return size_; }
  Traffic traffic() const override { return traffic_; }

  void exchange(std::span<const Message> messages) override {
    requests_.clear();
    for (const Message& m : messages) {
      MPI_Irecv(m.received.data(), length(m.received.size()), MPI_DOUBLE, m.rank, 0, communicator_,
                &requests_.emplace_back());
    }
    for (const Message& m : messages) {
      MPI_Isend(m.sent.data(), length(m.sent.size()), MPI_DOUBLE, m.rank, 0, communicator_,
                &requests_.emplace_back());
      count(1, m.sent.size());
    }
    MPI_Waitall(length(requests_.size()), requests_.data(), MPI_STATUSES_IGNORE);
  }

  std::vector<Real> gathered(std::span<const Real> own) override {
    const int mine = length(own.size());
    counts_.resize(static_cast<std::size_t>(size_));
    MPI_Allgather(&mine, 1, MPI_INT, counts_.data(), 1, MPI_INT, communicator_);
    std::vector<Real> all(lay_out());
    MPI_Allgatherv(own.data(), mine, MPI_DOUBLE, all.data(), counts_.data(), starts_.data(), MPI_DOUBLE,
                   communicator_);
    count(2, own.size());
    return all;
  }

  std::vector<Real> gathered_at_first(std::span<const Real> own) override {
    const int mine = length(own.size());
    counts_.resize(static_cast<std::size_t>(size_));
    MPI_Gather(&mine, 1, MPI_INT, counts_.data(), 1, MPI_INT, 0, communicator_);
    std::vector<Real> all(rank_ == 0 ? lay_out() : 0);
    MPI_Gatherv(own.data(), mine, MPI_DOUBLE, all.data(), counts_.data(), starts_.data(), MPI_DOUBLE, 0,
                communicator_);
    count(2, own.size());
    return all;
  }

  void broadcast(std::span<Real> values) override {
    MPI_Bcast(values.data(), length(values.size()), MPI_DOUBLE, 0, communicator_);
    if (rank_ == 0) count(1, values.size());
  }

  void highest(std::span<Real> values) override {
    MPI_Allreduce(MPI_IN_PLACE, values.data(), length(values.size()), MPI_DOUBLE, MPI_MAX, communicator_);
    count(1, values.size());
  }

 private:
  static int length(std::size_t values) {
    if (values > static_cast<std::size_t>(std::numeric_limits<int>::max()))
      throw InputError("a message of more than 2^31 values: take more ranks");
    return static_cast<int>(values);
  }
  std::size_t lay_out() {
    starts_.resize(counts_.size());
    std::size_t all = 0;
    for (std::size_t r = 0; r < counts_.size(); ++r) {
      starts_[r] = length(all);
      all += static_cast<std::size_t>(counts_[r]);
    }
    length(all);
    return all;
  }
  void count(Index messages, std::size_t values) {
    traffic_.messages += messages;
    traffic_.bytes += static_cast<Index>(values * sizeof(Real));
  }

  MPI_Comm communicator_ = MPI_COMM_NULL;
  bool ends_ = false;
  int rank_ = 0, size_ = 1;
  std::vector<MPI_Request> requests_;
  std::vector<int> counts_, starts_;
  Traffic traffic_;
};

}  // namespace

std::unique_ptr<Communicator> world() {
  int begun = 0;
  MPI_Initialized(&begun);
  if (!begun) {
    int offered = 0;
    MPI_Init_thread(nullptr, nullptr, MPI_THREAD_FUNNELED, &offered);
  }
  // Messages of this library are its own, whatever else a program sends.
  MPI_Comm own = MPI_COMM_NULL;
  MPI_Comm_dup(MPI_COMM_WORLD, &own);
  return std::make_unique<ByMpi>(own, !begun);
}

void end_all(int code) {
  int begun = 0;
  MPI_Initialized(&begun);
  if (begun) MPI_Abort(MPI_COMM_WORLD, code);
  std::_Exit(code);
}

#else

std::unique_ptr<Communicator> world() {
  throw InputError(
      "this program was built without MPI (WILLIWAW_MPI=OFF): start it without a launcher, or build it with "
      "the package libopenmpi-dev");
}

void end_all(int code) {
  std::_Exit(code);
}

#endif

}  // namespace williwaw::ranks
