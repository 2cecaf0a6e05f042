// Single partials and narrow bands of one signal: where they lie, how they fall.
#pragma once

#include "core/base/fft.h"

#include <span>
#include <vector>

namespace ember {

// T60 in seconds from a level history in dB, one value every `step` seconds: a line fitted to the
// fall from 3 dB under its highest to 23 dB under it (T20, ISO 3382-2:2008), or to where it
// flattens; 0 when less than `least` dB of fall can be seen. Pure.
double decayTime(std::span<const double> levelsDb, double step, double least = 9.0);

// The usual fall of a drum's strokes: median (or another part's) energy over the strokes that last
// that long, each against its own beginning, by time and frequency. Strokes of other drums that
// fall into some of them leave no trace.
struct Fall {
    double step = 0.01;  // seconds between rows
    double width = 1.0;  // Hz between bins
    std::size_t bins = 0;
    std::vector<std::vector<float>> usual;              // [row][bin]
    std::vector<std::vector<std::vector<float>>> each;  // [stroke][row][bin], as long as it lasts

    // Level history in dB of everything between two frequencies.
    [[nodiscard]] std::vector<double> levels(double low, double high) const;
};
// As long as a quarter of the strokes, and at least two or three, allow. `window` is the length of
// the Hann window in seconds; frequencies up to `highest`. Pure.
Fall readFall(const std::vector<std::vector<float>>& strokes, double rate, double window,
              double highest, double part = 0.5);

// The part of a signal between two times in seconds, as far as it reaches.
std::span<const float> slice(std::span<const float> signal, double rate, double from, double to);
// The Hann window of length n at i.
double hann(std::size_t i, std::size_t n);
// Power of [from, to) under a Hann window, zero-padded to the transform; added to `power`, which
// grows to length/2 + 1.
void addPower(RealFft& fft, std::span<const float> signal, std::vector<double>& power);

// Frequency (in bins) of the peak at bin k by a parabola through the log powers (Smith & Serra,
// "PARSHL", ICMC 1987).
double peakBin(const std::vector<double>& power, std::size_t k);

}  // namespace ember
