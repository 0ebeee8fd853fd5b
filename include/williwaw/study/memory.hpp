// What a run will take of the machine's memory, told before any of it is taken.
#pragma once

#include <memory>

#include "williwaw/store/apart.hpp"
#include "williwaw/study/open_case.hpp"

namespace williwaw::study {

/// Bytes that this process took at its peak so far.
Real peak_of_this_process();

/// Memory, in bytes, that one process may use here: what the machine has, or what its control group
/// (memory.max) or its limit on address space leave of that.
Real available_memory();

/// Peak memory, in bytes, of a process that runs a case in all its stages. Measured: processes of their own
/// take some steps of the case, or of the case on coarser grids where it has more than 1.2e6 unknowns, which
/// are put forward by what grows with the unknowns, with the boundaries, and with the fill of direct factors.
/// Figures, films and threads are not counted. Nothing where the case cannot be read or run, where its grid
/// cannot be made coarser, or where it would take longer than half a minute. Call it before threads were
/// started and large fields were built: the processes begin as copies of this one.
std::optional<Real> peak_memory(const std::string& text, const std::filesystem::path& name,
                                const std::vector<std::string>& overrides = {}, const Reading& reading = {});
/// The same of a case file.
std::optional<Real> peak_memory(const std::filesystem::path& file,
                                const std::vector<std::string>& overrides = {}, const Reading& reading = {});

/// The peak memory of a small case (up to 2e4 unknowns, which no machine lacks room for), looked for beside
/// what this process goes on with; of a larger one before it goes on. Begin it before threads are started.
class MemoryLook {
 public:
  MemoryLook(const std::filesystem::path& file, const std::vector<std::string>& overrides);
  /// Waits for it.
  std::optional<Real> bytes();
  /// What is known without waiting.
  std::optional<Real> known() const { return known_; }

 private:
  std::optional<Real> known_;
  std::shared_ptr<Real> shared_;  ///< where the other process writes it; 0: nothing
  std::unique_ptr<store::Apart> beside_;
};

}  // namespace williwaw::study
