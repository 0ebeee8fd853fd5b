// Spectra of records, arrivals, and dispersion relations against what is known of them.
#include <doctest/doctest.h>

#include <cmath>

#include "williwaw/williwaw.hpp"

using namespace williwaw;
using namespace williwaw::verify;

TEST_CASE("a record's peaks stand at its frequencies and have their amplitudes") {
  std::vector<Real> values;
  const Real interval = 0.01;
  for (int n = 0; n < 2000; ++n) {
    const Real t = n * interval;
    values.push_back(4 + 0.7 * std::sin(2 * M_PI * 3.0 * t + 0.4) + 0.2 * std::cos(2 * M_PI * 11.27 * t));
  }
  const RecordSpectrum spectrum = spectrum_of_record(values, interval);
  CHECK(spectrum.spacing == doctest::Approx(1 / 20.0));
  const auto peaks = peaks_of(spectrum);
  REQUIRE(peaks.size() == 2);
  CHECK(peaks[0].frequency == doctest::Approx(3).epsilon(1e-3));
  CHECK(peaks[0].amplitude == doctest::Approx(0.7).epsilon(1e-3));
  // Between two frequencies of the transform, too.
  CHECK(peaks[1].frequency == doctest::Approx(11.27).epsilon(8e-5));
  CHECK(peaks[1].amplitude == doctest::Approx(0.2).epsilon(0.02));
  CHECK(peaks_of(spectrum, 1).size() == 1);
  CHECK(peaks_of(spectrum, 1)[0].frequency == doctest::Approx(3).epsilon(1e-3));
  CHECK_THROWS_AS(spectrum_of_record(std::span(values).first(7), interval), InputError);
  CHECK_THROWS_AS(spectrum_of_record(values, 0), InputError);
}

TEST_CASE("peaks stand at the tones of a record, wherever those lie between its bins, and nowhere else") {
  const std::size_t count = 400;
  const Real interval = 0.25, spacing = 1 / (interval * static_cast<Real>(count));
  for (int part = 0; part <= 20; ++part) {
    CAPTURE(part);
    const Real low = (4.5 + 0.05 * part) * spacing, high = (31 - 0.05 * part) * spacing;
    std::vector<Real> values;
    for (std::size_t n = 0; n < count; ++n) {
      const Real t = interval * static_cast<Real>(n);
      values.push_back(7 + 2 * std::cos(2 * M_PI * low * t + 0.3) + 0.5 * std::sin(2 * M_PI * high * t));
    }
    const auto peaks = peaks_of(spectrum_of_record(values, interval));
    REQUIRE(peaks.size() == 2);
    CHECK(std::abs(peaks[0].frequency - low) < 0.06 * spacing);
    CHECK(std::abs(peaks[1].frequency - high) < 0.06 * spacing);
    CHECK(peaks[0].amplitude == doctest::Approx(2).epsilon(0.05));
    CHECK(peaks[1].amplitude == doctest::Approx(0.5).epsilon(0.05));
  }
  // A drift is no tone, and no peak is higher than what the record does.
  std::vector<Real> drifting;
  for (std::size_t n = 0; n < count; ++n)
    drifting.push_back(0.01 * static_cast<Real>(n) +
                       0.1 * std::sin(2 * M_PI * 40 * static_cast<Real>(n) / static_cast<Real>(count)));
  for (const auto& peak : peaks_of(spectrum_of_record(drifting, interval))) {
    CHECK(peak.amplitude < 4);
    CHECK(peak.frequency > 1.5 * spacing);
  }
}

TEST_CASE("a wave arrives when the record has moved by a tenth of the farthest it moves") {
  std::vector<Real> times, values;
  for (int n = 0; n <= 100; ++n) {
    times.push_back(0.1 * n);
    values.push_back(2 - 3 * std::max(0.0, std::min(times.back() - 4, 1.0)));
  }
  const auto found = arrival_of(times, values);
  REQUIRE(found);
  CHECK(found->time == doctest::Approx(4.1));
  CHECK(found->largest == doctest::Approx(-3));
  CHECK(found->largest_at == doctest::Approx(5));
  CHECK_FALSE(arrival_of(times, std::vector<Real>(times.size(), 7.0)));
}

TEST_CASE("dispersion: leapfrog's formula, none at Courant number one, order 4, Newmark late") {
  const std::array<Real, 3> x{1, 0, 0}, diagonal{M_SQRT1_2, M_SQRT1_2, 0};
  const Real h = 0.1;
  for (const Real courant : {0.3, 0.7, 1.0})
    for (const Real k : {1.0, 5.0, 12.0}) {
      const DispersionRelation one(scheme("leapfrog"), courant * h / 2, {h}, {2.0});
      // sin(ω·step/2) = C·sin(kh/2)
      const Real omega = 2 / one.step() * std::asin(courant * std::sin(0.5 * k * h));
      CHECK(one.frequency({k, 0, 0}) == doctest::Approx(omega).epsilon(1e-10));
      CHECK(one.phase_ratio(k, x) == doctest::Approx(omega / (2 * k)).epsilon(1e-10));
      // dω/dk of the same formula.
      const Real group = std::cos(0.5 * k * h) / std::sqrt(1 - std::pow(courant * std::sin(0.5 * k * h), 2));
      if (courant < 1) CHECK(one.group_ratio(k, x) == doctest::Approx(group).epsilon(1e-5));
      if (courant == 1.0) CHECK(one.phase_ratio(k, x) == doctest::Approx(1).epsilon(1e-9));
    }
  const DispersionRelation plan(scheme("leapfrog"), h / std::sqrt(2.0), {h, h}, {1.0, 1.0});
  // At the limit of a plan diagonal waves run truly, those along an axis late.
  CHECK(plan.phase_ratio(5, diagonal) == doctest::Approx(1).epsilon(1e-8));
  CHECK(plan.phase_ratio(5, x) < 0.999);
  const auto miss = [&](int order, const char* name, Real k) {
    return std::abs(DispersionRelation(scheme(name), 0.2 * h, {h}, {1.0}, order).phase_ratio(k, x) - 1);
  };
  CHECK(std::log2(miss(2, "leapfrog", 4) / miss(2, "leapfrog", 2)) == doctest::Approx(2).epsilon(0.02));
  CHECK(std::log2(miss(4, "corrected-leapfrog", 4) / miss(4, "corrected-leapfrog", 2)) ==
        doctest::Approx(4).epsilon(0.03));
  CHECK(DispersionRelation(scheme("newmark"), h, {h}, {1.0}).phase_ratio(5, x) <
        DispersionRelation(scheme("leapfrog"), 0.5 * h, {h}, {1.0}).phase_ratio(5, x));
}

TEST_CASE("dispersion in a block: along each axis that of a line, along its diagonal the sum of three") {
  const Real h = 0.1, c = 2, step = 0.02, k = 6;
  const DispersionRelation block(scheme("leapfrog"), step, {h, h, h}, {c, c, c}),
      line(scheme("leapfrog"), step, {h}, {c});
  for (std::size_t a = 0; a < 3; ++a) {
    std::array<Real, 3> along{0, 0, 0};
    along[a] = 1;
    CHECK(block.phase_ratio(k, along) == doctest::Approx(line.phase_ratio(k, {1, 0, 0})).epsilon(1e-10));
    CHECK(block.group_ratio(k, along) == doctest::Approx(line.group_ratio(k, {1, 0, 0})).epsilon(1e-5));
  }
  const std::array<Real, 3> diagonal{std::sqrt(1 / 3.0), std::sqrt(1 / 3.0), std::sqrt(1 / 3.0)};
  // sin²(ω·step/2) = Σ (c·step/h)²·sin²(k_a·h/2)
  const Real omega =
      2 / step * std::asin(c * step / h * std::sqrt(3.0) * std::sin(0.5 * k * h * diagonal[0]));
  CHECK(block.phase_ratio(k, diagonal) == doctest::Approx(omega / (c * k)).epsilon(1e-10));
}

TEST_CASE("dispersion counts where waves are slowest, along any axis, and says nothing of what is no wave") {
  const auto plan = [](Unknowns u) {
    return Grid({Axis::uniform("x", 0, 2, 20, u), Axis::uniform("y", 0, 1, 25, u)});
  };
  // Slow in the north, and where much is stored: there both come together.
  Problem p(plan(Unknowns::cells), wave([](Point q) { return 2 - q.y; }));
  p.default_boundary(free_boundary());
  p.initial = [](Point q) { return std::sin(5 * q.x); };
  ProblemBalance balance(p);
  Index where = 0;
  const DispersionRelation relation = dispersion_relation(balance, scheme("leapfrog"), 0.01, &where);
  CHECK(p.grid().point_of(where).y == doctest::Approx(0.98));
  // Long waves travel with the speed of that place.
  CHECK(relation.frequency({0.01, 0, 0}) == doctest::Approx(0.01 * (2 - 0.98)).epsilon(1e-4));
  const auto found = dispersion(balance, scheme("leapfrog"), 0.01, 0, 2);
  REQUIRE(found);
  CHECK(found->basis == "the initial data");
  CHECK(found->where == where);
  CHECK(found->phase_error < 0);
  CHECK_FALSE(dispersion(balance, scheme("leapfrog"), 0, 0, 2));
  CHECK_FALSE(dispersion(balance, scheme("leapfrog"), 0.01, 2, 2));
  Problem spreads(plan(Unknowns::cells), diffusion(1.0));
  spreads.default_boundary(insulated());
  ProblemBalance none(spreads);
  CHECK_FALSE(dispersion(none, scheme("explicit-euler"), 0.01, 0, 2));
}

TEST_CASE("what drives a wave from rest decides its wavelength") {
  Problem p(Grid({Axis::uniform("x", 0, 20, 400, Unknowns::nodes)}), wave(2.0));
  p.boundary("west", driven_displacement([](Real t) { return std::sin(2 * M_PI * t); }))
      .boundary("east", absorbing());
  ProblemBalance balance(p);
  const auto found = dispersion(balance, scheme("leapfrog"), 0.02, 0, 10);
  REQUIRE(found);
  CHECK(found->basis == "west");
  CHECK(2 * M_PI / found->wavenumber == doctest::Approx(2).epsilon(0.03));
  CHECK(found->points == doctest::Approx(40).epsilon(0.03));
  // Late by as much as packets of that wave number are slower than the medium.
  const DispersionRelation relation = dispersion_relation(balance, scheme("leapfrog"), 0.02);
  CHECK(found->phase_lag == doctest::Approx(10 * (1 - relation.group_ratio(M_PI, {1, 0, 0}))).epsilon(0.1));
  // What changes most drives it, however large the other is.
  Problem two(p.grid(), wave(2.0));
  two.boundary("east", driven_displacement([](Real t) { return 50 + 1e-3 * std::sin(9 * t); }))
      .boundary("west", driven_displacement([](Real t) { return std::sin(2 * M_PI * t); }));
  ProblemBalance louder(two);
  const auto heard = dispersion(louder, scheme("leapfrog"), 0.02, 0, 10);
  REQUIRE(heard);
  CHECK(heard->basis == "west");
  // Nothing moves, nothing drives: nothing to say.
  Problem still(p.grid(), wave(2.0));
  still.default_boundary(fixed_boundary());
  ProblemBalance calm(still);
  CHECK_FALSE(dispersion(calm, scheme("leapfrog"), 0.02, 0, 10));
}
