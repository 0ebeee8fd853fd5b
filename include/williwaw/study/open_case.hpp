// Opens cases for commands: only those whose run fits into the machine's memory.
#pragma once

#include "williwaw/casefile/case.hpp"

namespace williwaw::study {

using casefile::Case;
using casefile::CaseError;
using casefile::FigureRequest;
using casefile::Probe;
using casefile::Reading;
using casefile::Refinement;
using casefile::RefinementStudy;
using casefile::Value;

/// What a run may take of the machine's memory.
struct MemoryLimit {
  /// Most bytes at its peak (peak_memory); 0: what one process may use here (available_memory).
  Real most = 0;
  std::optional<Real> needed = {};  ///< what peak_memory told of the case, where it was asked before
};

/// Reads a case whose run fits into this memory. Throws CaseError, also for one that needs more, before its
/// grid is built.
Case open_case(const std::filesystem::path& file, const std::vector<std::string>& overrides = {},
               Reading reading = {}, const MemoryLimit& limit = {});
/// The same from text that never was in a file.
Case open_case_text(const std::string& text, const std::filesystem::path& name,
                    const std::vector<std::string>& overrides = {}, Reading reading = {},
                    const MemoryLimit& limit = {});

}  // namespace williwaw::study
