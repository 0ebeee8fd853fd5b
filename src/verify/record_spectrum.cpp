#include "williwaw/verify/record_spectrum.hpp"

#include <fftw3.h>

#include <algorithm>
#include <cmath>
#include <complex>

namespace williwaw::verify {

RecordSpectrum spectrum_of_record(std::span<const Real> values, Real interval) {
  if (values.size() < 8) throw InputError("a spectrum needs a record of at least 8 values");
  if (!(interval > 0)) throw InputError("a spectrum needs a record at even times");
  const std::size_t count = values.size();
  Real mean = 0;
  for (const Real v : values) mean += v / static_cast<Real>(count);
  std::vector<Real> windowed(count);
  for (std::size_t n = 0; n < count; ++n) {
    const Real hann = 0.5 - 0.5 * std::cos(2 * M_PI * static_cast<Real>(n) / static_cast<Real>(count));
    windowed[n] = (values[n] - mean) * hann;
  }
  std::vector<std::complex<Real>> out(count / 2 + 1);
  const fftw_plan plan = fftw_plan_dft_r2c_1d(static_cast<int>(count), windowed.data(),
                                              reinterpret_cast<fftw_complex*>(out.data()), FFTW_ESTIMATE);
  fftw_execute(plan);
  fftw_destroy_plan(plan);
  RecordSpectrum result;
  result.spacing = 1 / (static_cast<Real>(count) * interval);
  // Twice for both signs of the frequency, twice for the window's mean of a half.
  for (const auto& amplitude : out)
    result.amplitudes.push_back(4 * std::abs(amplitude) / static_cast<Real>(count));
  result.amplitudes[0] = 0;
  return result;
}

std::vector<Peak> peaks_of(const RecordSpectrum& spectrum, std::size_t most, Real fraction) {
  const auto& a = spectrum.amplitudes;
  std::vector<Peak> found;
  const Real highest = a.empty() ? 0 : *std::ranges::max_element(a);
  // A lobe of the window reaches two bins to each side: what stands in the first bin cannot be told from its
  // mirror image below zero.
  for (std::size_t n = 2; n + 1 < a.size(); ++n) {
    if (!(a[n] > a[n - 1] && a[n] >= a[n + 1] && a[n] >= fraction * highest)) continue;
    // Beside the top of a tone the window leaves a fifth of it at the least; less is what else is there.
    const Real least = 0.1 * a[n];
    const Real left = std::log(std::max(a[n - 1], least)), top = std::log(a[n]),
               right = std::log(std::max(a[n + 1], least));
    const Real bend = left - 2 * top + right, shift = bend < 0 ? 0.5 * (left - right) / bend : 0;
    found.push_back(
        {(static_cast<Real>(n) + shift) * spectrum.spacing, std::exp(top - 0.25 * (left - right) * shift)});
  }
  std::ranges::sort(found, std::greater<>(), &Peak::amplitude);
  if (found.size() > most) found.resize(most);
  std::ranges::sort(found, {}, &Peak::frequency);
  return found;
}

std::optional<Arrival> arrival_of(std::span<const Real> times, std::span<const Real> values, Real fraction) {
  Arrival result;
  for (std::size_t n = 0; n < values.size(); ++n)
    if (const Real moved = values[n] - values[0]; std::abs(moved) > std::abs(result.largest)) {
      result.largest = moved;
      result.largest_at = times[n];
    }
  const Real level = fraction * std::abs(result.largest);
  if (!(level > 0)) return std::nullopt;
  for (std::size_t n = 1; n < values.size(); ++n) {
    const Real now = std::abs(values[n] - values[0]), last = std::abs(values[n - 1] - values[0]);
    if (now < level) continue;
    result.time = times[n - 1] + (times[n] - times[n - 1]) * (now > last ? (level - last) / (now - last) : 0);
    break;
  }
  return result;
}

}  // namespace williwaw::verify
