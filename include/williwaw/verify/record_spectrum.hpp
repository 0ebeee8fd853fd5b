// What frequencies a record holds: the amplitudes of a probe's series, and their peaks.
#pragma once

#include <optional>
#include <span>
#include <vector>

#include "williwaw/grid/types.hpp"

namespace williwaw::verify {

/// Amplitudes over frequency: entry n belongs to frequency n·spacing. A sine of amplitude A that fits the
/// record shows as a peak of height A.
struct RecordSpectrum {
  Real spacing = 0;
  std::vector<Real> amplitudes;
};

/// Of values taken every `interval`, their mean removed, under a Hann window (Blackman and Tukey, 1958) whose
/// loss of height is made good. Throws InputError for fewer than 8 values.
RecordSpectrum spectrum_of_record(std::span<const Real> values, Real interval);

struct Peak {
  Real frequency = 0, amplitude = 0;
};
/// The highest local maxima, in the order of their frequencies: at most `most`, none below `fraction` of the
/// highest. Between frequencies the top of a parabola through the logarithms of three amplitudes is taken.
std::vector<Peak> peaks_of(const RecordSpectrum& spectrum, std::size_t most = 8, Real fraction = 0.02);

/// When a record first leaves its first value by `fraction` of the farthest that it ever does, between samples
/// linearly: when a wave arrives. Nothing for a record that does not move.
struct Arrival {
  Real time = 0;
  Real largest = 0, largest_at = 0;  ///< the farthest from its first value
};
std::optional<Arrival> arrival_of(std::span<const Real> times, std::span<const Real> values,
                                  Real fraction = 0.1);

}  // namespace williwaw::verify
